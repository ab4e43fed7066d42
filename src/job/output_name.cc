// SPDX-License-Identifier: MIT
// Where the output of a recipe goes, by what it makes. Tested by tests/cli/cli_apply_test.cc.
#include <fmt/format.h>

#include "base/letters.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "job/job_state.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// What the output is named after: the patch or, where it was chosen of several editions, what they came in.
fs::path name_giver(const ApplyStage& patch) {
    if (patch.chosen_of < 2) return patch.file.path();
    std::error_code code;
    fs::path name = fs::absolute(patch.archive, code);
    if (!name.has_filename()) name = name.parent_path();
    // No dot in a folder's name begins an extension.
    return fs::is_directory(name, code) ? name += ".patches" : name;
}

}  // namespace

/// The source's, or that of what the output is: a dump in another order, or behind a copier's header, is usually kept
/// under another one.
std::string Job::State::output_extension() {
    std::string as_source = source->path().extension().string();
    if (std::string other = disc_extension(); !other.empty()) return other;
    if (recipe.as_is || keeps_form || !is_dump_extension(as_source)) return as_source;
    const Identity identity = identify(*source);
    if (!identity.reading) return as_source;
    const std::string_view other = extension_when_read(identity, as_source);
    if (other.empty()) return as_source;
    const ApplyStage& stage = stages.front();
    if (is_unchecked(stage)) {
        const auto& opinion = trial_of(stage).opinion;
        return std::string(opinion && opinion->sure() ? other : as_source);
    }
    const Fit found = fit(*stage.reader, *source, options_for(stage).checks, work.limits, work.progress);
    return std::string(found.answer == FitAnswer::does_not_fit ? other : as_source);
}

/// Of a disc image in another form than the patch was made for, which becomes what the patch makes. Empty: the
/// source's.
std::string Job::State::disc_extension() const {
    const ApplyStage& stage = stages.front();
    const auto wanted = joined(stage.reader->facts().source, options_for(stage).checks.source).size;
    if (recipe.as_is || keeps_form || !wanted || *wanted == source->size()) return {};
    if (!identify(*source).is(KindId::disc)) return {};
    const SharedSource user = user_data_of(borrowed(*source));
    if (user.get() != &*source) return *wanted == user->size() ? ".iso" : "";
    return *wanted == read_as(*source, {RepresentationKind::in_whole_sectors, 1})->size() ? ".bin" : "";
}

fs::path Job::State::output_path() {
    if (stages.empty()) return changed_output_path();
    keeps_form = recipe.to.keep_representation || recipe.to.in_place || around.has_value();
    if (!source->sheet().empty() && !around) {
        // A sheet stands for whole sectors and all tracks; whoever names a plain image wants that.
        const std::string& named = recipe.to.as.empty() ? recipe.to.file : recipe.to.as;
        keeps_form = keeps_form || lower(fs::path(named).extension().string()) != ".iso";
    }
    fs::path path = plain_output_path();
    if (around) {
        sheet_out = recipe.to.in_place ? SheetOutput{} : sheet_output(*around, path.string());
        return sheet_out.sheet.empty() ? path : sheet_out.file;
    }
    if (recipe.to.in_place || lower(path.extension().string()) != ".cue") {
        const bool named = !recipe.to.as.empty() || (!recipe.to.file.empty() && path == fs::path(recipe.to.file));
        if (!recipe.to.in_place && !source->sheet().empty() && keeps_form && (!named || recipe.to.with_sheet))
            sheet_out = {fs::path(path).replace_extension(".cue"), path};
        return path;
    }
    if (source->sheet().empty())
        throw Error(ErrorCode::usage, "a cue sheet cannot be made: the source has none")
            .in("output")
            .found(path.string())
            .hint("name the sheet as the source, or an image as the output");
    sheet_out = {path, fs::path(path).replace_extension(source->path().extension())};
    return sheet_out.file;
}

/// Of steps that do not begin with a patch: the file's own name, where only a folder is named.
fs::path Job::State::changed_output_path() {
    const Destination& place = recipe.to;
    if (place.in_place) return file().path();
    if (!place.as.empty()) return placed_as(place.as, identify(file()), file().path().filename());
    sheet_out = sheet_output(file(), place.file);
    return sheet_out.sheet.empty() ? hotstitch::output_path(place.file, file().path().filename()) : sheet_out.file;
}

fs::path Job::State::plain_output_path() {
    if (around)
        return recipe.to.in_place ? around->path()
               : !recipe.to.as.empty()
                   ? placed_as(recipe.to.as, identify(*around),
                               default_apply_output(*around, name_giver(stages.back())))
                   : hotstitch::output_path(recipe.to.file, default_apply_output(*around, name_giver(stages.back())));
    if (recipe.to.in_place) return source->path();
    if (!recipe.to.as.empty())
        return placed_as(recipe.to.as, identify(*source), default_apply_output(*source, name_giver(stages.back())));
    fs::path place = default_apply_output(*source, name_giver(stages.back()));
    std::error_code code;
    if (!recipe.to.name_like.empty() && !fs::exists(recipe.to.name_like, code))
        throw Error(ErrorCode::io,
                    fmt::format("there is no file {} whose name the output could take", recipe.to.name_like));
    std::optional<CueSheet> sheet;
    if (!recipe.to.name_like.empty()) sheet = sheet_in(InputFile::regular(recipe.to.name_like));
    if (sheet)  // the name that it wants
        place.replace_filename(fs::path(sheet->files[sheet->data_track() ? sheet->data_track()->file : 0]).filename());
    else if (!recipe.to.name_like.empty())
        place.replace_filename(companion_stem(recipe.to.name_like) + source->path().extension().string());
    if (recipe.to.file.empty() || hotstitch::output_path(recipe.to.file, place) != fs::path(recipe.to.file))
        if (const std::string extension = output_extension(); extension != source->path().extension().string())
            place.replace_extension(extension);
    return hotstitch::output_path(recipe.to.file, place);
}

void Job::State::check_destination(bool may_be_nowhere) const {
    const Destination& place = recipe.to;
    const int ways = (place.file.empty() ? 0 : 1) + (place.as.empty() ? 0 : 1) + (place.in_place ? 1 : 0) +
                     (place.patch.empty() ? 0 : 1);
    if (ways == 0 && !may_be_nowhere)
        throw Error(ErrorCode::usage, "it is not said where the result goes")
            .as(ErrorId::no_place_named)
            .hint("name an output, replace the file itself (it is kept as a backup), or write the change as a patch");
    if (ways > 1)
        throw Error(ErrorCode::usage, "more than one place is named for the result")
            .as(ErrorId::several_places_named)
            .hint("keep one of them");
    if (place.format && place.patch.empty())
        throw Error(ErrorCode::usage, "a format is for the patch of the change")
            .as(ErrorId::format_of_no_patch)
            .hint("name the patch, or leave out the format");
    if (!place.in_place) return;
    clear_leftovers(receipt_path(file().path()));
    if (!file().stamp())
        throw Error(ErrorCode::usage, "what came through a pipe cannot be replaced in place").hint("name an output");
    if (file().is_unpacked())
        throw Error(ErrorCode::usage, "a part of another file cannot be replaced in place")
            .as(ErrorId::cannot_be_in_place)
            .hint("name another output");
}

}  // namespace hotstitch
