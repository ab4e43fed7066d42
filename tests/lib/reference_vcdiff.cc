// SPDX-License-Identifier: MIT
// docs/formats/vcdiff.md read slowly: numbers in 128 bits, one byte at a time, everything in memory.
#include <fmt/format.h>
#include <lzma.h>

#include <array>
#include <deque>
#include <map>
#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

#include "hotstitch/digest.h"
#include "lib/reference.h"

namespace reference {
namespace {

using hotstitch::Bytes, hotstitch::ByteView;
using Wide = __uint128_t;

/// Breaking a rule; becomes nullopt at the top.
struct Refused {};
[[noreturn]] void refuse() {
    throw Refused{};
}
void need(bool rule) {
    if (!rule) refuse();
}

struct In {
    ByteView bytes;
    std::size_t at = 0;
    bool done() const { return at == bytes.size(); }
    unsigned byte() {
        need(at < bytes.size());
        return std::to_integer<unsigned>(bytes[at++]);
    }
    std::uint64_t integer() {
        Wide value = 0;
        while (true) {
            const unsigned b = byte();
            value = value * 128 + b % 128;
            need(value >> 64 == 0);
            if (b < 128) return static_cast<std::uint64_t>(value);
        }
    }
    ByteView take(std::uint64_t n) {
        need(n <= bytes.size() - at);
        at += n;
        return bytes.subspan(at - n, n);
    }
};

// ---- secondary compression

Bytes lzma(lzma_stream& stream, ByteView packed, std::uint64_t size) {
    Bytes out;
    bool ended = false;
    for (std::size_t i = 0; i <= packed.size(); ++i) {
        const auto b = i < packed.size() ? std::to_integer<std::uint8_t>(packed[i]) : std::uint8_t{0};
        stream.next_in = &b;
        stream.avail_in = i < packed.size() ? 1 : 0;
        for (bool moved = true; moved && !ended;) {
            std::uint8_t made = 0;
            stream.next_out = &made;
            stream.avail_out = 1;
            const std::size_t before = stream.avail_in;
            const lzma_ret result = lzma_code(&stream, LZMA_RUN);
            if (result == LZMA_MEMLIMIT_ERROR) throw std::length_error("memory");
            need(result == LZMA_OK || result == LZMA_BUF_ERROR || result == LZMA_STREAM_END);
            ended = result == LZMA_STREAM_END;
            if (stream.avail_out == 0) out.push_back(std::byte{made});
            need(out.size() <= size);
            moved = stream.avail_out == 0 || stream.avail_in != before;
        }
        need(i == packed.size() || stream.avail_in == 0);
    }
    need(out.size() == size);
    return out;
}

struct BitsIn {
    ByteView bytes;
    std::size_t at = 0;
    char one() {
        need(at < bytes.size() * 8);
        const bool set = (std::to_integer<unsigned>(bytes[at / 8]) >> (at % 8) & 1) != 0;
        ++at;
        return set ? '1' : '0';
    }
    unsigned number(unsigned width) {
        unsigned value = 0;
        for (unsigned i = 0; i < width; ++i) value = value * 2 + (one() == '1' ? 1 : 0);
        return value;
    }
};

/// Words written out as texts of 0 and 1.
std::map<std::string, unsigned> words(const std::vector<unsigned>& lengths) {
    std::map<std::string, unsigned> code;
    std::uint64_t next = 0;
    for (unsigned length = 1; length <= 20; ++length, next *= 2)
        for (unsigned s = 0; s < lengths.size(); ++s) {
            if (lengths[s] != length) continue;
            need(next >> length == 0);
            std::string word;
            for (unsigned bit = length; bit-- > 0;) word += (next >> bit & 1) != 0 ? '1' : '0';
            code[word] = s;
            ++next;
        }
    return code;
}

unsigned symbol(BitsIn& in, const std::map<std::string, unsigned>& code) {
    std::string word;
    while (word.size() < 20) {
        word += in.one();
        if (const auto found = code.find(word); found != code.end()) return found->second;
    }
    refuse();
}

/// Move-to-front with runs, as a queue of values that is filled symbol by symbol.
class Values {
public:
    Values(BitsIn& in, std::map<std::string, unsigned> code, std::deque<unsigned> list)
        : in_(in), code_(std::move(code)), list_(std::move(list)) {}
    unsigned next() {
        while (repeats_ == 0) {
            const unsigned s = symbol(in_, code_);
            if (s >= 2) {
                row_ = 0;
                const unsigned value = list_.at(s - 1);
                list_.erase(list_.begin() + s - 1);
                list_.push_front(value);
                return value;
            }
            need(row_ < 33);
            repeats_ = std::uint64_t{s + 1} << row_++;
        }
        --repeats_;
        return list_.front();
    }
    bool over() const { return repeats_ == 0; }

private:
    BitsIn& in_;
    std::map<std::string, unsigned> code_;
    std::deque<unsigned> list_;
    std::uint64_t repeats_ = 0;
    unsigned row_ = 0;
};

Bytes huffman(ByteView packed, std::uint64_t size) {
    BitsIn in{packed};
    const unsigned groups = in.number(3) + 1;
    const std::uint64_t sector = groups > 1 ? (in.number(5) + 1) * 5 : size + 1;
    std::vector<unsigned> lengths(22);
    const unsigned told = in.number(4) + 7;
    for (unsigned i = 0; i < told; ++i) lengths[i] = in.number(4);
    Values values(in, words(lengths), {0, 4, 5, 6, 7, 8, 9, 10, 3, 11, 2, 12, 13, 1, 14, 15, 16, 17, 18, 19, 20});
    std::vector<std::vector<unsigned>> all(groups, std::vector<unsigned>(256));
    for (unsigned g = 0; g < groups; ++g)
        for (unsigned s = 0; s < 256; ++s) all[g][s] = g > 0 && all[g - 1][s] == 0 ? 0 : values.next();
    need(values.over());
    std::vector<std::map<std::string, unsigned>> codes;
    for (const auto& group : all) codes.push_back(words(group));
    std::vector<unsigned> selectors((size + sector - 1) / sector, 0);
    if (groups > 1) {
        std::vector<unsigned> selector_lengths;
        for (unsigned i = 0; i <= groups; ++i) selector_lengths.push_back(in.number(3));
        std::deque<unsigned> list;
        for (unsigned i = 0; i < groups; ++i) list.push_back(i);
        Values picks(in, words(selector_lengths), list);
        for (unsigned& selector : selectors) selector = picks.next();
        need(picks.over());
    }
    Bytes out;
    for (std::uint64_t i = 0; i < size; ++i)
        out.push_back(static_cast<std::byte>(symbol(in, codes[selectors[i / sector]])));
    need(packed.size() * 8 - in.at < 8);
    return out;
}

// ---- the format

struct Instruction {
    unsigned type = 0, size = 0, mode = 0;
};
using Table = std::vector<std::array<Instruction, 2>>;

Table default_table() {
    constexpr unsigned add = 1, run = 2, copy = 3;
    Table table(256);
    for (unsigned i = 0; i < 256; ++i) {
        if (i == 0) table[i][0] = {run, 0, 0};
        if (i >= 1 && i <= 18) table[i][0] = {add, i - 1, 0};
        if (i >= 19 && i <= 162) table[i][0] = {copy, (i - 19) % 16 == 0 ? 0 : (i - 19) % 16 + 3, (i - 19) / 16};
        if (i >= 163 && i <= 234) {
            table[i][0] = {add, (i - 163) % 12 / 3 + 1, 0};
            table[i][1] = {copy, (i - 163) % 3 + 4, (i - 163) / 12};
        }
        if (i >= 235 && i <= 246) {
            table[i][0] = {add, (i - 235) % 4 + 1, 0};
            table[i][1] = {copy, 4, (i - 235) / 4 + 6};
        }
        if (i >= 247) {
            table[i][0] = {copy, 4, i - 247};
            table[i][1] = {add, 1, 0};
        }
    }
    return table;
}

Bytes as_bytes(const Table& table) {
    Bytes out;
    for (const auto part : {&Instruction::type, &Instruction::size, &Instruction::mode})
        for (unsigned half = 0; half < 2; ++half)
            for (const auto& pair : table) out.push_back(static_cast<std::byte>(pair[half].*part));
    return out;
}

struct Window {
    unsigned flags = 0, delta_flags = 0;
    std::uint64_t segment_size = 0, segment_at = 0, size = 0;
    std::uint32_t adler = 0;
    std::array<ByteView, 3> sections;
};

struct Patch {
    Table table = default_table();
    unsigned near = 4, same = 3, compressor = 0;
    std::vector<Window> windows;
    Wide size = 0;
};

constexpr std::uint64_t most_window = std::uint64_t{64} << 20;

Bytes build(const Patch& patch, ByteView source);

Patch parse(ByteView bytes, bool nested, std::uint64_t largest = most_window) {
    In in{bytes};
    Patch patch;
    need(hotstitch::text_of(in.take(4)) == std::string_view("\xD6\xC3\xC4\0", 4));
    const unsigned flags = in.byte();
    need(flags < 8);
    const bool compresses = (flags & 1) != 0;
    if (compresses) patch.compressor = in.byte();
    if ((flags & 2) != 0) {
        need(!nested);
        In own{in.take(in.integer())};
        patch.near = own.byte();
        patch.same = own.byte();
        try {
            const Patch inner = parse(own.take(own.bytes.size() - 2), true, 1536);
            need(inner.size == 1536);
            const Bytes table = build(inner, as_bytes(default_table()));
            for (unsigned i = 0; i < 256; ++i)
                for (unsigned half = 0; half < 2; ++half) {
                    const auto at = [&](unsigned part) {
                        return std::to_integer<unsigned>(table[part * 512 + half * 256 + i]);
                    };
                    patch.table[i][half] = {at(0), at(1), at(2)};
                }
        } catch (const std::exception&) {
            refuse();
        }
    }
    if ((flags & 4) != 0) in.take(in.integer());
    while (!in.done()) {
        Window w;
        w.flags = in.byte();
        need(w.flags < 8 && (w.flags & 3) != 3);
        if ((w.flags & 3) != 0) {
            w.segment_size = in.integer();
            w.segment_at = in.integer();
            need((Wide{w.segment_at} + w.segment_size) >> 64 == 0);
            need((w.flags & 2) == 0 || Wide{w.segment_at} + w.segment_size <= patch.size);
        }
        const std::uint64_t delta = in.integer();
        need(delta <= bytes.size() - in.at);
        const std::size_t end = in.at + delta;
        w.size = in.integer();
        if (w.size > largest) throw std::length_error("window");
        patch.size += w.size;
        need(patch.size >> 64 == 0);
        w.delta_flags = in.byte();
        need(w.delta_flags < 8);
        need(w.delta_flags == 0 || patch.compressor == 1 || patch.compressor == 2);
        std::array<std::uint64_t, 3> sizes{};
        for (std::uint64_t& size : sizes) size = in.integer();
        if ((w.flags & 4) != 0)
            for (int i = 0; i < 4; ++i) w.adler = w.adler << 8 | in.byte();
        for (unsigned s = 0; s < 3; ++s) w.sections[s] = in.take(sizes[s]);
        need(in.at == end);
        patch.windows.push_back(w);
    }
    return patch;
}

struct Streams {
    std::array<lzma_stream, 3> streams{};
    std::array<bool, 3> begun{};
    ~Streams() {
        for (lzma_stream& stream : streams) lzma_end(&stream);
    }
};

void run_window(const Patch& patch, const Window& w, std::array<In, 3> in, ByteView source, Bytes& target) {
    const std::size_t begin = target.size();
    std::vector<std::uint64_t> near(patch.near), same(patch.same * 256);
    std::size_t turn = 0;
    // The segment and then the window's own bytes; the segment stands in the source or in the target so far.
    const auto byte_at = [&](std::uint64_t address) {
        if (address >= w.segment_size) return target[begin + (address - w.segment_size)];
        return (w.flags & 1) != 0 ? source[w.segment_at + address] : std::byte{target[w.segment_at + address]};
    };
    while (!in[1].done()) {
        for (const Instruction& instruction : patch.table[in[1].byte()]) {
            if (instruction.type == 0) continue;
            const std::uint64_t size = instruction.size != 0 ? instruction.size : in[1].integer();
            need(size <= w.size - (target.size() - begin));
            need(instruction.type <= 3);
            if (instruction.type == 1) {
                for (const std::byte b : in[0].take(size)) target.push_back(b);
            } else if (instruction.type == 2) {
                const auto value = static_cast<std::byte>(in[0].byte());
                target.insert(target.end(), size, value);
            } else {
                const unsigned mode = instruction.mode;
                const Wide here = Wide{w.segment_size} + (target.size() - begin);
                need(here >> 64 == 0 && mode < 2 + patch.near + patch.same);
                Wide address = 0;
                if (mode >= 2 + patch.near) {
                    address = same[(mode - 2 - patch.near) * 256 + in[2].byte()];
                } else {
                    const std::uint64_t value = in[2].integer();
                    need(mode != 1 || value <= here);
                    address = mode == 0 ? Wide{value} : mode == 1 ? here - value : Wide{near[mode - 2]} + value;
                }
                need(address < here);
                if (!near.empty()) near[turn++ % near.size()] = static_cast<std::uint64_t>(address);
                if (!same.empty())
                    same[static_cast<std::uint64_t>(address) % same.size()] = static_cast<std::uint64_t>(address);
                for (std::uint64_t i = 0; i < size; ++i)
                    target.push_back(byte_at(static_cast<std::uint64_t>(address) + i));
            }
        }
    }
    need(target.size() - begin == w.size && in[0].done() && in[2].done());
}

Bytes build(const Patch& patch, ByteView source) {
    Bytes target;
    Streams streams;
    bool source_read = false;
    for (const Window& w : patch.windows) {
        std::array<Bytes, 3> unpacked;
        std::array<In, 3> in;
        for (unsigned s = 0; s < 3; ++s) {
            in[s].bytes = w.sections[s];
            if ((w.delta_flags >> s & 1) == 0) continue;
            const std::uint64_t packed_size = w.sections[s].size();
            const std::uint64_t size = in[s].integer();
            if (size > 4096 + 16 * w.size + 64 * packed_size) throw std::length_error("section");
            if (patch.compressor == 2 && !streams.begun[s]) {
                streams.begun[s] = true;
                if (lzma_stream_decoder(&streams.streams[s], 128 << 20, 0) != LZMA_OK) throw std::bad_alloc();
            }
            const ByteView packed = in[s].take(packed_size - in[s].at);
            unpacked[s] = patch.compressor == 2 ? lzma(streams.streams[s], packed, size) : huffman(packed, size);
            in[s] = In{unpacked[s]};
        }
        source_read |= (w.flags & 1) != 0 && w.segment_size != 0;
        if ((w.flags & 1) != 0 && w.segment_size != 0 && Wide{w.segment_at} + w.segment_size > source.size())
            throw std::out_of_range("the source is too short");
        const std::size_t begin = target.size();
        run_window(patch, w, in, source, target);
        if ((w.flags & 4) == 0) continue;
        std::uint32_t a = 1, b = 0;
        for (std::size_t i = begin; i < target.size(); ++i) {
            a = (a + std::to_integer<std::uint32_t>(target[i])) % 65521;
            b = (b + a) % 65521;
        }
        if ((b << 16 | a) == w.adler) continue;
        if (source_read) throw std::out_of_range("the source is not the one");
        refuse();
    }
    return target;
}

}  // namespace

std::optional<Bytes> apply_vcdiff(ByteView bytes, ByteView source, std::uint64_t most) {
    try {
        const Patch patch = parse(bytes, false);
        for (const Window& w : patch.windows)
            if ((w.flags & 1) != 0 && w.segment_size != 0 && w.segment_at + w.segment_size > source.size())
                throw std::out_of_range("the source is too short");
        if (patch.size > most) throw std::length_error("too large");
        return build(patch, source);
    } catch (const Refused&) {
        return std::nullopt;
    }
}

}  // namespace reference
