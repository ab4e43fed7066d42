// SPDX-License-Identifier: MIT
// Secondary compression: sections of a window that are compressed once more. docs/formats/vcdiff.md section 7.
#pragma once

#include <memory>
#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/limits.h"

namespace hotstitch::vcdiff {

/// Lives as long as one reading of the patch: LZMA streams go on from window to window.
class Decompressor {
public:
    virtual ~Decompressor() = default;
    /// Appends exactly `size` bytes to `out` and uses all of `packed`. `section` is the kind, 0 to 2. Throws
    /// Error(damaged, limit).
    virtual void decode(unsigned section, ByteView packed, std::uint64_t size, Bytes& out) = 0;
};

/// Whether sections compressed by this compressor id can be read by this build.
bool can_decompress(unsigned id) noexcept;
/// Null where nothing can be read; then no window has a compressed section.
std::unique_ptr<Decompressor> make_decompressor(std::optional<unsigned> id, const Limits& limits);

std::unique_ptr<Decompressor> make_huffman_decompressor();
/// Null in a build without liblzma. `memory`: bytes that one stream may take.
std::unique_ptr<Decompressor> make_lzma_decompressor(std::uint64_t memory);
bool has_lzma() noexcept;

/// Unpacks a section that stands at `at` in the patch. Throws Error(limit) when it would have more than `most` bytes.
void decompress_section(Decompressor& decompressor, unsigned section, ByteView packed, std::uint64_t at,
                        std::uint64_t most, Bytes& out);

}  // namespace hotstitch::vcdiff
