// SPDX-License-Identifier: MIT
// Other representations of a file, as sources over it. Tested by tests/base/source_test.cc, tests/job/diagnose_test.cc
// and tests/part/image_test.cc.
#include "part/representation.h"

#include "hotstitch/source.h"
#include "hotstitch/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "part/disc/sectors.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t block = 16 << 10, half = block / 2;

/// Whole groups with their bytes in another order: byte i of a block comes from origin(i). A last group that is not
/// whole stays as it is. (A type for each order, so that the loop over a whole ROM is compiled for it.)
template <std::size_t group, class Origin>
class RearrangedSource final : public ByteSource {
    static_assert(block % group == 0);

public:
    RearrangedSource(SharedSource file, Origin origin)
        : file_(std::move(file)), origin_(origin), whole_(file_->size() - file_->size() % group) {}

    std::uint64_t size() const noexcept override { return file_->size(); }
    void check_intact() const override { file_->check_intact(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        std::array<std::byte, block> buffer;
        for (std::size_t done = 0; done < length;) {
            const std::uint64_t at = offset + done, begin = at - at % block;
            const auto size = static_cast<std::size_t>(std::min<std::uint64_t>(block, file_->size() - begin));
            const ByteView bytes = file_->read(begin, size, buffer);
            const auto first = static_cast<std::size_t>(at - begin);
            const std::size_t end = std::min(size, first + (length - done));
            const auto ordered = static_cast<std::size_t>(std::clamp<std::uint64_t>(whole_, at, begin + end) - begin);
            const MutableByteView into = scratch.subspan(done, end - first);
            for (std::size_t i = first; i < ordered; ++i) into[i - first] = bytes[origin_(i)];
            for (std::size_t i = ordered; i < end; ++i) into[i - first] = bytes[i];
            done += end - first;
        }
        return scratch.first(length);
    }

private:
    SharedSource file_;
    Origin origin_;
    std::uint64_t whole_;
};

template <std::size_t group, class Origin>
std::unique_ptr<ByteSource> rearranged(SharedSource file, Origin origin) {
    return std::make_unique<RearrangedSource<group, Origin>>(std::move(file), origin);
}

std::unique_ptr<ByteSource> in_order(SharedSource file, RepresentationKind kind) {
    switch (kind) {
        case RepresentationKind::pairs_swapped:
            return rearranged<2>(std::move(file), [](std::size_t i) { return i ^ 1; });
        case RepresentationKind::words_reversed:
            return rearranged<4>(std::move(file), [](std::size_t i) { return i ^ 3; });
        case RepresentationKind::halves_swapped:
            return rearranged<4>(std::move(file), [](std::size_t i) { return i ^ 2; });
        case RepresentationKind::de_interleaved:
            return rearranged<block>(std::move(file), [](std::size_t i) { return (i % 2 == 0 ? half : 0) + i / 2; });
        default: break;
    }
    return rearranged<block>(std::move(file), [](std::size_t i) { return i % half * 2 + (i < half ? 1 : 0); });
}

Bytes with_line_ends_restored(ByteView file) {
    Bytes out;
    out.reserve(file.size());
    for (std::size_t i = 0; i < file.size(); ++i)
        if (file[i] != std::byte{0x0D} || i + 1 == file.size() || file[i + 1] != std::byte{0x0A})
            out.push_back(file[i]);
    return out;
}

std::unique_ptr<ByteSource> slice(SharedSource file, std::uint64_t offset, std::uint64_t length) {
    return std::make_unique<SliceSource>(std::move(file), offset, length);
}

std::unique_ptr<ByteSource> joined(SharedSource first, SharedSource second) {
    return std::make_unique<JoinedSource>(std::vector<SharedSource>{std::move(first), std::move(second)});
}

std::unique_ptr<ByteSource> built(SharedSource file, const Representation& reading) {
    const std::uint64_t bytes = reading.bytes, size = file->size();
    switch (reading.kind) {
        case RepresentationKind::without_front_header: return slice(std::move(file), bytes, size - bytes);
        case RepresentationKind::with_front_header:
            return joined(std::make_shared<FilledSource>(std::byte{0}, bytes), std::move(file));
        case RepresentationKind::pairs_swapped:
        case RepresentationKind::words_reversed:
        case RepresentationKind::halves_swapped:
        case RepresentationKind::de_interleaved:
        case RepresentationKind::interleaved:
            return in_order(slice(std::move(file), bytes, size - bytes), reading.kind);
        case RepresentationKind::user_data: {
            const auto layout = disc::raw_layout_of(*file);
            if (!layout) return slice(std::move(file), 0, size);  // it holds nothing else
            return std::make_unique<disc::UserData>(std::move(file), *layout);
        }
        case RepresentationKind::data_track: {
            const auto layout = disc::raw_layout_of(*file);
            return slice(std::move(file), 0, layout ? layout->sectors * layout->stride : size);
        }
        case RepresentationKind::in_whole_sectors:
            return disc::raw_from_plain(slice(std::move(file), 0, size / disc::user_size * disc::user_size),
                                        bytes == 2 ? disc::SectorMode::form1 : disc::SectorMode::mode1);
        case RepresentationKind::without_padding: return slice(std::move(file), 0, size - bytes);
        case RepresentationKind::with_padding:
            return joined(std::move(file), std::make_shared<FilledSource>(reading.fill, bytes));
        case RepresentationKind::line_ends_restored: break;
    }
    SharedSource restored = owned(with_line_ends_restored(WholeView(*file)));
    const std::uint64_t length = restored->size();
    return slice(std::move(restored), 0, length);
}

}  // namespace

