// SPDX-License-Identifier: MIT
// Compressor 1, grouped static Huffman; each section stands alone. docs/formats/vcdiff.md section 7:
//
//     3 bits groups-1  [5 bits sector size]  length code  code lengths of all groups
//     [selector code  one selector for each sector]  the bytes, each by its sector's code
//
// Bits come from each byte lowest first; numbers of several bits are most significant first.
// Tested by tests/format/vcdiff_test.cc against the reference in tests/lib/.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <vector>

#include "format/vcdiff/compress/decompressor.h"
#include "hotstitch/error.h"

namespace hotstitch::vcdiff {
namespace {

constexpr unsigned most_groups = 8, symbols = 256, sector_unit = 5;
constexpr unsigned run_digits = 2;       ///< symbols 0 and 1 of a move-to-front code count repeats
constexpr unsigned length_symbols = 22;  ///< run digits and 20 positions of the list
constexpr unsigned least_lengths = 7;    ///< lengths of the length code that are always told
constexpr std::array<std::uint8_t, 21> first_lengths{0,  4,  5, 6,  7,  8,  9,  10, 3,  11, 2,
                                                     12, 13, 1, 14, 15, 16, 17, 18, 19, 20};

[[noreturn]] void damaged(const char* what, std::uint64_t at) {
    throw Error(ErrorCode::damaged, fmt::format("its Huffman-compressed bytes {}", what)).at(at);
}

class Bits {
public:
    explicit Bits(ByteView bytes) : bytes_(bytes) {}
    unsigned one() {
        if (at_ / 8 >= bytes_.size()) damaged("end too early", bytes_.size());
        const unsigned bit = std::to_integer<unsigned>(bytes_[at_ / 8]) >> (at_ % 8) & 1;
        ++at_;
        return bit;
    }
    unsigned number(unsigned width) {
        unsigned value = 0;
        while (width-- != 0) value = value << 1 | one();
        return value;
    }
    std::uint64_t byte() const { return at_ / 8; }
    bool all_used() const { return bytes_.size() * 8 - at_ < 8; }

private:
    ByteView bytes_;
    std::size_t at_ = 0;
};

/// A canonical code: shorter words first, of equal length by symbol. It may be incomplete, not over-full.
class Code {
public:
    Code(const std::uint8_t* lengths, std::size_t count, const Bits& bits) {
        for (std::size_t s = 0; s < count; ++s) ++counts_[lengths[s]];
        counts_[0] = 0;
        std::uint64_t room = 1;
        for (std::size_t length = 1; length < counts_.size(); ++length) {
            room = room * 2;
            if (counts_[length] > room) damaged("have a code with too many words", bits.byte());
            room -= counts_[length];
        }
        for (unsigned length = 1; length < counts_.size(); ++length)
            for (std::size_t s = 0; counts_[length] != 0 && s < count; ++s)
                if (lengths[s] == length) sorted_.push_back(static_cast<std::uint8_t>(s));
    }

    unsigned next(Bits& bits) const {
        std::uint32_t word = 0, first = 0, index = 0;
        for (std::size_t length = 1; length < counts_.size(); ++length) {
            word = word << 1 | bits.one();
            first = first << 1;
            if (word - first < counts_[length]) return sorted_[index + (word - first)];
            first += counts_[length];
            index += counts_[length];
        }
        damaged("have bits that are no code word", bits.byte());
    }

private:
    std::array<std::uint32_t, 21> counts_{};
    std::vector<std::uint8_t> sorted_;
};

/// Move-to-front with runs: repeats of the front value are counted in bijective base 2, the k-th digit in a row
/// adding (digit + 1) << k; any other symbol brings a value of the list to its front.
class MoveToFront {
public:
    MoveToFront(const Code& code, std::vector<std::uint8_t> list) : code_(code), list_(std::move(list)) {}

