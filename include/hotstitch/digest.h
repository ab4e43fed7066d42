// SPDX-License-Identifier: MIT
// Checksums as value types that mix neither with integers nor with each other.
#pragma once

#include <array>
#include <compare>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct HOTSTITCH_EXPORT Crc32 {
    std::uint32_t value = 0;
    std::string hex() const;  ///< 8 lower-case digits
    friend bool operator==(const Crc32&, const Crc32&) = default;
};

struct HOTSTITCH_EXPORT Adler32 {
    std::uint32_t value = 1;
    std::string hex() const;
    friend bool operator==(const Adler32&, const Adler32&) = default;
};

template <std::size_t Size, class Kind>
struct HashValue {
    std::array<std::byte, Size> bytes{};
    std::string hex() const;  ///< lower case
    friend bool operator==(const HashValue&, const HashValue&) = default;
};
using Md5 = HashValue<16, struct Md5Kind>;
using Sha1 = HashValue<20, struct Sha1Kind>;
using Sha256 = HashValue<32, struct Sha256Kind>;

/// Lower-case hex of any bytes.
HOTSTITCH_EXPORT std::string hex(ByteView bytes);

template <std::size_t Size, class Kind>
std::string HashValue<Size, Kind>::hex() const {
    return hotstitch::hex(bytes);
}

/// CRC-32 (reflected EDB88320, start and end inverted) of `bytes`, going on from `before`.
HOTSTITCH_EXPORT Crc32 crc32(ByteView bytes, Crc32 before = {}) noexcept;
/// Adler-32 of RFC 1950 (start 1) of `bytes`, going on from `before`.
HOTSTITCH_EXPORT Adler32 adler32(ByteView bytes, Adler32 before = {}) noexcept;

/// The size and whichever checksums are known of one file. Serves as a finding and as a wish.
struct HOTSTITCH_EXPORT Digests {
    std::optional<std::uint64_t> size{};
    std::optional<Crc32> crc32{};
    std::optional<Md5> md5{};
    std::optional<Sha1> sha1{};
    std::optional<Sha256> sha256{};

    bool empty() const noexcept;
    /// Whether there is more than a size to compare by.
    bool has_checksum() const noexcept { return crc32 || md5 || sha1 || sha256; }
};

/// Which checksums to compute; the size always comes along.
struct DigestChoice {
    bool crc32 = true, md5 = false, sha1 = false, sha256 = false;
};

/// What one of them or both choose.
constexpr DigestChoice either(DigestChoice a, DigestChoice b) noexcept {
    return {a.crc32 || b.crc32, a.md5 || b.md5, a.sha1 || b.sha1, a.sha256 || b.sha256};
}

/// Computes several checksums side by side as bytes arrive.
class HOTSTITCH_EXPORT Digester {
public:
    /// Throws Error(unsupported) when this build lacks a chosen one.
    explicit Digester(DigestChoice choice);
    ~Digester();
    Digester(Digester&&) noexcept;
    Digester& operator=(Digester&&) noexcept;
    void update(ByteView bytes);
    /// The digests of all bytes so far. Call once.
    Digests finish();

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// One pass over the source. Throws Error(io), Error(cancelled), Error(unsupported).
HOTSTITCH_EXPORT Digests digest(const ByteSource& source, DigestChoice choice, const Progress& progress = {},
                                Phase phase = Phase::reading);

/// Those of the chosen ones that this build has: MD5 and SHA need OpenSSL.
HOTSTITCH_EXPORT DigestChoice available(DigestChoice choice) noexcept;

/// The choice that `compare` needs for `wanted`.
HOTSTITCH_EXPORT DigestChoice choice_for(const Digests& wanted) noexcept;

/// One value that was wanted and is another, as text: {"crc32", "0a…", "1b…"}; of "size", the decimal number of bytes.
struct DigestMismatch {
    std::string name, wanted, found;
};

/// Every value of `wanted` that `found` has and that differs. Values that `found` lacks are no mismatch.
HOTSTITCH_EXPORT std::vector<DigestMismatch> compare(const Digests& wanted, const Digests& found);

/// The values of `a`, and of `b` where `a` has none.
HOTSTITCH_EXPORT Digests joined(Digests a, const Digests& b);

/// Adds one "sha256:HEX", "sha1:HEX", "md5:HEX", "crc32:HEX" or "size:BYTES" to `digests`, the name in any case; 8, 32,
/// 40 or 64 hexadecimal digits alone are the checksum that has so many.
/// Throws Error(usage) on an unknown name, a wrong number of digits, or a second value of a kind that differs.
HOTSTITCH_EXPORT void add_digest(Digests& digests, std::string_view text);

}  // namespace hotstitch
