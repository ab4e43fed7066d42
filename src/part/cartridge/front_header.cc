// SPDX-License-Identifier: MIT
// Tested by tests/part/cartridge_test.cc.
#include "hotstitch/cartridge.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/nes_header.h"
#include "part/cartridge/platform.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t copier = 512;

std::uint64_t number_in(std::string_view key, std::string_view text, std::uint64_t most) {
    std::uint64_t value = 0;
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
    const std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
    const int shift = unit.empty() ? 0 : unit == "K" ? 10 : unit == "M" ? 20 : -1;
    if (failure != std::errc{} || shift < 0 || value > most >> shift)
        throw Error(ErrorCode::usage, fmt::format("the NES header cannot have {}={}", key, text))
            .wanted(fmt::format("a number up to {}", most));
    return value << shift;
}

/// A size as the new layout writes it: units up to EFF, or else 2^E * (2M+1) bytes.
unsigned size_code(std::uint64_t bytes, std::uint64_t unit, std::string_view key) {
    if (bytes % unit == 0 && bytes / unit < 0xF00) return static_cast<unsigned>(bytes / unit);
    for (unsigned multiplier = 0; multiplier < 4; ++multiplier)
        for (unsigned exponent = 0; exponent < 60; ++exponent)
            if ((std::uint64_t{1} << exponent) * (2 * multiplier + 1) == bytes)
                return 0xF00 | exponent << 2 | multiplier;
    throw Error(ErrorCode::usage, fmt::format("a NES header cannot say {}={}", key, bytes))
        .wanted(fmt::format("a multiple of {}", counted(unit, "byte", "bytes")));
}

using cartridge::NesHeader;

/// What may stand in a description: KEY=NUMBER, or a word or KEY=WORD that sets something.
struct NumberKey {
    std::string_view key;
    std::uint64_t most;
    void (*set)(NesHeader&, std::uint64_t);
};
constexpr std::uint64_t most_size = std::uint64_t{1} << 32;
constexpr std::array numbers{
    NumberKey{"prg", most_size, [](NesHeader& h, std::uint64_t n) { h.prg = n; }},
    NumberKey{"chr", most_size, [](NesHeader& h, std::uint64_t n) { h.chr = n; }},
    NumberKey{"mapper", 4095, [](NesHeader& h, std::uint64_t n) { h.mapper = static_cast<unsigned>(n); }},
    NumberKey{"submapper", 15, [](NesHeader& h, std::uint64_t n) {
                  h.submapper = static_cast<unsigned>(n);
                  h.new_layout = true;
              }}};
struct Word {
    std::string_view item;
    void (*set)(NesHeader&);
};
constexpr std::array words{Word{"battery", [](NesHeader& h) { h.battery = true; }},
                           Word{"trainer", [](NesHeader& h) { h.trainer = true; }},
                           Word{"mirroring=horizontal", [](NesHeader&) {}},
                           Word{"mirroring=vertical", [](NesHeader& h) { h.vertical = true; }},
                           Word{"mirroring=four", [](NesHeader& h) { h.four_screen = true; }},
                           Word{"timing=ntsc", [](NesHeader& h) { h.timing = 0, h.new_layout = true; }},
                           Word{"timing=pal", [](NesHeader& h) { h.timing = 1, h.new_layout = true; }},
                           Word{"timing=both", [](NesHeader& h) { h.timing = 2, h.new_layout = true; }}};

void set_item(NesHeader& header, std::string_view item) {
    for (const Word& word : words)
        if (word.item == item) return word.set(header);
    const std::size_t equals = std::min(item.find('='), item.size());
    const std::string_view key = item.substr(0, equals);
    for (const NumberKey& number : numbers)
        if (number.key == key)
            return number.set(header, number_in(key, item.substr(std::min(equals + 1, item.size())), number.most));
    throw Error(ErrorCode::usage, fmt::format("a NES header knows no \"{}\"", item))
        .wanted(
            "prg, chr, mapper, submapper; mirroring=horizontal, vertical or four; timing=ntsc, pal or both; "
            "battery, trainer");
}

NesHeader parsed(std::string_view description) {
    NesHeader header;
    while (!description.empty()) {
        const std::size_t end = std::min(description.find(','), description.size());
        set_item(header, description.substr(0, end));
        description.remove_prefix(std::min(end + 1, description.size()));
    }
    if (header.prg == 0)
        throw Error(ErrorCode::usage, "a NES header needs prg=SIZE").wanted("for example prg=128K,chr=8K,mapper=0");
    return header;
}

}  // namespace

