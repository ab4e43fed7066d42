// SPDX-License-Identifier: MIT
// Files of tagged chunks: RIFF, IFF, and the one FORM that some engines keep a game's data in (docs/formats/chunks.md).
// Whether sizes are padded, in which order their bytes are, and whether a list has a type are told by what parses to
// the end. Tested by tests/part/chunk_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <unordered_map>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/kinds.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t header_size = 8;
constexpr std::size_t most_chunks = 100'000, most_depth = 16;

/// How a file of chunks is laid out.
struct Rules {
    bool big = false;    ///< sizes have their high byte first
    bool typed = false;  ///< lists begin with a type of four letters
    bool padded = true;  ///< contents are padded to an even size
};

struct Chunk {
    std::string id;
    std::uint64_t at = 0, size = 0;  ///< of its header, and of its content
    std::size_t depth = 0;           ///< 0: the outermost
    bool list = false;
    std::string type{};
};

bool is_id(ByteView bytes) {
    const std::string_view text = text_of(bytes.first(4));
    return text != "    " && std::all_of(text.begin(), text.end(), is_printable);
}

class Parser {
public:
    Parser(const ByteSource& file, Rules rules) : file_(file), rules_(rules) {}

    /// Nothing: it does not parse to the end by these rules.
    std::optional<std::vector<Chunk>> run() {
        if (!read(0, file_.size(), 0) || chunks_.empty()) return std::nullopt;
        return std::move(chunks_);
    }

private:
    bool is_list(std::string_view id, std::size_t depth) const {
        if (depth == 0) return true;
        if (!rules_.typed) return false;
        return id == "LIST" || (rules_.big && (id == "FORM" || id == "CAT "));
    }

    bool read(std::uint64_t begin, std::uint64_t end, std::size_t depth) {
        for (std::uint64_t at = begin; at != end;) {
            // One byte of padding may stand behind the last chunk, or be left out.
            if (end - at < header_size) return end - at == 1;
            std::array<std::byte, header_size> storage;
            const ByteView head = file_.read(at, header_size, storage);
            Chunk chunk{.id = std::string(text_at(head, 0, 4)), .at = at, .depth = depth};
            chunk.size = rules_.big ? u32be(head, 4) : u32le(head, 4);
            if (!is_id(head) || chunk.size > end - at - header_size || chunks_.size() == most_chunks) return false;
            // The outermost has the whole file, but for its padding.
            if (depth == 0 && end - at - header_size - chunk.size > 1) return false;
            chunk.list = is_list(chunk.id, depth) && depth < most_depth;
            const std::uint64_t inside = at + header_size, next = inside + chunk.size;
            if (chunk.list && rules_.typed) {
                if (chunk.size < 4) return false;
                std::array<std::byte, 4> type;
                chunk.type = text_of(file_.read(inside, 4, type));
            }
            const bool list = chunk.list;
            chunks_.push_back(std::move(chunk));
            if (list && !read(inside + (rules_.typed ? 4 : 0), next, depth + 1)) return false;
            at = next + (rules_.padded && (next - begin) % 2 != 0 && next != end ? 1 : 0);
        }
        return true;
    }

    const ByteSource& file_;
    const Rules rules_;
    std::vector<Chunk> chunks_;
};

struct Parsed {
    Rules rules;
    std::vector<Chunk> chunks;
};

std::optional<Parsed> parsed(const ByteSource& file) {
    const Bytes head = head_of(file, 12);
    if (head.size() < 12) return std::nullopt;
    const std::string_view id = text_at(head, 0, 4);
    std::vector<Rules> all;
    if (id == "RIFF") all = {{false, true, true}, {false, true, false}};
    if (id == "RIFX") all = {{true, true, true}, {true, true, false}};
    if (id == "FORM")
        all = {
            {true, true, true}, {true, true, false}, {false, false, false}, {true, false, false}, {true, false, true}};
    for (const Rules& rules : all)
        if (auto chunks = Parser(file, rules).run(); chunks && chunks->size() > 1)
            return Parsed{rules, *std::move(chunks)};
    return std::nullopt;
}

class ChunkContainer final : public Container {
public:
    ChunkContainer(SharedSource file, Identity identity, Parsed found)
        : file_(std::move(file)), identity_(std::move(identity)), found_(std::move(found)) {
        std::vector<std::string> path;
        std::vector<std::map<std::string, int>> seen(1);
        for (const Chunk& chunk : found_.chunks) {
            path.resize(chunk.depth), seen.resize(chunk.depth + 1);
            std::string name = chunk.id.substr(0, chunk.id.find_last_not_of(' ') + 1);
            std::replace(name.begin(), name.end(), '/', '_');
            if (const int count = ++seen[chunk.depth][name]; count > 1) name += fmt::format(" {}", count);
            path.push_back(name);
            seen.emplace_back();
            std::string whole;
            for (const std::string& one : path) whole += (whole.empty() ? "" : "/") + one;
            names_.push_back(std::move(whole));
        }
        for (std::size_t i = 0; i < names_.size(); ++i) by_name_.emplace(names_[i], i);
    }

    KindId kind() const noexcept override { return KindId::chunk_file; }
    std::string title() const override {
        const std::string_view title = identity_.kind.title;
        const std::string& type = found_.chunks.front().type;
        return type.empty() ? std::string(title) : fmt::format("{} of type {}", title, escaped(type));
    }

    void visit(const VisitPart& visitor) const override {
        for (std::size_t i = 0; i < found_.chunks.size(); ++i) {
            const Chunk& chunk = found_.chunks[i];
            if (chunk.list) continue;
            const SharedSource content = content_of(chunk);
            const Part part{.name = names_[i],
                            .kind = PartKind::file,
                            .size = chunk.size,
                            .offset = chunk.at + header_size,
                            .head = [&content] { return head_of(*content); }};
            if (visitor(part, [&](ByteSink& out) { write_source(*content, out); }) == Flow::stop) return;
        }
    }

