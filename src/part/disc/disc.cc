// SPDX-License-Identifier: MIT
// What a disc says of itself: the primary descriptor, and SYSTEM.CNF where it has one. Nothing else is read, so that a
// question costs a few sectors, whatever the size. Tested by tests/part/disc_test.cc.
#include "part/disc/disc.h"

#include "hotstitch/disc.h"
#include "part/disc/volume_change.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/kinds.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t most_settings = 4096;  ///< bytes of SYSTEM.CNF that are read

/// Who published under these four letters where. The third letter tells the region.
struct Region {
    std::string_view letters, region;
};
constexpr Region regions[] = {{"SLUS", "Americas"}, {"SCUS", "Americas"}, {"SLES", "Europe"}, {"SCES", "Europe"},
                              {"SCED", "Europe"},   {"SLPS", "Japan"},    {"SLPM", "Japan"},  {"SCPS", "Japan"},
                              {"SCPM", "Japan"},    {"SLKA", "Korea"},    {"SCKA", "Korea"},  {"SCAJ", "Asia"},
                              {"SLAJ", "Asia"}};

/// A file in the root folder of the primary tree, by its name without a version.
std::optional<Record> in_root(const ByteSource& user, std::string_view name) {
    const Bytes descriptor = sector_at(user, system_area);
    if (u8(descriptor, 0) != 1) return std::nullopt;
    const std::uint64_t extent = u32le(descriptor, 158),
                        size = std::min<std::uint64_t>(u32le(descriptor, 166), 1 << 20);
    std::optional<Record> found;
    each_record(user, extent, size, [&](ByteView bytes, std::uint64_t place) {
        std::string_view own = text_at(bytes, record::name, u8(bytes, record::name_length));
        own = own.substr(0, own.find(';'));
        if (own == name)
            found =
                Record{place, u32le(bytes, record::extent) + u8(bytes, record::attributes), u32le(bytes, record::size)};
    });
    return found;
}

/// The value of a line "NAME = VALUE" in SYSTEM.CNF.
std::string setting(std::string_view text, std::string_view name) {
    while (!text.empty()) {
        std::string_view line = text.substr(0, text.find_first_of("\r\n"));
        text.remove_prefix(std::min(line.size() + 1, text.size()));
        const std::size_t equals = line.find('=');
        if (equals == std::string_view::npos) continue;
        const auto trimmed = [](std::string_view s) {
            s.remove_prefix(std::min(s.find_first_not_of(" \t"), s.size()));
            return s.substr(0, s.find_last_not_of(" \t") + 1);
        };
        if (trimmed(line.substr(0, equals)) == name) return std::string(trimmed(line.substr(equals + 1)));
    }
    return {};
}

struct Boot {
    std::string path;
    bool sixth_generation = false;
};
Boot boot_of(const ByteSource& user) {
    const auto found = in_root(user, "SYSTEM.CNF");
    if (!found || found->extent >= user.size() / user_size) return {};
    const std::uint64_t length = std::min({found->size, most_settings, user.size() - found->extent * user_size});
    Bytes storage(static_cast<std::size_t>(length));
    const ByteView read = user.read(found->extent * user_size, storage.size(), storage);
    const std::string_view text = text_of(read);
    Boot boot;
    std::string value = setting(text, "BOOT2");
    boot.sixth_generation = !value.empty();
    if (value.empty()) value = setting(text, "BOOT");
    // "cdrom0:\NAME;1", perhaps with arguments behind it
    if (const std::size_t colon = value.find(':'); colon != std::string::npos) value.erase(0, colon + 1);
    value = value.substr(0, value.find_first_of(" \t;"));
    std::replace(value.begin(), value.end(), '\\', '/');
    value.erase(0, std::min(value.find_first_not_of('/'), value.size()));
    boot.path = value;
    return boot;
}

/// "SLES_990.01" as "SLES-99001"; empty: the name is none.
std::string serial_of(std::string name) {
    name = name.substr(name.rfind('/') == std::string::npos ? 0 : name.rfind('/') + 1);
    std::string letters, digits;
    for (const char c : name) {
        if (std::isdigit(static_cast<unsigned char>(c)) != 0)
            digits += c;
        else if (std::isalpha(static_cast<unsigned char>(c)) != 0) {
            if (!digits.empty()) return {};
            letters += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        }
    }
    if (letters.size() != 4 || digits.size() != 5) return {};
    return letters + "-" + digits;
}

/// "2026-11-27 12:00:00" of 16 digits and the offset from UTC in quarters of an hour, ECMA-119 8.4.26.1.
std::string date_of(ByteView field) {
    const std::string_view d = text_of(field.first(16));
    if (!std::all_of(d.begin(), d.end(), [](char c) { return c >= '0' && c <= '9'; }) ||
        d.find_first_not_of('0') == std::string_view::npos)
        return {};
    const int quarters = (static_cast<int>(u8(field, 16)) ^ 0x80) - 0x80;  // signed
    std::string zone = "UTC";
    if (quarters != 0)
        zone +=
            fmt::format("{}{:02}:{:02}", quarters < 0 ? '-' : '+', std::abs(quarters) / 4, std::abs(quarters) % 4 * 15);
    return fmt::format("{}-{}-{} {}:{}:{} {}", d.substr(0, 4), d.substr(4, 2), d.substr(6, 2), d.substr(8, 2),
                       d.substr(10, 2), d.substr(12, 2), zone);
}

