// SPDX-License-Identifier: MIT
// What is inside a file, one row a part; or two files compared part by part.
#include "hotstitch/part.h"

#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <map>

#include "commands/common.h"
#include "hotstitch/error.h"

namespace hotstitch::cli {
namespace {

constexpr int most_depth = 4;
constexpr std::size_t most_rows = 100'000, rows_shown = 200;
constexpr std::uint64_t largest_opened = std::uint64_t{1} << 30;  ///< by --deep

/// Takes checksums of what passes through.
class DigestSink final : public ByteSink {
public:
    void write(ByteView bytes) override { digester_.update(bytes); }
    Digests finish() { return digester_.finish(); }

private:
    Digester digester_{available({.crc32 = true, .sha1 = true})};
};

struct Row {
    std::string address;  ///< inside the file that was named
    Part part;
    std::string opens;
    std::optional<Digests> digests;
    std::string state;
    std::vector<ByteRange> changed;
};

/// A name as it stands in an address.
std::string in_address(std::string_view name) {
    std::string out;
    for (const char c : name) out += c == ':' ? std::string("\\:") : std::string(1, c);
    return out;
}

std::string words_for(const FileKind& kind) {
    return kind.name == "patch" ? fmt::format("a {} patch", kind.title) : std::string(kind.title);
}

class Collector {
public:
    Collector(const PartsArguments& arguments, bool digests, const Context& context)
        : arguments_(arguments), digests_(digests), context_(context) {}

    std::vector<Row> rows(const Container& container) {
        collect(container, {}, 1);
        return std::move(rows_);
    }

private:
    bool wanted(const std::string& address) const {
        const auto& patterns = arguments_.patterns;
        return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& pattern) {
                   return fnmatch(pattern.c_str(), address.c_str(), 0) == 0;
               });
    }

    void collect(const Container& container, const std::string& prefix, int depth) {
        container.visit([&](const Part& part, const ExtractPart& extract) {
            Row row{prefix + in_address(part.name), part, {}, {}, {}, {}};
            if (part.kind == "file" || part.kind == "content")
                row.opens = part.encrypted ? "encrypted" : words_for(recognise_file(part.head));
            const bool keep = wanted(row.address);
            const bool open = arguments_.deep && depth < most_depth && !part.encrypted &&
                              (part.kind == "file" || part.kind == "content") &&
                              part.size.value_or(0) <= largest_opened;
            if (rows_.size() >= most_rows)
                throw Error(ErrorCode::limit, "there are more parts than are listed")
                    .wanted(fmt::format("at most {}", most_rows));
            if (open)
                look_into(std::move(row), keep, extract, depth);
            else if (keep) {
                if (digests_ && !part.encrypted) row.digests = digests_of(extract);
                rows_.push_back(std::move(row));
            }
            return Flow::go_on;
        });
    }

    void look_into(Row row, bool keep, const ExtractPart& extract, int depth) {
        ScratchFile scratch;
        extract(scratch);
        const MemorySource content(*scratch.written());
        if (digests_) row.digests = digest(content, available({.crc32 = true, .sha1 = true}));
        std::unique_ptr<Container> inner;
        try {
            inner = open_container(content, context_.limits, context_.progress);
            if (inner) row.opens = inner->title();
            const std::string prefix = row.address + ":";
            if (keep) rows_.push_back(std::move(row));
            if (inner) collect(*inner, prefix, depth + 1);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::limit) throw;
            if (keep && !rows_.empty()) rows_.back().opens = fmt::format("cannot be opened: {}", error.what());
        }
    }

    static Digests digests_of(const ExtractPart& extract) {
        DigestSink sink;
        extract(sink);
        return sink.finish();
    }

    const PartsArguments& arguments_;
    const bool digests_;
    const Context& context_;
    std::vector<Row> rows_;
};

Json row_json(const Row& row) {
    Json out = {{"name", as_utf8(row.address)}, {"kind", row.part.kind}};
    out["size"] = row.part.size ? Json(*row.part.size) : Json(nullptr);
    if (row.part.offset) out["offset"] = *row.part.offset;
    if (!row.opens.empty()) out["opens"] = as_utf8(row.opens);
    if (row.part.encrypted) out["encrypted"] = true;
    if (row.digests) out.update(json_of(*row.digests));
    if (!row.state.empty()) out["state"] = row.state;
    if (row.state == "changed") {
        std::uint64_t bytes = 0;
        for (const ByteRange& range : row.changed) bytes += range.length;
        out["changed_bytes"] = bytes;
        out["changed_places"] = row.changed.size();
    }
    return out;
}

std::string state_text(const Row& row) {
    if (row.state != "changed")
        return row.state == "only-here" ? "only here" : row.state == "only-there" ? "only there" : row.state;
    std::uint64_t bytes = 0;
    for (const ByteRange& range : row.changed) bytes += range.length;
    return fmt::format("{} in {}", counted(bytes, "byte", "bytes"), counted(row.changed.size(), "place", "places"));
}

