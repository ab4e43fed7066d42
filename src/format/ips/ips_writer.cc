// SPDX-License-Identifier: MIT
// Writes IPS and IPS32; the rules are in docs/formats/ips.md section 6.
// Tested by tests/format/ips_writer_test.cc.
#include "format/ips/ips_writer.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::ips {
namespace {

constexpr std::size_t flush_at = 64 << 10;
constexpr std::uint64_t run_record_extra = 3;  ///< what a run costs besides a literal's header

std::string other_format(const Layout& layout) {
    return layout.format == PatchFormat::ips ? "the formats ips32 and bps hold it" : "the format bps holds it";
}

}  // namespace

Writer::Writer(const Layout& layout, std::uint64_t source_size, ByteView target, ByteSink& patch)
    : layout_(layout),
      source_size_(source_size),
      target_(target),
      patch_(patch),
      plan_(target, layout.offset_width + size_width) {
    const std::uint64_t longest_cut = (std::uint64_t{1} << (8 * layout.offset_width)) - 1;
    if (target.size() < source_size && target.size() > longest_cut)
        throw Error(ErrorCode::usage,
                    fmt::format("{} cannot make a file shorter at this size", traits_of(layout.format).title))
            .in("cut length")
            .wanted(fmt::format("a target of at most {}", counted(longest_cut, "byte", "bytes")))
            .found(counted(target.size(), "byte", "bytes"))
            .hint(other_format(layout));
    write(bytes_of(layout.magic));
}

Flow Writer::put(const Edit& edit) {
    const std::uint64_t end = at_ + edit.length;
    // Past the source's end too, all is written: a gap that an applier fills by itself says nothing, and is refused.
    plan(at_, end, !(edit.kind == EditKind::copy_source && edit.offset == at_));
    at_ = end;
    emit_planned(false);
    return Flow::go_on;
}

void Writer::plan(std::uint64_t from, std::uint64_t to, bool changed) {
    const std::uint64_t near_end = std::clamp(layout_.last_offset, from, to);
    if (from < near_end) plan_.add(from, near_end, changed);
    if (!changed || near_end == to) return;
    far_end_ = to;
    const std::uint64_t reach = layout_.last_offset + most_in_record;
    if (far_end_ > reach)
        throw Error(ErrorCode::usage,
                    fmt::format("{} cannot reach a change this far into the file", traits_of(layout_.format).title))
            .at(std::max(from, reach))
            .in("offset")
            .wanted(fmt::format("changes below offset {}", reach))
            .found(fmt::format("a change up to offset {}", far_end_))
            .hint(other_format(layout_));
}

void Writer::finish() {
    emit_planned(true);
    if (far_end_ != 0) {
        const std::uint64_t length = far_end_ - layout_.last_offset;
        emit({layout_.last_offset, length, all_equal(target_.subspan(layout_.last_offset, length))});
    }
    write_pending();
    write(bytes_of(layout_.end_marker));
    if (target_.size() < source_size_) write_number(target_.size(), layout_.offset_width);
    patch_.write(buffer_);
    buffer_.clear();
}

void Writer::emit_planned(bool all) {
    for (const PlannedRecord& record : plan_.take(all)) emit(record);
}

void Writer::emit(PlannedRecord record) {
    while (record.length != 0) {
        PlannedRecord piece = record;
        piece.length = std::min(record.length, most_in_record);
        if (piece.length < run_record_extra) piece.is_run = false;
        record.offset += piece.length, record.length -= piece.length;
        if (piece.offset == layout_.end_as_offset) {
            emit_around_end_marker(piece);
        } else {
            write_pending();
            pending_ = piece;
        }
    }
}

/// A record that would start where its offset reads as the end marker starts one byte earlier and carries
/// one more byte of the target. That byte is taken from the record before, if it holds it.
void Writer::emit_around_end_marker(PlannedRecord record) {
    if (pending_ && pending_->end() == record.offset && --pending_->length == 0) pending_.reset();
    write_pending();
    const bool same_value = target_[record.offset - 1] == target_[record.offset];
    PlannedRecord first{record.offset - 1, record.length + 1, record.is_run && same_value};
    if (record.is_run && !same_value) first.length = 2;
    first.length = std::min(first.length, most_in_record);
    pending_ = first;
    emit({first.end(), record.end() - first.end(), record.is_run});
}

void Writer::write_pending() {
    if (!pending_) return;
    const PlannedRecord record = *pending_;
    pending_.reset();
    write_number(record.offset, layout_.offset_width);
    if (record.is_run) {
        write_number(0, size_width);
        write_number(record.length, size_width);
        write(target_.subspan(record.offset, 1));
    } else {
        write_number(record.length, size_width);
        write(target_.subspan(record.offset, record.length));
    }
}

void Writer::write_number(std::uint64_t value, std::size_t width) {
    for (std::size_t i = width; i-- > 0;) buffer_.push_back(static_cast<std::byte>(value >> (8 * i)));
}

void Writer::write(ByteView bytes) {
    buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
    if (buffer_.size() < flush_at) return;
    patch_.write(buffer_);
    buffer_.clear();
}

}  // namespace hotstitch::ips
