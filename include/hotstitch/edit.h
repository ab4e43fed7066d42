// SPDX-License-Identifier: MIT
// VCDIFF makes the target in windows: stretches that stand alone but for the segment of old bytes they copy from,
// and that may carry a check of their own.
#pragma once

#include <array>
#include <cstdint>
#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/export.h"

namespace hotstitch {

enum class Segment { none, source, target };

struct Window {
    std::uint64_t number = 0;              ///< from 1
    std::uint64_t offset = 0, length = 0;  ///< the bytes of the target that it makes
    std::optional<Adler32> adler32{};      ///< of those bytes
    Segment segment = Segment::none;       ///< what it may copy from besides itself
    std::uint64_t segment_offset = 0, segment_length = 0;
    /// Whether this window or one before it copies from the source: then a wrong result may be a wrong source's fault.
    bool source_read = false;
    std::uint64_t patch_offset = 0, patch_length = 0;  ///< where it stands in the patch
    /// Bytes of data, instructions and addresses as they stand in the patch, and which of them are compressed.
    std::array<std::uint64_t, 3> section_sizes{};
    std::array<bool, 3> section_compressed{};
};

/// How the checks of windows came out.
struct WindowResults {
    std::uint64_t right = 0, wrong = 0;  ///< of those that carry a check
    std::optional<Window> first_wrong{};
    Adler32 found{};  ///< of the first wrong one
};

// The one idea of this library: every patch format writes down the same list of edits that make the
// target, in target order, without gaps.

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

    /// Readers of formats with windows say where each begins and ends; between, the edits make `window.length` bytes,
    /// and copies from the target reach back before the window only into its segment.
    virtual Flow begin(const Window& window);
    virtual Flow end(const Window& window);
};

}  // namespace hotstitch
