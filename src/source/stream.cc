// SPDX-License-Identifier: MIT
#include "hotstitch/source.h"

#include <algorithm>

#include "hotstitch/error.h"

namespace hotstitch {

ByteSource::~ByteSource() = default;
std::optional<ByteView> ByteSource::whole() const noexcept {
    return std::nullopt;
}
void ByteSource::check_intact() const {}

ByteSink::~ByteSink() = default;
void ByteSink::reserve(std::uint64_t) {}
void ByteSink::clear() {
    throw Error(ErrorCode::unsupported, "this output cannot begin anew");
}

void ByteSink::read_back(std::uint64_t, MutableByteView) const {
    throw Error(ErrorCode::unsupported, "this output cannot give back what was written to it");
}
std::optional<ByteView> ByteSink::written() {
    return std::nullopt;
}

std::uint64_t ByteSink::written_size() const {
    throw Error(ErrorCode::unsupported, "this output cannot give back what was written to it");
}

WrittenSource::WrittenSource(ByteSink& sink)
    : sink_(sink), whole_(sink.written()), size_(whole_ ? whole_->size() : sink.written_size()) {}
WrittenSource::WrittenSource(std::shared_ptr<ByteSink> sink) : WrittenSource(*sink) {
    kept_ = std::move(sink);
}
ByteView WrittenSource::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    if (whole_) return whole_->subspan(static_cast<std::size_t>(offset), length);
    sink_.read_back(offset, scratch.first(length));
    return scratch.first(length);
}

ByteView MemorySource::read(std::uint64_t offset, std::size_t length, MutableByteView) const {
    return bytes_.subspan(static_cast<std::size_t>(offset), length);
}

void MemorySink::reserve(std::uint64_t size) {
    bytes_.reserve(static_cast<std::size_t>(size));
}
void MemorySink::write(ByteView bytes) {
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
}
void MemorySink::read_back(std::uint64_t offset, MutableByteView into) const {
    std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(offset), into.size(), into.begin());
}

}  // namespace hotstitch
