// SPDX-License-Identifier: MIT
// The result of a list is a row of pieces: stretches of the source that stay, and what comes in. Composing two lists
// cuts the first one's row at the places where the second one's refers to it.
// Tested by tests/base/change_list_test.cc.
#include "hotstitch/change_list.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr std::size_t chunk = std::size_t{1} << 20;  ///< bytes that are looked at in one go

Piece of_source(std::uint64_t offset, std::uint64_t length) {
    return {.kind = Piece::Kind::source, .length = length, .offset = offset};
}

/// `length` bytes of the piece from `skip` on.
Piece part_of(const Piece& piece, std::uint64_t skip, std::uint64_t length) {
    Piece part = piece;
    part.offset += skip;
    part.length = length;
    return part;
}

std::uint64_t length_of(const std::vector<Piece>& pieces) noexcept {
    std::uint64_t length = 0;
    for (const Piece& piece : pieces) length += piece.length;
    return length;
}

/// The stretch [offset, offset + length) of a row of pieces.
void append_stretch(const std::vector<Piece>& row, const std::vector<std::uint64_t>& ends, std::uint64_t offset,
                    std::uint64_t length, std::vector<Piece>& out) {
    auto at = static_cast<std::size_t>(std::upper_bound(ends.begin(), ends.end(), offset) - ends.begin());
    while (length != 0) {
        const std::uint64_t begin = ends[at] - row[at].length, part = std::min(length, ends[at] - offset);
        out.push_back(part_of(row[at], offset - begin, part));
        offset += part, length -= part, ++at;
    }
}

std::vector<std::uint64_t> ends_of(const std::vector<Piece>& pieces) {
    std::vector<std::uint64_t> ends;
    ends.reserve(pieces.size());
    std::uint64_t end = 0;
    for (const Piece& piece : pieces) ends.push_back(end += piece.length);
    return ends;
}

}  // namespace

std::uint64_t Splice::added() const noexcept {
    return length_of(in);
}

void ChangeList::insert(Splice splice) {
    if (splice.offset > source_size_ || splice.removed > source_size_ - splice.offset)
        throw Error(ErrorCode::usage, "a change reaches past the end of the file")
            .at(splice.offset)
            .wanted(fmt::format("at most {}", counted(source_size_, "byte", "bytes")))
            .found(fmt::format("{} from offset {}", counted(splice.removed, "byte", "bytes"), splice.offset));
    const auto next = std::upper_bound(splices_.begin(), splices_.end(), splice.offset,
                                       [](std::uint64_t offset, const Splice& s) { return offset < s.offset; });
    const bool before_touches =
        next != splices_.begin() && std::prev(next)->offset + std::prev(next)->removed > splice.offset;
    const bool next_touches = next != splices_.end() && splice.offset + splice.removed > next->offset;
    if (before_touches || next_touches)
        throw Error(ErrorCode::usage, "two changes touch the same bytes").at(splice.offset);
    std::erase_if(splice.in, [](const Piece& piece) { return piece.length == 0; });
    if (splice.removed == 0 && splice.in.empty()) return;
    splices_.insert(next, std::move(splice));
}

void ChangeList::put(std::uint64_t offset, std::uint64_t removed, Bytes bytes) {
    const std::uint64_t length = bytes.size();
    insert({offset, removed, {{.length = length, .bytes = std::make_shared<const Bytes>(std::move(bytes))}}});
}

void ChangeList::fill(std::uint64_t offset, std::uint64_t removed, std::byte value, std::uint64_t length) {
    insert({offset, removed, {{.kind = Piece::Kind::run, .length = length, .value = value}}});
}

void ChangeList::copy(std::uint64_t offset, std::uint64_t removed, std::uint64_t from, std::uint64_t length) {
    if (from > source_size_ || length > source_size_ - from)
        throw Error(ErrorCode::usage, "a change copies from past the end of the file").at(from);
    insert({offset, removed, {of_source(from, length)}});
}

void ChangeList::put_from(std::uint64_t offset, std::uint64_t removed, SharedSource other, std::uint64_t from,
                          std::uint64_t length) {
    insert(
        {offset, removed, {{.kind = Piece::Kind::other, .length = length, .offset = from, .from = std::move(other)}}});
}

std::uint64_t ChangeList::result_size() const noexcept {
    std::uint64_t size = source_size_;
    for (const Splice& splice : splices_) size += splice.added() - splice.removed;
    return size;
}

std::vector<ByteRange> ChangeList::ranges() const {
    std::vector<ByteRange> ranges;
    for (const Splice& splice : splices_) ranges.push_back({splice.offset, splice.removed});
    return ranges;
}

