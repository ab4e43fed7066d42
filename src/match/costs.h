// SPDX-License-Identifier: MIT
// What an edit costs in the format being written, in bits, as far as the parser has to know it to choose well.
#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <utility>

#include "edit/cost_model.h"
#include "hotstitch/edit.h"

namespace hotstitch {

struct Match {
    EditKind kind = EditKind::copy_source;  ///< or copy_target or run
    std::uint64_t from = 0, length = 0;
};

/// What a copy's cost depends on: where the ones before it ended, and how far they reached.
struct CopyState {
    /// BPS: the cursors, behind the last copy. VCDIFF: where the last copy began, which is what the near cache keeps.
    std::uint64_t source_near = 0, target_near = 0;
    /// Source offset - target offset of the last copy from the source, modulo 2^64, and of the last with another one.
    std::uint64_t shift = 0, older_shift = 0;
};

class Costs {
public:
    using Bits = std::uint32_t;

    explicit constexpr Costs(CostModel model) : model_(model) {}

    /// One literal byte, and what the first of a stretch costs more.
    constexpr Bits literal() const { return model_ == CostModel::vcdiff_lzma ? 5 : 8; }
    constexpr Bits literal_begins() const { return model_ == CostModel::vcdiff_lzma ? 2 : 8; }

    constexpr Bits run(std::uint64_t length) const {
        switch (model_) {
            case CostModel::bps: return 16 + 8 + 8 + vlv_bits(length << 2);
            case CostModel::vcdiff: return 16 + size_bits(length);
            case CostModel::vcdiff_lzma: break;
        }
        return 20;
    }

    /// A copy costs what its length and its place cost.
    constexpr Bits copy_length(std::uint64_t length) const {
        switch (model_) {
            case CostModel::bps: return vlv_bits(length << 2);
            case CostModel::vcdiff: return 8 + size_bits(length);  // often half of a pair
            case CostModel::vcdiff_lzma: break;
        }
        return 6 + size_bits(length) * 3 / 4;
    }
    constexpr Bits place(const CopyState& state, std::uint64_t at, const Match& match) const {
        return match.kind == EditKind::copy_source ? from_source(state, at, match.from)
                                                   : from_target(state, at, match.from);
    }

    /// Bits that a match saves beside literals; less than 0: none.
    constexpr std::int64_t gain(const CopyState& state, std::uint64_t at, const Match& match) const {
        const Bits cost =
            match.kind == EditKind::run ? run(match.length) : copy_length(match.length) + place(state, at, match);
        return static_cast<std::int64_t>(literal() * match.length) - cost;
    }

    /// The state behind a match that makes `at`.
    constexpr CopyState after(CopyState state, std::uint64_t at, const Match& match) const {
        const bool bps = model_ == CostModel::bps;
        const std::uint64_t moves = bps ? match.length : 0;
        if (match.kind == EditKind::copy_target) {
            state.target_near = match.from + moves;
        } else if (match.kind == EditKind::copy_source) {
            if (const std::uint64_t shift = match.from - at; shift != state.shift)
                state.older_shift = std::exchange(state.shift, shift);
            // In BPS a copy from the same place moves no cursor.
            if (!bps || match.from != at) state.source_near = match.from + moves;
        } else if (bps) {
            state.target_near = at + match.length - 1;
        }
        return state;
    }

private:
    constexpr Bits from_source(const CopyState& state, std::uint64_t at, std::uint64_t from) const {
        switch (model_) {
            case CostModel::bps: return from == at ? 0 : vlv_bits(distance(state.source_near, from) << 1);
            case CostModel::vcdiff: return address_bits(state.source_near, from, from);
            case CostModel::vcdiff_lzma: break;
        }
        const std::uint64_t shift = from - at;
        return shift == state.shift ? known : shift == state.older_shift ? recent : fresh;
    }
    constexpr Bits from_target(const CopyState& state, std::uint64_t at, std::uint64_t from) const {
        switch (model_) {
            case CostModel::bps: return vlv_bits(distance(state.target_near, from) << 1);
            case CostModel::vcdiff: return address_bits(state.target_near, from, at - from);
            case CostModel::vcdiff_lzma: break;
        }
        return 12 + vlv_bits(at - from) * 7 / 8;
    }

    /// Addresses are written as the distance from here, which is the same number again as long as the shift stays: the
    /// compressor then has next to nothing to say. docs/formats/vcdiff.md section 8. The figures are those with which
    /// pairs of programs, libraries and data files came out smallest.
    static constexpr Bits known = 2, recent = 12, fresh = 28;

    static constexpr std::uint64_t distance(std::uint64_t a, std::uint64_t b) { return a < b ? b - a : a - b; }
    static constexpr Bits vlv_bits(std::uint64_t value) {
        return 8 * ((static_cast<Bits>(std::bit_width(value | 1)) + 6) * 37 >> 8);  // / 7
    }
    static constexpr Bits size_bits(std::uint64_t length) { return length <= 18 ? 0 : vlv_bits(length); }
    /// An address behind one of the last is the distance to it, any other is spelt out.
    static constexpr Bits address_bits(std::uint64_t last, std::uint64_t from, std::uint64_t spelt) {
        const Bits far = vlv_bits(spelt);
        return from < last ? far : std::min(far, vlv_bits(from - last));
    }

    CostModel model_;
};

}  // namespace hotstitch
