// SPDX-License-Identifier: MIT
// The shelf of one game: a folder "GAME.shelf" with `shelf.toml`, `mods/`, and `original/` while a mod is in place.
// What stands in the game's place is always found out by its checksum; shelf.toml only remembers which mods made it. So
// a call that is stopped at any moment leaves the old or the new, and the next one knows which. Tested by
// tests/cli_kit_test.cc and tests/kit_faults_test.cc.
#include "hotstitch/shelf.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/jobs.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/words.h"
#include "record/shelf_list.h"
#include "work/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view list_name = "shelf.toml";
/// A newer version of a mod takes the name of the one before, which stays beside it.
const OutputOptions newer{.replace = Replace::keep_backup};

}  // namespace

std::string_view code_of(ShelfPlace place) noexcept {
    return place == ShelfPlace::original ? "original" : place == ShelfPlace::mods ? "mods" : "unknown";
}

struct Shelf::State {
    fs::path game, folder;
    bool game_is_folder = false;
    WorkOptions work;
    std::vector<ShelfMod> mods;
    std::vector<std::string> used;
    Digests original, made;  ///< of a file: the original, and what the used mods make of it

    void read();
    std::string text() const;
    void write() const;
    ShelfState look() const;
    fs::path original_path() const { return folder / "original" / game.filename(); }
    const ShelfMod& mod(const std::string& name) const;
    /// The original, wherever it stands. Throws Error(wrong_source) where it is nowhere.
    fs::path find_original(const ShelfState& state) const;
    ShelfMod add(const std::string& path, const fs::path& source);
    void add_file(ShelfMod& mod, const fs::path& from) const;
    void refuse_other_kind(const std::string& path, const InputFile& file, const InputFile& from) const;
    std::string same_mod(const ShelfMod& one) const;
    void check_kit_fits(const std::string& kit, const fs::path& source) const;
    std::optional<fs::path> set_aside(const ShelfState& state) const;
    void bring_back(const ShelfState& state, const std::optional<fs::path>& aside);
    void put_in_place(const std::vector<std::string>& names, const ShelfState& state);
    void make(const std::vector<std::string>& names, const fs::path& source, ByteSink& out) const;
    void finish_stopped();
    void forget_used();
    void use_in_folder(const std::vector<std::string>& names, const ShelfState& state,
                       const std::optional<fs::path>& aside);
};

void Shelf::State::read() {
    const fs::path path = folder / list_name;
    std::error_code code;
    if (!fs::exists(path, code)) return;
    const InputFile file(path);
    ShelfList list = shelf_from_toml(text_of(file.bytes()), path.string());
    original = list.original, made = list.made, used = std::move(list.used), mods = std::move(list.mods);
    for (ShelfMod& one : mods) {
        one.size = fs::file_size(folder / one.file, code);
        if (code) one.size = 0;
    }
}

std::string Shelf::State::text() const {
    return shelf_to_toml({game.filename().string(), original, made, used, mods});
}

void Shelf::State::write() const {
    OutputFile out(folder / list_name, {.replace = Replace::without_backup});
    out.write(bytes_of(text()));
    out.commit();
}

ShelfState Shelf::State::look() const {
    ShelfState state{.game = game, .shelf = folder, .folder = game_is_folder, .mods = mods, .original = original};
    std::error_code code;
    state.holds_files = fs::exists(folder / "changed", code) && !fs::is_empty(folder / "changed", code);
    if (!fs::exists(game, code)) {
        state.gone = true, state.place = ShelfPlace::unknown;
        return state;
    }
    if (game_is_folder) {
        const auto way_back = way_back_of(game);
        if (way_back && way_back->stopped)
            throw Error(ErrorCode::damaged, fmt::format("a change of {} was stopped in the middle", game.string()))
                .hint(fmt::format("hotstitch undo {} brings it back", shell_file(game.string())));
        if (used.empty() || !way_back) return state;
        state.changed = changed_since(game, work.progress);
        state.place = state.changed.empty() ? ShelfPlace::mods : ShelfPlace::unknown;
        state.used = used;
        return state;
    }
    state.found = digest(InputFile(game), {}, work.progress);
    if (original.empty() || compare(original, state.found).empty()) return state;
    const bool is_made = !used.empty() && !made.empty() && compare(made, state.found).empty();
    if (is_made) state.used = used;
    // Stopped on the way from one mod to the next: the list is ahead of the game.
    for (const ShelfMod& one : mods)
        if (!is_made && state.used.empty() && !one.makes.empty() && compare(one.makes, state.found).empty())
            state.used = {one.name};
    state.place = state.used.empty() ? ShelfPlace::unknown : ShelfPlace::mods;
    return state;
}

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