std::vector<Piece> ChangeList::pieces() const {
    std::vector<Piece> row;
    std::uint64_t at = 0;
    for (const Splice& splice : splices_) {
        if (splice.offset != at) row.push_back(of_source(at, splice.offset - at));
        row.insert(row.end(), splice.in.begin(), splice.in.end());
        at = splice.offset + splice.removed;
    }
    if (at != source_size_) row.push_back(of_source(at, source_size_ - at));
    return row;
}

ChangeList ChangeList::then(const ChangeList& next) const {
    if (next.source_size_ != result_size())
        throw Error(ErrorCode::usage, "a change follows on a file of another size")
            .wanted(counted(result_size(), "byte", "bytes"))
            .found(counted(next.source_size_, "byte", "bytes"));
    const std::vector<Piece> row = pieces();
    const std::vector<std::uint64_t> ends = ends_of(row);
    std::vector<Piece> joined;
    for (const Piece& piece : next.pieces()) {
        if (piece.kind == Piece::Kind::source)
            append_stretch(row, ends, piece.offset, piece.length, joined);
        else
            joined.push_back(piece);
    }
    // Stretches of the source that stand in order stay where they are; what lies between them is one splice.
    ChangeList list(source_size_);
    Splice splice{0, 0, {}};
    for (Piece& piece : joined) {
        if (piece.kind != Piece::Kind::source || piece.offset < splice.offset) {
            splice.in.push_back(std::move(piece));
            continue;
        }
        splice.removed = piece.offset - splice.offset;
        const std::uint64_t end = piece.offset + piece.length;
        list.insert(std::move(splice));
        splice = {end, 0, {}};
    }
    splice.removed = source_size_ - splice.offset;
    list.insert(std::move(splice));
    list.hold(*this), list.hold(next);
    return list;
}

namespace {

/// What comes from another source, in literals of bounded length.
Flow tell_other(const Piece& piece, EditSink& sink) {
    Bytes scratch(static_cast<std::size_t>(std::min<std::uint64_t>(piece.length, chunk)));
    for (std::uint64_t done = 0; done < piece.length; done += scratch.size()) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), piece.length - done));
        if (sink.put(Edit::literal(piece.from->read(piece.offset + done, part, scratch))) == Flow::stop)
            return Flow::stop;
    }
    return Flow::go_on;
}

}  // namespace

Flow ChangeList::tell(EditSink& sink) const {
    for (const Piece& piece : pieces()) {
        Flow flow = Flow::go_on;
        switch (piece.kind) {
            case Piece::Kind::bytes:
                flow = sink.put(Edit::literal(
                    ByteView(*piece.bytes)
                        .subspan(static_cast<std::size_t>(piece.offset), static_cast<std::size_t>(piece.length))));
                break;
            case Piece::Kind::run: flow = sink.put(Edit::run(piece.value, piece.length)); break;
            case Piece::Kind::source: flow = sink.put(Edit::copy_source(piece.offset, piece.length)); break;
            case Piece::Kind::other: flow = tell_other(piece, sink); break;
        }
        if (flow == Flow::stop) return flow;
    }
    return Flow::go_on;
}

namespace {

/// Calls `found` with each stretch in which two sources differ at the same places, where both have bytes.
template <class Found>
void compare_sources(const ByteSource& before, const ByteSource& after, std::uint64_t common, Found&& found) {
    Bytes a(static_cast<std::size_t>(std::min<std::uint64_t>(common, chunk))), b(a.size());
    std::uint64_t begin = 0, end = 0;  // of a stretch that may go on in the next chunk
    for (std::uint64_t done = 0; done < common; done += a.size()) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(a.size(), common - done));
        const ByteView x = before.read(done, part, a), y = after.read(done, part, b);
        for (std::size_t at = 0; at < part;) {
            at += common_prefix(x.subspan(at), y.subspan(at));
            if (at == part) break;
            const std::size_t from = at;
            while (at < part && x[at] != y[at]) ++at;
            if (begin == end || end != done + from) {
                if (begin != end) found(begin, end);
                begin = done + from;
            }
            end = done + at;
        }
    }
    if (begin != end) found(begin, end);
}

Bytes bytes_at(const ByteSource& source, std::uint64_t begin, std::uint64_t end) {
    Bytes bytes(static_cast<std::size_t>(end - begin));
    const ByteView read = source.read(begin, bytes.size(), bytes);
    if (read.data() != bytes.data()) std::copy(read.begin(), read.end(), bytes.begin());
    return bytes;
}

}  // namespace

void each_difference(const ByteSource& before, const ByteSource& after,
                     const std::function<void(const ByteRange&)>& found) {
    const std::uint64_t common = std::min(before.size(), after.size());
    compare_sources(before, after, common, [&](std::uint64_t begin, std::uint64_t end) {
        found({begin, end - begin});
    });
    if (before.size() != after.size()) found({common, std::max(before.size(), after.size()) - common});
}