namespace {

constexpr std::array<std::pair<RepresentationKind, std::string_view>, 13> codes{
    {{RepresentationKind::without_front_header, "without-front-header"},
     {RepresentationKind::with_front_header, "with-front-header"},
     {RepresentationKind::pairs_swapped, "pairs-swapped"},
     {RepresentationKind::words_reversed, "words-reversed"},
     {RepresentationKind::halves_swapped, "halves-swapped"},
     {RepresentationKind::de_interleaved, "de-interleaved"},
     {RepresentationKind::user_data, "user-data"},
     {RepresentationKind::data_track, "data-track"},
     {RepresentationKind::in_whole_sectors, "in-whole-sectors"},
     {RepresentationKind::interleaved, "interleaved"},
     {RepresentationKind::without_padding, "without-padding"},
     {RepresentationKind::with_padding, "with-padding"},
     {RepresentationKind::line_ends_restored, "line-ends-restored"}}};

}  // namespace

std::string code_of(const Representation& reading) {
    const auto* const row =
        std::find_if(codes.begin(), codes.end(), [&](const auto& r) { return r.first == reading.kind; });
    std::string code(row->second);
    if (reading.bytes != 0 || reading.fill != std::byte{0}) code += fmt::format(" {}", reading.bytes);
    if (reading.fill != std::byte{0}) code += fmt::format(" {:02x}", std::to_integer<unsigned>(reading.fill));
    return code;
}

std::optional<Representation> representation_from(std::string_view code) {
    const auto next = [&] {
        const std::size_t end = std::min(code.find(' '), code.size());
        const std::string_view word = code.substr(0, end);
        code.remove_prefix(std::min(end + 1, code.size()));
        return word;
    };
    const std::string_view name = next(), bytes = next(), fill = next();
    const auto* const row = std::find_if(codes.begin(), codes.end(), [&](const auto& r) { return r.second == name; });
    if (row == codes.end() || !code.empty()) return std::nullopt;
    Representation found{row->first};
    unsigned value = 0;
    const auto number = [](std::string_view text, auto& into, int base) {
        return text.empty() ||
               std::from_chars(text.data(), text.data() + text.size(), into, base).ptr == text.data() + text.size();
    };
    if (!number(bytes, found.bytes, 10) || !number(fill, value, 16) || value > 0xFF) return std::nullopt;
    found.fill = static_cast<std::byte>(value);
    return found;
}

std::string words_for(const Representation& reading) {
    if (is_pregap(reading))
        return fmt::format("{} pregap of 150 sectors",
                           reading.kind == RepresentationKind::with_front_header ? "with an empty" : "without its");
    switch (reading.kind) {
        case RepresentationKind::without_front_header:
            return fmt::format("without its front header of {}", counted(reading.bytes, "byte", "bytes"));
        case RepresentationKind::with_front_header:
            return fmt::format("with an empty front header of {} added", counted(reading.bytes, "byte", "bytes"));
        case RepresentationKind::pairs_swapped: return "with each two bytes exchanged (another byte order)";
        case RepresentationKind::words_reversed: return "with each four bytes reversed (another byte order)";
        case RepresentationKind::halves_swapped:
            return "with the halves of each four bytes exchanged (another byte order)";
        case RepresentationKind::de_interleaved:
            return reading.bytes == 0 ? "de-interleaved"
                                      : fmt::format("de-interleaved, without its front header of {}",
                                                    counted(reading.bytes, "byte", "bytes"));
        case RepresentationKind::user_data: return "as the user data of its sectors, 2,048 bytes of each";
        case RepresentationKind::data_track: return "as its data track alone, without what follows it";
        case RepresentationKind::in_whole_sectors:
            return fmt::format("in whole sectors of 2,352 bytes, mode {}", reading.bytes);
        case RepresentationKind::interleaved: return "interleaved in blocks of 16 KiB";
        case RepresentationKind::without_padding:
            return fmt::format("without its last {} of padding", counted(reading.bytes, "byte", "bytes"));
        case RepresentationKind::with_padding:
            return fmt::format("with {} of padding put back", counted(reading.bytes, "byte", "bytes"));
        case RepresentationKind::line_ends_restored: break;
    }
    return "with its line ends restored";
}

std::unique_ptr<ByteSource> read_as(const ByteSource& file, const Representation& reading) {
    return built(borrowed(file), reading);
}

std::unique_ptr<ByteSource> read_as(ByteView file, const Representation& reading) {
    return built(std::make_shared<MemorySource>(file), reading);
}

Bytes bytes_read(ByteView file, const std::optional<Representation>& reading) {
    if (!reading) return {file.begin(), file.end()};
    const auto source = read_as(file, *reading);
    Bytes bytes(static_cast<std::size_t>(source->size()));
    const ByteView read = source->read(0, bytes.size(), bytes);
    if (read.data() != bytes.data()) std::copy(read.begin(), read.end(), bytes.begin());
    return bytes;
}

}  // namespace hotstitch
