// SPDX-License-Identifier: MIT
// The same content in another dress: with a front header before it, in another byte order, interleaved, padded.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/stream.h"

namespace hotstitch {

/// The harmless kinds lose nothing and may be used unasked.
enum class ReadingKind {
    without_front_header,  ///< its first `bytes` bytes taken off; harmless
    with_front_header,     ///< `bytes` bytes of 00 put in front; harmless
    pairs_swapped,         ///< each two bytes exchanged; harmless
    words_reversed,        ///< each four bytes reversed; harmless
    halves_swapped,        ///< each four bytes' halves exchanged; harmless
    de_interleaved,        ///< its first `bytes` bytes taken off, blocks of 16 KiB put back in order; harmless
    interleaved,           ///< each 16 KiB as 8 KiB of odd and 8 KiB of even addresses; harmless
    without_padding,       ///< its last `bytes` bytes, all `fill`, taken off
    with_padding,          ///< `bytes` bytes of `fill` put behind
    line_ends_restored,    ///< 0D 0A turned back into 0A, as a transfer in text mode had changed it
};

struct Reading {
    ReadingKind kind{};
    std::uint64_t bytes = 0;
    std::byte fill{};
    bool harmless() const noexcept { return kind <= ReadingKind::interleaved; }
};

/// For people: "without its front header of 512 bytes".
HOTSTITCH_EXPORT std::string words_for(const Reading& reading);

/// The file so read. Keeps a view of `file`. REQUIRES file.size() >= reading.bytes where bytes are taken off.
HOTSTITCH_EXPORT std::unique_ptr<ByteSource> read_as(ByteView file, const Reading& reading);

}  // namespace hotstitch
