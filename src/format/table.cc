// SPDX-License-Identifier: MIT
#include "format/table.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "format/bps/bps_reader.h"
#include "format/bps/bps_writer.h"
#include "format/edits/edits_reader.h"
#include "format/edits/edits_writer.h"
#include "format/ips/ips_reader.h"
#include "format/ips/ips_writer.h"
#include "format/ups/ups_reader.h"
#include "format/ups/ups_writer.h"
#include "format/vcdiff/vcdiff_reader.h"
#include "format/vcdiff/vcdiff_writer.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

template <const ips::Layout& layout>
std::unique_ptr<PatchReader> open_ips(ByteView patch, const Limits& limits) {
    return std::make_unique<ips::Reader>(patch, layout, limits);
}
template <const ips::Layout& layout>
std::unique_ptr<PatchWriter> write_ips(ByteView source, ByteView target, ByteSink& patch, const WriterOptions&) {
    return std::make_unique<ips::Writer>(layout, source.size(), target, patch);
}

std::unique_ptr<PatchWriter> write_ups(ByteView source, ByteView target, ByteSink& patch, const WriterOptions&) {
    return std::make_unique<ups::Writer>(source, target, patch);
}

std::unique_ptr<PatchWriter> write_bps(ByteView source, ByteView target, ByteSink& patch,
                                       const WriterOptions& options) {
    return std::make_unique<bps::Writer>(source, target, patch, options.metadata);
}

std::unique_ptr<PatchWriter> write_vcdiff(ByteView, ByteView target, ByteSink& patch, const WriterOptions& options) {
    return std::make_unique<vcdiff::Writer>(target, patch, options);
}

std::unique_ptr<PatchWriter> write_edits(ByteView source, ByteView target, ByteSink& patch, const WriterOptions&) {
    return std::make_unique<edits::Writer>(source, target, patch);
}

CostModel bps_costs(const VcdiffOptions&) {
    return CostModel::bps;
}
CostModel vcdiff_costs(const VcdiffOptions& options) {
    return options.lzma ? CostModel::vcdiff_lzma : CostModel::vcdiff;
}

template <class Reader>
std::unique_ptr<PatchReader> open_as(ByteView patch, const Limits& limits) {
    return std::make_unique<Reader>(patch, limits);
}

// id, costs, open, write
constexpr std::array table{
    Format{PatchFormat::ips, bps_costs, open_ips<ips::ips>, write_ips<ips::ips>},
    Format{PatchFormat::ips32, bps_costs, open_ips<ips::ips32>, write_ips<ips::ips32>},
    Format{PatchFormat::ups, bps_costs, open_as<ups::Reader>, write_ups},
    Format{PatchFormat::bps, bps_costs, open_as<bps::Reader>, write_bps},
    Format{PatchFormat::vcdiff, vcdiff_costs, open_as<vcdiff::Reader>, write_vcdiff},
    Format{PatchFormat::edits, bps_costs, open_as<edits::Reader>, write_edits},
};

/// Why bytes that were handed in as a patch are none, as far as their content tells.
[[noreturn]] void not_a_patch(ByteView bytes) {
    const FileKind kind = recognise_file(bytes);
    struct Row {
        KindId kind;
        std::string_view hint;
    };
    constexpr Row rows[] = {
        {KindId::web_page, "the page around the download was saved; open it and save the patch file itself"},
        {KindId::archive, "unpack it and hand in the patch inside"},
        {KindId::pointer, "let the version-control system fetch the file itself"},
        {KindId::empty, "the download failed; get the patch again"},
        {KindId::other_patch,
         "ask its author for one of the formats that are, or use the program that it was made for"},
        {KindId::data, "check that the names of source and patch are the right ones"}};
    const Row& row = *std::find_if(std::begin(rows), std::end(rows),
                                   [&](const Row& r) { return r.kind == kind.id || r.kind == KindId::data; });
    throw Error(ErrorCode::not_this_format, kind.id == KindId::other_patch
                                                ? fmt::format("this is {}", kind.title)
                                                : fmt::format("this is not a patch but {}", kind.title))
        .at(0)
        .hint(std::string(row.hint));
}

