// SPDX-License-Identifier: MIT
// How a packed file is known, opened and closed again: one row a codec. Those of game consoles are our own, one file
// each; all others go through their libraries (part/codec/).
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"
#include "part/codec/decoder.h"

namespace hotstitch {

/// What a payload comes to, in bytes: as much of the file, for so much content.
struct Extent {
    std::uint64_t packed = 0, content = 0;
};

struct Codec {
    std::string_view name;   ///< stable, for programs: "lz10"
    std::string_view title;  ///< for people: "an LZ10-packed file"
    /// A magic word of four bytes says what it is: then a broken one is damaged, else something else.
    bool by_word = false;
    /// Nothing but its own rules tells that it is one, so what follows it, or packs nothing, speaks against it.
    bool by_rules_only = false;
    /// By at most 64 first bytes: may it be one?
    bool (*begins)(ByteView head) = nullptr;
    /// What is there, wholly checked but not made. REQUIRES begins(). Throws Error(damaged, truncated, limit).
    Extent (*measure)(ByteView packed) = nullptr;
    /// REQUIRES measure() of the same bytes, and room for all content.
    void (*unpack)(ByteView packed, MutableByteView content) = nullptr;
    std::unique_ptr<Decoder> (*open)(ByteView packed, const Limits& limits) = nullptr;  ///< a library's, instead
    /// In the fewest bytes the format can do, or the library finds, with the settings that `like` shows, a payload of
    /// this codec. Throws Error(unsupported, limit) for what the format cannot hold.
    Bytes (*pack)(ByteView content, ByteView like) = nullptr;
};

/// All that are known.
std::span<const Codec* const> codecs() noexcept;

/// Larger packed files are not looked into, in bytes.
inline constexpr std::uint64_t largest_payload = std::uint64_t{64} << 20;

/// Null: there is none of this name.
const Codec* codec_by_name(std::string_view name) noexcept;

/// The codec of this file if it unpacks wholly and nothing but padding follows. Throws Error(io).
const Codec* codec_of(const ByteSource& file);
/// The codec whose begin this is; it may be broken.
const Codec* codec_by_begin(ByteView head) noexcept;

/// REQUIRES that the codec begins so. Throws Error(damaged, truncated, limit) with offset and field where it is broken.
Extent measure(const Codec& codec, ByteView packed, const Limits& limits);
/// Throws as measure() does.
void unpack(const Codec& codec, ByteView packed, ByteSink& out, const Limits& limits);

/// The whole payload anew, with `content` in it: closed as the old one was, with padding to the same alignment or in
/// the same room. Unpacked again and compared. The same bytes where it holds this content already.
Bytes repacked(const Codec& codec, ByteView old_file, ByteView content, const Limits& limits);

// Shared by the codecs of consoles.

/// A byte that says which codec it is, the size of the content in 24 bits or, where those are 0, in 32 more; perhaps
/// behind the word `LZ77`.
struct ConsoleHeader {
    std::size_t begin = 0;  ///< of the byte that names the codec
    std::size_t data = 0;   ///< where it ends
    std::uint64_t content = 0;
};
/// Whether such a header begins here, with this first byte.
bool has_console_header(ByteView head, unsigned codec) noexcept;
/// Throws Error(truncated).
ConsoleHeader console_header(ByteView packed, std::string_view name);
/// The same for content of another size. Throws Error(limit) past 4 GiB.
Bytes console_header_like(ByteView like, std::uint64_t content);

/// What goes wrong in a payload, with the place.
[[noreturn]] void payload_truncated(std::string_view name, std::uint64_t at, std::string_view field);
[[noreturn]] void payload_damaged(std::string_view name, std::uint64_t at, std::string_view field,
                                  const std::string& wanted, const std::string& found);

}  // namespace hotstitch
