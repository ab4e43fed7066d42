// SPDX-License-Identifier: MIT
// What a disc with a table of files says of itself. Nothing but its header is read. Tested by
// tests/part/table_disc_test.cc.
#include "part/table_disc/game_header.h"

#include <fmt/format.h>

#include "base/fixed_text.h"
#include "base/named_values.h"
#include "base/numbers.h"
#include "hotstitch/text.h"
#include "part/copy/copy.h"
#include "part/kinds.h"
#include "part/table_disc/partition.h"

namespace hotstitch::table_disc {

std::optional<Generation> generation_of(ByteView head) noexcept {
    if (head.size() < 0x20) return std::nullopt;
    if (u32be(head, header::later_magic) == 0x5D1C9EA3) return Generation::later;
    if (u32be(head, header::earlier_magic) == 0xC2339F3D) return Generation::earlier;
    return std::nullopt;
}

std::string game_id(ByteView head) {
    const std::string_view id = text_at(head, 0, 6);
    return is_code(id) ? std::string(id) : std::string();
}

std::uint64_t full_size(Generation generation, std::uint64_t used) noexcept {
    if (generation == Generation::earlier) return copy::small_disc;
    return used <= copy::one_layer ? copy::one_layer : copy::two_layers;
}

void tell_game(ByteView head, Identity& identity) {
    const std::string_view title = text_at(head, header::title, header::title_size);
    identity.title = readable(title.substr(0, title.find('\0')));
    identity.serial = game_id(head);
    identity.region = word_of(letter_regions, u8(head, 3));
    identity.revision = u8(head, header::revision);
    const unsigned number = u8(head, header::disc_number);
    identity.facts.push_back({"disc_number", "disc", fmt::format("{}", number + 1)});
}

}  // namespace hotstitch::table_disc

namespace hotstitch {

std::optional<Recognised> recognise_table_disc(const ByteSource& file, const Identity&) {
    using namespace table_disc;
    const Bytes head = head_of(file);
    const auto generation = generation_of(head);
    if (!generation || file.size() < header::end) return std::nullopt;
    Identity identity;
    const bool later = *generation == Generation::later;
    identity.kind = {KindId::disc,
                     later ? "a disc image with encrypted partitions" : "a disc image with a table of files"};
    identity.platform = later ? "wii" : "gamecube";
    identity.platform_title = later ? "Wii" : "GameCube";
    identity.certainty = Certainty::certain;
    identity.size = file.size();
    tell_game(head, identity);
    const std::uint64_t full = full_size(*generation, file.size());
    std::string state = "it has the size of a full disc";
    if (file.size() < full)
        state = fmt::format("{} less than a full disc: cut after its last file, or cut short",
                            size_text(full - file.size()));
    if (file.size() > full) state = fmt::format("{} more than a disc holds", size_text(file.size() - full));
    identity.facts.push_back({"copy", "copy", std::move(state)});
    if (!later) return Recognised{Bid::structure, std::move(identity)};
    const PartitionList list = read_partitions(file, nullptr);
    std::string partitions;
    for (const Partition& p : list.partitions)
        partitions += fmt::format("{}{}: {}, {}", partitions.empty() ? "" : "; ", p.number, type_words(p.type),
                                  size_text(p.clusters * cluster_size));
    identity.facts.push_back({"partitions", "partitions", partitions.empty() ? "none" : partitions});
    for (const std::string& warning : list.warnings) identity.warnings.push_back(warning);
    return Recognised{Bid::structure, std::move(identity)};
}

}  // namespace hotstitch
