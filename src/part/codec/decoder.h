// SPDX-License-Identifier: MIT
// Compressed files as streams: gzip, zlib, deflate, bzip2, xz, lzma, zstd and LZ4, each by its library behind one .cc
// and a CMake switch. Every checksum they carry is checked.
#pragma once

#include <cstdint>
#include <memory>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/limits.h"

namespace hotstitch {

class Decoder {
public:
    virtual ~Decoder() = default;
    /// Fills `into` from the front and returns how much was made; 0 only at the end, when all checksums are right.
    /// Throws Error(damaged, truncated, limit).
    virtual std::size_t read(MutableByteView into) = 0;
    /// Packed bytes used up so far.
    virtual std::uint64_t consumed() const noexcept = 0;
};

/// Of a file that an archive may be packed in, by the first bytes; null when this is no compressed file. The bytes have
/// to outlive the decoder. Throws Error(unsupported) when the build has no library for it.
std::unique_ptr<Decoder> open_decoder(ByteView packed, const Limits& limits);

// One a library, in the file of its name.
std::unique_ptr<Decoder> open_gzip(ByteView packed);
std::unique_ptr<Decoder> open_bzip2(ByteView packed);
std::unique_ptr<Decoder> open_xz(ByteView packed, const Limits& limits);
std::unique_ptr<Decoder> open_zstd(ByteView packed);

/// `name`: the compression's, for messages.
[[noreturn]] void decoder_damaged(std::string_view name, std::uint64_t at, std::string_view why);
[[noreturn]] void decoder_truncated(std::string_view name, std::uint64_t at);
[[noreturn]] void decoder_unsupported(std::string_view name);

}  // namespace hotstitch