FrontHeader front_header_of(const ByteSource& file) {
    FrontHeader header;
    const std::optional<Identity> image = recognise_cartridge(file);
    if (image) {
        header.size = image->front_header;
        header.platform = image->platform_title;
        header.evidence = image->evidence;
        header.sure = image->certainty == Certainty::certain && image->also_like.empty();
        return header;
    }
    if (file.size() > copier && file.size() % 1024 == copier) header.size = copier;
    return header;
}

StripPlan plan_strip(const ByteSource& file, std::uint64_t size) {
    StripPlan plan;
    plan.present = front_header_of(file);
    plan.change = ChangeList(file.size());
    if (size != 0 && (size >= file.size() || size > largest_front_header))
        throw Error(ErrorCode::usage, "no front header is so large")
            .wanted(fmt::format("less than the file's {}, and at most 1 MiB", counted(file.size(), "byte", "bytes")))
            .found(counted(size, "byte", "bytes"));
    plan.other_size = size != 0 && plan.present.size != 0 && plan.present.sure && size != plan.present.size;
    if (size == 0) {
        if (plan.present.size == 0) return plan;
        plan.answer = StripPlan::Answer::not_sure;
        if (!plan.present.sure) return plan;
        size = plan.present.size;
    }
    plan.answer = StripPlan::Answer::strip;
    plan.header = head_of(file, static_cast<std::size_t>(size));
    plan.change.put(0, size, {});
    const auto image = recognise_cartridge(file);
    plan.still_interleaved = image && image->reading && image->reading->kind == RepresentationKind::de_interleaved;
    return plan;
}

ChangeList plan_attach(const ByteSource& file, Bytes header) {
    if (header.size() > largest_front_header)
        throw Error(ErrorCode::usage, "no front header is so large").wanted("at most 1 MiB");
    if (header.empty()) {
        const auto image = recognise_cartridge(file);
        if (!image || image->certainty != Certainty::certain)
            throw Error(ErrorCode::usage, "it is not certain what platform this is, so no header can be made unasked")
                .as(ErrorId::platform_not_certain)
                .hint("say which header it is to be");
        if (!has_copier_headers(image->platform))
            throw Error(ErrorCode::usage, fmt::format("copiers left no headers on {} files", image->platform_title))
                .as(ErrorId::platform_without_header)
                .hint("say which header it is to be all the same");
        header = copier_front_header(image->platform);
    }
    if (const FrontHeader present = front_header_of(file); present.size != 0 && present.sure)
        throw Error(ErrorCode::usage, "the file has a front header already")
            .in("front header")
            .as(ErrorId::has_front_header)
            .found(counted(present.size, "byte", "bytes"))
            .hint("take it off first");
    ChangeList change(file.size());
    change.put(0, 0, std::move(header));
    return change;
}

Bytes front_header_in(const ByteSource& file) {
    if (file.size() == 0 || file.size() > largest_front_header)
        throw Error(ErrorCode::usage, "this is no front header")
            .in("size")
            .wanted("1 byte to 1 MiB, as it was kept when it was taken off")
            .found(size_text(file.size()));
    return head_of(file, static_cast<std::size_t>(file.size()));
}

Bytes nes_front_header(std::string_view description) {
    cartridge::NesHeader h = parsed(description);
    const unsigned prg = size_code(h.prg, 16 << 10, "prg"), chr = size_code(h.chr, 8 << 10, "chr");
    h.new_layout = h.new_layout || h.mapper > 255 || prg > 255 || chr > 255;
    std::array<unsigned, 16> b{'N', 'E', 'S', 0x1A, prg & 0xFF, chr & 0xFF};
    b[6] = (h.mapper & 0xF) << 4 | (h.four_screen ? 8U : 0) | (h.trainer ? 4U : 0) | (h.battery ? 2U : 0) |
           (h.vertical ? 1U : 0);
    b[7] = (h.mapper & 0xF0) | (h.new_layout ? 8U : 0);
    if (h.new_layout) {
        b[8] = h.submapper << 4 | h.mapper >> 8;
        b[9] = (chr >> 8) << 4 | prg >> 8;
        b[12] = h.timing;
    }
    Bytes bytes;
    for (const unsigned value : b) bytes.push_back(static_cast<std::byte>(value));
    return bytes;
}

bool has_copier_headers(std::string_view platform) noexcept {
    const auto all = cartridge::platforms();
    return std::any_of(all.begin(), all.end(),
                       [&](const cartridge::Platform* p) { return p->name == platform && p->copier_header; });
}

Bytes copier_front_header(std::string_view platform) {
    if (!has_copier_headers(platform))
        throw Error(ErrorCode::usage, "copiers left no headers on this platform").found(std::string(platform));
    return Bytes(copier);
}

}  // namespace hotstitch
