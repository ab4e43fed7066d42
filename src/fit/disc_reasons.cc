// SPDX-License-Identifier: MIT
// Tested by tests/job/diagnose_test.cc.
#include "fit/disc_reasons.h"

#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t sector = 2048, earlier_size = 1'459'978'240;
constexpr std::uint64_t later_sizes[] = {4'699'979'776, 8'511'160'320};

bool is_later_size(std::uint64_t size) {
    return size == later_sizes[0] || size == later_sizes[1];
}

/// A disc with a table of files, or with encrypted partitions.
void look_at_copy(const ByteSource& file, const Identity& disc, const Digests& wanted, std::vector<FoundReason>& all) {
    const bool earlier = disc.platform == "gamecube";
    if (wanted.size && (earlier ? is_later_size(*wanted.size) : *wanted.size == earlier_size))
        return all.push_back({{.why = Why::other_generation,
                               .name = std::string(disc.platform_title),
                               .found_in = earlier ? "Wii" : "GameCube"},
                              NextStep::look_for_generation});
    std::optional<CopyState> state;
    try {
        state = copy_state(file);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io) throw;
    }
    if (!state) return;
    if (state->is_scrubbed())
        all.push_back({{.why = Why::scrubbed_copy, .found = state->unused_zeros * 32}, NextStep::get_full_copy});
    if (file.size() < state->full && wanted.size.value_or(0) > file.size())
        all.push_back(
            {{.why = Why::trimmed_copy, .wanted = state->full, .found = file.size()}, NextStep::get_full_copy});
    if (file.size() > state->full)
        all.push_back(
            {{.why = Why::longer_than_disc, .wanted = state->full, .found = file.size()}, NextStep::get_full_copy});
}

}  // namespace

std::vector<FoundReason> reasons_of_disc(const ByteSource& file, const Identity& identity, const Digests& wanted) {
    std::vector<FoundReason> all;
    if (identity.is(KindId::disc_copy)) {
        const bool readable = plain_copy(borrowed(file)) != nullptr;
        all.push_back(
            {{.why = readable ? Why::archive : Why::compressed_copy, .name = std::string(identity.kind.title)},
             readable ? NextStep::unpack_it : NextStep::save_plain_copy});
        return all;
    }
    if (identity.platform == "gamecube" || identity.platform == "wii") look_at_copy(file, identity, wanted, all);
    const auto user = user_data_of(borrowed(file));
    if (identity.declared_size.value_or(0) > user->size())
        all.push_back(
            {{.why = Why::disc_cut, .wanted = *identity.declared_size / sector, .found = user->size() / sector},
             NextStep::get_the_whole_disc});
    const std::uint64_t behind = file.size() - read_as(file, {RepresentationKind::data_track})->size();
    if (behind != 0 && wanted.size == behind) all.push_back({{.why = Why::other_track}, NextStep::take_the_track});
    return all;
}

std::vector<FoundReason> reasons_of_name(const Identity& identity, const std::string& name) {
    const std::size_t dot = name.rfind('.');
    const std::string extension = dot == std::string::npos ? std::string() : name.substr(dot);
    const bool other =
        identity.is(KindId::executable) || identity.is(KindId::disc_copy) || identity.is(KindId::archive);
    // What copies go by is no promise of a plain image.
    if (!other || !is_game_extension(extension) || extension == ".bin") return {};
    for (const char* const packed : {".ciso", ".cso", ".zso", ".gcz", ".wbfs"})
        if (extension == packed) return {};
    return {{{.why = Why::other_than_named, .name = std::string(identity.kind.title), .found_in = extension},
             NextStep::get_what_name_says}};
}

}  // namespace hotstitch