bool are_same(const ByteSource& a, const ByteSource& b) {
    if (a.size() != b.size()) return false;
    constexpr std::uint64_t piece = std::uint64_t{1} << 20;
    Bytes left(static_cast<std::size_t>(std::min(piece, a.size()))), right(left.size());
    for (std::uint64_t at = 0; at < a.size(); at += piece) {
        const auto length = static_cast<std::size_t>(std::min(piece, a.size() - at));
        const ByteView x = a.read(at, length, left), y = b.read(at, length, right);
        if (!std::equal(x.begin(), x.end(), y.begin())) return false;
    }
    return true;
}

std::vector<ByteRange> differing_ranges(const ByteSource& before, const ByteSource& after) {
    std::vector<ByteRange> ranges;
    each_difference(before, after, [&](const ByteRange& range) { ranges.push_back(range); });
    return ranges;
}

std::vector<ByteRange> ChangeList::changed_ranges(const ByteSource& source) const {
    const ChangedSource made(source, *this);
    std::vector<ByteRange> ranges;
    std::uint64_t at = 0, made_at = 0;
    for (const Splice& splice : splices_) {
        made_at += splice.offset - at;
        const std::uint64_t added = splice.added();
        if (added == splice.removed) {
            const SliceSource before(borrowed(source), splice.offset, added), after(borrowed(made), made_at, added);
            for (const ByteRange& range : differing_ranges(before, after))
                ranges.push_back({splice.offset + range.offset, range.length});
        } else {
            ranges.push_back({splice.offset, std::max(added, splice.removed)});
        }
        at = splice.offset + splice.removed, made_at += added;
    }
    return ranges;
}

ChangeList differences(const ByteSource& before, const ByteSource& after) {
    // A splice of its own takes more memory, and more of a patch, than so many bytes.
    constexpr std::uint64_t least_gap = 16;
    ChangeList list(before.size());
    const std::uint64_t common = std::min(before.size(), after.size());
    const auto replace = [&](std::uint64_t begin, std::uint64_t old_end, std::uint64_t new_end) {
        list.put(begin, old_end - begin, bytes_at(after, begin, new_end));
    };
    std::uint64_t begin = 0, end = 0;  // of what is gathered; empty: nothing yet
    const auto goes_on_at = [&](std::uint64_t at) { return begin != end && at - end < least_gap; };
    compare_sources(before, after, common, [&](std::uint64_t from, std::uint64_t to) {
        if (!goes_on_at(from)) {
            if (begin != end) replace(begin, end, end);
            begin = from;
        }
        end = to;
    });
    const bool longer_or_shorter = before.size() != after.size(), joined = longer_or_shorter && goes_on_at(common);
    if (begin != end && !joined) replace(begin, end, end);
    if (longer_or_shorter) replace(joined ? begin : common, before.size(), after.size());
    return list;
}

std::vector<ByteRange> differing_ranges(ByteView before, ByteView after) {
    return differing_ranges(MemorySource(before), MemorySource(after));
}

ChangeList differences(ByteView before, ByteView after) {
    return differences(MemorySource(before), MemorySource(after));
}

ChangedSource::ChangedSource(SharedSource source, const ChangeList& changes)
    : source_(std::move(source)),
      held_(changes.held_),
      pieces_(changes.pieces()),
      ends_(ends_of(pieces_)),
      size_(changes.result_size()) {}

ByteView ChangedSource::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    auto at = static_cast<std::size_t>(std::upper_bound(ends_.begin(), ends_.end(), offset) - ends_.begin());
    for (std::size_t done = 0; done < length; ++at) {
        const Piece& piece = pieces_[at];
        const std::uint64_t skip = offset + done - (ends_[at] - piece.length);
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(length - done, piece.length - skip));
        const MutableByteView into = scratch.subspan(done, part);
        if (piece.kind == Piece::Kind::run) {
            std::fill(into.begin(), into.end(), piece.value);
        } else {
            const ByteView bytes =
                piece.kind == Piece::Kind::bytes
                    ? ByteView(*piece.bytes).subspan(static_cast<std::size_t>(piece.offset + skip), part)
                    : (piece.kind == Piece::Kind::other ? *piece.from : *source_).read(piece.offset + skip, part, into);
            if (part == length) return bytes;  // all in one piece: no copy
            if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
        }
        done += part;
    }
    return scratch.first(length);
}

Bytes changed(ByteView source, const ChangeList& changes) {
    const MemorySource memory(source);
    MemorySink made;
    write_source(ChangedSource(memory, changes), made);
    return made.take();
}

}  // namespace hotstitch