/// What stands behind the primary descriptor.
std::string further_descriptors(const ByteSource& user) {
    std::string text;
    const auto add = [&](const char* what) { text += fmt::format("{}{}", text.empty() ? "" : ", ", what); };
    for (std::uint64_t sector = system_area + 1; (sector + 1) * user_size <= user.size() && sector < 32; ++sector) {
        const Bytes b = sector_at(user, sector);
        const std::string_view id = text_at(b, 1, 5);
        if (id == "NSR02" || id == "NSR03") add("UDF");
        if (id != "CD001") continue;
        if (u8(b, 0) == 2) add("Joliet names");
        if (u8(b, 0) == 0 && text_at(b, 7, 9) == "EL TORITO") add("a boot catalogue (El Torito)");
    }
    return text;
}

void tell_volume(const Image& image, Identity& identity) {
    const Bytes b = sector_at(*image.user, system_area);
    if (u8(b, 0) != 1) return;
    const auto fact = [&](std::string_view key, std::string_view label, std::string text) {
        if (!text.empty()) identity.facts.push_back({key, label, std::move(text)});
    };
    identity.title = descriptor_text(ByteView(b).subspan(40, 32), false);
    fact("system_id", "made for", descriptor_text(ByteView(b).subspan(8, 32), false));
    fact("publisher", "publisher", descriptor_text(ByteView(b).subspan(318, 128), false));
    fact("preparer", "prepared by", descriptor_text(ByteView(b).subspan(446, 128), false));
    fact("application", "application", descriptor_text(ByteView(b).subspan(574, 128), false));
    fact("created", "created", date_of(ByteView(b).subspan(813, 17)));
    fact("modified", "modified", date_of(ByteView(b).subspan(830, 17)));
    const std::uint64_t size = u32le(b, 80), sectors = image.layout.sectors;
    identity.declared_size = size * user_size;
    fact("volume_size", "volume", counted(size, "sector", "sectors"));
    if (size > sectors)
        identity.warnings.push_back(fmt::format("the volume has {} and the image only {}: it is cut short",
                                                counted(size, "sector", "sectors"), grouped(sectors)));
    fact("also", "also has", further_descriptors(*image.user));
    const Boot boot = boot_of(*image.user);
    if (boot.path.empty()) return;
    identity.platform = boot.sixth_generation ? "ps2" : "ps-x";
    identity.platform_title = boot.sixth_generation ? "PS2" : "PS-X";
    fact("main_program", "main program", boot.path);
    identity.serial = serial_of(boot.path);
    for (const Region& row : regions)
        if (identity.serial.starts_with(row.letters)) identity.region = row.region;
}

}  // namespace

std::string main_program(const ByteSource& user) {
    return has_volume(user) ? boot_of(user).path : std::string();
}

std::optional<Image> image_of(const ByteSource& file) {
    Image image;
    image.track = borrowed(file);
    if (const auto raw = raw_layout_of(file)) {
        image.layout = *raw;
        image.user = std::make_shared<UserData>(image.track, *raw);
        image.has_volume = has_volume(*image.user);
        return image;
    }
    image.layout = plain_layout_of(file);
    image.user = image.track;
    image.has_volume = has_volume(*image.user);
    if (!image.has_volume && !is_udf_only(*image.user)) return std::nullopt;
    return image;
}

}  // namespace hotstitch::disc

namespace hotstitch {

std::optional<Recognised> recognise_disc(const ByteSource& file, const Identity&) {
    const auto image = disc::image_of(file);
    if (!image) return std::nullopt;
    Identity identity;
    const disc::SectorLayout& layout = image->layout;
    const bool udf = !image->has_volume && disc::is_udf_only(*image->user);
    identity.kind = {KindId::disc, image->has_volume ? "an ISO 9660 disc image"
                                   : udf             ? "a UDF disc image"
                                                     : "a data track of a disc without a known file system"};
    identity.certainty = Certainty::certain;
    identity.size = file.size();
    identity.facts.push_back({"sectors", "sectors",
                              layout.is_raw()
                                  ? fmt::format("{} of {} bytes, {}", grouped(layout.sectors), layout.stride,
                                                layout.mode == disc::SectorMode::mode1 ? "mode 1" : "mode 2")
                                  : fmt::format("{} of 2048 bytes", grouped(layout.sectors))});
    if (layout.behind != 0)
        identity.facts.push_back({"behind", "behind it", fmt::format("{} of other tracks", size_text(layout.behind))});
    if (layout.rest != 0)
        identity.warnings.push_back(
            fmt::format("it ends {} into a sector: it is cut short", counted(layout.rest, "byte", "bytes")));
    if (image->has_volume) disc::tell_volume(*image, identity);
    if (udf) identity.warnings.emplace_back("discs with UDF alone are recognised, not read");
    return Recognised{Bid::structure, std::move(identity)};
}

SharedSource user_data_of(const SharedSource& track) {
    const auto layout = disc::raw_layout_of(*track);
    if (!layout) return track;
    return std::make_shared<disc::UserData>(track, *layout);
}

ChangeList with_user_data(const SharedSource& track, const SharedSource& user) {
    const SharedSource before = user_data_of(track);
    const std::uint64_t common = std::min(before->size(), user->size());
    ChangeList list(before->size());
    disc::put_sectors(list, *before, 0, std::make_shared<SliceSource>(user, 0, common));
    if (user->size() != before->size())
        list.put_from(common, before->size() - common, user, common, user->size() - common);
    const auto layout = disc::raw_layout_of(*track);
    return layout ? disc::raw_change(track, *layout, list) : list;
}

std::optional<SectorCheck> check_sectors(const ByteSource& file, const Progress& progress) {
    const auto image = disc::image_of(file);
    if (!image || !image->layout.is_raw()) return std::nullopt;
    return disc::count_sectors(file, image->layout, progress);
}

}  // namespace hotstitch