    SharedSource open(const Part& part) const override { return content_of(found_.chunks[index_of(part)]); }

    /// Content of the same size goes in its place. Where offsets point into the file, so does shorter content, filled
    /// up; otherwise the chunk and all it lies in get another size.
    PutResult put(const Part& part, const SharedSource& content, const PutOptions&) const override {
        const std::size_t index = index_of(part);
        const Chunk& chunk = found_.chunks[index];
        const std::uint64_t size = content->size();
        const std::string why = pointed_into(index);
        if (size == chunk.size || (!why.empty() && size < chunk.size)) {
            PutResult result = put_in_place(*file_, part, *content, std::byte{0}, "");
            if (size < chunk.size)
                result.warnings.push_back(fmt::format("the chunk keeps its size, filled up with zeros: {}", why));
            result.how = "in-place";
            return result;
        }
        if (!why.empty())
            throw Error(ErrorCode::unsupported, fmt::format("{} cannot grow: {}", part.name, why))
                .in("part")
                .wanted(fmt::format("at most {}", counted(chunk.size, "byte", "bytes")))
                .found(counted(size, "byte", "bytes"))
                .hint("make it fit");
        return resized(index, content);
    }

private:
    SharedSource content_of(const Chunk& chunk) const {
        return std::make_shared<SliceSource>(file_, chunk.at + header_size, chunk.size);
    }

    std::size_t index_of(const Part& part) const {
        const auto found = by_name_.find(part.name);
        if (found == by_name_.end())
            throw Error(ErrorCode::usage, fmt::format("there is no part {} in {}", part.name, title())).in("part");
        return found->second;
    }

    /// Why what lies behind the chunk must not move; empty: it may.
    std::string pointed_into(std::size_t index) const {
        if (!found_.rules.typed)
            return "files of this kind hold offsets into themselves, and only a description of them could say where";
        // An index of a film counts from the begin of the list that holds its frames.
        for (const Chunk& chunk : found_.chunks)
            for (const std::string_view id : {"idx1", "indx"})
                if (chunk.id == id && (found_.chunks[index].depth > 1 || chunk.at > found_.chunks[index].at))
                    return fmt::format("the chunk {} holds offsets into the file", id);
        return {};
    }

    void set_size(ChangeList& list, const Chunk& chunk, std::uint64_t size) const {
        Bytes bytes;
        for (unsigned i = 0; i < 4; ++i)
            bytes.push_back(static_cast<std::byte>(size >> (found_.rules.big ? 24 - 8 * i : 8 * i)));
        list.put(chunk.at + 4, 4, std::move(bytes));
    }

    PutResult resized(std::size_t index, const SharedSource& content) const {
        const Chunk& chunk = found_.chunks[index];
        const std::uint64_t size = content->size(), inside = chunk.at + header_size;
        const std::uint64_t outer_end = found_.chunks.front().at + header_size + found_.chunks.front().size;
        const auto pad = [&](std::uint64_t n) { return found_.rules.padded ? n % 2 : 0; };
        // The padding of a last chunk may have been left out.
        const std::uint64_t old_pad =
            std::min(pad(chunk.size), std::max(outer_end, inside + chunk.size) - inside - chunk.size);
        const std::uint64_t before = chunk.size + old_pad, after = size + pad(size);
        const std::int64_t by = static_cast<std::int64_t>(after) - static_cast<std::int64_t>(before);
        PutResult result{ChangeList(file_->size())};
        std::size_t depth = chunk.depth;
        for (std::size_t i = index; i-- > 0 && depth > 0;) {
            const Chunk& outer = found_.chunks[i];
            if (!outer.list || outer.depth + 1 != depth) continue;
            depth = outer.depth;
            const std::uint64_t now = outer.size + static_cast<std::uint64_t>(by);
            if (now > UINT32_MAX) throw Error(ErrorCode::unsupported, "the file would outgrow its format").in("part");
            if (by != 0) set_size(result.change, outer, now);
        }
        set_size(result.change, chunk, size);
        result.change.put_from(inside, chunk.size, content, 0, size);
        if (old_pad != pad(size)) result.change.fill(inside + chunk.size, old_pad, std::byte{0}, pad(size));
        result.how = "in-place";
        result.mended = 4 * (chunk.depth + 1);
        return result;
    }

    SharedSource file_;
    Identity identity_;
    Parsed found_;
    std::vector<std::string> names_;
    std::unordered_map<std::string_view, std::size_t> by_name_;
};

}  // namespace

std::optional<Recognised> recognise_chunks(const ByteSource& file, const Identity& by_head) {
    const Bytes head = head_of(file, 4);
    const std::string_view id = text_of(head);
    if (id != "RIFF" && id != "RIFX" && id != "FORM") return std::nullopt;
    const auto found = parsed(file);
    if (!found) return std::nullopt;
    Recognised chunks{Bid::structure, by_head};
    chunks.identity.kind = {KindId::chunk_file, id != "FORM"         ? "a RIFF file"
                                                : found->rules.typed ? "an IFF file"
                                                                     : "a file of chunks (FORM)"};
    return chunks;
}

std::unique_ptr<Container> open_chunks(const ByteSource& file, Identity identity, const Limits&, const Progress&) {
    auto found = parsed(file);
    if (!found) return nullptr;
    return std::make_unique<ChunkContainer>(borrowed(file), std::move(identity), *std::move(found));
}

}  // namespace hotstitch
