// SPDX-License-Identifier: MIT
// What a Windows executable says of itself, its parts. Tested by tests/part/executable_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/named_values.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/executable/pe_image.h"

namespace hotstitch::executable {
namespace {

std::string_view machine_words(unsigned machine) {
    switch (machine) {
        case 0x014C: return "32-bit x86";
        case 0x8664: return "64-bit x86";
        case 0x01C0:
        case 0x01C4: return "32-bit ARM";
        case 0xAA64: return "64-bit ARM";
        case 0x01F2: return "PowerPC";
        default: return "another machine";
    }
}

std::string_view subsystem_words(unsigned subsystem) {
    switch (subsystem) {
        case 1: return "native";
        case 2: return "windows";
        case 3: return "console";
        case 10: return "EFI application";
        case 14: return "game console";
        default: return "other";
    }
}

std::string flags_text(const PeImage& image) {
    std::string text;
    const auto add = [&](bool set, std::string_view words) {
        if (set) text += fmt::format("{}{}", text.empty() ? "" : ", ", words);
    };
    add((image.characteristics & 0x0020) != 0, "large address aware");
    add((image.dll_characteristics & 0x0040) != 0, "dynamic base");
    add((image.dll_characteristics & 0x0100) != 0, "nx");
    add((image.dll_characteristics & 0x0020) != 0, "high entropy");
    add(image.is_dll(), "DLL");
    add(!image.has_relocations(), "no relocations");
    return text.empty() ? "none" : text;
}

/// The version resource (a block that begins with FEEF04BD) and the product's name beside it.
void read_version(const ByteSource& file, const PeImage& image, Identity& identity) {
    constexpr std::uint64_t most_searched = std::uint64_t{16} << 20;
    const auto section = std::find_if(image.sections.begin(), image.sections.end(), [&](const PeSection& s) {
        const std::uint32_t at = image.directory(2).address;
        return at != 0 && at >= s.address && at - s.address < s.size;
    });
    if (section == image.sections.end()) return;
    const Bytes bytes = head_of(SliceSource(borrowed(file), section->offset, section->size), most_searched);
    const std::string_view text = text_of(bytes);
    const std::size_t at = text.find(std::string_view("\xBD\x04\xEF\xFE", 4));
    if (at == text.npos || text.size() - at < 16) return;
    const std::uint32_t high = u32le(bytes, at + 8), low = u32le(bytes, at + 12);
    identity.facts.push_back(
        {"version", "version", fmt::format("{}.{}.{}.{}", high >> 16, high & 0xFFFF, low >> 16, low & 0xFFFF)});
    std::string name;
    for (const char c : std::string_view("ProductName")) name += c, name += '\0';
    std::size_t value = text.find(name, at);
    if (value == text.npos) return;
    for (value += name.size(); value + 2 <= text.size() && u16le(bytes, value) == 0; value += 2) {
    }
    for (; value + 2 <= text.size() && u16le(bytes, value) != 0 && identity.title.size() < 64; value += 2)
        identity.title += u16le(bytes, value) < 0x7F ? static_cast<char>(bytes[value]) : '?';
}

void tell_signature(const ByteSource& file, const PeImage& image, Identity& identity) {
    const PeDirectory table = image.certificates();
    identity.facts.push_back({"signature", "signed",
                              table.size == 0
                                  ? "no"
                                  : fmt::format("yes, by {} at {}; whether it holds is not checked here",
                                                counted(table.size, "byte", "bytes"), offset_text(table.address))});
    if (table.size != 0 && file.size() - table.address - table.size >= 8)
        identity.warnings.emplace_back("bytes follow its certificate table, which no signature covers");
}

void tell_packing(const ByteSource& file, const PeImage& image, Identity& identity) {
    const std::vector<std::string> signs = packing_signs(file, image);
    identity.looks_packed = signs.size() >= least_signs;
    if (!identity.looks_packed) return;
    identity.facts.push_back({"packed", "looks", fmt::format("packed or encrypted: {}", fmt::join(signs, "; "))});
    identity.warnings.emplace_back(
        "it looks packed or encrypted: what patches and mends change in the plain program may not be in it as such");
}

void identify_pe(const ByteSource& file, Identity& identity) {
    const auto read = read_pe(file);
    if (!read) {
        identity.platform = {};
        identity.platform_title = {};
        identity.kind.title = "a DOS or 16-bit executable";
        return;
    }
    const PeImage& image = *read;
    const auto fact = [&](std::string_view key, std::string_view label, std::string text) {
        identity.facts.push_back({key, label, std::move(text)});
    };
    read_version(file, image, identity);
    fact("machine", "machine", std::string(machine_words(image.machine)));
    fact("subsystem", "subsystem", std::string(subsystem_words(image.subsystem)));
    fact("flags", "flags", flags_text(image));
    fact("managed", "managed", image.is_managed() ? "yes: code for a runtime" : "no");
    for (const PeSection& s : image.sections)
        identity.segments.push_back({.name = s.name,
                                     .offset = s.offset,
                                     .size = s.size,
                                     .address = image.image_base + s.address,
                                     .memory = std::max<std::uint64_t>(s.memory, s.size),
                                     .loaded = true,
                                     .readable = s.readable,
                                     .writable = s.writable,
                                     .executable = s.executable,
                                     .entropy = {}});
    if (image.entry != 0) identity.entry = image.image_base + image.entry;
    tell_signature(file, image, identity);
    tell_packing(file, image, identity);
    const std::uint32_t right = pe_checksum(file, image);
    InternalCheck check{.name = "checksum", .wanted = hex_text(right, 8), .found = hex_text(image.checksum, 8)};
    check.state = image.checksum == right ? CheckState::right
                  : image.checksum == 0   ? CheckState::unknown
                                          : CheckState::wrong;
    if (image.checksum == 0) check.note = "none was filled in, which programs need not have";
    identity.checks.push_back(std::move(check));
}

std::vector<Part> parts_of_pe(const ByteSource& file) {
    const PeImage image = need_pe(file);
    PartList parts;
    std::uint64_t first = file.size();
    for (const PeSection& section : image.sections)
        if (section.size != 0) first = std::min(first, section.offset);
    parts.add("headers", PartKind::header, 0, std::min(first, std::max<std::uint64_t>(image.headers_size, 64)));
    for (const PeSection& section : image.sections)
        parts.add(section.name, PartKind::section, section.offset, section.size);
    const PeDirectory certificates = image.certificates();
    const std::uint64_t end = image.sections_end();
    const bool signed_behind = image.is_signed() && certificates.address >= end;
    parts.add("overlay", PartKind::overlay, end,
              (signed_behind ? certificates.address : std::max(file.size(), end)) - end);
    if (image.is_signed()) parts.add("signature", PartKind::signature, certificates.address, certificates.size);
    return parts.take();
}

void check_put_pe(const ByteSource& file, const Allowed& allow, std::vector<std::string>& warnings) {
    const PeImage image = need_pe(file);
    check_signature(image, allow);
    warn_of_signature(image, warnings);
}

}  // namespace

constinit const Format pe{.platform = "pe",
                          .title = "Windows executable",
                          .begins = [](ByteView head) { return text_of(head).starts_with("MZ"); },
                          .identify = identify_pe,
                          .parts = parts_of_pe,
                          .mends = pe_mends,
                          .check_put = check_put_pe};

}  // namespace hotstitch::executable
