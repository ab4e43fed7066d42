// SPDX-License-Identifier: MIT
// EDC: sixteen tables, sixteen bytes a step. ECC: the parity of many codewords side by side. Each codeword of ECMA-130
// annex A is [data d0 … dn-1, p0, p1] with two checks, the sum of all symbols and the sum of each times a power of
// alpha: so a = sum of d, b = d by Horner's rule, and p0, p1 follow from both by two constants. P has 86 codewords down
// the columns of a matrix of 86 bytes a row, which are rows of lanes as they lie; Q has 52 along diagonals, which
// become rows of lanes once the matrix is turned. Eight symbols are worked on in one register.
// Tested by tests/part/disc_test.cc.
#include "part/disc/sector.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

namespace hotstitch::disc {
namespace {

constexpr std::size_t header_at = 12, p_at = 2076, row = 86, words = 43, rows = 26;

struct EdcTables {
    std::array<std::array<std::uint32_t, 256>, 16> table{};
    constexpr EdcTables() {
        for (std::uint32_t i = 0; i < 256; ++i) {
            std::uint32_t crc = i;
            for (int bit = 0; bit < 8; ++bit) crc = crc >> 1 ^ (crc & 1 ? 0xD8018001U : 0);
            table[0][i] = crc;
        }
        for (std::size_t k = 1; k < table.size(); ++k)
            for (std::size_t i = 0; i < 256; ++i) table[k][i] = table[k - 1][i] >> 8 ^ table[0][table[k - 1][i] & 0xFF];
    }
};
constexpr EdcTables tables{};

using Byte = std::uint8_t;

constexpr Byte doubled(Byte value) noexcept {
    return static_cast<Byte>(value << 1 ^ (value & 0x80 ? 0x1D : 0));
}

constexpr Byte product(Byte a, Byte b) noexcept {
    Byte sum = 0;
    for (; b != 0; b = static_cast<Byte>(b >> 1), a = doubled(a))
        if (b & 1) sum = static_cast<Byte>(sum ^ a);
    return sum;
}

/// 1 / (alpha + 1): p0 = (b' + a) / (alpha + 1), where b' is Horner's sum with two more steps.
constexpr Byte over_three() noexcept {
    for (unsigned x = 1; x < 256; ++x)
        if (product(static_cast<Byte>(x), 3) == 1) return static_cast<Byte>(x);
    return 0;
}
constexpr std::array<Byte, 256> thirds = [] {
    std::array<Byte, 256> table{};
    for (unsigned x = 0; x < 256; ++x) table[x] = product(static_cast<Byte>(x), over_three());
    return table;
}();

using Lanes = std::uint64_t;  ///< eight symbols side by side

Lanes load(const Byte* from) noexcept {
    Lanes lanes;
    std::memcpy(&lanes, from, sizeof lanes);
    return lanes;
}
void store(Byte* to, Lanes lanes) noexcept {
    std::memcpy(to, &lanes, sizeof lanes);
}
constexpr Lanes doubled(Lanes v) noexcept {
    constexpr Lanes low = 0x0101010101010101U;
    return (v & ~(low << 7)) << 1 ^ (v >> 7 & low) * 0x1D;
}

/// The parity of 8 x `Count` codewords: `symbol(i)` points at symbol i of each of them, side by side. It may be written
/// past `p0` and `p1`, which stand in this order, up to a whole number of lanes.
template <std::size_t Count, class Symbol>
void parity(std::size_t symbols, Symbol&& symbol, Byte* p0, Byte* p1) noexcept {
    std::array<Lanes, Count> sum{}, horner{};
    for (std::size_t i = 0; i < symbols; ++i) {
        const Byte* const lane = symbol(i);
        for (std::size_t k = 0; k < Count; ++k) {
            const Lanes value = load(lane + k * 8);
            sum[k] ^= value;
            horner[k] = doubled(horner[k]) ^ value;
        }
    }
    // sum + p0 + p1 = 0 and alpha^2 * horner + alpha * p0 + p1 = 0.
    for (std::size_t k = 0; k < Count; ++k) {
        store(p0 + k * 8, doubled(doubled(horner[k])) ^ sum[k]);
        for (std::size_t i = 0; i < 8; ++i) p0[k * 8 + i] = thirds[p0[k * 8 + i]];
    }
    std::array<Lanes, Count> first;
    for (std::size_t k = 0; k < Count; ++k) first[k] = load(p0 + k * 8);
    for (std::size_t k = 0; k < Count; ++k) store(p1 + k * 8, first[k] ^ sum[k]);
}

constexpr std::size_t ecc_size = 276, spare = 16;  ///< what may be read and written past the end
using Ecc = std::array<Byte, ecc_size + spare>;
using Covered = std::array<Byte, 2064 + spare>;

/// P and Q of the 2064 bytes from the header on.
void compute_ecc(const Covered& data, Ecc& out) noexcept {
    parity<11>(
        24, [&](std::size_t i) { return data.data() + i * row; }, out.data(), out.data() + row);
    // The matrix with P below it, turned: 43 columns of 26 words, each twice so that a diagonal may start anywhere.
    std::array<std::array<std::uint16_t, rows * 2 + 4>, words> turned;
    for (std::size_t r = 0; r < rows; ++r) {
        const Byte* const line = r < 24 ? data.data() + r * row : out.data() + (r - 24) * row;
        for (std::size_t w = 0; w < words; ++w) {
            std::uint16_t word;
            std::memcpy(&word, line + w * 2, 2);
            turned[w][r] = turned[w][r + rows] = word;
        }
    }
    for (auto& column : turned) std::fill(column.end() - 4, column.end(), std::uint16_t{0});
    parity<7>(
        words, [&](std::size_t i) { return reinterpret_cast<const Byte*>(turned[i].data() + i % rows); },
        out.data() + 2 * row, out.data() + 2 * row + rows * 2);
}

/// The ECC of a sector; in mode 2 the header counts as 0.
Ecc ecc_of(const std::byte* sector, SectorMode mode) noexcept {
    Ecc out;
    Covered data{};
    std::memcpy(data.data(), sector + header_at, data.size() - spare);
    if (mode == SectorMode::form1) std::memset(data.data(), 0, 4);
    compute_ecc(data, out);
    return out;
}

struct Check {
    std::size_t from, to;  ///< what the EDC covers; it follows
};
Check edc_of(SectorMode mode) noexcept {
    if (mode == SectorMode::mode1) return {0, 2064};
    return {16, mode == SectorMode::form1 ? 2072U : 2348U};
}

std::array<std::byte, 4> edc_bytes(ByteView sector, Check check) noexcept {
    const std::uint32_t crc = edc(sector.subspan(check.from, check.to - check.from));
    return {static_cast<std::byte>(crc), static_cast<std::byte>(crc >> 8), static_cast<std::byte>(crc >> 16),
            static_cast<std::byte>(crc >> 24)};
}

bool is_zero(ByteView bytes) noexcept {
    return std::all_of(bytes.begin(), bytes.end(), [](std::byte b) { return b == std::byte{0}; });
}

bool has_check(SectorMode mode) noexcept {
    return mode == SectorMode::mode1 || mode == SectorMode::form1 || mode == SectorMode::form2;
}

}  // namespace

std::uint32_t edc(ByteView bytes, std::uint32_t crc) noexcept {
    const auto& t = tables.table;
    std::size_t at = 0;
    for (; at + 16 <= bytes.size(); at += 16) {
        std::array<std::uint32_t, 4> word;
        std::memcpy(word.data(), bytes.data() + at, 16);
        if constexpr (std::endian::native == std::endian::big)
            for (std::uint32_t& w : word) w = w >> 24 | (w >> 8 & 0xFF00) | (w << 8 & 0xFF0000) | w << 24;
        word[0] ^= crc;
        crc = 0;
        for (std::size_t i = 0; i < 4; ++i)
            crc ^= t[15 - 4 * i][word[i] & 0xFF] ^ t[14 - 4 * i][word[i] >> 8 & 0xFF] ^
                   t[13 - 4 * i][word[i] >> 16 & 0xFF] ^ t[12 - 4 * i][word[i] >> 24];
    }
    for (; at < bytes.size(); ++at) crc = crc >> 8 ^ t[0][(crc ^ std::to_integer<std::uint32_t>(bytes[at])) & 0xFF];
    return crc;
}

bool has_sync(ByteView sector) noexcept {
    return sector[0] == std::byte{0} && sector[11] == std::byte{0} &&
           std::all_of(sector.begin() + 1, sector.begin() + 11, [](std::byte b) { return b == std::byte{0xFF}; });
}

SectorMode mode_of(ByteView sector) noexcept {
    if (!has_sync(sector)) return SectorMode::none;
    switch (std::to_integer<unsigned>(sector[15])) {
        case 0: return SectorMode::zero;
        case 1: return SectorMode::mode1;
        case 2: break;
        default: return SectorMode::none;
    }
    if (!std::equal(sector.begin() + 16, sector.begin() + 20, sector.begin() + 20)) return SectorMode::formless;
    return (sector[18] & std::byte{0x20}) != std::byte{0} ? SectorMode::form2 : SectorMode::form1;
}

std::size_t user_offset(SectorMode mode) noexcept {
    return mode == SectorMode::form1 || mode == SectorMode::form2 ? 24 : 16;
}

void protect(MutableByteView sector, SectorMode mode) noexcept {
    if (!has_check(mode)) return;
    const Check check = edc_of(mode);
    if (mode == SectorMode::form2 && is_zero(sector.subspan(check.to, 4))) return;
    const auto crc = edc_bytes(sector, check);
    std::copy(crc.begin(), crc.end(), sector.begin() + static_cast<std::ptrdiff_t>(check.to));
    if (mode == SectorMode::form2) return;
    if (mode == SectorMode::mode1) std::fill(sector.begin() + 2068, sector.begin() + 2076, std::byte{0});
    const auto ecc = ecc_of(sector.data(), mode);
    std::memcpy(sector.data() + p_at, ecc.data(), ecc_size);
}

bool is_protected(ByteView sector, SectorMode mode) noexcept {
    if (!has_check(mode)) return true;
    const Check check = edc_of(mode);
    const auto crc = edc_bytes(sector, check);
    const ByteView stands = sector.subspan(check.to, 4);
    if (!std::equal(crc.begin(), crc.end(), stands.begin())) return mode == SectorMode::form2 && is_zero(stands);
    if (mode == SectorMode::form2) return true;
    if (mode == SectorMode::mode1 && !is_zero(sector.subspan(2068, 8))) return false;
    const auto ecc = ecc_of(sector.data(), mode);
    return std::memcmp(sector.data() + p_at, ecc.data(), ecc_size) == 0;
}

void set_address(MutableByteView sector, std::uint64_t number) noexcept {
    const auto bcd = [](std::uint64_t n) { return static_cast<std::byte>(n / 10 << 4 | n % 10); };
    const std::uint64_t frames = number + 150;  // two seconds
    sector[12] = bcd(frames / 75 / 60 % 100);
    sector[13] = bcd(frames / 75 % 60);
    sector[14] = bcd(frames % 75);
}

std::uint64_t address_of(ByteView sector) noexcept {
    const auto number = [&](std::size_t at) {
        const auto value = std::to_integer<unsigned>(sector[at]);
        return std::uint64_t{value >> 4} * 10 + (value & 15);
    };
    const std::uint64_t frames = (number(12) * 60 + number(13)) * 75 + number(14);
    return frames < 150 ? 0 : frames - 150;
}

void encode(MutableByteView sector, ByteView user, std::uint64_t number, SectorMode mode) noexcept {
    std::fill(sector.begin(), sector.end(), std::byte{0});
    std::fill(sector.begin() + 1, sector.begin() + 11, std::byte{0xFF});
    set_address(sector, number);
    sector[15] = mode == SectorMode::mode1 ? std::byte{1} : std::byte{2};
    if (mode == SectorMode::form1) sector[18] = sector[22] = std::byte{8};  // data
    std::copy(user.begin(), user.end(), sector.begin() + static_cast<std::ptrdiff_t>(user_offset(mode)));
    protect(sector, mode);
}

}  // namespace hotstitch::disc
