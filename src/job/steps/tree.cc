// SPDX-License-Identifier: MIT
// Files, folders and links of a base that is a folder. Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "job/step_run.h"
#include "source/whole.h"

namespace hotstitch {

Error no_such_file(const Tree& tree, const std::string& path) {
    std::vector<std::string> names;
    for (const auto& [name, entry] : tree) names.push_back(name);
    const std::string near = names.size() > 5000 ? std::string() : nearest_word(path, names);
    return Error(ErrorCode::wrong_source, fmt::format("the folder has no {}", path))
        .in("file")
        .found(near.empty() ? "" : near)
        .hint("look for the release that the kit is for");
}

namespace {

/// Names beside it, in the same folder.
void refuse_other_case(const Tree& tree, const std::string& path) {
    const std::string folder = path.substr(0, path.rfind('/') == std::string::npos ? 0 : path.rfind('/') + 1);
    const std::string wanted = lower(path);
    for (auto at = tree.lower_bound(folder); at != tree.end() && at->first.starts_with(folder); ++at)
        if (lower(at->first) == wanted)
            throw Error(ErrorCode::wrong_source, "a name differs from another only by case")
                .in("name")
                .found(fmt::format("{}, {}", at->first, path))
                .hint("many systems take both for one; the kit's maker has to choose another name");
}

/// Something new in a folder: with the folders above it, and by a name that is no other's but for case.
void add_entry(Tree& tree, const std::string& path, TreeEntry entry) {
    if (const auto there = tree.find(path); there != tree.end()) {
        if (there->second.kind == TreeEntry::Kind::folder && entry.kind == TreeEntry::Kind::folder) return;
        throw Error(ErrorCode::wrong_source, fmt::format("there is a {} already", path)).in("name").found(path);
    }
    std::vector<std::string> all = folders_above(path);
    for (const std::string& above : all) {
        const auto folder = tree.find(above);
        if (folder != tree.end() && folder->second.kind != TreeEntry::Kind::folder)
            throw Error(ErrorCode::wrong_source, fmt::format("{} is no folder", above)).in("name").found(path);
    }
    all.push_back(path);
    for (const std::string& name : all)
        if (!tree.contains(name)) refuse_other_case(tree, name);
    for (const std::string& above : folders_above(path))
        tree.try_emplace(above, TreeEntry{.kind = TreeEntry::Kind::folder});
    tree.emplace(path, std::move(entry));
}

/// The one name below the folder that the step is about. Throws Error(usage) where the base is a file.
const std::string& name_in_folder(const StepContext& context) {
    if (!context.base.is_folder() || context.names.size() != 1)
        throw Error(ErrorCode::usage, "this is for a base that is a folder").in("step");
    return context.names.front();
}

}  // namespace

void put_file(StepContext& context, const step::Put& does, const SharedSource& content) {
    Tree& tree = context.base.tree;
    const std::string& path = context.names.front();
    const auto there = tree.find(path);
    const bool is_file = there != tree.end() && there->second.kind == TreeEntry::Kind::file;
    if (!is_file && !does.add) throw no_such_file(tree, path);
    if (!is_file) {
        TreeEntry entry;
        entry.open = [content] { return content; };
        add_entry(tree, path, std::move(entry));
    }
    TreeEntry& entry = tree.at(path);
    if (!entry.working) entry.working = std::make_shared<WorkingFile>(is_file ? entry.open() : owned({}));
    entry.working->replace(content);
    if (does.executable) entry.executable = *does.executable;
}

void remove_entry(StepContext& context) {
    Tree& tree = context.base.tree;
    const std::string& path = context.names.front();
    if (tree.erase(path) == 0) throw no_such_file(context.base.original, path);
    std::erase_if(tree, [&](const auto& row) { return row.first.starts_with(path + "/"); });
}

Did run(StepContext& context, const step::Folder&) {
    add_entry(context.base.tree, name_in_folder(context), {.kind = TreeEntry::Kind::folder});
    return {};
}

Did run(StepContext& context, const step::Link& does) {
    add_entry(context.base.tree, name_in_folder(context), {.kind = TreeEntry::Kind::link, .to = does.to});
    return {};
}

}  // namespace hotstitch
