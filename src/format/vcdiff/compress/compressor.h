// SPDX-License-Identifier: MIT
// Writes sections of a patch LZMA-compressed, where that pays. docs/formats/vcdiff.md section 7.
#pragma once

#include <array>
#include <functional>
#include <memory>

#include "format/vcdiff/vcdiff_format.h"
#include "hotstitch/bytes.h"

namespace hotstitch::vcdiff {

/// Decides for each kind of section, at the first sections of that kind, on a throw-away encoder: what was once fed to
/// the lasting stream cannot be taken back, so from then on everything of that kind goes there.
class SectionCompressor {
public:
    /// `target_size` bounds the dictionaries. `tick` is called every few milliseconds of work and throws to stop it.
    /// Does nothing in a build without liblzma.
    SectionCompressor(std::uint64_t target_size, std::function<void()> tick);
    ~SectionCompressor();

    /// Replaces `bytes` by its compressed form and returns true where that is chosen.
    bool compress(unsigned section, Bytes& bytes);

private:
    struct Stream;
    std::uint32_t dictionary_;
    std::function<void()> tick_;
    std::array<std::unique_ptr<Stream>, section_count> streams_;
};

}  // namespace hotstitch::vcdiff
