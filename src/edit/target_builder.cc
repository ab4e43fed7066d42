// SPDX-License-Identifier: MIT
// Tested by tests/base/edit_test.cc.
#include "edit/target_builder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

// Small edits are gathered, so that the sink sees few large writes; large copies bypass the buffer.
constexpr std::size_t buffer_size = 256 << 10;
constexpr std::size_t direct_from = 64 << 10;
constexpr std::size_t direct_chunk = 1 << 20;

[[noreturn]] void outside(std::string_view what, std::uint64_t offset, std::uint64_t length, std::uint64_t size,
                          std::uint64_t made) {
    throw Error(ErrorCode::damaged, fmt::format("the patch copies from outside the {}", what))
        .at(made)
        .in("copy")
        .found(fmt::format("{} from offset {}", counted(length, "byte", "bytes"), offset))
        .wanted(fmt::format("at most offset {}", size));
}

}  // namespace

TargetBuilder::TargetBuilder(const ByteSource& source, ByteSink& target, std::uint64_t target_size,
                             const Progress& progress, Phase phase)
    : source_(source),
      target_(target),
      size_(target_size),
      buffer_(buffer_size),
      meter_(progress, phase, target_size) {}

Flow TargetBuilder::put(const Edit& edit) {
    if (edit.length > size_ - made_)
        throw Error(ErrorCode::damaged, "the patch makes more than the size it promises")
            .at(made_)
            .wanted(counted(size_, "byte", "bytes"));
    switch (edit.kind) {
        case EditKind::copy_source: copy_source(edit.offset, edit.length); break;
        case EditKind::copy_target: copy_target(edit.offset, edit.length); break;
        case EditKind::literal: append(edit.bytes); break;
        case EditKind::run: run(edit.value, edit.length); break;
        case EditKind::xor_source: xor_source(edit.offset, edit.bytes); break;
    }
    made_ += edit.length;
    return Flow::go_on;
}

void TargetBuilder::finish() {
    flush();
    if (made_ != size_)
        throw Error(ErrorCode::damaged, "the patch makes less than the size it promises")
            .wanted(counted(size_, "byte", "bytes"))
            .found(counted(made_, "byte", "bytes"));
    meter_.finish();
}

void TargetBuilder::copy_source(std::uint64_t offset, std::uint64_t length) {
    const std::uint64_t size = source_.size();
    if (offset > size || length > size - offset) outside("source", offset, length, size, made_);
    if (length >= direct_from && in_window_ && source_.whole()) return pass_through(offset, length);
    const bool direct = length >= direct_from && !in_window_;
    if (direct) forget();
    while (length != 0) {
        if (direct) {
            const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(length, direct_chunk));
            // A source in memory is written from where it is; the scratch is only for others.
            const bool in_place = source_.whole().has_value();
            const std::size_t step = in_place ? part : std::min(part, buffer_.size());
            const ByteView bytes = source_.read(offset, step, buffer_);
            target_.write(bytes);
            skip(step);
            offset += step, length -= step;
        } else {
            const MutableByteView into = room(length);
            read_padded(offset, into);
            offset += into.size(), length -= into.size();
        }
    }
}

void TargetBuilder::copy_target(std::uint64_t offset, std::uint64_t length) {
    if (offset >= made_) outside("target made so far", offset, length, made_, made_);
    // The copy may run into what it makes itself: then the stretch between repeats, and any whole number of stretches
    // that stand already will do for the next step. So steps double, up to what is still at hand in the buffer.
    const std::uint64_t stretch = made_ - offset, most = std::max<std::uint64_t>(1, buffer_size / 2 / stretch);
    for (std::uint64_t done = 0; length != 0;) {
        const std::uint64_t stretches = std::min(1 + done / stretch, most), end = made_ + done;
        offset = end - stretches * stretch;
        const MutableByteView into = room(std::min(length, stretches * stretch));
        const std::uint64_t in_buffer = std::clamp(base_, offset, offset + into.size());
        const auto before = static_cast<std::size_t>(in_buffer - offset);
        if (before != 0) target_.read_back(offset, into.first(before));
        if (before != into.size()) {
            fill_holes(static_cast<std::size_t>(in_buffer - base_), into.size() - before);
            std::memmove(into.data() + before, buffer_.data() + (in_buffer - base_), into.size() - before);
        }
        length -= into.size(), done += into.size();
    }
}

void TargetBuilder::run(std::byte value, std::uint64_t length) {
    while (length != 0) {
        const MutableByteView into = room(length);
        std::fill(into.begin(), into.end(), value);
        length -= into.size();
    }
}

void TargetBuilder::xor_source(std::uint64_t offset, ByteView bytes) {
    while (!bytes.empty()) {
        const MutableByteView into = room(bytes.size());
        read_padded(offset, into);
        for (std::size_t i = 0; i < into.size(); ++i) into[i] ^= bytes[i];
        offset += into.size();
        bytes = bytes.subspan(into.size());
    }
}

