// SPDX-License-Identifier: MIT
// Bases on their way to outputs: a file, or a folder of files. What a player brought is only read.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/inputs.h"
#include "hotstitch/part.h"
#include "hotstitch/patch.h"

namespace hotstitch {

/// A file as the steps so far have made it: its original under one change list or, after a patch of the whole, what
/// that made. The last such patch is not applied before somebody asks: then it goes right into the output.
class WorkingFile {
public:
    explicit WorkingFile(SharedSource original)
        : base_(original), original_(std::move(original)), change_(base_->size()) {}

    const SharedSource& original() const noexcept { return original_; }
    /// The content by now; lives as long as this object or, of what it is made of, longer.
    SharedSource now(const WorkOptions& work);
    void change(const ChangeList& change);
    /// Other content takes the place of all.
    void replace(SharedSource content);
    /// `blame`: makes of an error of the patch one that names its step, whenever it is applied.
    void patch(SharedSource file, std::shared_ptr<const PatchReader> reader, const Limits& limits,
               std::function<Error(const Error&)> blame);
    void write(ByteSink& out, const WorkOptions& work);
    bool changed() const noexcept { return pending_ || base_ != original_ || !change_.empty(); }
    /// The change of the original, where it is known piece by piece.
    const ChangeList* known_change() const noexcept { return pending_ || base_ != original_ ? nullptr : &change_; }
    std::uint64_t size(const WorkOptions& work);

private:
    struct Pending {
        SharedSource file;
        std::shared_ptr<const PatchReader> reader;
        Limits limits;
        std::function<Error(const Error&)> blame;
    };
    void settle(const WorkOptions& work);
    SharedSource result() const;

    SharedSource base_, original_;
    ChangeList change_;
    std::optional<Pending> pending_;
};

/// A file, folder or link in a folder.
struct TreeEntry {
    enum class Kind : std::uint8_t { file, folder, link } kind = Kind::file;
    std::uint64_t size = 0;                  ///< of a file as it was brought, in bytes
    std::function<SharedSource()> open{};    ///< of a file as it was brought
    std::shared_ptr<WorkingFile> working{};  ///< of a file that a step has looked at
    bool executable = false;
    std::string to{};  ///< of a link
};

using Tree = std::map<std::string, TreeEntry>;  ///< by path, with '/'

/// Everything in a folder. Throws Error(io), Error(refused) for a link that leads out of it, or a device.
Tree read_tree(const std::filesystem::path& folder);
/// The files of an archive or a disc; it has to outlive the tree.
Tree read_tree(const Listing& container, const Limits& limits);

/// Size and checksum of a list of files: what a folder is known by.
struct TreeRow {
    std::string name;
    TreeEntry::Kind kind{};
    bool executable = false;
    Digests digests{};  ///< size and CRC-32 of a file
    std::string to{};
};
Digests digests_of(const std::vector<TreeRow>& rows);

/// Of a folder as it was brought, without its contents.
Digests digests_of(const Tree& tree);

/// The first link of a tree that leads out of it, step by step through the others, or round in a circle; empty: none.
/// What is not in the tree counts as a folder.
std::string link_leading_out(const Tree& tree);
/// Throws Error(refused) where there is one.
void refuse_links_out(const Tree& tree);

/// A base under all changes so far.
struct WorkingBase {
    std::shared_ptr<const InputFile> input{};  ///< of a file
    std::shared_ptr<WorkingFile> file{};       ///< of a file, as it was read
    std::optional<Representation> reading{};   ///< in which `input` is read, where not as it is
    std::filesystem::path folder{};            ///< of a folder on the disk
    Tree tree{}, original{};                   ///< of a folder
    bool is_folder() const noexcept { return file == nullptr; }
};

/// The folders above a path: "A", "A/B" of "A/B/C".
std::vector<std::string> folders_above(const std::string& path);

}  // namespace hotstitch
