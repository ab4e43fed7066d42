// SPDX-License-Identifier: MIT
// The shelf of one game: a folder "GAME.shelf" with `shelf.toml`, `mods/`, and `original/` while a mod is in place.
// What stands in the game's place is always found out by its content; shelf.toml only remembers which mods made it. So
// a call that is stopped at any moment leaves the old or the new, and the next one knows which. What lies in original/
// and changed/ is never removed or replaced, but an original whose very bytes stand in the game's place.
// Tested by tests/kit/shelf_test.cc, tests/kit/cli_kit_test.cc and tests/faults/kit_faults_test.cc.
#include "hotstitch/shelf.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/transaction.h"
#include "job/expected.h"
#include "job/receipts.h"
#include "shelf/state.h"

namespace hotstitch {

namespace fs = std::filesystem;

std::string_view code_of(ShelfPlace place) noexcept {
    return place == ShelfPlace::original ? "original" : place == ShelfPlace::mods ? "mods" : "unknown";
}

fs::path Shelf::State::list_path() const {
    return folder / "shelf.toml";
}

void Shelf::State::read() {
    original = made = {}, used.clear(), mods.clear();
    std::error_code code;
    if (!fs::exists(fs::symlink_status(list_path(), code))) return read_names();
    refuse_links(folder, list_path());
    const InputFile file = InputFile::record(list_path());
    ShelfList list = shelf_from_toml(text_of(file.bytes()), list_path().string());
    original = list.original, made = list.made, used = std::move(list.used), mods = std::move(list.mods);
    for (ShelfMod& one : mods) {
        refuse_links(folder, folder / one.file);
        one.size = fs::file_size(folder / one.file, code);
        if (code) one.size = 0;
    }
}

void Shelf::State::read_names() {
    for (const fs::path& file : files_in(folder / "mods")) {
        const std::string name = file.filename().string();
        if (fs::is_symlink(file) || name.starts_with('.') || file.extension() == ".backup") continue;
        mods.push_back({.name = file.stem().string(),
                        .file = "mods/" + name,
                        .kit = file.extension() == kit_extension,
                        .size = fs::file_size(file)});
    }
}

std::string Shelf::State::text() const {
    return shelf_to_toml({game.filename().string(), original, made, used, mods});
}

void Shelf::State::write() const {
    write_file(list_path(), {.replace = Replace::without_backup}, text());
}

void Shelf::State::begin() {
    std::error_code code;
    while (!lock) {
        fs::create_directory(folder, code);
        if (code && !fs::exists(fs::symlink_status(folder)))
            throw Error(ErrorCode::io, fmt::format("cannot make the folder {}: {}", folder.string(), code.message()));
        lock.emplace(folder);
        // Its last call may have taken the empty folder away meanwhile.
        if (!fs::exists(folder, code)) lock.reset();
    }
    for (const char* const inside : {"mods", "original", "changed"}) {
        refuse_links(folder, folder / inside);
        clear_own_folder(folder / inside, std::string_view(inside) != "changed");  // nothing is removed there
    }
    clear_own_folder(folder);
    read();  // who held the lock before may have written it
    if (!game_is_folder) return;
    const auto way_back = way_back_of(game);
    if (!way_back || !way_back->stopped) return;
    undo_folder(game, work.progress);
    used.clear(), made = {};
    write();
}

void Shelf::State::end() noexcept {
    std::error_code code;
    for (const fs::path& one : {folder / "mods", folder / "original", folder / "changed", folder})
        fs::remove(one, code);  // where it is empty
    lock.reset();
}

/// What nobody knows gets a place on the shelf, under a dated name.
std::optional<fs::path> Shelf::State::set_aside(const ShelfState& state) const {
    if (state.place != ShelfPlace::unknown || state.gone) return std::nullopt;
    const fs::path path = folder / "changed" / game.filename();
    std::error_code code;
    fs::create_directories(path.parent_path(), code);
    if (!game_is_folder) return keep_as_backup(game, path);
    fs::create_directory(path, code);  // file by file, when the original comes back
    return set_aside_as_backup(path);
}

void Shelf::State::bring_back(const ShelfState& state, const std::optional<fs::path>& aside) {
    if (game_is_folder) {
        undo_folder(game, work.progress, aside.value_or(fs::path()));
        return forget_used();
    }
    // What stands there can be made again, or was put aside: so the very file comes back, with its times.
    const fs::path kept = find_original(state);
    if (state.gone) {
        // The shelf's copy stays until the other stands there.
        write_file(
            game, {}, [&](ByteSink& out) { write_source(InputFile::record(kept), out); }, work.progress);
        return forget_used();
    }
    const auto kept_was = stamp_of(kept);
    if (!kept_was || !stamp) throw Error(ErrorCode::io, fmt::format("{} is gone", game.string()));
    put_backup_back(kept, *kept_was, game, *stamp, false);
    forget_used();
}

/// The original stands in its place again.
void Shelf::State::forget_used() {
    if (!used.empty()) {
        used.clear(), made = {};
        try {
            write();
        } catch (Error& error) {
            throw std::move(error).done("The original is in its place; only the shelf's list is still the old one");
        }
    }
    drop_kept_original();
}

/// Only where the very bytes stand in the game's place.
void Shelf::State::drop_kept_original() const {
    std::error_code code;
    const fs::path kept = original_path();
    if (game_is_folder || !fs::exists(fs::symlink_status(kept, code))) return;
    refuse_links(folder, kept);
    const InputFile one = InputFile::record(kept), other = InputFile::regular(game);
    if (!one.stamp() || !are_same(one, other)) return;
    if (one.is_same_file(game))
        fs::remove(kept);  // a second name, made by a call that was stopped
    else
        remove_file(kept, *one.stamp(), false);
}

void Shelf::State::make(const std::vector<std::string>& names, const fs::path& source, ByteSink& out) const {
    std::vector<std::string> files;
    files.reserve(names.size());
    for (const std::string& name : names) files.push_back((folder / mod(name).file).string());
    if (mod(names.front()).kit) {
        KitJob job({.given = {source.string()}, .kits = files, .in_place = true}, work);
        job.open();
        job.run(out);
        return;
    }
    Recipe recipe = Recipe::of_patches(source.string(), files);
    recipe.to.keep_representation = true;  // what the game's place holds keeps its form
    Job job(std::move(recipe), work);
    job.open();
    const Outcome& outcome = job.run(out);
    if (outcome.answer == Answer::wrong_source && outcome.refusal) throw Error(*outcome.refusal);
    if (outcome.answer == Answer::already_patched)
        throw Error(ErrorCode::wrong_source, "the original is what this patch makes already").in("mod");
}

/// Made from the original; which then stands on the shelf, before its place is taken.
void Shelf::State::put_in_place(const std::vector<std::string>& names, const ShelfState& state) {
    const fs::path source = find_original(state);
    if (source == game) drop_kept_original();
    Transaction outputs(work.progress);
    auto& out = outputs.file(game, {.replace = Replace::without_backup, .read_as = stamp});
    auto& list = outputs.file(list_path(), {.replace = Replace::without_backup});
    make(names, source, out);
    used = names;
    made = digest(WrittenSource(out), {}, work.progress);
    for (ShelfMod& one : mods)
        if (names.size() == 1 && one.name == names.front()) one.makes = made;
    list.write(bytes_of(text()));
    if (source == game) {
        std::error_code code;
        fs::create_directories(original_path().parent_path(), code);
        fs::create_hard_link(game, original_path(), code);
        if (code) {  // also where another file has the name: that is refused
            const auto copy = [&](ByteSink& to) { write_source(InputFile::regular(game), to); };
            write_file(original_path(), {}, copy, work.progress);
        }
    }
    try {
        outputs.commit();
    } catch (...) {
        drop_kept_original();
        throw;
    }
}

void Shelf::State::use_in_folder(const std::vector<std::string>& names, const ShelfState& state,
                                 const std::optional<fs::path>& aside) {
    KitRequest request{.given = {game.string()}, .in_place = true};
    for (const std::string& name : names) request.kits.push_back((folder / mod(name).file).string());
    request.replace = Replace::keep_backup;
    if (state.place != ShelfPlace::original) bring_back(state, aside);
    try {
        KitJob job(request, work);
        job.open();
        if (const auto& refusal = job.run().refusal) throw Error(*refusal);
    } catch (Error& error) {
        if (state.place == ShelfPlace::original || !error.done().empty()) throw;
        throw std::move(error).done("The original is in place");
    }
    used = names;
    try {
        write();
    } catch (Error& error) {
        throw std::move(error).done(fmt::format("{} in place; only the shelf's list is still the old one",
                                                names.size() == 1 ? names.front() + " is" : "They are"));
    }
}

void Shelf::State::keep_one(const std::string& path, const fs::path& source, ShelfResult& result) {
    const ShelfMod one = add(path, source);
    const auto same = std::find_if(mods.begin(), mods.end(), [&](const ShelfMod& mod) { return mod.name == one.name; });
    const bool is_new = same == mods.end();
    std::error_code code;
    if (const std::string there = is_new ? same_mod(one) : std::string(); !there.empty()) {
        fs::remove(folder / one.file, code);
        result.again.emplace_back(path, there);
        return;
    }
    is_new ? mods.push_back(one) : void(*same = one);
    try {
        write();
    } catch (...) {
        if (is_new) fs::remove(folder / one.file, code);
        throw;
    }
    result.kept.push_back(one.name);
}

Shelf::Shelf(const fs::path& game, WorkOptions options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    std::error_code code;
    s.game = file_of_receipt(game.has_filename() ? game : game.parent_path());  // "FOLDER/" too
    s.folder = fs::path(s.game).concat(".shelf");
    refuse_links(s.folder, s.original_path());
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

ShelfResult Shelf::State::changed(const ChangeShelf& call) {
    begin();
    const struct End {
        State& state;
        ~End() { state.end(); }
    } end{*this};
    ShelfResult result;
    try {
        call(look(), result);
    } catch (const Error& error) {
        if (!is_expected(error)) throw;
        result.refusal = error;
    }
    result.state = look();
    return result;
}

ShelfResult Shelf::keep(const std::vector<std::string>& paths) {
    State& s = *state_;
    return s.changed([&](const ShelfState& before, ShelfResult& result) {
        if (s.game_is_folder && before.place != ShelfPlace::original)
            throw Error(ErrorCode::usage, "mods are held against the original, and another stands in its place")
                .in("place")
                .as(ErrorId::original_not_in_place)
                .hint("put the original in place first");
        if (s.original.empty() && !s.game_is_folder) s.original = before.found;
        const fs::path source = s.find_original(before);
        for (const std::string& path : paths) try {
                s.keep_one(path, source, result);
            } catch (Error& error) {
                if (result.kept.empty() || is_expected(error)) throw;
                throw std::move(error).done(fmt::format("On the shelf already: {}", fmt::join(result.kept, ", ")));
            }
    });
}

ShelfResult Shelf::use(const std::vector<std::string>& names) {
    State& s = *state_;
    return s.changed([&](const ShelfState& before, ShelfResult& result) {
        for (const std::string& name : names)
            if (s.mod(name).kit != s.mod(names.front()).kit)
                throw Error(ErrorCode::usage, "patches and kits do not go together")
                    .in("mod")
                    .hint("use the one or the other");
        const ShelfPlace wanted = names.empty() ? ShelfPlace::original : ShelfPlace::mods;
        result.stood_already = before.place == wanted && (names.empty() || before.used == names);
        if (result.stood_already && names.empty()) s.forget_used();
        if (result.stood_already && s.used != names) s.used = names, s.write();  // the list was behind
        if (result.stood_already) return;
        if (s.original.empty() && !s.game_is_folder) s.original = before.found;
        s.find_original(before);  // before anything is put aside for nothing
        result.aside = s.set_aside(before);
        if (names.empty())
            s.bring_back(before, result.aside);
        else if (s.game_is_folder)
            s.use_in_folder(names, before, result.aside);
        else
            s.put_in_place(names, before);
    });
}

ShelfResult Shelf::adopt() {
    State& s = *state_;
    return s.changed([&](const ShelfState& before, ShelfResult& result) {
        if (before.place == ShelfPlace::mods)
            throw Error(ErrorCode::usage, "mods of the shelf are in place, and they are not the original")
                .in("place")
                .as(ErrorId::original_not_in_place)
                .hint("put the original in place first");
        if (before.gone) throw Error(ErrorCode::io, fmt::format("there is no {}", s.game.string()));
        result.stood_already = before.place == ShelfPlace::original;
        std::error_code code;
        const fs::path old = !s.game_is_folder  ? s.original_path()
                             : s.own_way_back() ? way_back_of(s.game)->path
                                                : fs::path();
        if (!result.stood_already && !old.empty() && fs::exists(fs::symlink_status(old, code))) {
            const fs::path as = s.folder / "changed" / s.game.filename();
            fs::create_directories(as.parent_path(), code);
            result.aside = set_aside_as_backup(old, as);
        }
        if (!s.game_is_folder) s.original = before.found;
        s.used.clear(), s.made = {};
        try {
            s.write();
        } catch (...) {
            if (result.aside) fs::rename(*result.aside, old, code);
            throw;
        }
    });
}

}  // namespace hotstitch