fs::path Shelf::State::find_original(const ShelfState& state) const {
    if (game_is_folder || state.place == ShelfPlace::original) return game;
    must_be(original_path(), original, ErrorCode::wrong_source, "the original is not on the shelf as it was",
            "if what stands in its place is the original now, say so (--adopt); else restore it by other means",
            work.progress);
    return original_path();
}

void Shelf::State::check_kit_fits(const std::string& kit, const fs::path& source) const {
    KitJob job({.given = {source.string()}, .kits = {kit}, .in_place = true}, work);
    job.open();
    job.plan();
}

void Shelf::State::add_file(ShelfMod& one, const fs::path& from) const {
    OutputFile out(folder / one.file, newer);
    write_source(InputFile(from), out);
    one.size = fs::file_size(from);
    out.commit(work.progress);
}

/// A modified copy is of the game's own kind.
void Shelf::State::refuse_other_kind(const std::string& path, const InputFile& file, const InputFile& from) const {
    if (recognise_patch(head_of(file))) return;
    const Identity mod = identify(file), own = identify(from);
    if (mod.kind.name == own.kind.name && mod.platform == own.platform) return;
    if (mod.is("data") || own.is("data")) return;  // nothing says so
    throw Error(ErrorCode::wrong_source, fmt::format("{} is no mod of {}", path, game.filename().string()))
        .in("mod")
        .wanted(fmt::format("a patch, a kit, or a modified copy: {}", words_for(own)))
        .found(words_for(mod))
        .hint("what belongs beside the game goes into a kit");
}

/// What is on the shelf under another name already; empty: nothing is.
std::string Shelf::State::same_mod(const ShelfMod& one) const {
    for (const ShelfMod& other : mods) {
        std::error_code code;
        if (other.name == one.name || other.size != one.size || !fs::exists(folder / other.file, code)) continue;
        if (are_same(InputFile(folder / other.file), InputFile(folder / one.file))) return other.name;
    }
    return {};
}

/// One more on the shelf: a kit is packed, a patch is copied, and of a modified copy the difference is kept.
ShelfMod Shelf::State::add(const std::string& path, const fs::path& source) {
    const fs::path named = fs::is_directory(path) ? with_own_name(path) : fs::path(path);
    ShelfMod one{.name = fs::is_directory(path) ? named.filename().string() : named.stem().string()};
    one.name = safe_name(one.name);
    if (one.name == "original")
        throw Error(ErrorCode::usage, "the name \"original\" is taken").hint("give the mod another name");
    if (is_kit(path, work)) {
        one.kit = true;
        one.file = "mods/" + one.name + std::string(kit_extension);
        check_kit_fits(path, source);
        OutputFile out(folder / one.file, newer);
        pack_kit(KitInput(path, work), out);
        one.size = out.written()->size();
        out.commit(work.progress);
        return one;
    }
    if (game_is_folder) {
        if (!fs::is_directory(path))
            throw Error(ErrorCode::usage, fmt::format("{} is no mod of a folder", path))
                .wanted("a kit, or a modified copy of the folder");
        one.kit = true;
        one.file = "mods/" + one.name + std::string(kit_extension);
        KitCreateRequest request{
            .pairs = {{source.string(), path}}, .output = (folder / one.file).string(), .name = one.name};
        request.count_shared = false, request.replace = newer.replace;
        one.size = create_kit(request, work).size;
        return one;
    }
    const InputFile file = open_file(path, work);
    const InputFile from(source);
    refuse_other_kind(path, file, from);
    if (recognise_patch(head_of(file))) {
        const auto patch = open_patch(file, limits_for_patch(file, work));
        const auto beside = find_checks(file);
        if (const auto why = reading_for(*patch, from, beside ? beside->checks : Checks{}, work).diagnosis)
            throw Error(ErrorCode::wrong_source,
                        fmt::format("{} is for another file than {}", path, game.filename().string()))
                .in("mod")
                .found(words_for(why->reasons.front()))
                .hint(words_for_next(*why));
        one.file = "mods/" + one.name + named.extension().string();
        add_file(one, path);
        return one;
    }
    one.file = "mods/" + one.name + ".bps";
    OutputFile out(folder / one.file, newer);
    CreateOptions options;
    options.limits = work.limits, options.progress = work.progress;
    create(from, file, out, options);
    one.size = out.written()->size();
    out.commit(work.progress);
    return one;
}