std::string text_of_row(const Row& row, std::size_t width) {
    const std::string size = row.part.size ? grouped(*row.part.size) : "?";
    const std::string place = row.part.offset ? fmt::format("at {}", offset_text(*row.part.offset))
                              : row.part.kind == "file" || row.part.kind == "content" ? "packed"
                                                                                      : "computed";
    std::string text = fmt::format("{:>13}  {:<12}  {:<{}}", size, place, escaped(row.address), width);
    if (!row.state.empty()) text += "  " + state_text(row);
    if (row.state.empty() && !row.opens.empty()) text += "  " + escaped(row.opens);
    if (row.digests && row.digests->crc32) text += "  crc32 " + row.digests->crc32->hex();
    while (text.ends_with(' ')) text.pop_back();
    return text;
}

void state_rows(const std::vector<Row>& rows, Report& report) {
    Json list = Json::array();
    std::size_t width = 0, shown_rows = 0;
    for (const Row& row : rows) {
        list.push_back(row_json(row));
        const bool goes_on = !row.opens.empty() || !row.state.empty() || row.digests;
        if (goes_on) width = std::max(width, std::min<std::size_t>(row.address.size(), 44));
    }
    if (!rows.empty()) report.fact("parts", "parts", fmt::format("{:>13}  {:<12}  {}", "bytes", "place", "name"), list);
    // Of what is compared, people want what differs.
    for (const Row& row : rows)
        if (row.state != "same" && ++shown_rows <= rows_shown)
            report.fact("parts", "parts", text_of_row(row, width), list);
    if (rows.empty()) report.detail("parts", list);
    if (shown_rows > rows_shown)
        report.fact("parts", "parts", fmt::format("and {} more; --json lists all", grouped(shown_rows - rows_shown)),
                    list);
}

std::unique_ptr<Container> opened(const InputFile& file, const Context& context) {
    auto container = open_container(file, context.limits, context.progress);
    if (container) return container;
    const FileKind kind = identify(file).kind;
    throw Error(ErrorCode::unsupported,
                fmt::format("{} has no parts that are known: it is {}", file.path().string(), kind.title))
        .hint("archives, compressed files and cartridge ROMs have parts; describe tells more of this file");
}

void container_fact(const InputFile& file, const Container& container, Report& report) {
    report.fact("container", "file", fmt::format("{}, {}", shown(file.path()), escaped(container.title())),
                Json{{"path", as_utf8(file.origin())},
                     {"kind", container.kind()},
                     {"title", as_utf8(container.title())},
                     {"size", file.size()}});
}

/// Part by part: by checksum, and byte by byte where that differs.
void compare(const Container& container, const PartsArguments& arguments, const Context& context, Report& report) {
    const InputFile other = open_file(arguments.compare, context);
    const auto other_container = opened(other, context);
    report.fact("other", "compared with", fmt::format("{}, {}", shown(other.path()), escaped(other_container->title())),
                Json{{"path", as_utf8(other.origin())},
                     {"kind", other_container->kind()},
                     {"title", as_utf8(other_container->title())},
                     {"size", other.size()}});
    std::vector<Row> rows = Collector(arguments, true, context).rows(container),
                     there = Collector(arguments, true, context).rows(*other_container);
    std::map<std::string, Row*> by_name;
    for (Row& row : there) by_name.emplace(row.address, &row);
    std::size_t same = 0, changed = 0, only_here = 0;
    for (Row& row : rows) {
        const auto match = by_name.find(row.address);
        if (match == by_name.end()) {
            row.state = "only-here", ++only_here;
            continue;
        }
        const bool equal =
            row.digests && match->second->digests && hotstitch::compare(*row.digests, *match->second->digests).empty();
        row.state = equal ? "same" : "changed";
        ++(equal ? same : changed);
        by_name.erase(match);
        if (equal || row.address.find(':') != std::string::npos) continue;
        ScratchFile a, b;
        extract_part(container, row.part.name, a), extract_part(*other_container, row.part.name, b);
        row.changed = differing_ranges(*a.written(), *b.written());
    }
    const std::size_t only_there = by_name.size();
    for (Row& row : there)
        if (by_name.contains(row.address)) {
            row.state = "only-there";
            rows.push_back(row);
        }
    state_rows(rows, report);
    const bool all_same = changed + only_here + only_there == 0;
    std::string sentence = fmt::format("{} of {} the same", same, counted(rows.size(), "part", "parts"));
    for (const auto& [number, word] :
         {std::pair{changed, "changed"}, {only_here, "only here"}, {only_there, "only there"}})
        if (number != 0) sentence += fmt::format(", {} {}", number, word);
    report.conclude(all_same ? Mood::good : Mood::unsure, all_same ? "same" : "different",
                    all_same ? fmt::format("All {} are the same.", counted(same, "part", "parts")) : sentence + ".",
                    all_same ? ExitCode::yes : ExitCode::no);
}

}  // namespace

void run(const PartsArguments& arguments, const Context& context, Report& report) {
    const InputFile file = open_file(arguments.file, context);
    const auto container = opened(file, context);
    container_fact(file, *container, report);
    if (!arguments.compare.empty()) return compare(*container, arguments, context, report);
    const std::vector<Row> rows = Collector(arguments, arguments.digests, context).rows(*container);
    file.check_intact();
    state_rows(rows, report);
    report.conclude(Mood::good, "listed",
                    fmt::format("{} in {}.", counted(rows.size(), "part", "parts"), shown(file.path())), ExitCode::yes);
    if (!rows.empty())
        report.next("to take one out",
                    fmt::format("hotstitch take {}", shell_file(arguments.file + ":" + rows.front().address)));
}

}  // namespace hotstitch::cli
