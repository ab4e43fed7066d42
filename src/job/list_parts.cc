// SPDX-License-Identifier: MIT
// What is inside a file, one row a part; or two files compared part by part. Tested by tests/part/part_test.cc.
#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <map>
#include <numeric>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "job/folder.h"
#include "job/sheets.h"

namespace hotstitch {
namespace {

constexpr int most_depth = 4;
constexpr std::size_t most_rows = 100'000;
constexpr std::uint64_t largest_opened = std::uint64_t{1} << 30;  ///< by --deep

/// Takes checksums of what passes through.
class DigestSink final : public ByteSink {
public:
    void write(ByteView bytes) override { digester_.update(bytes); }
    Digests finish() { return digester_.finish(); }

private:
    Digester digester_{available({.crc32 = true, .sha1 = true})};
};

class Collector {
public:
    Collector(const ListRequest& request, const WorkOptions& options) : request_(request), options_(options) {}

    std::vector<ListedPart> rows(const Container& container, const ByteSource* file) {
        collect(container, file, options_.limits, {}, 1);
        return std::move(rows_);
    }

private:
    bool wanted(const std::string& address) const {
        const auto& patterns = request_.patterns;
        return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& pattern) {
                   return fnmatch(pattern.c_str(), address.c_str(), 0) == 0;
               });
    }

    /// `file`: what the container is of, where maps may know its parts; else null.
    void collect(const Container& container, const ByteSource* file, const Limits& limits, const std::string& prefix,
                 int depth) {
        container.visit([&](const Part& part, const ExtractPart& extract) {
            ListedPart row{.address = prefix + escaped_part(part.name), .part = part};
            if (is_file(part))
                row.kind = part.encrypted ? FileKind{KindId::data, "encrypted"}
                                          : recognise_file(part.head ? part.head() : Bytes{});
            row.part.head = nullptr;
            const bool keep = wanted(row.address);
            const bool open = request_.deep && depth < most_depth && !part.encrypted && is_file(part) &&
                              part.size.value_or(0) <= largest_opened;
            if (rows_.size() >= most_rows)
                throw Error(ErrorCode::limit, "there are more parts than are listed")
                    .wanted(fmt::format("at most {}", most_rows));
            if (open)
                look_into(container, file, limits, std::move(row), keep, extract, depth);
            else if (keep) {
                if (request_.digests && !part.encrypted) row.digests = digests_of(extract);
                rows_.push_back(std::move(row));
            }
            return Flow::go_on;
        });
    }

    static bool is_file(const Part& part) { return part.kind == PartKind::file || part.kind == PartKind::content; }

    void look_into(const Container& container, const ByteSource* file, const Limits& limits, ListedPart row, bool keep,
                   const ExtractPart& extract, int depth) {
        ScratchFile scratch;
        SharedSource direct = row.part.storage == PartStorage::past_the_end ? nullptr : container.open(row.part);
        if (!direct) {
            extract(scratch);
            direct = std::make_shared<WrittenSource>(scratch);
        }
        const ByteSource& content = *direct;
        if (request_.digests) row.digests = digest(content, available({.crc32 = true, .sha1 = true}));
        Listing inner;
        try {
            const Limits inside = file != nullptr ? limits_inside(limits, *file, row.part.name) : limits;
            inner = Listing(direct, inside, options_.progress);
            if (inner) row.holds = inner->title();
            const std::string prefix = row.address + ":";
            if (keep) rows_.push_back(std::move(row));
            if (inner) collect(*inner, &content, inside, prefix, depth + 1);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::limit) throw;
            if (keep && !rows_.empty()) rows_.back().cannot_open = error.what();
        }
    }

    static Digests digests_of(const ExtractPart& extract) {
        DigestSink sink;
        extract(sink);
        return sink.finish();
    }

    const ListRequest& request_;
    const WorkOptions& options_;
    std::vector<ListedPart> rows_;
};

}  // namespace

std::unique_ptr<Container> open_parts(const InputFile& file, const WorkOptions& options) {
    auto container = open_with_tracks(file, file, options);
    if (container) return container;
    throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known: it is {}", file.path().string(),
                                                    identify(file).kind.title))
        .hint(
            "archives, discs, executables, packed files and cartridge ROMs have parts; describe tells more of this "
            "file");
}

