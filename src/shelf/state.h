// SPDX-License-Identifier: MIT
// What a shelf is between two calls, and how it gets from one to the next. Everything that it says of the game it finds
// out by content: the list only remembers names. Internal to shelf*.cc.
#pragma once

#include "hotstitch/shelf.h"
#include "shelf/shelf_list.h"

namespace hotstitch {

struct Shelf::State {
    std::filesystem::path game, folder;
    bool game_is_folder = false;
    WorkOptions work;
    std::vector<ShelfMod> mods;
    std::vector<std::string> used;
    Digests original, made;          ///< of a file: the original, and what the used mods make of it
    std::optional<FileStamp> stamp;  ///< of a file: what look() has read
    std::optional<FolderLock> lock;  ///< while something is changed

    std::filesystem::path list_path() const;
    std::filesystem::path original_path() const { return folder / "original" / game.filename(); }

    void read();
    /// The mods that lie there, where the list is gone.
    void read_names();
    std::string text() const;
    void write() const;
    /// Nobody else changes the shelf from now on; what a stopped call has left is put right.
    void begin();
    /// The lock is given back; an empty shelf goes.
    void end() noexcept;

    /// A call that changes the shelf: alone, from its begin to its end. What may be expected stands in its result.
    using ChangeShelf = std::function<void(const ShelfState& before, ShelfResult& result)>;
    ShelfResult changed(const ChangeShelf& call);

    /// Finds out what stands in the game's place.
    ShelfState look();
    void look_at_file(ShelfState& state);
    void look_at_folder(ShelfState& state);
    /// The mods of this shelf that made a folder's last way back, in their order; nothing where others made it.
    std::optional<std::vector<std::string>> own_way_back() const;

    const ShelfMod& mod(const std::string& name) const;
    /// The original, wherever it stands. Throws Error(wrong_source) where it is nowhere.
    std::filesystem::path find_original(const ShelfState& state) const;
    /// One more on the shelf: a kit is packed, a patch is copied, and of a modified copy the difference is kept.
    ShelfMod add(const std::string& path, const std::filesystem::path& source);
    void keep_one(const std::string& path, const std::filesystem::path& source, ShelfResult& result);
    std::uint64_t put_on_shelf(const ShelfMod& one, const std::function<void(ByteSink&)>& write) const;
    ShelfMod add_kit(ShelfMod one, const std::string& path, const std::filesystem::path& source);
    ShelfMod add_folder(ShelfMod one, const std::string& path, const std::filesystem::path& source);
    void add_patch(ShelfMod& one, const InputFile& file, const InputFile& from) const;
    void add_copy(ShelfMod& one, const InputFile& file, const InputFile& from) const;
    /// What is on the shelf under another name already; empty: nothing is.
    std::string same_mod(const ShelfMod& one) const;
    /// Throws where a kit is not for this.
    void check_kit_fits(const std::string& kit, const std::filesystem::path& source) const;

    std::optional<std::filesystem::path> set_aside(const ShelfState& state) const;
    void bring_back(const ShelfState& state, const std::optional<std::filesystem::path>& aside);
    void put_in_place(const std::vector<std::string>& names, const ShelfState& state);
    void make(const std::vector<std::string>& names, const std::filesystem::path& source, ByteSink& out) const;
    void forget_used();
    void drop_kept_original() const;
    void use_in_folder(const std::vector<std::string>& names, const ShelfState& state,
                       const std::optional<std::filesystem::path>& aside);
};

}  // namespace hotstitch