/// What nobody knows gets a place on the shelf, under a dated name.
std::optional<fs::path> Shelf::State::set_aside(const ShelfState& state) const {
    if (state.place != ShelfPlace::unknown || state.gone) return std::nullopt;
    const fs::path path = folder / "changed" / game.filename();
    std::error_code code;
    fs::create_directories(path.parent_path(), code);
    if (game_is_folder) {  // file by file, when the original comes back
        fs::create_directory(path, code);
        return set_aside_as_backup(path);
    }
    fs::remove(path, code);
    fs::create_hard_link(game, path, code);
    if (code) {
        OutputFile out(path);
        write_source(InputFile(game), out);
        out.commit(work.progress);
    }
    return set_aside_as_backup(path);
}

void Shelf::State::bring_back(const ShelfState& state, const std::optional<fs::path>& aside) {
    if (game_is_folder) {
        undo_folder(game, work.progress, aside.value_or(fs::path()));
    } else {
        // What stands there can be made again, or was put aside: so the very file comes back, with its times.
        const fs::path kept = find_original(state);
        if (state.gone) {
            OutputFile out(game);  // the shelf's copy stays until the other stands there
            write_source(InputFile(kept), out);
            out.commit(work.progress);
            return forget_used();
        }
        const auto kept_was = stamp_of(kept), game_was = stamp_of(game);
        if (!kept_was || !game_was) throw Error(ErrorCode::io, fmt::format("{} is gone", game.string()));
        put_backup_back(kept, *kept_was, game, *game_was, false);
    }
    forget_used();
}

/// The original stands in its place again.
void Shelf::State::forget_used() {
    std::error_code code;
    if (!used.empty()) {
        used.clear(), made = {};
        write();
    }
    fs::remove_all(folder / "original", code);
    if (code)
        throw Error(ErrorCode::io, fmt::format("cannot remove {}: {}", (folder / "original").string(), code.message()));
}

void Shelf::State::make(const std::vector<std::string>& names, const fs::path& source, ByteSink& out) const {
    std::vector<std::string> files;
    for (const std::string& name : names) files.push_back((folder / mod(name).file).string());
    if (mod(names.front()).kit) {
        KitJob job({.given = {source.string()}, .kits = files, .in_place = true}, work);
        job.open();
        job.run(out);
        return;
    }
    ApplyRequest request{.source = source.string(), .patches = files};
    request.keep_representation = true;  // what the game's place holds keeps its form
    ApplyJob job(std::move(request), work);
    job.open();
    const ApplyResult& result = job.run(out);
    if (result.outcome == ApplyOutcome::wrong_source && result.refusal) throw Error(*result.refusal);
    if (result.outcome == ApplyOutcome::already_patched)
        throw Error(ErrorCode::wrong_source, "the original is what this patch makes already").in("mod");
}

/// Made from the original; which then stands on the shelf, before its place is taken.
void Shelf::State::put_in_place(const std::vector<std::string>& names, const ShelfState& state) {
    const fs::path source = find_original(state);
    OutputSet set;
    const auto stamp = stamp_of(game);
    OutputFile& out = set.add(game, {.replace = Replace::without_backup, .read_as = stamp});
    OutputFile& list = set.add(folder / list_name, {.replace = Replace::without_backup});
    make(names, source, out);
    used = names;
    made = digest(MemorySource(*out.written()), {}, work.progress);
    for (ShelfMod& one : mods)
        if (names.size() == 1 && one.name == names.front()) one.makes = made;
    list.write(bytes_of(text()));
    if (source == game) {
        std::error_code code;
        fs::create_directories(original_path().parent_path(), code);
        fs::remove(original_path(), code);
        fs::create_hard_link(game, original_path(), code);
        if (code) {
            OutputFile copy(original_path());
            write_source(InputFile(game), copy);
            copy.commit(work.progress);
        }
    }
    set.commit(work.progress);
}

void Shelf::State::use_in_folder(const std::vector<std::string>& names, const ShelfState& state,
                                 const std::optional<fs::path>& aside) {
    KitRequest request{.given = {game.string()}, .in_place = true};
    for (const std::string& name : names) request.kits.push_back((folder / mod(name).file).string());
    request.replace = Replace::keep_backup;
    if (state.place != ShelfPlace::original) bring_back(state, aside);
    KitJob job(request, work);
    job.open();
    job.plan();
    // First: without a way back beside the game, it is the original all the same.
    used = names;
    write();
    job.run();
}

