// SPDX-License-Identifier: MIT
// What a game looks for beside an output: its sheet, which is written with it, and files that go by another name, which
// are told. Tested by tests/cli/cli_apply_test.cc and tests/cli/cli_disc_test.cc.
#include <fmt/format.h>

#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "job/job_state.h"

namespace hotstitch {

namespace fs = std::filesystem;

/// Sound tracks and the like that go by another name than the output would not be found by the game.
std::vector<CompanionSet> Job::State::companions_of(const fs::path& output) const {
    std::vector<CompanionSet> all;
    if (!recipe.to.name_like.empty() || recipe.to.in_place) return all;
    std::vector<fs::path> folders{source->path().parent_path()};
    if (const fs::path other = stages.back().file.path().parent_path(); other != folders.front())
        folders.push_back(other);
    for (const fs::path& folder : folders)
        for (CompanionSet& set : companions_in(folder))
            if (set.stem != output.stem()) all.push_back(std::move(set));
    return all;
}

std::optional<fs::path> Job::State::add_sheet(Delivery& delivery) {
    if (!sheet_out.sheet.empty()) {
        write_sheet(file(), sheet_out, recipe.to.replace, delivery);
        return sheet_out.sheet;
    }
    if (!recipe.to.with_sheet || recipe.to.in_place) return std::nullopt;
    const fs::path& output = delivery.output().path();
    if (!stages.empty() && stages.front().representation && !keeps_form)
        throw Error(ErrorCode::usage, "the output is in another form than the sheet says")
            .as(ErrorId::sheet_of_another_form)
            .hint("keep the source's form as well (keep representation), or leave the sheet out");
    std::vector<fs::path> sheets;
    for (const SheetBeside& sheet : cue_sheets_naming(source->path())) sheets.push_back(sheet.path);
    if (sheets.empty())
        throw Error(ErrorCode::usage, fmt::format("no cue sheet beside {} names it", source->path().string()))
            .as(ErrorId::sheet_of_another_form)
            .hint("leave that request out, or name the sheet instead of the file");
    const auto text = sheet_naming(sheets.front(), source->path(), output.filename().string());
    if (!text) throw Error(ErrorCode::io, fmt::format("{} names another file", sheets.front().string()));
    fs::path sheet = fs::path(output).replace_extension(".cue");
    delivery.add(sheet, {.replace = recipe.to.replace}).write(bytes_of(*text));
    return sheet;
}

/// A plain image holds its data track alone.
void Job::State::name_left_out() {
    const auto& reading = stages.front().representation;
    if (keeps_form || !reading || source->sheet().empty()) return;
    if (reading->kind != RepresentationKind::user_data && reading->kind != RepresentationKind::data_track) return;
    const auto sheet = sheet_in(InputFile::regular(source->sheet()));
    if (!sheet) return;
    const CueTrack* const data = sheet->data_track();
    for (const CueTrack& track : sheet->tracks)
        if (data == nullptr || track.number != data->number)
            outcome.left_out.push_back(fmt::format("track {}", track.number));
}

}  // namespace hotstitch
