// SPDX-License-Identifier: MIT
// VCDIFF makes the target in windows: stretches that stand alone but for the segment of old bytes they copy from,
// and that may carry a check of their own (docs/formats/vcdiff.md).
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>

#include "hotstitch/digest.h"
#include "hotstitch/edit.h"
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

/// A sink that wants to know of windows. Readers of formats that have them say where each begins and ends; between, the
/// edits make `window.length` bytes, and copies from the target reach back before the window only into its segment.
class HOTSTITCH_EXPORT WindowSink : public EditSink {
public:
    virtual Flow begin(const Window& window) = 0;
    virtual Flow end(const Window& window) = 0;
};

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// "3: 4,096 bytes at 0x000000, from source 0x000000 to 0x001000, 120 bytes in the patch, adler32 …"
HOTSTITCH_EXPORT std::string words_for(const Window& window);

}  // namespace hotstitch
