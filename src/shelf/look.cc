// SPDX-License-Identifier: MIT
// What stands in the game's place, by content. A list may be gone, older than the game, or lie: what lies in original/
// is believed before it. Tested by tests/kit/shelf_test.cc and, killed and lied to, tests/faults/kit_faults_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "job/receipts.h"
#include "shelf/state.h"

namespace hotstitch {

namespace fs = std::filesystem;

ShelfState Shelf::State::look() {
    ShelfState state{.game = game, .shelf = folder, .folder = game_is_folder, .mods = mods};
    stamp.reset();
    std::error_code code;
    state.holds_files = fs::exists(folder / "changed", code) && !fs::is_empty(folder / "changed", code);
    if (!fs::exists(game, code))
        state.gone = true, state.place = ShelfPlace::unknown;
    else if (game_is_folder)
        look_at_folder(state);
    else
        look_at_file(state);
    state.original = original;
    return state;
}

void Shelf::State::look_at_file(ShelfState& state) {
    const InputFile file = InputFile::regular(game);
    state.found = digest(file, {}, work.progress);
    stamp = file.stamp();
    const auto stands = [&](const Digests& wanted) { return !wanted.empty() && compare(wanted, state.found).empty(); };
    std::error_code code;
    if ((original.empty() || stands(original)) && fs::exists(fs::symlink_status(original_path(), code))) {
        // The list does not know it, or calls the original what stands in its place: the shelf put it there itself.
        refuse_links(folder, original_path());
        original = digest(InputFile::record(original_path()), {}, work.progress);
    }
    if (original.empty() || stands(original)) return;
    if (stands(made)) state.used = used;
    // Stopped on the way from one mod to the next: the list is ahead of the game.
    for (const ShelfMod& one : mods)
        if (state.used.empty() && stands(one.makes)) state.used = {one.name};
    state.place = state.used.empty() ? ShelfPlace::unknown : ShelfPlace::mods;
}

std::optional<std::vector<std::string>> Shelf::State::own_way_back() const {
    const auto way_back = way_back_of(game);
    if (!way_back) return std::nullopt;
    std::vector<std::string> names;
    try {
        const Receipt receipt = read_receipt(way_back->path / "receipt.json");
        for (const ReceiptKit& kit : receipt.kits) {
            const fs::path path = path_from_receipt(kit.file.path, game.parent_path());
            if (path.parent_path() != folder / "mods") return std::nullopt;
            names.push_back(path.stem().string());
        }
    } catch (const Error&) {  // nobody's, as far as can be seen
        return std::nullopt;
    }
    return names.empty() ? std::nullopt : std::optional(names);
}

void Shelf::State::look_at_folder(ShelfState& state) {
    const auto way_back = way_back_of(game);
    if (way_back && way_back->stopped)
        throw Error(ErrorCode::damaged, fmt::format("a change of {} was stopped in the middle", game.string()))
            .as(ErrorId::stopped_in_place, game.string())
            .hint("undo it");
    if (const auto own = own_way_back()) {
        state.used = *own;
        state.changed = changed_since(game, work.progress);
        state.place = state.changed.empty() ? ShelfPlace::mods : ShelfPlace::unknown;
        return;
    }
    // Nobody has written down what the original is; but the mods say what of it they need.
    for (const ShelfMod& one : mods) try {
            if (one.kit) check_kit_fits((folder / one.file).string(), game);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::wrong_source) continue;
            state.place = ShelfPlace::unknown;
            state.changed.emplace_back(error.what());
            return;
        }
}

fs::path Shelf::State::find_original(const ShelfState& state) const {
    if (state.place == ShelfPlace::original) return game;
    if (game_is_folder) {
        if (own_way_back()) return game;
        throw Error(ErrorCode::wrong_source, fmt::format("{} was changed, and not by this shelf", game.string()))
            .in("place")
            .found(state.changed.empty() ? std::string() : state.changed.front())
            .as(ErrorId::original_changed, game.string())
            .hint(
                "bring it back yourself (undo it, where it was changed in place by a kit); or, if it is the original "
                "now, "
                "say so");
    }
    refuse_links(folder, original_path());
    for (const DigestMismatch& m : compare_file(original_path(), original, work.progress))
        throw Error(ErrorCode::wrong_source, "the original is not on the shelf as it was")
            .in(m.name)
            .as(ErrorId::original_gone)
            .wanted(m.wanted)
            .found(m.found)
            .hint("if what stands in its place is the original now, say so; else restore it by other means");
    return original_path();
}

}  // namespace hotstitch
