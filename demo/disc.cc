// SPDX-License-Identifier: MIT
#include "disc.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <map>
#include <set>

#include "random.h"

namespace demo {
namespace {

constexpr std::size_t user = 2048, raw = 2352;

void text(Bytes& out, std::size_t at, std::string_view value, std::size_t width, bool wide = false) {
    for (std::size_t i = 0; i < width; ++i) {
        const std::size_t letter = wide ? i / 2 : i;
        const char c = letter < value.size() ? value[letter] : ' ';
        out[at + i] = wide && i % 2 == 0 ? std::byte{0} : static_cast<std::byte>(c);
    }
}
void little(Bytes& out, std::size_t at, std::uint64_t value, unsigned width) {
    for (unsigned i = 0; i < width; ++i) out[at + i] = static_cast<std::byte>(value >> (8 * i));
}
void big(Bytes& out, std::size_t at, std::uint64_t value, unsigned width) {
    for (unsigned i = 0; i < width; ++i) out[at + i] = static_cast<std::byte>(value >> (8 * (width - 1 - i)));
}
void both(Bytes& out, std::size_t at, std::uint64_t value, unsigned width) {
    little(out, at, value, width), big(out, at + width, value, width);
}

std::size_t sectors(std::size_t bytes) {
    return (bytes + user - 1) / user;
}

/// A directory record; `name` as bytes.
Bytes record(const std::string& name, std::size_t extent, std::size_t size, bool folder) {
    Bytes out(33 + name.size() + (name.size() % 2 == 0 ? 1 : 0));
    out[0] = static_cast<std::byte>(out.size());
    both(out, 2, extent, 4), both(out, 10, size, 4), both(out, 28, 1, 2);
    constexpr std::array<unsigned, 7> date{126, 11, 27, 12, 0, 0, 0};
    for (std::size_t i = 0; i < date.size(); ++i) out[18 + i] = static_cast<std::byte>(date[i]);
    out[25] = folder ? std::byte{2} : std::byte{0};
    out[32] = static_cast<std::byte>(name.size());
    for (std::size_t i = 0; i < name.size(); ++i) out[33 + i] = static_cast<std::byte>(name[i]);
    return out;
}

std::string wide(const std::string& name) {
    std::string out;
    for (const char c : name) out += {'\0', c};
    return out;
}

std::string folder_of(const std::string& path) {
    const std::size_t slash = path.rfind('/');
    return slash == std::string::npos ? "" : path.substr(0, slash);
}
std::string name_of(const std::string& path) {
    return path.substr(path.rfind('/') == std::string::npos ? 0 : path.rfind('/') + 1);
}

/// One tree: where its folders stand, and what is in them.
class Tree {
public:
    Tree(const std::vector<DiscFile>& files, bool joliet, std::size_t first) : joliet_(joliet) {
        std::set<std::string> names{""};
        for (const DiscFile& file : files)
            for (std::string folder = folder_of(file.path); !folder.empty(); folder = folder_of(folder))
                names.insert(folder);
        // Path tables go by level, then by parent and name; a map of depth and path is that here.
        std::map<std::pair<std::size_t, std::string>, std::string> ordered;
        for (const std::string& name : names)
            ordered.emplace(
                std::pair{name.empty() ? 0 : 1 + static_cast<std::size_t>(std::count(name.begin(), name.end(), '/')),
                          name},
                name);
        for (const auto& [key, name] : ordered) folders_.push_back(name);
        table_ = first;
        for (std::size_t i = 0; i < folders_.size(); ++i) place_[folders_[i]] = first + 2 + i;
    }

    std::size_t end() const { return table_ + 2 + folders_.size(); }

    void write(Bytes& image, const std::vector<DiscFile>& files, const std::vector<std::size_t>& extents,
               std::size_t descriptor) const {
        for (const std::string& folder : folders_) write_folder(image, folder, files, extents);
        std::size_t size = 0;
        for (std::size_t i = 0; i < folders_.size(); ++i) {
            const std::string name =
                folders_[i].empty() ? std::string(1, '\0') : identifier(name_of(folders_[i]), true);
            const std::size_t parent =
                1 + static_cast<std::size_t>(std::find(folders_.begin(), folders_.end(), folder_of(folders_[i])) -
                                             folders_.begin());
            for (const bool is_big : {false, true}) {
                const std::size_t at = (table_ + (is_big ? 1 : 0)) * user + size;
                image[at] = static_cast<std::byte>(name.size());
                is_big ? big(image, at + 2, place_.at(folders_[i]), 4)
                       : little(image, at + 2, place_.at(folders_[i]), 4);
                is_big ? big(image, at + 6, parent, 2) : little(image, at + 6, parent, 2);
                for (std::size_t k = 0; k < name.size(); ++k) image[at + 8 + k] = static_cast<std::byte>(name[k]);
            }
            size += 8 + name.size() + name.size() % 2;
        }
        const std::size_t at = descriptor * user;
        both(image, at + 132, size, 4);
        little(image, at + 140, table_, 4), big(image, at + 148, table_ + 1, 4);
        const Bytes root = record(std::string(1, '\0'), place_.at(""), user, true);
        std::copy(root.begin(), root.end(), image.begin() + static_cast<std::ptrdiff_t>(at + 156));
    }

private:
    std::string identifier(const std::string& name, bool folder) const {
        const std::string full = folder ? name : name + ";1";
        return joliet_ ? wide(full) : full;
    }

