// SPDX-License-Identifier: MIT
// What can be mended in a disc image. Tested by tests/part/disc_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/disc/disc.h"
#include "part/disc/volume_change.h"
#include "part/mends.h"

namespace hotstitch::disc {
namespace {

constexpr std::size_t id_at = 40, id_size = 32;

Image image_for(const FileMending& mending, bool volume) {
    auto image = image_of(mending.file);
    if (!image || (volume && !image->has_volume))
        throw Error(ErrorCode::unsupported, "the image holds no ISO 9660 volume");
    return *std::move(image);
}

ChangeList nothing(FileMending& mending, std::string reason) {
    mending.reason = std::move(reason);
    return ChangeList(mending.file.size());
}

ChangeList mend_sectors(FileMending& mending, std::string_view) {
    const Image image = image_for(mending, false);
    if (!image.layout.is_raw()) return nothing(mending, "the image has no EDC and ECC: it holds user data alone");
    std::uint64_t mended = 0;
    ChangeList list = protect_sectors(mending.file, image.layout, {}, mended);
    if (list.empty()) return nothing(mending, "EDC and ECC of all sectors are right");
    mending.fields.push_back({"sectors with wrong EDC or ECC", grouped(mended), "0"});
    mending.warnings.emplace_back(
        "some discs have wrong sectors on purpose, as a protection: such a disc may no longer start");
    return list;
}

/// ECMA-119 7.4.4: d-characters. Small letters become capitals.
std::string volume_id_from(std::string_view text) {
    std::string id = upper(text);
    if (id.size() > id_size || id.find_first_not_of("ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_") != std::string::npos)
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no volume identifier", text))
            .in("volume-id")
            .wanted("at most 32 of A to Z, 0 to 9 and _");
    return id;
}

ChangeList set_volume_id(FileMending& mending, std::string_view value) {
    const Image image = image_for(mending, true);
    const std::string id = volume_id_from(value);
    const Volume volume = read_volume(*image.user);
    SectorEdits edits(*image.user);
    for (const Tree& tree : volume.trees) {
        const std::uint64_t place = tree.descriptor * user_size + id_at;
        const bool joliet = tree.names == Names::joliet;
        for (std::size_t i = 0; i < id_size; ++i) {
            const std::size_t letter = joliet ? i / 2 : i;
            const char c = letter < id.size() ? id[letter] : ' ';
            edits.set(place + i, joliet && i % 2 == 0 ? std::byte{0} : static_cast<std::byte>(c));
        }
    }
    const Bytes before = sector_at(*image.user, volume.trees.front().descriptor);
    mending.fields.push_back({"volume-id", descriptor_text(ByteView(before).subspan(id_at, id_size), false), id});
    if (volume.trees.size() > 1 && id.size() > id_size / 2)
        mending.warnings.emplace_back("beside the Joliet names, only its first 16 letters fit");
    if (volume.has_udf) mending.warnings.emplace_back("the disc has a name of its own in UDF, which stays");
    ChangeList list(image.user->size());
    edits.tell(list);
    return image.on_track(list);
}

ChangeList set_volume_size(FileMending& mending, std::string_view) {
    const Image image = image_for(mending, true);
    const Volume volume = read_volume(*image.user);
    const std::uint64_t sectors = image.layout.sectors;
    if (volume.cut_files != 0)
        throw Error(ErrorCode::unsupported, fmt::format("the image is cut short: {} past its end",
                                                        counted(volume.cut_files, "file reaches", "files reach")))
            .hint("get a whole copy; another size would only hide that");
    mending.fields.push_back(
        {"volume-size", counted(volume.volume_size, "sector", "sectors"), counted(sectors, "sector", "sectors")});
    if (volume.block != user_size)
        throw Error(ErrorCode::unsupported, "the disc has logical blocks that are no sectors: it is only read");
    SectorEdits edits(*image.user);
    for (const Tree& tree : volume.trees) edits.set_both(tree.descriptor * user_size + 80, sectors);
    ChangeList list(image.user->size());
    edits.tell(list);
    return image.on_track(list);
}

}  // namespace
}  // namespace hotstitch::disc

namespace hotstitch {

std::vector<MendRow> mends_of_disc() {
    using Value = MendRow::Value;
    return {{.name = "volume-id",
             .takes = Value::needed,
             .value = "at most 32 of A to Z, 0 to 9 and _",
             .what = "the volume's name, in Joliet's descriptor too",
             .change = disc::set_volume_id},
            {.name = "volume-size",
             .turn = Turn::size,
             .what = "the volume's size, to what the image holds",
             .change = disc::set_volume_size},
            {.name = "sectors",
             .turn = Turn::checks,
             .what = "EDC and ECC of every sector where they are wrong",
             .change = disc::mend_sectors}};
}

}  // namespace hotstitch
