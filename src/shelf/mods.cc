// SPDX-License-Identifier: MIT
// What comes onto a shelf, each held against the original first. Tested by tests/kit/cli_kit_test.cc and
// tests/kit/shelf_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "shelf/state.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// A modified copy is of the game's own kind.
void refuse_other_kind(const std::string& path, const InputFile& file, const InputFile& from) {
    const Identity mod = identify(file), own = identify(from);
    if (mod.kind.id == own.kind.id && mod.platform == own.platform) return;
    if (mod.is(KindId::data) || own.is(KindId::data)) return;  // nothing says so
    throw Error(ErrorCode::wrong_source, fmt::format("{} is no mod of {}", path, from.path().filename().string()))
        .in("mod")
        .wanted(fmt::format("a patch, a kit, or a modified copy: {}", words_for(own)))
        .found(words_for(mod))
        .hint("what belongs beside the game goes into a kit");
}

}  // namespace

const ShelfMod& Shelf::State::mod(const std::string& name) const {
    const auto found = std::find_if(mods.begin(), mods.end(), [&](const ShelfMod& one) { return one.name == name; });
    if (found != mods.end()) return *found;
    std::vector<std::string> names;
    for (const ShelfMod& one : mods) names.push_back(one.name);
    const std::string near = nearest_word(name, names);
    throw Error(ErrorCode::usage, fmt::format("there is no {} on the shelf", name))
        .in("mod")
        .wanted(names.empty() ? "nothing is on it" : fmt::format("original, {}", fmt::join(names, ", ")))
        .hint(near.empty() ? "" : fmt::format("did you mean {}?", shell_word(near)));
}

void Shelf::State::check_kit_fits(const std::string& kit, const fs::path& source) const {
    KitJob job({.given = {source.string()}, .kits = {kit}, .in_place = true}, work);
    job.open();
    job.plan();
}

std::string Shelf::State::same_mod(const ShelfMod& one) const {
    for (const ShelfMod& other : mods) {
        std::error_code code;
        if (other.name == one.name || other.size != one.size || !fs::exists(folder / other.file, code)) continue;
        if (are_same(InputFile(folder / other.file), InputFile(folder / one.file))) return other.name;
    }
    return {};
}

ShelfMod Shelf::State::add(const std::string& path, const fs::path& source) {
    const bool is_folder = fs::is_directory(path);
    const fs::path named = is_folder ? with_own_name(path) : fs::path(path);
    ShelfMod one{.name = safe_name(is_folder ? named.filename().string() : named.stem().string())};
    if (one.name == "original")
        throw Error(ErrorCode::usage, "the name \"original\" is taken").hint("give the mod another name");
    if (is_kit(path, work)) return add_kit(std::move(one), path, source);
    if (game_is_folder) return add_folder(std::move(one), path, source);
    const InputFile file = open_file(path, work), from = InputFile::regular(source);
    const bool patch = recognise_patch(head_of(file)).has_value();
    one.file = "mods/" + one.name + (patch ? named.extension().string() : ".bps");
    patch ? add_patch(one, file, from) : add_copy(one, file, from);
    return one;
}

/// A newer version of a mod takes the name of the one before, which stays beside it. Returns its size.
std::uint64_t Shelf::State::put_on_shelf(const ShelfMod& one, const std::function<void(ByteSink&)>& write) const {
    return write_file(folder / one.file, {.replace = Replace::keep_backup}, write, work.progress).size;
}

ShelfMod Shelf::State::add_kit(ShelfMod one, const std::string& path, const fs::path& source) {
    one.kit = true;
    one.file = "mods/" + one.name + std::string(kit_extension);
    check_kit_fits(path, source);
    one.size = put_on_shelf(one, [&](ByteSink& out) { pack_kit(KitInput(path, work), out); });
    return one;
}

ShelfMod Shelf::State::add_folder(ShelfMod one, const std::string& path, const fs::path& source) {
    if (!fs::is_directory(path))
        throw Error(ErrorCode::usage, fmt::format("{} is no mod of a folder", path))
            .wanted("a kit, or a modified copy of the folder");
    one.kit = true;
    one.file = "mods/" + one.name + std::string(kit_extension);
    KitCreateRequest request{
        .pairs = {{source.string(), path}}, .output = (folder / one.file).string(), .name = one.name};
    request.count_shared = false, request.replace = Replace::keep_backup;
    one.size = create_kit(request, work).size;
    return one;
}

void Shelf::State::add_patch(ShelfMod& one, const InputFile& file, const InputFile& from) const {
    const auto patch = open_patch(file, limits_for_patch(file, work));
    const auto beside = find_checks(file);
    if (const auto why = reading_for(*patch, from, beside ? beside->checks : Checks{}, work).diagnosis)
        throw Error(ErrorCode::wrong_source,
                    fmt::format("{} is for another file than {}", file.path().string(), game.filename().string()))
            .in("mod")
            .found(words_for(why->reasons.front()))
            .hint(words_for_next(*why));
    one.size = put_on_shelf(one, [&](ByteSink& out) { write_source(file, out); });
}

void Shelf::State::add_copy(ShelfMod& one, const InputFile& file, const InputFile& from) const {
    refuse_other_kind(file.path().string(), file, from);
    CreateOptions options;
    options.limits = work.limits, options.progress = work.progress;
    one.size = put_on_shelf(one, [&](ByteSink& out) { create(from, file, out, options); });
}

}  // namespace hotstitch
