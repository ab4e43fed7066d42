// SPDX-License-Identifier: MIT
// Sources made of sources: each finds where the bytes asked for lie and passes the question on; a piece that one source
// has whole is never copied. Tested by tests/base/source_test.cc.
#include <algorithm>

#include "hotstitch/source.h"
#include "source/chunks.h"

namespace hotstitch {

SharedSource borrowed(const ByteSource& source) noexcept {
    return SharedSource(SharedSource(), &source);
}

SliceSource::SliceSource(SharedSource source, std::uint64_t offset, std::uint64_t length) noexcept
    : source_(std::move(source)), offset_(offset), length_(length) {}

ByteView SliceSource::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    return source_->read(offset_ + offset, length, scratch);
}

std::optional<ByteView> SliceSource::whole() const noexcept {
    const auto all = source_->whole();
    if (!all) return std::nullopt;
    return all->subspan(static_cast<std::size_t>(offset_), static_cast<std::size_t>(length_));
}

ByteView FilledSource::read(std::uint64_t, std::size_t length, MutableByteView scratch) const {
    const MutableByteView into = scratch.first(length);
    std::fill(into.begin(), into.end(), value_);
    return into;
}

JoinedSource::JoinedSource(std::vector<SharedSource> sources) : sources_(std::move(sources)) {
    std::uint64_t end = 0;
    for (const SharedSource& source : sources_) ends_.push_back(end += source->size());
}

ByteView JoinedSource::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    auto at = static_cast<std::size_t>(std::upper_bound(ends_.begin(), ends_.end(), offset) - ends_.begin());
    for (std::size_t done = 0; done < length; ++at) {
        const ByteSource& source = *sources_[at];
        const std::uint64_t skip = offset + done - (ends_[at] - source.size());
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(length - done, source.size() - skip));
        const MutableByteView into = scratch.subspan(done, part);
        const ByteView bytes = source.read(skip, part, into);
        if (part == length) return bytes;
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
        done += part;
    }
    return scratch.first(length);
}

void JoinedSource::check_intact() const {
    for (const SharedSource& source : sources_) source->check_intact();
}

void write_source(const ByteSource& source, ByteSink& sink) {
    sink.reserve(source.size());
    each_chunk(source, 1 << 20, [&](ByteView bytes) { sink.write(bytes); });
    source.check_intact();
}

bool is_filled(const ByteSource& source, std::uint64_t offset, std::uint64_t length, std::byte value) {
    constexpr std::size_t chunk = 1 << 20;
    Bytes scratch(static_cast<std::size_t>(std::min<std::uint64_t>(length, chunk)));
    for (std::uint64_t done = 0; done < length; done += scratch.size()) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), length - done));
        const ByteView bytes = source.read(offset + done, part, scratch);
        if (bytes.front() != value || !all_equal(bytes)) return false;
    }
    return true;
}

Bytes head_of(const ByteSource& source, std::size_t most) {
    Bytes scratch(static_cast<std::size_t>(std::min<std::uint64_t>(source.size(), most)));
    const ByteView head = source.read(0, scratch.size(), scratch);
    return {head.begin(), head.end()};
}

}  // namespace hotstitch
