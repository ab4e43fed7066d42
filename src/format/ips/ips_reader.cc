// SPDX-License-Identifier: MIT
// IPS and IPS32, docs/formats/ips.md:
//
//     "PATCH"  record*  "EOF"  [u24be cut]  [JSON]          IPS32: "IPS32", u32be offsets, "EEOF", [u32be cut]
//     record = u24be offset, u16be size, data               size > 0
//            | u24be offset, u16be 0, u16be length, value    a run, length > 0
//
// Records may jump back and overlap; the last one wins. Nearly all patches have them in order, and those
// are streamed. Only for the others is an index built, and the edits told by sweeping over it.
// Tested by tests/format/ips_reader_test.cc against the reference in tests/lib/.
#include "format/ips/ips_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <queue>

#include "base/cursor.h"
#include "hotstitch/text.h"

namespace hotstitch::ips {
namespace {

/// Takes one record; the cursor stands at its offset. `number` counts from 1, for messages.
Record take_record(Cursor& cursor, const Layout& layout, std::uint64_t number) {
    const auto field = [&](std::string_view name) { return fmt::format("{} of record {}", name, number); };
    Record record;
    record.offset = cursor.big_endian(layout.offset_width, "offset");
    record.length = cursor.big_endian(size_width, "size");
    if (record.length != 0) {
        record.data_at = cursor.position();
        if (record.length > cursor.left())
            throw Error(ErrorCode::truncated, fmt::format("record {} runs past the end of the patch", number))
                .at(record.data_at)
                .in(field("data"))
                .wanted(counted(record.length, "byte", "bytes"))
                .found(counted(cursor.left(), "byte", "bytes"));
        cursor.take(record.length, "data");
        return record;
    }
    const std::uint64_t length_at = cursor.position();
    record.is_run = true;
    record.length = cursor.big_endian(size_width, "run length");
    if (record.length == 0)
        throw Error(ErrorCode::damaged, fmt::format("record {} is a run of no bytes", number))
            .at(length_at)
            .in(field("run length"))
            .wanted("1 to 65535")
            .found("0");
    record.data_at = cursor.position();
    cursor.take(1, "run value");
    return record;
}

/// Turns records, told in target order and without overlap, into edits that make the whole target.
class EditTeller {
public:
    EditTeller(ByteView patch, std::uint64_t source_size, std::uint64_t target_size, EditSink& sink)
        : patch_(patch), source_size_(source_size), target_size_(target_size), sink_(sink) {}

    /// Tells bytes [from, to) of what the record writes, and first what lies before.
    Flow tell(const Record& record, std::uint64_t from, std::uint64_t to) {
        to = std::min(to, target_size_);
        if (from >= to) return Flow::go_on;
        if (source_up_to(from) == Flow::stop) return Flow::stop;
        at_ = to;
        if (record.is_run) return sink_.put(Edit::run(patch_[record.data_at], to - from));
        return sink_.put(Edit::literal(patch_.subspan(record.data_at + (from - record.offset), to - from)));
    }

    /// Tells what no record writes: the source, and 00 past its end.
    Flow source_up_to(std::uint64_t to) {
        to = std::min(to, target_size_);
        const std::uint64_t copied = std::min(to, source_size_);
        if (at_ < copied) {
            if (sink_.put(Edit::copy_source(at_, copied - at_)) == Flow::stop) return Flow::stop;
            at_ = copied;
        }
        if (at_ < to) {
            if (sink_.put(Edit::gap_of(to - at_)) == Flow::stop) return Flow::stop;
            at_ = to;
        }
        return Flow::go_on;
    }

private:
    ByteView patch_;
    std::uint64_t source_size_, target_size_;
    EditSink& sink_;
    std::uint64_t at_ = 0;
};

/// The index for records that jump or overlap: sorted by offset, swept from left to right. Of all records
/// that cover a place, the one latest in the patch is told.
class Sweep {
public:
    Sweep(std::vector<Record> in_file_order, EditTeller& teller) : records_(std::move(in_file_order)), teller_(teller) {
        by_offset_.resize(records_.size());
        for (std::uint32_t i = 0; i < by_offset_.size(); ++i) by_offset_[i] = i;
        std::sort(by_offset_.begin(), by_offset_.end(), [this](std::uint32_t a, std::uint32_t b) {
            return records_[a].offset != records_[b].offset ? records_[a].offset < records_[b].offset : a < b;
        });
    }

    static constexpr std::uint64_t bytes_per_record = sizeof(Record) + 2 * sizeof(std::uint32_t);

    Flow run() {
        while (true) {
            while (!open_.empty() && records_[open_.top()].end() <= at_) open_.pop();
            if (open_.empty()) {
                if (next_ == by_offset_.size()) return Flow::go_on;
                at_ = std::max(at_, upcoming().offset);
            }
            while (next_ != by_offset_.size() && upcoming().offset <= at_) open_.push(by_offset_[next_++]);
            const std::uint32_t top = open_.top();
            const std::uint64_t stop = end_of_reign(top);
            if (teller_.tell(records_[top], at_, stop) == Flow::stop) return Flow::stop;
            at_ = std::max(at_, stop);
        }
    }

private:
    const Record& upcoming() const { return records_[by_offset_[next_]]; }

