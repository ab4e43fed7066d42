// SPDX-License-Identifier: MIT
// What an edit costs in the format being written, in bits, as far as the parser has to know it to choose well.
#pragma once

#include <bit>
#include <cstdint>

namespace hotstitch {

enum class CostModel { bps, vcdiff, vcdiff_lzma };

/// Where the last copies ended: short moves from there are cheap.
struct CopyState {
    std::uint64_t source_end = 0;  ///< behind the last copy from the source
    std::uint64_t target_end = 0;  ///< behind the last copy from the target
};

class Costs {
public:
    using Bits = std::uint32_t;

    explicit constexpr Costs(CostModel model) : model_(model) {}

    /// One literal byte, and what the first of a stretch costs more.
    constexpr Bits literal() const { return model_ == CostModel::vcdiff_lzma ? 6 : 8; }
    constexpr Bits literal_begins() const { return model_ == CostModel::vcdiff_lzma ? 5 : 8; }

    constexpr Bits run(std::uint64_t length) const {
        if (model_ == CostModel::bps) return 16 + 8 + 8 + vlv_bits(length << 2);
        return model_ == CostModel::vcdiff ? 16 + size_bits(length) : 20;
    }
    constexpr Bits copy_source(const CopyState& state, std::uint64_t at, std::uint64_t from,
                               std::uint64_t length) const {
        if (model_ == CostModel::bps)
            return vlv_bits(length << 2) + (from == at ? 0 : vlv_bits(distance(state.source_end, from) << 1));
        return code_bits(length) + address_bits(distance(state.source_end, from), from);
    }
    constexpr Bits copy_target(const CopyState& state, std::uint64_t at, std::uint64_t from,
                               std::uint64_t length) const {
        if (model_ == CostModel::bps) return vlv_bits(length << 2) + vlv_bits(distance(state.target_end, from) << 1);
        return code_bits(length) + address_bits(distance(state.target_end, from), at - from);
    }

private:
    static constexpr std::uint64_t distance(std::uint64_t a, std::uint64_t b) { return a < b ? b - a : a - b; }
    static constexpr Bits vlv_bits(std::uint64_t value) {
        return 8 * static_cast<Bits>((std::bit_width(value | 1) + 6) / 7);
    }
    constexpr Bits size_bits(std::uint64_t length) const { return length <= 18 ? 0 : vlv_bits(length); }
    /// The instruction: often half of a pair.
    constexpr Bits code_bits(std::uint64_t length) const {
        return model_ == CostModel::vcdiff_lzma ? 6 + size_bits(length) * 3 / 4 : 8 + size_bits(length);
    }
    /// An address a little behind one of the last is a small number; any other is spelt out.
    constexpr Bits address_bits(std::uint64_t near, std::uint64_t far) const {
        const Bits spelt = near < 16384 ? vlv_bits(near) : vlv_bits(far);
        if (model_ == CostModel::vcdiff) return spelt;
        return near < 128 ? 5 : near < 16384 ? 12 : spelt * 7 / 8;
    }

    CostModel model_;
};

}  // namespace hotstitch
