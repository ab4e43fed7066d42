// SPDX-License-Identifier: MIT
// What can be mended in a Windows executable: flags, entry, checksum, signature. Tested by
// tests/part/executable_test.cc.
#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/executable/pe_image.h"

namespace hotstitch::executable {
namespace {

/// "on", "off", or nothing, which is on.
bool is_on(std::string_view value) {
    if (value.empty() || value == "on") return true;
    if (value == "off") return false;
    throw Error(ErrorCode::usage, fmt::format("\"{}\" is neither on nor off", value)).wanted("on or off");
}

void check_packing(const ByteSource& file, const PeImage& image, FileMending& mending) {
    const std::vector<std::string> signs = packing_signs(file, image);
    if (signs.size() < least_signs) return;
    const std::string evidence = fmt::format("{}", fmt::join(signs, "; "));
    if (!mending.options.allow.packed)
        throw Error(
            ErrorCode::refused,
            "the executable looks packed or encrypted, so a changed header may not help, or keep it from starting")
            .in("packed")
            .found(evidence)
            .as(ErrorId::looks_packed)
            .hint("look for a copy of the plain program; to change this one all the same, allow what is packed");
    mending.warnings.push_back(fmt::format("went on although it looks packed or encrypted: {}", evidence));
}

/// All that a change of a header needs.
void check_change(const ByteSource& file, const PeImage& image, FileMending& mending) {
    check_packing(file, image, mending);
    check_signature(image, mending.options.allow);
    warn_of_signature(image, mending.warnings);
}

ChangeList set_flag(FileMending& mending, const PeImage& image, std::uint64_t at, unsigned present, unsigned bit,
                    std::string_view name, bool on) {
    const bool was_on = (present & bit) != 0;
    ChangeList list(mending.file.size());
    mending.fields.push_back({std::string(name), was_on ? "on" : "off", on ? "on" : "off"});
    if (was_on == on) return list;
    check_change(mending.file, image, mending);
    set_number(mending.file, list, at, on ? present | bit : present & ~bit, 2, std::endian::little);
    return list;
}

ChangeList nothing(FileMending& mending, std::string_view name, std::string_view present, std::string reason) {
    mending.fields.push_back({std::string(name), std::string(present), std::string(present)});
    mending.reason = std::move(reason);
    return ChangeList(mending.file.size());
}

std::string_view present_flag(unsigned value, unsigned bit) {
    return (value & bit) != 0 ? "on" : "off";
}

ChangeList large_address_aware(FileMending& mending, std::string_view value) {
    const PeImage image = need_pe(mending.file);
    constexpr unsigned bit = 0x0020;
    const bool on = is_on(value);
    if (image.is_dll())
        return nothing(mending, "large-address-aware", present_flag(image.characteristics, bit),
                       "on a DLL it has no effect: the program that loads it decides");
    return set_flag(mending, image, image.characteristics_at(), image.characteristics, bit, "large-address-aware", on);
}

ChangeList dynamic_base(FileMending& mending, std::string_view value) {
    const PeImage image = need_pe(mending.file);
    const bool on = is_on(value);
    if (on && (image.dll_characteristics & 0x0040) == 0 && !image.has_relocations())
        throw Error(ErrorCode::unsupported,
                    "it has no relocations, so it cannot be loaded at another address whatever its flags say")
            .in("dynamic-base");
    return set_flag(mending, image, image.dll_characteristics_at(), image.dll_characteristics, 0x0040, "dynamic-base",
                    on);
}

ChangeList no_execute(FileMending& mending, std::string_view value) {
    const PeImage image = need_pe(mending.file);
    return set_flag(mending, image, image.dll_characteristics_at(), image.dll_characteristics, 0x0100, "nx",
                    is_on(value));
}

ChangeList high_entropy(FileMending& mending, std::string_view value) {
    const PeImage image = need_pe(mending.file);
    constexpr unsigned bit = 0x0020;
    const bool on = is_on(value);
    const std::string_view present = present_flag(image.dll_characteristics, bit);
    if (!image.is_64_bit) return nothing(mending, "high-entropy", present, "it has no effect on a 32-bit program");
    if (on && (image.dll_characteristics & 0x0040) == 0)
        return nothing(mending, "high-entropy", present, "it has no effect without dynamic-base");
    return set_flag(mending, image, image.dll_characteristics_at(), image.dll_characteristics, bit, "high-entropy", on);
}

ChangeList entry(FileMending& mending, std::string_view value) {
    const PeImage image = need_pe(mending.file);
    const std::uint64_t address = address_from(value);
    Identity identity;
    pe.identify(mending.file, identity);
    check_entry(identity.segments, address);
    ChangeList list(mending.file.size());
    mending.fields.push_back({"entry", hex_text(image.image_base + image.entry, 1), hex_text(address, 1)});
    set_number(mending.file, list, image.entry_at(), address - image.image_base, 4, std::endian::little);
    if (!list.empty()) check_change(mending.file, image, mending);
    return list;
}

ChangeList remove_signature(FileMending& mending, std::string_view) {
    const PeImage image = need_pe(mending.file);
    const PeDirectory table = image.certificates();
    if (table.size == 0) return nothing(mending, "signature", "none", "it is not signed");
    const std::uint64_t size = mending.file.size(), end = std::uint64_t{table.address} + table.size;
    if (size - end >= 8)
        throw Error(ErrorCode::unsupported, "the certificate table does not end the file, so it cannot be cut off")
            .at(image.directory_at(4))
            .in("certificate table")
            .wanted(fmt::format("an end at {}", offset_text(size)))
            .found(offset_text(end));
    if (table.address < image.sections_end())
        throw Error(ErrorCode::unsupported, "the certificate table lies inside the sections, so it cannot be cut off")
            .at(image.directory_at(4))
            .in("certificate table")
            .wanted(fmt::format("at {} or behind", offset_text(image.sections_end())))
            .found(offset_text(table.address));
    ChangeList list(size);
    set_number(mending.file, list, image.directory_at(4), 0, 4, std::endian::little);
    set_number(mending.file, list, image.directory_at(4) + 4, 0, 4, std::endian::little);
    list.put(table.address, size - table.address, {});
    mending.fields.push_back({"signature", counted(size - table.address, "byte", "bytes"), "none"});
    return list;
}

/// Fills one that is 0 too, as it is asked for by name.
ChangeList checksum(FileMending& mending, std::string_view) {
    const PeImage image = need_pe(mending.file);
    const std::uint32_t right = pe_checksum(mending.file, image);
    ChangeList list(mending.file.size());
    mending.fields.push_back({"checksum", hex_text(image.checksum, 8), hex_text(right, 8)});
    set_number(mending.file, list, image.checksum_at(), right, 4, std::endian::little);
    return list;
}

using Value = MendRow::Value;

constexpr MendRow flag(std::string_view name, std::string_view what,
                       ChangeList (*change)(FileMending&, std::string_view)) {
    return {.name = name, .takes = Value::optional, .value = "on or off", .what = what, .change = change};
}

}  // namespace

void warn_of_signature(const PeImage& image, std::vector<std::string>& warnings) {
    if (image.is_signed()) warnings.emplace_back("the signature no longer holds; remove-signature takes it off");
}

void check_signature(const PeImage& image, const Allowed& allow) {
    if (!image.is_signed() || allow.signature) return;
    throw Error(ErrorCode::refused, "the file is signed, and the change breaks its signature")
        .in("signature")
        .found(fmt::format("a certificate table of {} at {}", counted(image.certificates().size, "byte", "bytes"),
                           offset_text(image.certificates().address)))
        .as(ErrorId::is_signed)
        .hint("take the signature off with the mend remove-signature, or allow a broken one");
}

constinit const MendRow pe_mends[7] = {
    {.name = "remove-signature", .turn = Turn::size, .what = "the signature cut off", .change = remove_signature},
    flag("large-address-aware", "up to 4 GiB of memory for a 32-bit program on a 64-bit system", large_address_aware),
    flag("dynamic-base", "loaded at an address that changes each time", dynamic_base),
    flag("nx", "data is not executed", no_execute),
    flag("high-entropy", "addresses from the whole 64-bit range", high_entropy),
    {.name = "entry",
     .takes = Value::needed,
     .value = "an address in memory: 0x401000",
     .what = "where the program begins to run",
     .change = entry},
    {.name = "checksum", .turn = Turn::checks, .what = "CheckSum of the header", .change = checksum}};

}  // namespace hotstitch::executable
