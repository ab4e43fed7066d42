// SPDX-License-Identifier: MIT
// A source that can be written into, in pages of memory: what was written last is read, and in the end only what really
// differs is a change.
#pragma once

#include <map>

#include "hotstitch/change_list.h"
#include "hotstitch/source.h"

namespace hotstitch {

class Overlay final : public ByteSource {
public:
    /// `below` has to outlive it.
    explicit Overlay(const ByteSource& below) noexcept : below_(below) {}
    std::uint64_t size() const noexcept override { return below_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    void check_intact() const override { below_.check_intact(); }

    /// REQUIRES offset + bytes.size() <= size(). Throws Error(io).
    void write(std::uint64_t offset, ByteView bytes);

    /// What was written and differs, run by run. Throws Error(io).
    ChangeList changes() const;

private:
    static constexpr std::uint64_t page_size = 4096;
    const ByteSource& below_;
    std::map<std::uint64_t, Bytes> pages_;  ///< by their number
};

}  // namespace hotstitch
