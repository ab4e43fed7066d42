// SPDX-License-Identifier: MIT
// A disc with an encrypted partition, by AES-128 and SHA-1 as their standards say them (FIPS 197, FIPS 180-4), slowly.
#include <algorithm>

#include "console_discs.h"

namespace demo {
namespace {

constexpr std::size_t cluster = 0x8000, hashes = 0x400, data = 0x7C00, group = 64, at_partition = 0x50000,
                      at_metadata = 0x2C0, at_hashes = 0x8000, at_data = 0x20000, hash_size = 20;

// --- AES-128

unsigned times(unsigned a, unsigned b) {
    unsigned product = 0;
    for (; b != 0; b >>= 1, a = a << 1 ^ ((a & 0x80) != 0 ? 0x11B : 0))
        if ((b & 1) != 0) product ^= a;
    return product & 0xFF;
}

/// What a byte in row `k` of a column adds to each of the column's four.
using Mixing = std::array<std::array<std::array<unsigned, 4>, 256>, 4>;

struct Boxes {
    std::array<unsigned, 256> box{}, back{};
    Mixing forth_mix{}, back_mix{};
    Boxes() {
        const auto fill = [](Mixing& mixing, const std::array<unsigned, 4>& row) {
            for (std::size_t k = 0; k < 4; ++k)
                for (unsigned v = 0; v < 256; ++v)
                    for (std::size_t i = 0; i < 4; ++i) mixing[k][v][i] = times(v, row[(k + 4 - i) % 4]);
        };
        fill(forth_mix, {2, 3, 1, 1});
        fill(back_mix, {14, 11, 13, 9});
        for (unsigned v = 0; v < 256; ++v) {
            unsigned inverse = 0;
            for (unsigned i = 1; i < 256 && v != 0; ++i)
                if (times(v, i) == 1) inverse = i;
            unsigned out = 0x63;
            for (unsigned turn = 0; turn < 5; ++turn) out ^= (inverse << turn | inverse >> (8 - turn)) & 0xFF;
            box[v] = out;
            back[out] = v;
        }
    }
};
const Boxes& boxes() {
    static const Boxes all;
    return all;
}

using State = std::array<unsigned, 16>;
using RoundKeys = std::array<State, 11>;

RoundKeys round_keys(const CipherKey& key) {
    RoundKeys keys{};
    for (std::size_t i = 0; i < 16; ++i) keys[0][i] = std::to_integer<unsigned>(key[i]);
    unsigned constant = 1;
    for (std::size_t r = 1; r < 11; ++r) {
        for (std::size_t i = 0; i < 4; ++i)
            keys[r][i] = keys[r - 1][i] ^ boxes().box[keys[r - 1][12 + (i + 1) % 4]] ^ (i == 0 ? constant : 0);
        for (std::size_t i = 4; i < 16; ++i) keys[r][i] = keys[r - 1][i] ^ keys[r][i - 4];
        constant = times(constant, 2);
    }
    return keys;
}

void add(State& s, const State& key) {
    for (std::size_t i = 0; i < 16; ++i) s[i] ^= key[i];
}

State mixed(const State& s, const Mixing& mixing) {
    State out{};
    for (std::size_t column = 0; column < 16; column += 4)
        for (std::size_t k = 0; k < 4; ++k) {
            const auto& parts = mixing[k][s[column + k]];
            for (std::size_t i = 0; i < 4; ++i) out[column + i] ^= parts[i];
        }
    return out;
}

State encrypted_block(State s, const RoundKeys& keys) {
    add(s, keys[0]);
    for (std::size_t r = 1; r < 11; ++r) {
        State moved{};
        for (std::size_t i = 0; i < 16; ++i) moved[i] = boxes().box[s[(i + 4 * (i % 4)) % 16]];
        s = r == 10 ? moved : mixed(moved, boxes().forth_mix);
        add(s, keys[r]);
    }
    return s;
}

State decrypted_block(State s, const RoundKeys& keys) {
    add(s, keys[10]);
    for (std::size_t r = 10; r-- > 0;) {
        State moved{};
        for (std::size_t i = 0; i < 16; ++i) moved[(i + 4 * (i % 4)) % 16] = boxes().back[s[i]];
        add(moved, keys[r]);
        s = r == 0 ? moved : mixed(moved, boxes().back_mix);
    }
    return s;
}

State state_at(ByteView bytes, std::size_t at) {
    State s{};
    for (std::size_t i = 0; i < 16; ++i) s[i] = std::to_integer<unsigned>(bytes[at + i]);
    return s;
}

/// In blocks that are chained.
Bytes ciphered(const CipherKey& key, const CipherKey& iv, ByteView in, bool encrypt) {
    const RoundKeys keys = round_keys(key);
    State before = state_at(iv, 0);
    Bytes out(in.size());
    for (std::size_t at = 0; at < in.size(); at += 16) {
        State s = state_at(in, at);
        const State read = s;
        if (encrypt) {
            add(s, before);
            s = before = encrypted_block(s, keys);
        } else {
            s = decrypted_block(s, keys);
            add(s, before);
            before = read;
        }
        for (std::size_t i = 0; i < 16; ++i) out[at + i] = static_cast<std::byte>(s[i]);
    }
    return out;
}

// --- SHA-1

std::uint32_t turned(std::uint32_t v, unsigned by) {
    return v << by | v >> (32 - by);
}

Bytes sha1(ByteView in) {
    Bytes bytes(in.begin(), in.end());
    const std::uint64_t bits = std::uint64_t{in.size()} * 8;
    bytes.push_back(std::byte{0x80});
    while (bytes.size() % 64 != 56) bytes.push_back({});
    for (unsigned i = 0; i < 8; ++i) bytes.push_back(static_cast<std::byte>(bits >> (56 - 8 * i)));
    std::array<std::uint32_t, 5> h{0x67452301, 0xEFCDAB89, 0x98BADCFE, 0x10325476, 0xC3D2E1F0};
    for (std::size_t at = 0; at < bytes.size(); at += 64) {
        std::array<std::uint32_t, 80> w{};
        for (std::size_t i = 0; i < 80; ++i) {
            if (i < 16)
                for (std::size_t k = 0; k < 4; ++k)
                    w[i] = w[i] << 8 | std::to_integer<std::uint32_t>(bytes[at + 4 * i + k]);
            else
                w[i] = turned(w[i - 3] ^ w[i - 8] ^ w[i - 14] ^ w[i - 16], 1);
        }
        auto [a, b, c, d, e] = h;
        for (std::size_t i = 0; i < 80; ++i) {
            const std::uint32_t f = i < 20              ? (b & c) | (~b & d)
                                    : i < 40 || i >= 60 ? b ^ c ^ d
                                                        : (b & c) | (b & d) | (c & d);
            const std::uint32_t k = i < 20 ? 0x5A827999 : i < 40 ? 0x6ED9EBA1 : i < 60 ? 0x8F1BBCDC : 0xCA62C1D6;
            const std::uint32_t next = turned(a, 5) + f + e + k + w[i];
            e = d, d = c, c = turned(b, 30), b = a, a = next;
        }
        h[0] += a, h[1] += b, h[2] += c, h[3] += d, h[4] += e;
    }
    Bytes out;
    for (const std::uint32_t word : h)
        for (const unsigned shift : {24U, 16U, 8U, 0U}) out.push_back(static_cast<std::byte>(word >> shift));
    return out;
}

// --- the disc

void set_big(Bytes& bytes, std::size_t at, std::size_t value) {
    for (unsigned i = 0; i < 4; ++i) bytes[at + i] = static_cast<std::byte>(value >> (24 - 8 * i));
}
std::size_t big_at(ByteView bytes, std::size_t at) {
    std::size_t value = 0;
    for (unsigned i = 0; i < 4; ++i) value = value << 8 | std::to_integer<std::size_t>(bytes[at + i]);
    return value;
}
void copy_to(Bytes& bytes, std::size_t at, ByteView from) {
    std::copy(from.begin(), from.end(), bytes.begin() + static_cast<std::ptrdiff_t>(at));
}

CipherKey title_key() {
    CipherKey key;
    for (std::size_t i = 0; i < key.size(); ++i) key[i] = static_cast<std::byte>(0x40 + 7 * i);
    return key;
}
CipherKey title_iv() {
    CipherKey iv{};
    for (std::size_t i = 0; i < 8; ++i) iv[i] = static_cast<std::byte>(i + 1);
    return iv;
}
CipherKey key_from(ByteView bytes) {
    CipherKey key;
    std::copy_n(bytes.begin(), key.size(), key.begin());
    return key;
}

/// The tables of a group's clusters, and the hash of the last of them.
Bytes tables_of(ByteView plain, std::vector<Bytes>& tables) {
    tables.assign(plain.size() / data, Bytes(hashes));
    std::vector<Bytes> second((tables.size() + 7) / 8, Bytes(8 * hash_size));
    Bytes third(8 * hash_size);
    for (std::size_t c = 0; c < tables.size(); ++c) {
        for (std::size_t b = 0; b < 31; ++b)
            copy_to(tables[c], b * hash_size, sha1(plain.subspan(c * data + b * 0x400, 0x400)));
        copy_to(second[c / 8], c % 8 * hash_size, sha1(ByteView(tables[c]).first(31 * hash_size)));
    }
    for (std::size_t s = 0; s < second.size(); ++s) copy_to(third, s * hash_size, sha1(second[s]));
    for (std::size_t c = 0; c < tables.size(); ++c)
        copy_to(tables[c], 0x280, second[c / 8]), copy_to(tables[c], 0x340, third);
    return sha1(third);
}

}  // namespace

CipherKey demo_key() {
    CipherKey key;
    for (std::size_t i = 0; i < key.size(); ++i) key[i] = static_cast<std::byte>(0x11 * i ^ 0x5A);
    return key;
}

std::string key_file() {
    std::string text = "# The key of the made-up discs of Kelp Harbour.\ncommon = ";
    for (const std::byte b : demo_key())
        for (const unsigned shift : {4U, 0U}) text += "0123456789abcdef"[std::to_integer<unsigned>(b) >> shift & 15];
    return text + "\n";
}

Bytes partition_disc(const Bytes& volume, std::size_t stated) {
    const std::size_t clusters = (volume.size() + data - 1) / data;
    Bytes plain = volume;
    plain.resize(clusters * data);
    Bytes disc(at_partition + at_data + clusters * cluster);
    copy_to(disc, 0, ByteView(volume).first(0x80));
    set_big(disc, 0x40000, 1), set_big(disc, 0x40004, 0x40020 >> 2);
    set_big(disc, 0x40020, at_partition >> 2);
    set_big(disc, 0x4E000, 2);
    const CipherKey iv = title_iv(), key = title_key();
    copy_to(disc, at_partition + 0x1BF, ciphered(demo_key(), iv, key, true));
    copy_to(disc, at_partition + 0x1DC, ByteView(iv).first(8));
    set_big(disc, at_partition + 0x2A4, 0x208), set_big(disc, at_partition + 0x2A8, at_metadata >> 2);
    set_big(disc, at_partition + 0x2AC, 0x100), set_big(disc, at_partition + 0x2B0, 0x600 >> 2);
    set_big(disc, at_partition + 0x2B4, at_hashes >> 2), set_big(disc, at_partition + 0x2B8, at_data >> 2);
    set_big(disc, at_partition + 0x2BC, (stated != 0 ? stated : clusters) * cluster >> 2);
    for (std::size_t first = 0; first < clusters; first += group) {
        const std::size_t count = std::min(group, clusters - first);
        const ByteView part = ByteView(plain).subspan(first * data, count * data);
        std::vector<Bytes> tables;
        copy_to(disc, at_partition + at_hashes + first / group * hash_size, tables_of(part, tables));
        for (std::size_t c = 0; c < count; ++c) {
            const Bytes head = ciphered(key, CipherKey{}, tables[c], true);
            const std::size_t at = at_partition + at_data + (first + c) * cluster;
            copy_to(disc, at, head);
            copy_to(disc, at + hashes,
                    ciphered(key, key_from(ByteView(head).subspan(0x3D0)), part.subspan(c * data, data), true));
        }
    }
    copy_to(disc, at_partition + at_metadata + 0x1F4, sha1(ByteView(disc).subspan(at_partition + at_hashes, 0x18000)));
    return disc;
}

Bytes volume_of(ByteView disc) {
    const std::size_t clusters = (disc.size() - at_partition - at_data) / cluster;
    Bytes plain;
    for (std::size_t c = 0; c < clusters; ++c) {
        const ByteView stored = disc.subspan(at_partition + at_data + c * cluster, cluster);
        const Bytes one = ciphered(title_key(), key_from(stored.subspan(0x3D0)), stored.subspan(hashes), false);
        plain.insert(plain.end(), one.begin(), one.end());
    }
    return plain;
}

std::string wrong_hashes(ByteView disc) {
    const Bytes plain = volume_of(disc);
    const std::size_t clusters = plain.size() / data;
    for (std::size_t first = 0; first < clusters; first += group) {
        const std::size_t count = std::min(group, clusters - first);
        std::vector<Bytes> tables;
        const Bytes last = tables_of(ByteView(plain).subspan(first * data, count * data), tables);
        for (std::size_t c = 0; c < count; ++c) {
            const ByteView stored = disc.subspan(at_partition + at_data + (first + c) * cluster, hashes);
            if (ciphered(title_key(), CipherKey{}, stored, false) != tables[c])
                return "the tables of cluster " + std::to_string(first + c);
        }
        const ByteView there = disc.subspan(at_partition + at_hashes + first / group * hash_size, hash_size);
        if (!std::equal(there.begin(), there.end(), last.begin())) return "the hash of a group";
    }
    const Bytes all = sha1(disc.subspan(at_partition + at_hashes, 0x18000));
    const ByteView there = disc.subspan(at_partition + at_metadata + 0x1F4, hash_size);
    if (!std::equal(there.begin(), there.end(), all.begin())) return "the hash in the metadata";
    return big_at(disc, 0x18) == 0x5D1C9EA3 ? "" : "the magic number";
}

}  // namespace demo
