// SPDX-License-Identifier: MIT
// What can be mended in the header of a disc with a table of files, and how much of it a copy holds. Tested by
// tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "base/named_values.h"
#include "base/numbers.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "part/copy/copy.h"
#include "part/mends.h"
#include "part/table_disc/game_header.h"
#include "part/table_disc/partition.h"
#include "part/table_disc/table_volume.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::uint64_t later_region = 0x4E000;
constexpr std::array<NamedValue, 4> regions{{{0, "Japan"}, {1, "Americas"}, {2, "Europe"}, {4, "Korea"}}};

Bytes head_for(const FileMending& mending) {
    Bytes head = head_of(mending.file, header::end);
    if (head.size() < header::end) throw Error(ErrorCode::truncated, "the disc is cut short in its header");
    return head;
}

ChangeList put_bytes(const FileMending& mending, std::uint64_t at, ByteView now) {
    Bytes storage(now.size());
    const ByteView before = mending.file.read(at, now.size(), storage);
    ChangeList list(mending.file.size());
    if (!std::equal(before.begin(), before.end(), now.begin())) list.put(at, now.size(), Bytes(now.begin(), now.end()));
    return list;
}

ChangeList set_region(FileMending& mending, std::string_view value) {
    const Bytes head = head_for(mending);
    const bool later = generation_of(head) == Generation::later;
    const std::uint64_t at = later ? later_region : header::region;
    if (at + 4 > mending.file.size()) throw Error(ErrorCode::truncated, "the disc is cut short before its region");
    Bytes storage(4);
    const unsigned before = u32be(mending.file.read(at, 4, storage), 0), code = code_of(regions, value, false);
    const std::string_view word = word_of(regions, before);
    mending.fields.push_back(
        {"region", word.empty() ? hex_text(before, 2) : std::string(word), std::string(word_of(regions, code))});
    mending.warnings.push_back(
        fmt::format("the game id {} stays: saved games and lists of known discs go by it", game_id(head)));
    const Bytes now{std::byte{0}, std::byte{0}, std::byte{0}, static_cast<std::byte>(code)};
    return put_bytes(mending, at, now);
}

ChangeList set_title(FileMending& mending, std::string_view value) {
    const Bytes head = head_for(mending);
    const std::size_t most = header::title_size - 1;
    if (value.empty() || value.size() > most ||
        std::any_of(value.begin(), value.end(), [](char c) { return c < 0x20 || c > 0x7E; }))
        throw Error(ErrorCode::usage, "a title that the header cannot hold")
            .in("title")
            .wanted(fmt::format("1 to {} characters of ASCII", most));
    Bytes now(header::title_size);
    std::copy_n(bytes_of(value).begin(), value.size(), now.begin());
    const std::string_view before = text_at(head, header::title, header::title_size);
    mending.fields.push_back({"title", std::string(before.substr(0, before.find('\0'))), std::string(value)});
    if (generation_of(head) == Generation::later)
        mending.warnings.emplace_back("the header inside the partition has a title of its own, which stays");
    return put_bytes(mending, header::title, now);
}

ChangeList set_disc_number(FileMending& mending, std::string_view value) {
    const Bytes head = head_for(mending);
    unsigned number = 0;
    const auto [end, failure] = std::from_chars(value.data(), value.data() + value.size(), number);
    if (failure != std::errc{} || end != value.data() + value.size() || number == 0 || number > 255)
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no number of a disc", value))
            .in("disc-number")
            .wanted("1 to 255");
    mending.fields.push_back(
        {"disc-number", fmt::format("{}", u8(head, header::disc_number) + 1), fmt::format("{}", number)});
    return put_bytes(mending, header::disc_number, Bytes{static_cast<std::byte>(number - 1)});
}

/// Looks at one cluster in each MiB of a stretch that nothing is in.
void look_at_unused(const ByteSource& file, std::uint64_t begin, std::uint64_t end, CopyState& state) {
    constexpr std::uint64_t cluster = 32 << 10, step = 1 << 20;
    for (std::uint64_t at = begin; at + cluster <= end && at + cluster <= file.size(); at += step) {
        state.unused += cluster;
        if (is_filled(file, at, cluster, std::byte{0})) state.unused_zeros += cluster;
    }
}

}  // namespace
}  // namespace hotstitch::table_disc

namespace hotstitch {

std::optional<CopyState> copy_state(const ByteSource& file) {
    using namespace table_disc;
    const auto generation = generation_of(head_of(file));
    if (!generation || file.size() < header::end) return std::nullopt;
    CopyState state;
    if (*generation == Generation::later) {
        for (const Partition& p : read_partitions(file, nullptr).partitions) {
            // What is encrypted is never all zeros.
            look_at_unused(file, p.data, p.data + p.clusters * cluster_size, state);
            state.used_end = std::max(state.used_end, p.data + p.clusters * cluster_size);
        }
    } else {
        const TableVolume volume(borrowed(file), 0, file.size());
        state.used_end = volume.used_end();
        std::uint64_t end = 0;
        for (const Used& u : volume.used()) {
            if (u.begin > end) look_at_unused(file, end, u.begin, state);
            end = std::max(end, u.end);
        }
        look_at_unused(file, end, file.size(), state);
    }
    state.full = full_size(*generation, std::max(state.used_end, std::min(file.size(), copy::two_layers)));
    return state;
}

std::vector<MendRow> mends_of_table_disc() {
    using Value = MendRow::Value;
    return {{.name = "region",
             .takes = Value::needed,
             .value = "Japan, Americas, Europe, Korea",
             .what = "the region that the console compares",
             .change = table_disc::set_region},
            {.name = "title",
             .takes = Value::needed,
             .value = "up to 95 characters",
             .what = "the title",
             .change = table_disc::set_title},
            {.name = "disc-number",
             .takes = Value::needed,
             .value = "1 to 255",
             .what = "which disc of a game this is",
             .change = table_disc::set_disc_number}};
}

}  // namespace hotstitch
