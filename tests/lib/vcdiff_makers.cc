// SPDX-License-Identifier: MIT
#include "lib/vcdiff_makers.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstdlib>
#include <vector>

#include "hotstitch/digest.h"

namespace makers {

std::string integer(std::uint64_t value) {
    std::string out(1, static_cast<char>(value & 0x7F));
    while ((value >>= 7) != 0) out.insert(0, 1, static_cast<char>((value & 0x7F) | 0x80));
    return out;
}

std::string vcdiff_header(unsigned flags, const std::string& rest) {
    std::string out("\xD6\xC3\xC4", 3);
    out += '\0';
    out += static_cast<char>(flags);
    return out + rest;
}

std::string VcdiffWindow::text() const {
    const unsigned flags = (source ? 1U : 0U) | (target ? 2U : 0U) | (adler32 ? 4U : 0U) | more_flags;
    std::string out(1, static_cast<char>(flags));
    for (const auto& segment : {source, target})
        if (segment) out += integer(segment->first) + integer(segment->second);
    std::string delta = integer(size) + static_cast<char>(delta_flags);
    for (const std::string* section : {&data, &instructions, &addresses}) delta += integer(section->size());
    if (adler32) delta += big_endian(*adler32, 4);
    delta += data + instructions + addresses;
    return out + integer(delta.size() + static_cast<std::uint64_t>(delta_length_error)) + delta;
}

std::uint32_t adler(std::string_view text) {
    return hotstitch::adler32(hotstitch::bytes_of(text)).value;
}

LzmaSections::LzmaSections(std::uint32_t dictionary, lzma_check check) {
    lzma_options_lzma options;
    lzma_lzma_preset(&options, 0);
    options.dict_size = dictionary;
    const lzma_filter filters[] = {{LZMA_FILTER_LZMA2, &options}, {LZMA_VLI_UNKNOWN, nullptr}};
    if (lzma_stream_encoder(&stream_, filters, check) != LZMA_OK) std::abort();
}

std::string LzmaSections::feed(std::string_view bytes, bool end, std::optional<std::uint64_t> size) {
    std::string out(bytes.size() * 2 + 4096, '\0');
    stream_.next_in = reinterpret_cast<const std::uint8_t*>(bytes.data());
    stream_.avail_in = bytes.size();
    stream_.next_out = reinterpret_cast<std::uint8_t*>(out.data());
    stream_.avail_out = out.size();
    if (lzma_code(&stream_, end ? LZMA_FINISH : LZMA_SYNC_FLUSH) != LZMA_STREAM_END) std::abort();
    out.resize(out.size() - stream_.avail_out);
    return integer(size.value_or(bytes.size())) + out;
}

namespace {

class BitsOut {
public:
    void one(bool set) {
        if (used_ % 8 == 0) out_ += '\0';
        if (set) out_.back() = static_cast<char>(out_.back() | (1 << (used_ % 8)));
        ++used_;
    }
    void number(std::uint64_t value, unsigned width) {
        while (width-- != 0) one((value >> width & 1) != 0);
    }
    const std::string& text() const { return out_; }

private:
    std::string out_;
    std::size_t used_ = 0;
};

using Lengths = std::vector<unsigned>;

/// The canonical word of each symbol.
std::vector<std::uint64_t> words(const Lengths& lengths) {
    std::vector<std::uint64_t> words(lengths.size());
    std::uint64_t next = 0;
    for (unsigned length = 1; length <= 20; ++length, next *= 2)
        for (std::size_t s = 0; s < lengths.size(); ++s)
            if (lengths[s] == length) words[s] = next++;
    return words;
}

/// Equal lengths for the symbols used, some made longer by chance.
Lengths lengths_for(const std::vector<bool>& used, Random* random, unsigned longest) {
    const auto count = static_cast<unsigned>(std::count(used.begin(), used.end(), true));
    const auto flat = static_cast<unsigned>(count <= 1 ? 1 : std::bit_width(count - 1));
    Lengths lengths(used.size());
    for (std::size_t s = 0; s < used.size(); ++s)
        if (used[s])
            lengths[s] = std::min<unsigned>(
                longest, flat + (random != nullptr && below(*random, 4) == 0 ? unsigned(below(*random, 6)) : 0));
    return lengths;
}

/// Values as symbols: 0 and 1 count repeats of the front, others name a place in the list.
std::vector<unsigned> move_to_front(const std::vector<unsigned>& values, std::vector<unsigned> list) {
    std::vector<unsigned> symbols;
    std::uint64_t repeats = 0;
    const auto tell_repeats = [&] {
        while (repeats != 0) {
            const unsigned digit = repeats % 2 == 1 ? 0 : 1;
            symbols.push_back(digit);
            repeats = (repeats - digit - 1) / 2;
        }
    };
    for (const unsigned value : values) {
        if (value == list.front()) {
            ++repeats;
            continue;
        }
        tell_repeats();
        const auto place = std::find(list.begin(), list.end(), value);
        symbols.push_back(static_cast<unsigned>(place - list.begin()) + 1);
        std::rotate(list.begin(), place, place + 1);
    }
    tell_repeats();
    return symbols;
}

Lengths lengths_of_symbols(const std::vector<unsigned>& symbols, std::size_t kinds) {
    std::vector<bool> used(kinds);
    for (const unsigned s : symbols) used[s] = true;
    return lengths_for(used, nullptr, 15);
}

void put_symbols(BitsOut& out, const std::vector<unsigned>& symbols, const Lengths& lengths) {
    const auto code = words(lengths);
    for (const unsigned s : symbols) out.number(code[s], lengths[s]);
}

}  // namespace

std::string huffman_section(Random& random, std::string_view bytes, unsigned groups, unsigned sector_number) {
    const std::size_t sector = groups == 1 ? bytes.size() + 1 : (sector_number + 1) * 5;
    std::vector<unsigned> selectors((bytes.size() + sector - 1) / sector);
    for (unsigned& selector : selectors) selector = static_cast<unsigned>(below(random, groups));
    // A symbol missing in one group is missing in all after it, so the groups are filled from the last.
    std::vector<std::vector<bool>> used(groups, std::vector<bool>(256));
    for (std::size_t i = 0; i < bytes.size(); ++i)
        for (unsigned g = 0; g <= selectors[i / sector]; ++g) used[g][static_cast<unsigned char>(bytes[i])] = true;
    std::vector<Lengths> lengths;
    std::vector<unsigned> values;
    for (unsigned g = 0; g < groups; ++g) {
        lengths.push_back(lengths_for(used[g], &random, 20));
        for (unsigned s = 0; s < 256; ++s)
            if (g == 0 || lengths[g - 1][s] != 0) values.push_back(lengths[g][s]);
    }
    const auto symbols =
        move_to_front(values, {0, 4, 5, 6, 7, 8, 9, 10, 3, 11, 2, 12, 13, 1, 14, 15, 16, 17, 18, 19, 20});
    const Lengths length_code = lengths_of_symbols(symbols, 22);

    BitsOut out;
    out.number(groups - 1, 3);
    if (groups > 1) out.number(sector_number, 5);
    out.number(15, 4);
    for (const unsigned length : length_code) out.number(length, 4);
    put_symbols(out, symbols, length_code);
    if (groups > 1) {
        std::vector<unsigned> list(groups);
        for (unsigned g = 0; g < groups; ++g) list[g] = g;
        const auto picks = move_to_front(selectors, list);
        const Lengths selector_code = lengths_of_symbols(picks, groups + 1);
        for (const unsigned length : selector_code) out.number(length, 3);
        put_symbols(out, picks, selector_code);
    }
    for (std::size_t i = 0; i < bytes.size(); ++i)
        put_symbols(out, {static_cast<unsigned char>(bytes[i])}, lengths[selectors[i / sector]]);
    return integer(bytes.size()) + out.text();
}

}  // namespace makers
