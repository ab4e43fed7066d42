// SPDX-License-Identifier: MIT
// What is inside a file, one row a part; or two files compared part by part. Tested by tests/part_test.cc.
#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <map>
#include <numeric>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"

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

/// A name as it stands in an address.
std::string in_address(std::string_view name) {
    std::string out;
    for (const char c : name) out += c == ':' ? std::string("\\:") : std::string(1, c);
    return out;
}

class Collector {
public:
    Collector(const ListRequest& request, const WorkOptions& options) : request_(request), options_(options) {}

    std::vector<ListedPart> rows(const Container& container) {
        collect(container, {}, 1);
        return std::move(rows_);
    }

private:
    bool wanted(const std::string& address) const {
        const auto& patterns = request_.patterns;
        return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& pattern) {
                   return fnmatch(pattern.c_str(), address.c_str(), 0) == 0;
               });
    }

    void collect(const Container& container, const std::string& prefix, int depth) {
        container.visit([&](const Part& part, const ExtractPart& extract) {
            ListedPart row{.address = prefix + in_address(part.name), .part = part};
            if (part.kind == "file" || part.kind == "content")
                row.kind = part.encrypted ? FileKind{"encrypted", "encrypted"} : recognise_file(part.head);
            const bool keep = wanted(row.address);
            const bool open = request_.deep && depth < most_depth && !part.encrypted &&
                              (part.kind == "file" || part.kind == "content") &&
                              part.size.value_or(0) <= largest_opened;
            if (rows_.size() >= most_rows)
                throw Error(ErrorCode::limit, "there are more parts than are listed")
                    .wanted(fmt::format("at most {}", most_rows));
            if (open)
                look_into(std::move(row), keep, extract, depth);
            else if (keep) {
                if (request_.digests && !part.encrypted) row.digests = digests_of(extract);
                rows_.push_back(std::move(row));
            }
            return Flow::go_on;
        });
    }

    void look_into(ListedPart row, bool keep, const ExtractPart& extract, int depth) {
        ScratchFile scratch;
        extract(scratch);
        const MemorySource content(scratch.written().value());
        if (request_.digests) row.digests = digest(content, available({.crc32 = true, .sha1 = true}));
        std::unique_ptr<Container> inner;
        try {
            inner = open_container(content, options_.limits, options_.progress);
            if (inner) row.holds = inner->title();
            const std::string prefix = row.address + ":";
            if (keep) rows_.push_back(std::move(row));
            if (inner) collect(*inner, prefix, depth + 1);
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
    auto container = open_container(file, options.limits, options.progress);
    if (container) return container;
    throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known: it is {}", file.path().string(),
                                                    identify(file).kind.title))
        .hint("archives, compressed files and cartridge ROMs have parts; describe tells more of this file");
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
    return kind.name == "patch" ? fmt::format("a {} patch", kind.title) : std::string(kind.title);
}

std::uint64_t ListedPart::changed_bytes() const noexcept {
    return std::accumulate(changed.begin(), changed.end(), std::uint64_t{0},
                           [](std::uint64_t sum, const ByteRange& range) { return sum + range.length; });
}

std::vector<ListedPart> list_parts(const Container& container, const ListRequest& request, const WorkOptions& options) {
    return Collector(request, options).rows(container);
}

std::vector<ListedPart> compare_parts(const Container& container, const Container& other, const ListRequest& request,
                                      const WorkOptions& options) {
    ListRequest with_digests = request;
    with_digests.digests = true;
    std::vector<ListedPart> rows = list_parts(container, with_digests, options),
                            there = list_parts(other, with_digests, options);
    std::map<std::string, ListedPart*> by_name;
    for (ListedPart& row : there) by_name.emplace(row.address, &row);
    for (ListedPart& row : rows) {
        row.state = PartState::only_here;
        const auto match = by_name.find(row.address);
        if (match == by_name.end()) continue;
        const bool equal =
            row.digests && match->second->digests && compare(*row.digests, *match->second->digests).empty();
        row.state = equal ? PartState::same : PartState::changed;
        by_name.erase(match);
        if (equal || row.address.find(':') != std::string::npos) continue;
        ScratchFile a, b;
        extract_part(container, row.part.name, a), extract_part(other, row.part.name, b);
        row.changed = differing_ranges(a.written().value(), b.written().value());
    }
    for (ListedPart& row : there)
        if (by_name.contains(row.address)) {
            row.state = PartState::only_there;
            rows.push_back(row);
        }
    return rows;
}

}  // namespace hotstitch
