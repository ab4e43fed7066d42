// SPDX-License-Identifier: MIT
// Sinks that put a front header before what a patch makes, or leave one out.
#pragma once

#include <algorithm>

#include "hotstitch/source.h"

namespace hotstitch {

/// Puts a front header before what is written.
class HeaderKeeper final : public ByteSink {
public:
    HeaderKeeper(ByteSink& below, ByteView header) : below_(below), header_(header) {}
    void reserve(std::uint64_t size) override {
        below_.reserve(size + header_.size());
        if (!header_.empty()) below_.write(header_);
    }
    void write(ByteView bytes) override { below_.write(bytes); }
    void read_back(std::uint64_t offset, MutableByteView into) const override {
        below_.read_back(offset + header_.size(), into);
    }

private:
    ByteSink& below_;
    ByteView header_;
};

/// Leaves out the first bytes of what is written: a front header that the patch needed and the player does not want.
class HeaderDropper final : public ByteSink {
public:
    HeaderDropper(ByteSink& below, std::size_t length) : below_(below), length_(length) {}
    void reserve(std::uint64_t size) override { below_.reserve(size - std::min<std::uint64_t>(size, length_)); }
    void write(ByteView bytes) override {
        const std::size_t taken = std::min(length_ - dropped_.size(), bytes.size());
        dropped_.insert(dropped_.end(), bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(taken));
        below_.write(bytes.subspan(taken));
    }
    void read_back(std::uint64_t offset, MutableByteView into) const override {
        while (!into.empty() && offset < dropped_.size()) {
            into.front() = dropped_[static_cast<std::size_t>(offset++)];
            into = into.subspan(1);
        }
        if (!into.empty()) below_.read_back(offset - length_, into);
    }

private:
    ByteSink& below_;
    std::size_t length_;
    Bytes dropped_;
};

}  // namespace hotstitch