/// A folder whose change was stopped is brought back first.
void Shelf::State::finish_stopped() {
    if (!game_is_folder) return;
    const auto way_back = way_back_of(game);
    if (!way_back || !way_back->stopped) return;
    undo_folder(game, work.progress);
    used.clear(), made = {};
    write();
}

Shelf::Shelf(const fs::path& game, WorkOptions options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    std::error_code code;
    s.game = really_absolute(game.has_filename() ? game : game.parent_path());  // "FOLDER/" too
    s.folder = fs::path(s.game).concat(".shelf");
    const bool gone = !fs::exists(s.game, code);
    if (gone && !fs::is_regular_file(s.original_path(), code))
        throw Error(ErrorCode::io, fmt::format("there is no {}", game.string()));
    s.game_is_folder = fs::is_directory(s.game, code);
    s.work = std::move(options);
    if (!s.game_is_folder && !gone) check_finished(s.game);
    s.read();
}
Shelf::~Shelf() = default;

ShelfState Shelf::state() const {
    return state_->look();
}

ShelfResult Shelf::keep(const std::vector<std::string>& paths) {
    State& s = *state_;
    s.finish_stopped();
    const ShelfState before = s.look();
    ShelfResult result;
    if (s.game_is_folder && before.place != ShelfPlace::original)
        throw Error(ErrorCode::usage, "mods are held against the original, and another stands in its place")
            .in("place")
            .hint("put the original in place first: --use original");
    if (s.original.empty() && !s.game_is_folder) s.original = before.found;
    const fs::path source = s.find_original(before);
    for (const std::string& path : paths) {
        ShelfMod one = s.add(path, source);
        if (const std::string there = s.same_mod(one); !there.empty()) {
            std::error_code code;
            fs::remove(s.folder / one.file, code);
            result.again.emplace_back(path, there);
            continue;
        }
        const auto same =
            std::find_if(s.mods.begin(), s.mods.end(), [&](const ShelfMod& other) { return other.name == one.name; });
        if (same != s.mods.end())
            *same = one;
        else
            s.mods.push_back(one);
        result.kept.push_back(one.name);
        s.write();
    }
    result.state = s.look();
    return result;
}

ShelfResult Shelf::use(const std::vector<std::string>& names) {
    State& s = *state_;
    for (const std::string& name : names)
        if (s.mod(name).kit != s.mod(names.front()).kit)
            throw Error(ErrorCode::usage, "patches and kits do not go together")
                .in("mod")
                .hint("use the one or the other");
    s.finish_stopped();
    const ShelfState before = s.look();
    ShelfResult result;
    const ShelfPlace wanted = names.empty() ? ShelfPlace::original : ShelfPlace::mods;
    result.stood_already = before.place == wanted && (names.empty() || before.used == names);
    if (result.stood_already && names.empty()) s.forget_used();
    if (!result.stood_already) {
        if (!names.empty() && s.original.empty() && !s.game_is_folder) s.original = before.found;
        s.find_original(before);  // before anything is put aside for nothing
        result.aside = s.set_aside(before);
        if (names.empty())
            s.bring_back(before, result.aside);
        else if (s.game_is_folder)
            s.use_in_folder(names, before, result.aside);
        else
            s.put_in_place(names, before);
    }
    result.state = s.look();
    return result;
}

ShelfResult Shelf::adopt() {
    State& s = *state_;
    s.finish_stopped();
    const ShelfState before = s.look();
    ShelfResult result;
    if (before.place == ShelfPlace::mods)
        throw Error(ErrorCode::usage, "mods of the shelf are in place, and they are not the original")
            .in("place")
            .hint("put the original in place first: --use original");
    result.stood_already = before.place == ShelfPlace::original;
    std::error_code code;
    const fs::path old = s.game_is_folder && way_back_of(s.game) ? way_back_of(s.game)->path : s.original_path();
    if (!result.stood_already && fs::exists(old, code)) {
        const fs::path to = s.folder / "changed" / s.game.filename();
        fs::create_directories(to.parent_path(), code);
        fs::rename(old, to, code);
        if (code) throw Error(ErrorCode::io, fmt::format("cannot move {}: {}", old.string(), code.message()));
        result.aside = set_aside_as_backup(to);
    }
    if (!s.game_is_folder) s.original = before.found;
    s.used.clear(), s.made = {};
    s.write();
    result.state = s.look();
    return result;
}

}  // namespace hotstitch