    /// Where `top` ends, or is interrupted by a record that comes later in the patch.
    std::uint64_t end_of_reign(std::uint32_t top) {
        const std::uint64_t end = records_[top].end();
        while (next_ != by_offset_.size() && upcoming().offset < end) {
            if (by_offset_[next_] > top) return upcoming().offset;
            open_.push(by_offset_[next_++]);
        }
        return end;
    }

    std::vector<Record> records_;
    EditTeller& teller_;
    std::vector<std::uint32_t> by_offset_;
    std::size_t next_ = 0;
    std::uint64_t at_ = 0;
    std::priority_queue<std::uint32_t> open_;  ///< records that cover at_, the latest in the patch on top
};

[[noreturn]] void bad_end(const Layout& layout, ByteView patch, std::optional<std::uint64_t> marker_at) {
    if (marker_at) {
        const std::uint64_t tail_at = *marker_at + layout.offset_width;
        throw Error(ErrorCode::damaged,
                    fmt::format("what follows the end marker is neither a length nor a JSON object"))
            .at(tail_at)
            .in("tail")
            .wanted(fmt::format("nothing, {}, or a JSON object", counted(layout.offset_width, "byte", "bytes")))
            .found(counted(patch.size() - tail_at, "byte", "bytes"))
            .hint("something was added to the patch after it was made; get it again, as a binary file");
    }
    throw Error(ErrorCode::truncated, "the patch ends without its end marker")
        .at(patch.size())
        .in("end marker")
        .wanted(fmt::format("\"{}\"", layout.end_marker))
        .found("the end of the file")
        .hint("the download was likely cut short; get the patch again");
}

}  // namespace

Reader::Reader(ByteView patch, const Layout& layout, const Limits& limits)
    : patch_(patch), layout_(layout), limits_(limits) {
    facts_.format = layout.format;
    facts_.patch_size = patch.size();
    Cursor cursor(patch);
    cursor.take(layout.magic.size(), "magic");
    std::uint64_t json_budget = 4 * std::uint64_t{patch.size()} + (1 << 20);
    std::optional<std::uint64_t> marker_at;
    std::uint64_t end_of_previous = 0;
    try {
        while (cursor.left() != 0) {
            if (text_of(cursor.rest()).starts_with(layout.end_marker)) {
                const ByteView after = cursor.rest().subspan(layout.end_marker.size());
                if (const auto tail = parse_tail(layout, after, json_budget)) {
                    records_end_ = cursor.position();
                    facts_.cut = tail->cut;
                    facts_.metadata_size = tail->metadata.size();
                    facts_.metadata = text_of(tail->metadata).substr(0, limits.metadata);
                    return;
                }
                if (!marker_at) marker_at = cursor.position();
            }
            const Record record = take_record(cursor, layout, ++facts_.records);
            facts_.overlapping |= record.offset < end_of_previous;
            end_of_previous = record.end();
            facts_.reach = std::max(facts_.reach, record.end());
        }
    } catch (const Error& error) {
        // A tail that is none was read as more records, and those made no sense: the tail is what is wrong.
        if (error.code() == ErrorCode::limit || !marker_at) throw;
    }
    bad_end(layout, patch, marker_at);
}

std::uint64_t Reader::target_size(std::uint64_t source_size) const noexcept {
    const std::uint64_t grown = std::max(source_size, facts_.reach);
    return facts_.cut ? std::min(grown, *facts_.cut) : grown;
}

Flow Reader::read(std::uint64_t source_size, EditSink& sink) const {
    const std::uint64_t target = target_size(source_size);
    EditTeller teller(patch_, source_size, target, sink);
    Cursor cursor(patch_, layout_.magic.size());
    if (!facts_.overlapping) {
        for (std::uint64_t number = 1; number <= facts_.records; ++number) {
            const Record record = take_record(cursor, layout_, number);
            if (teller.tell(record, record.offset, record.end()) == Flow::stop) return Flow::stop;
        }
        return teller.source_up_to(target);
    }
    if (facts_.records > limits_.memory / Sweep::bytes_per_record || facts_.records > UINT32_MAX)
        throw Error(ErrorCode::limit, "the patch has more overlapping records than the memory budget holds")
            .wanted(fmt::format("at most {} records", limits_.memory / Sweep::bytes_per_record))
            .found(fmt::format("{} records", facts_.records));
    std::vector<Record> records;
    records.reserve(static_cast<std::size_t>(facts_.records));
    while (records.size() < facts_.records) records.push_back(take_record(cursor, layout_, records.size() + 1));
    if (Sweep(std::move(records), teller).run() == Flow::stop) return Flow::stop;
    return teller.source_up_to(target);
}

}  // namespace hotstitch::ips