    std::uint8_t next(Bits& bits) {
        if (pending_ == 0) read(bits);
        if (pending_ != 0) --pending_;
        return list_.front();
    }
    /// Throws Error(damaged) when a run would go on past the last value.
    void finish(const Bits& bits) const {
        if (pending_ != 0) damaged("repeat a value past the end", bits.byte());
    }

private:
    /// One symbol: a run digit sets the repeats pending; any other moves its value to the front.
    void read(Bits& bits) {
        const unsigned symbol = code_.next(bits);
        if (symbol < run_digits) {
            if (digits_ > 32) damaged("repeat a value past the end", bits.byte());
            pending_ = std::uint64_t{symbol + 1} << digits_++;
            return;
        }
        digits_ = 0;
        const auto value = list_.begin() + static_cast<std::ptrdiff_t>(symbol) - 1;
        std::rotate(list_.begin(), value, value + 1);
    }

    const Code& code_;
    std::vector<std::uint8_t> list_;
    std::uint64_t pending_ = 0;
    unsigned digits_ = 0;  ///< run digits in a row
};

std::vector<Code> read_codes(Bits& bits, unsigned groups) {
    std::array<std::uint8_t, length_symbols> lengths{};
    const unsigned told = bits.number(4) + least_lengths;
    for (unsigned i = 0; i < told; ++i) lengths[i] = static_cast<std::uint8_t>(bits.number(4));
    const Code code(lengths.data(), lengths.size(), bits);
    MoveToFront values(code, {first_lengths.begin(), first_lengths.end()});
    std::vector<std::uint8_t> all(std::size_t{groups} * symbols);
    for (std::size_t at = 0; at < all.size(); ++at) {
        // A symbol without a word in one group has none in the next, and nothing is coded for it there.
        const bool none = at >= symbols && all[at - symbols] == 0;
        all[at] = none ? std::uint8_t{0} : values.next(bits);
    }
    values.finish(bits);
    std::vector<Code> codes;
    for (unsigned g = 0; g < groups; ++g) codes.emplace_back(all.data() + std::size_t{g} * symbols, symbols, bits);
    return codes;
}

std::vector<std::uint8_t> read_selectors(Bits& bits, unsigned groups, std::uint64_t sectors) {
    if (groups == 1) return {};
    std::array<std::uint8_t, most_groups + 1> lengths{};
    for (unsigned i = 0; i <= groups; ++i) lengths[i] = static_cast<std::uint8_t>(bits.number(3));
    const Code code(lengths.data(), groups + 1, bits);
    std::vector<std::uint8_t> list{0, 1, 2, 3, 4, 5, 6, 7};
    list.resize(groups);
    MoveToFront values(code, std::move(list));
    std::vector<std::uint8_t> selectors;
    for (std::uint64_t i = 0; i < sectors; ++i) selectors.push_back(values.next(bits));
    values.finish(bits);
    return selectors;
}

class HuffmanDecompressor final : public Decompressor {
public:
    void decode(unsigned, ByteView packed, std::uint64_t size, Bytes& out) override {
        Bits bits(packed);
        const unsigned groups = bits.number(3) + 1;
        const std::uint64_t sector =
            groups == 1 ? std::max<std::uint64_t>(size, 1) : (std::uint64_t{bits.number(5)} + 1) * sector_unit;
        const std::vector<Code> codes = read_codes(bits, groups);
        const std::vector<std::uint8_t> selectors = read_selectors(bits, groups, (size + sector - 1) / sector);
        for (std::uint64_t done = 0; done < size; ++done) {
            const Code& code = codes[groups == 1 ? 0 : selectors[done / sector]];
            out.push_back(static_cast<std::byte>(code.next(bits)));
        }
        if (!bits.all_used()) damaged("go on after their end", bits.byte());
    }
};

}  // namespace

std::unique_ptr<Decompressor> make_huffman_decompressor() {
    return std::make_unique<HuffmanDecompressor>();
}

}  // namespace hotstitch::vcdiff