    void write_folder(Bytes& image, const std::string& folder, const std::vector<DiscFile>& files,
                      const std::vector<std::size_t>& extents) const {
        std::map<std::string, Bytes> inside;
        for (const std::string& other : folders_)
            if (!other.empty() && folder_of(other) == folder)
                inside[identifier(name_of(other), true)] =
                    record(identifier(name_of(other), true), place_.at(other), user, true);
        for (std::size_t i = 0; i < files.size(); ++i)
            if (folder_of(files[i].path) == folder)
                inside[identifier(name_of(files[i].path), false)] =
                    record(identifier(name_of(files[i].path), false), extents[i], files[i].content.size(), false);
        std::size_t at = place_.at(folder) * user;
        const auto put = [&](const Bytes& one) {
            std::copy(one.begin(), one.end(), image.begin() + static_cast<std::ptrdiff_t>(at));
            at += one.size();
        };
        put(record(std::string(1, '\0'), place_.at(folder), user, true));
        put(record(std::string(1, '\1'), place_.at(folder_of(folder)), user, true));
        for (const auto& [name, one] : inside) put(one);
    }

    bool joliet_;
    std::size_t table_ = 0;
    std::vector<std::string> folders_;
    std::map<std::string, std::size_t> place_;
};

void descriptor(Bytes& image, std::size_t sector, unsigned type, const DiscOptions& options) {
    const std::size_t at = sector * user;
    image[at] = static_cast<std::byte>(type);
    text(image, at + 1, "CD001", 5);
    image[at + 6] = std::byte{1};
    if (type == 255) return;
    const bool joliet = type == 2;
    text(image, at + 8, "HARBOUR CONSOLE", 32, joliet), text(image, at + 40, options.volume, 32, joliet);
    both(image, at + 80, image.size() / user, 4);
    if (joliet) text(image, at + 88, "%/E", 3);
    both(image, at + 120, 1, 2), both(image, at + 124, 1, 2), both(image, at + 128, user, 2);
    for (const std::size_t field : {190U, 318U, 446U, 574U})
        text(image, at + field, field == 318 ? "KELP HARBOUR AUTHORITY" : "", 128, joliet);
    for (const std::size_t date : {813U, 830U, 847U, 864U}) {
        text(image, at + date, date < 840 ? "2026112712000000" : "0000000000000000", 16);
        image[at + date + 16] = std::byte{0};
    }
    image[at + 881] = std::byte{1};
}

Bytes made_up(std::uint64_t seed, std::size_t size) {
    Random random(seed);
    Bytes out(size);
    for (std::size_t i = 0; i < size; ++i)
        out[i] = i % 64 < 40 ? static_cast<std::byte>(random.next()) : static_cast<std::byte>(i / 64);
    return out;
}

Bytes letters(std::string_view value) {
    const ByteView view = hotstitch::bytes_of(value);
    return {view.begin(), view.end()};
}

// Codes of a sector, the slow way: one bit, one product, one codeword after the other.

unsigned product(unsigned a, unsigned b) {
    unsigned sum = 0;
    for (int bit = 0; bit < 8; ++bit) {
        if ((b >> bit & 1) != 0) sum ^= a << bit;
    }
    for (int bit = 14; bit >= 8; --bit)
        if ((sum >> bit & 1) != 0) sum ^= 0x11DU << (bit - 8);
    return sum;
}

std::uint32_t edc_of(ByteView bytes) {
    std::uint32_t crc = 0;
    for (const std::byte b : bytes)
        for (int bit = 0; bit < 8; ++bit) {
            const bool one = ((crc ^ (std::to_integer<std::uint32_t>(b) >> bit)) & 1) != 0;
            crc = crc >> 1 ^ (one ? 0xD8018001U : 0U);
        }
    return crc;
}

/// Where symbol `m` of a codeword lies, in words from byte 12 on; ECMA-130 A.4 and A.5.
std::size_t p_word(std::size_t codeword, std::size_t m) {
    return 43 * m + codeword;
}
std::size_t q_word(std::size_t codeword, std::size_t m) {
    return m < 43 ? (44 * m + 43 * codeword) % 1118 : 1118 + 26 * (m - 43) + codeword;
}

struct Layout {
    std::size_t edc_from, edc_to;
    bool header_counts;
};
Layout layout_of(ByteView sector) {
    return sector[15] == std::byte{1} ? Layout{0, 2064, true} : Layout{16, 2072, false};
}

std::array<unsigned, 2340> covered(ByteView sector) {
    std::array<unsigned, 2340> out{};
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = std::to_integer<unsigned>(sector[12 + i]);
    if (!layout_of(sector).header_counts) std::fill(out.begin(), out.begin() + 4, 0U);
    return out;
}

/// What times 3 is `value`, by trying all.
unsigned third(unsigned value) {
    static const std::array<unsigned, 256> table = [] {
        std::array<unsigned, 256> all{};
        for (unsigned x = 0; x < 256; ++x) all[product(x, 3)] = x;
        return all;
    }();
    return table[value];
}

/// The two symbols that make both sums of a codeword 0: p0 + p1 is the plain sum, 2 p0 + p1 the weighted one.
template <class Word>
void complete(std::array<unsigned, 2340>& bytes, std::size_t symbols, Word&& word) {
    for (const std::size_t half : {0U, 1U}) {
        unsigned sum = 0, weighted = 0;
        for (std::size_t m = 0; m < symbols; ++m) {
            const unsigned value = bytes[2 * word(m) + half];
            sum ^= value;
            weighted = product(weighted, 2) ^ value;
        }
        weighted = product(product(weighted, 2), 2);
        const unsigned p0 = third(weighted ^ sum);
        bytes[2 * word(symbols) + half] = p0, bytes[2 * word(symbols + 1) + half] = p0 ^ sum;
    }
}

void protect(Bytes& sector) {
    const Layout layout = layout_of(sector);
    little(sector, layout.edc_to, edc_of(ByteView(sector).subspan(layout.edc_from, layout.edc_to - layout.edc_from)),
           4);
    auto bytes = covered(sector);
    for (std::size_t n = 0; n < 43; ++n) complete(bytes, 24, [&](std::size_t m) { return p_word(n, m); });
    for (std::size_t n = 0; n < 26; ++n) complete(bytes, 43, [&](std::size_t m) { return q_word(n, m); });
    for (std::size_t i = 2064; i < bytes.size(); ++i) sector[12 + i] = static_cast<std::byte>(bytes[i]);
}

}  // namespace

Bytes disc(const std::vector<DiscFile>& files, const DiscOptions& options) {
    const std::size_t first = options.joliet ? 19 : 18;
    const Tree primary(files, false, first);
    const Tree joliet(files, true, primary.end());
    std::size_t at = options.joliet ? joliet.end() : primary.end();
    std::vector<std::size_t> extents;
    for (const DiscFile& file : files) {
        extents.push_back(file.content.empty() ? 0 : at);
        at += sectors(file.content.size());
    }
    Bytes image((at + options.padding) * user);
    text(image, 0, "Kelp Harbour boots here.", 24);
    descriptor(image, 16, 1, options);
    if (options.joliet) descriptor(image, 17, 2, options);
    descriptor(image, options.joliet ? 18 : 17, 255, options);
    primary.write(image, files, extents, 16);
    if (options.joliet) joliet.write(image, files, extents, 17);
    for (std::size_t i = 0; i < files.size(); ++i)
        std::copy(files[i].content.begin(), files[i].content.end(),
                  image.begin() + static_cast<std::ptrdiff_t>(extents[i] * user));
    return image;
}

std::vector<DiscFile> kelp_harbour_files(int revision) {
    const bool newer = revision == 1;
    Bytes program = made_up(1, newer ? 71'000 : 70'500), table = made_up(2, 24'000);
    if (newer) table[4'000] = std::byte{99}, table[4'016] = std::byte{98};
    std::vector<DiscFile> files{
        {"SYSTEM.CNF",
         letters("BOOT2 = cdrom0:\\SLES_990.01;1\r\nVER = 1.0" + std::string(newer ? "1" : "0") + "\r\n")},
        {"SLES_990.01", std::move(program)},
        {"DATA/BERTHS.BIN", std::move(table)},
        {"DATA/TEXTS.BIN", letters("Welcome to Kelp Harbour.\nThe fog is coming in.\nAll berths are taken.\n")},
        {"DATA/TITLE.BIN", made_up(3, 300'000)},
        {"VOICES/FOGHORN.BIN", made_up(4, 450'000)},
        {"VOICES/FERRY.BIN", made_up(5, 120'000)}};
    if (newer) files.push_back({"FILMS/TIDE.BIN", made_up(6, 600'000)});
    return files;
}

Bytes in_sectors(ByteView plain, unsigned mode, std::size_t form2) {
    Bytes out;
    const std::size_t count = plain.size() / user;
    for (std::size_t number = 0; number < count; ++number) {
        Bytes sector(raw);
        std::fill(sector.begin() + 1, sector.begin() + 11, std::byte{0xFF});
        const std::size_t frames = number + 150;
        const std::array<std::size_t, 3> time{frames / 75 / 60, frames / 75 % 60, frames % 75};
        for (std::size_t i = 0; i < 3; ++i) sector[12 + i] = static_cast<std::byte>(time[i] / 10 * 16 + time[i] % 10);
        sector[15] = static_cast<std::byte>(mode);
        const bool is_form2 = mode == 2 && number + form2 >= count;
        if (mode == 2) sector[18] = sector[22] = is_form2 ? std::byte{0x64} : std::byte{8};
        const ByteView data = plain.subspan(number * user, user);
        std::copy(data.begin(), data.end(), sector.begin() + (mode == 1 ? 16 : 24));
        if (is_form2)
            little(sector, 2348, edc_of(ByteView(sector).subspan(16, 2332)), 4);
        else
            protect(sector);
        out.insert(out.end(), sector.begin(), sector.end());
    }
    return out;
}

Bytes sound(std::size_t seconds) {
    Bytes out(seconds * 75 * raw);
    // A foghorn: a low tone of two triangles, on and off each second.
    for (std::size_t i = 0; i + 4 <= out.size(); i += 4) {
        const std::size_t sample = i / 4;
        const int low = static_cast<int>(sample % 400) - 200, high = static_cast<int>(sample % 266) - 133;
        const int level = sample / 44'100 % 2 == 0 ? (std::abs(low) + std::abs(high) - 166) * 60 : 0;
        for (const std::size_t side : {0U, 2U}) {
            out[i + side] = static_cast<std::byte>(level);
            out[i + side + 1] = static_cast<std::byte>(level >> 8);
        }
    }
    return out;
}

std::string cue_sheet(std::string_view file, unsigned mode, std::size_t data_sectors, std::string_view sound_file) {
    const auto time = [](std::size_t frames) {
        std::string out = "00:00:00";
        std::size_t at = 0;
        for (const std::size_t part : {frames / 75 / 60, frames / 75 % 60, frames % 75}) {
            out[at] = static_cast<char>('0' + part / 10), out[at + 1] = static_cast<char>('0' + part % 10);
            at += 3;
        }
        return out;
    };
    std::string sheet = "FILE \"" + std::string(file) + "\" BINARY\r\n  TRACK 01 MODE" + std::to_string(mode) +
                        "/2352\r\n    INDEX 01 00:00:00\r\n";
    const bool own = !sound_file.empty();
    if (own) sheet += "FILE \"" + std::string(sound_file) + "\" BINARY\r\n";
    sheet += "  TRACK 02 AUDIO\r\n    INDEX 01 " + time(own ? 0 : data_sectors) + "\r\n";
    return sheet;
}

std::size_t wrong_codes(ByteView sector) {
    const Layout layout = layout_of(sector);
    std::uint32_t stands = 0;
    for (std::size_t i = 4; i-- > 0;) stands = stands << 8 | std::to_integer<std::uint32_t>(sector[layout.edc_to + i]);
    std::size_t wrong = edc_of(sector.subspan(layout.edc_from, layout.edc_to - layout.edc_from)) != stands ? 1 : 0;
    const auto bytes = covered(sector);
    const auto check = [&](std::size_t symbols, auto&& word) {
        for (const std::size_t half : {0U, 1U}) {
            unsigned sum = 0, weighted = 0;
            for (std::size_t m = 0; m < symbols; ++m) {
                const unsigned value = bytes[2 * word(m) + half];
                sum ^= value, weighted = product(weighted, 2) ^ value;
            }
            wrong += (sum != 0 ? 1U : 0U) + (weighted != 0 ? 1U : 0U);
        }
    };
    for (std::size_t n = 0; n < 43; ++n) check(26, [&](std::size_t m) { return p_word(n, m); });
    for (std::size_t n = 0; n < 26; ++n) check(45, [&](std::size_t m) { return q_word(n, m); });
    return wrong;
}

}  // namespace demo
