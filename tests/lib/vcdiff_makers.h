// SPDX-License-Identifier: MIT
// Small encoders for VCDIFF patches, also of kinds that our writer never writes.
#pragma once

#include <lzma.h>

#include <cstdint>
#include <optional>
#include <string>
#include <utility>

#include "lib/patch_makers.h"

namespace makers {

/// The integers of VCDIFF.
std::string integer(std::uint64_t value);

/// "VCD", version, flags and what the flags announce.
std::string vcdiff_header(unsigned flags = 0, const std::string& rest = {});

struct VcdiffWindow {
    std::uint64_t size = 0;  ///< of the target
    std::string data{}, instructions{}, addresses{};
    std::optional<std::pair<std::uint64_t, std::uint64_t>> source{}, target{};  ///< segment: size, position
    std::optional<std::uint32_t> adler32{};
    unsigned delta_flags = 0, more_flags = 0;  ///< more_flags: window flags beside those that follow
    int delta_length_error = 0;                ///< added to the right one
    std::string text() const;
};

/// The Adler-32 of a text.
std::uint32_t adler(std::string_view text);

/// One .xz stream for a kind of section, flushed after each piece.
class LzmaSections {
public:
    explicit LzmaSections(std::uint32_t dictionary = 1 << 16, lzma_check check = LZMA_CHECK_NONE);
    LzmaSections(const LzmaSections&) = delete;
    LzmaSections& operator=(const LzmaSections&) = delete;
    ~LzmaSections() { lzma_end(&stream_); }
    /// The section as it stands in the patch; `size` instead of the right one when given. `end`: closes the stream.
    std::string feed(std::string_view bytes, bool end = false, std::optional<std::uint64_t> size = {});

private:
    lzma_stream stream_ = LZMA_STREAM_INIT;
};

/// A section in grouped static Huffman codes, with lengths and selectors as chance has it.
std::string huffman_section(Random& random, std::string_view bytes, unsigned groups, unsigned sector_number = 0);

}  // namespace makers
