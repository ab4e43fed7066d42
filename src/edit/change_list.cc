// SPDX-License-Identifier: MIT
// The result of a list is a row of pieces: stretches of the source that stay, and what comes in. Composing two lists
// cuts the first one's row at the places where the second one's refers to it.
// Tested by tests/change_list_test.cc.
#include "hotstitch/change_list.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/words.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

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
    return list;
}

void ChangeList::tell(EditSink& sink) const {
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
        }
        if (flow == Flow::stop) return;
    }
}

std::vector<ByteRange> differing_ranges(const ByteSource& before, const ByteSource& after) {
    return differing_ranges(WholeView(before).bytes(), WholeView(after).bytes());
}

ChangeList differences(const ByteSource& before, const ByteSource& after) {
    return differences(WholeView(before).bytes(), WholeView(after).bytes());
}

std::vector<ByteRange> differing_ranges(ByteView before, ByteView after) {
    std::vector<ByteRange> ranges;
    const std::size_t common = std::min(before.size(), after.size());
    for (std::size_t at = 0; at < common;) {
        at += common_prefix(before.subspan(at, common - at), after.subspan(at, common - at));
        const std::size_t begin = at;
        while (at < common && before[at] != after[at]) ++at;
        if (at != begin) ranges.push_back({begin, at - begin});
    }
    if (before.size() != after.size()) ranges.push_back({common, std::max(before.size(), after.size()) - common});
    return ranges;
}

ChangeList differences(ByteView before, ByteView after) {
    // A splice of its own takes more memory, and more of a patch, than so many bytes.
    constexpr std::size_t least_gap = 16;
    ChangeList list(before.size());
    const std::size_t common = std::min(before.size(), after.size());
    const auto replace = [&](std::size_t begin, std::size_t old_end, std::size_t new_end) {
        list.put(begin, old_end - begin,
                 Bytes(after.begin() + static_cast<std::ptrdiff_t>(begin),
                       after.begin() + static_cast<std::ptrdiff_t>(new_end)));
    };
    std::size_t begin = 0, end = 0;  // of what is gathered; empty: nothing yet
    const auto goes_on_at = [&](std::size_t at) { return begin != end && at - end < least_gap; };
    for (std::size_t at = 0; at < common; end = at) {
        at += common_prefix(before.subspan(at, common - at), after.subspan(at, common - at));
        if (at == common) break;
        if (!goes_on_at(at)) {
            if (begin != end) replace(begin, end, end);
            begin = at;
        }
        while (at < common && before[at] != after[at]) ++at;
    }
    const bool longer_or_shorter = before.size() != after.size(), joined = longer_or_shorter && goes_on_at(common);
    if (begin != end && !joined) replace(begin, end, end);
    if (longer_or_shorter) replace(joined ? begin : common, before.size(), after.size());
    return list;
}

ChangedSource::ChangedSource(const ByteSource& source, const ChangeList& changes)
    : source_(source), pieces_(changes.pieces()), ends_(ends_of(pieces_)), size_(changes.result_size()) {}

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
                piece.kind == Piece::Kind::source
                    ? source_.read(piece.offset + skip, part, into)
                    : ByteView(*piece.bytes).subspan(static_cast<std::size_t>(piece.offset + skip), part);
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