void TargetBuilder::append(ByteView bytes) {
    if (bytes.size() >= direct_from && !in_window_) {
        forget();
        target_.write(bytes);
        return skip(bytes.size());
    }
    while (!bytes.empty()) {
        const MutableByteView into = room(bytes.size());
        std::copy_n(bytes.begin(), into.size(), into.begin());
        bytes = bytes.subspan(into.size());
    }
}

Flow TargetBuilder::begin(const Window& window) {
    in_window_ = true;
    window_begin_ = window.offset;
    window_length_ = window.length;
    checked_window_ = window.adler32.has_value();
    if (window.length > buffer_.size() - fill_) forget();
    adler_ = {};
    adlered_ = fill_;
    return Flow::go_on;
}

Flow TargetBuilder::end(const Window& window) {
    if (window.adler32) update_adler();
    in_window_ = false;
    if (!window.adler32) return Flow::go_on;
    const Adler32 found = adler_;
    if (found == *window.adler32) return ++results_.right, Flow::go_on;
    if (results_.wrong++ == 0) {
        results_.first_wrong = window;
        results_.found = found;
    }
    if (tolerant_) return Flow::go_on;
    throw wrong_window(window, found);
}

Error wrong_window(const Window& window, Adler32 found) {
    Error error(
        window.source_read ? ErrorCode::wrong_source : ErrorCode::damaged,
        fmt::format("{}window {} of the target does not come out right",
                    window.source_read ? "this is not the source the patch was made for: " : "", window.number));
    return std::move(error)
        .at(window.offset)
        .in(fmt::format("adler32 of window {}", window.number))
        .wanted(window.adler32->hex())
        .found(found.hex())
        .hint(window.source_read ? "look for the exact revision and region that the patch's author names"
                                 : "the patch was damaged on its way; get it again, as a binary file");
}

MutableByteView TargetBuilder::room(std::uint64_t at_most) {
    if (fill_ == buffer_.size()) {
        // The window so far stays; its buffer grows as it is made, whatever size was promised.
        if (in_window_ && window_begin_ == base_)
            grow(fill_ + 1);
        else
            forget();
    }
    const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(at_most, buffer_.size() - fill_));
    const MutableByteView room = MutableByteView(buffer_).subspan(fill_, length);
    fill_ += length;
    return room;
}

void TargetBuilder::flush() {
    if (fill_ == handed_over_) return;
    if (in_window_ && checked_window_) update_adler();
    target_.write(ByteView(buffer_).subspan(handed_over_, fill_ - handed_over_));
    handed_over_ = fill_;
    meter_.advance_to(base_ + fill_);
}

/// Hands over what is buffered and empties the buffer.
void TargetBuilder::forget() {
    flush();
    base_ += fill_;
    fill_ = handed_over_ = adlered_ = 0;
    holes_.clear();
}

/// Makes the buffer of a window that begins with it larger, by what is made and not by what is promised.
void TargetBuilder::grow(std::uint64_t least) {
    const std::uint64_t size = std::max(least, std::min<std::uint64_t>(2 * buffer_.size(), window_length_));
    if (size > buffer_.size()) buffer_.resize(static_cast<std::size_t>(size));
}

void TargetBuilder::update_adler() {
    adler_ = adler32(ByteView(buffer_).subspan(adlered_, fill_ - adlered_), adler_);
    adlered_ = fill_;
}

/// A long copy in a window goes to the sink from where it is; the window's buffer keeps a hole for it.
void TargetBuilder::pass_through(std::uint64_t offset, std::uint64_t length) {
    flush();
    grow(fill_ + length);
    holes_.push_back({fill_, static_cast<std::size_t>(length), offset});
    while (length != 0) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(length, direct_chunk));
        const ByteView bytes = source_.read(offset, part, {});
        if (checked_window_) adler_ = adler32(bytes, adler_);
        target_.write(bytes);
        fill_ += part;
        handed_over_ = adlered_ = fill_;
        meter_.advance_to(base_ + fill_);
        offset += part, length -= part;
    }
}

/// Gets what a copy wants from [begin, begin + length) into the buffer.
void TargetBuilder::fill_holes(std::size_t begin, std::size_t length) {
    std::erase_if(holes_, [&](const Hole& hole) {
        if (hole.begin >= begin + length || begin >= hole.begin + hole.length) return false;
        const ByteView bytes = source_.read(hole.source, hole.length, {});
        std::copy(bytes.begin(), bytes.end(), buffer_.begin() + static_cast<std::ptrdiff_t>(hole.begin));
        return true;
    });
}

/// Counts bytes that went to the sink past the buffer, which is empty.
void TargetBuilder::skip(std::uint64_t bytes) {
    base_ += bytes;
    meter_.advance_to(base_);
}

void TargetBuilder::read_padded(std::uint64_t offset, MutableByteView into) const {
    const std::uint64_t size = source_.size();
    const auto have = static_cast<std::size_t>(std::min<std::uint64_t>(into.size(), size - std::min(offset, size)));
    if (have != 0) {
        const ByteView bytes = source_.read(offset, have, into.first(have));
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
    }
    std::fill(into.begin() + static_cast<std::ptrdiff_t>(have), into.end(), std::byte{0});
}

}  // namespace hotstitch
