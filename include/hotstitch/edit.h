// SPDX-License-Identifier: MIT
// The one idea of this library: every patch format writes down the same list of edits that make the
// target, in target order, without gaps.
#pragma once

#include <cstdint>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

enum class EditKind : std::uint8_t {
    copy_source,  ///< `length` bytes of the source from `offset`
    copy_target,  ///< `length` bytes of the target so far from `offset`; may run into itself
    literal,      ///< `bytes`
    run,          ///< `length` times `value`
    xor_source,   ///< `bytes` xor the source from `offset`; source bytes past its end count as 00
};

/// One edit. `length` is always set (bytes of the target it makes); other members as the kind says.
struct Edit {
    EditKind kind;
    std::uint64_t length = 0;
    std::uint64_t offset = 0;
    ByteView bytes{};  ///< valid only during the call that hands the edit over
    std::byte value{};
    bool gap =
        false;  ///< a run of 00 past the source's end that the patch does not write: nobody says what stands there

    static Edit copy_source(std::uint64_t offset, std::uint64_t length) {
        return {.kind = EditKind::copy_source, .length = length, .offset = offset};
    }
    static Edit copy_target(std::uint64_t offset, std::uint64_t length) {
        return {.kind = EditKind::copy_target, .length = length, .offset = offset};
    }
    static Edit literal(ByteView bytes) { return {.kind = EditKind::literal, .length = bytes.size(), .bytes = bytes}; }
    static Edit run(std::byte value, std::uint64_t length) {
        return {.kind = EditKind::run, .length = length, .value = value};
    }
    static Edit gap_of(std::uint64_t length) { return {.kind = EditKind::run, .length = length, .gap = true}; }
    static Edit xor_source(std::uint64_t offset, ByteView bytes) {
        return {.kind = EditKind::xor_source, .length = bytes.size(), .offset = offset, .bytes = bytes};
    }
};

enum class Flow { go_on, stop };

/// Takes edits as a reader or matcher finds them: a target builder, a patch writer, a summary.
class HOTSTITCH_EXPORT EditSink {
public:
    virtual ~EditSink();
    /// REQUIRES edit.length > 0. Returning stop ends the reading without an error.
    virtual Flow put(const Edit& edit) = 0;
};

}  // namespace hotstitch