/// Each LF became CR LF on the way: every one that is left has a CR before it, and there are too many for chance.
bool went_through_text_mode(ByteView patch) {
    constexpr std::size_t telling = 4;
    std::size_t line_ends = 0;
    for (std::size_t at = 0; at < patch.size(); ++at) {
        if (patch[at] != std::byte{'\n'}) continue;
        if (at == 0 || patch[at - 1] != std::byte{'\r'}) return false;
        ++line_ends;
    }
    return line_ends >= telling;
}

/// The next step for a patch that makes no sense.
std::string advice_for(const Error& error, ByteView patch) {
    if (went_through_text_mode(patch))
        return "a transfer in text mode has changed the patch (each line end became two bytes); get it again, as a "
               "binary file";
    if (!error.hint().empty()) return error.hint();
    return error.code() == ErrorCode::truncated ? "the download was likely cut short; get the patch again"
                                                : "the patch was damaged on its way; get it again, as a binary file";
}

}  // namespace

const Format& format_of(PatchFormat id) noexcept {
    return *std::find_if(table.begin(), table.end(), [&](const Format& row) { return row.id == id; });
}

PatchReader::~PatchReader() = default;

std::unique_ptr<PatchReader> PatchReader::for_source(const ByteSource&) const {
    return nullptr;
}

Flow PatchReader::windows(const std::function<Flow(const Window&)>&) const {
    return Flow::go_on;
}

namespace {

/// A reader with the bytes that it reads, where the source could not lend them.
class OwningReader final : public PatchReader {
public:
    OwningReader(const ByteSource& patch, const Limits& limits)
        : view_(patch, limits), reader_(open_patch(view_.bytes(), limits)) {}
    const PatchFacts& facts() const noexcept override { return reader_->facts(); }
    std::uint64_t target_size(std::uint64_t source_size) const noexcept override {
        return reader_->target_size(source_size);
    }
    Flow read(std::uint64_t source_size, EditSink& sink) const override { return reader_->read(source_size, sink); }
    Flow windows(const std::function<Flow(const Window&)>& use) const override { return reader_->windows(use); }
    std::unique_ptr<PatchReader> for_source(const ByteSource& source) const override {
        return reader_->for_source(source);
    }

private:
    WholeView view_;
    std::unique_ptr<PatchReader> reader_;
};

}  // namespace

std::unique_ptr<PatchReader> open_patch(const ByteSource& patch, const Limits& limits) {
    if (const auto whole = patch.whole()) return open_patch(*whole, limits);
    return in_memory([&] { return std::make_unique<OwningReader>(patch, limits); });
}

std::unique_ptr<PatchReader> open_patch(ByteView patch, const Limits& limits) {
    const auto format = recognise_patch(patch);
    if (!format) not_a_patch(patch);
    try {
        return in_memory([&] { return format_of(*format).open(patch, limits); });
    } catch (const Error& error) {
        if (error.code() != ErrorCode::damaged && error.code() != ErrorCode::truncated &&
            error.code() != ErrorCode::unsupported)
            throw;
        throw Error(error).hint(advice_for(error, patch));
    }
}

std::unique_ptr<PatchWriter> make_patch_writer(PatchFormat format, ByteView source, ByteView target, ByteSink& patch,
                                               const WriterOptions& options) {
    const Format& row = format_of(format);
    if (!options.metadata.empty() && !traits_of(format).has_metadata)
        throw Error(ErrorCode::usage, fmt::format("{} has no place for metadata", traits_of(format).title))
            .in("metadata")
            .hint("use bps or vcdiff");
    return row.write(source, target, patch, options);
}

}  // namespace hotstitch