OpenedParts open_parts(const Address& address, const WorkOptions& options) {
    OpenedParts opened;
    // "FILE:" is all of the file.
    const Address named = address.names_part() && address.parts.back().empty() ? address.outer() : address;
    std::error_code code;
    if (!named.names_part() && std::filesystem::is_directory(named.file, code)) {
        opened.container = open_folder(named.file);
        opened.path = named.file;
        return opened;
    }
    WorkOptions inner = options;
    opened.file = std::make_unique<InputFile>(open_file(named, options, &inner.limits));
    opened.container = open_parts(*opened.file, inner);
    opened.limits = inner.limits;
    opened.path = opened.file->path();
    return opened;
}

std::string_view code_of(PartState state) noexcept {
    switch (state) {
        case PartState::same: return "same";
        case PartState::changed: return "changed";
        case PartState::only_here: return "only-here";
        case PartState::only_there: return "only-there";
        case PartState::listed: break;
    }
    return {};
}

std::string ListedPart::opens_as() const {
    if (!cannot_open.empty()) return fmt::format("cannot be opened: {}", cannot_open);
    if (!holds.empty()) return holds;
    return kind.id == KindId::patch ? fmt::format("a {} patch", kind.title) : std::string(kind.title);
}

std::uint64_t ListedPart::changed_bytes() const noexcept {
    return std::accumulate(changed.begin(), changed.end(), std::uint64_t{0},
                           [](std::uint64_t sum, const ByteRange& range) { return sum + range.length; });
}

std::vector<ListedPart> list_parts(const Container& container, const ListRequest& request, const WorkOptions& options,
                                   const ByteSource* file) {
    return Collector(request, options).rows(container, file);
}

namespace {

bool reads_in_any_order(const Container& container) {
    bool yes = false;
    container.visit([&](const Part& part, const ExtractPart&) {
        yes = part.storage == PartStorage::past_the_end || container.open(part) != nullptr;
        return Flow::stop;
    });
    return yes;
}

std::vector<ByteRange> differences_of(const Container& container, const Part& part, const Container& other,
                                      const Part& match) {
    ScratchFile a, b;
    extract_part(container, part.name, a), extract_part(other, match.name, b);
    return differing_ranges(WrittenSource(a), WrittenSource(b));
}

void compare_directly(const Container& container, const Container& other, ListedPart& row, const ListedPart& match) {
    const bool cut = row.part.storage == PartStorage::past_the_end,
               other_cut = match.part.storage == PartStorage::past_the_end;
    if (!cut && !other_cut) {
        const SharedSource here = container.open(row.part), there = other.open(match.part);
        row.changed =
            here && there ? differing_ranges(*here, *there) : differences_of(container, row.part, other, match.part);
    }
    row.state = !row.changed.empty() || cut || other_cut ? PartState::changed : PartState::same;
}

}  // namespace

std::vector<ListedPart> compare_parts(const Container& container, const Container& other, const ListRequest& request,
                                      const WorkOptions& options) {
    // Parts that can be read in any order are compared byte by byte, others by their digests first.
    const bool direct = reads_in_any_order(container) && reads_in_any_order(other);
    ListRequest with_digests = request;
    with_digests.digests = request.digests || !direct;
    std::vector<ListedPart> rows = list_parts(container, with_digests, options),
                            there = list_parts(other, with_digests, options);
    // Other names of what is compared as files.
    for (auto* const list : {&rows, &there})
        std::erase_if(*list, [](const ListedPart& row) {
            return row.part.kind == PartKind::main_program ||
                   (row.part.kind == PartKind::track && row.part.storage == PartStorage::computed);
        });
    std::map<std::string, ListedPart*> by_name;
    for (ListedPart& row : there) by_name.emplace(row.address, &row);
    for (ListedPart& row : rows) {
        row.state = PartState::only_here;
        const auto match = by_name.find(row.address);
        if (match == by_name.end()) continue;
        const bool outermost = split_address(row.address).size() == 1;
        if (direct && outermost) {
            compare_directly(container, other, row, *match->second);
            by_name.erase(match);
            continue;
        }
        const bool equal =
            row.digests && match->second->digests && compare(*row.digests, *match->second->digests).empty();
        row.state = equal ? PartState::same : PartState::changed;
        by_name.erase(match);
        if (equal || !outermost) continue;
        row.changed = differences_of(container, row.part, other, row.part);
    }
    for (ListedPart& row : there)
        if (by_name.contains(row.address)) {
            row.state = PartState::only_there;
            rows.push_back(row);
        }
    return rows;
}

}  // namespace hotstitch
