// SPDX-License-Identifier: MIT
// The way back of kits, and doing them again. A receipt may come from anybody: what is not proven to be what was put
// there gets a backup's name and is not removed. Tested by tests/cli_kit_test.cc.
#include "job/kit_receipts.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/words.h"
#include "job/receipts.h"
#include "job/working_copy.h"

namespace hotstitch {

namespace fs = std::filesystem;

bool is_proven(const ReceiptKits::Output& output, const fs::path& path) {
    if (!output.identity) return false;
    if (output.folder) return identity_of_folder(path) == output.identity;
    const auto stamp = stamp_of(path);
    return stamp && identity_of(*stamp) == *output.identity;
}

bool is_inside(const fs::path& path, const fs::path& folder) {
    const fs::path inside = path.lexically_relative(folder);
    return !inside.empty() && *inside.begin() != "..";
}

namespace {

std::vector<TreeRow> rows_of(const fs::path& folder, const Progress& progress) {
    std::vector<TreeRow> rows;
    for (const auto& [name, entry] : read_tree(folder)) {
        rows.push_back({name, entry.kind, entry.executable, {}, entry.to});
        if (entry.kind == TreeEntry::Kind::file) rows.back().digests = digest(*entry.open(), {}, progress);
    }
    return rows;
}

/// A receipt may come from anybody, and name anything. Outside of its own folder, only what is proven to have been made
/// by it is touched.
void refuse_elsewhere(const ReceiptKits::Output& output, const fs::path& path, const fs::path& folder) {
    refuse_links(path, path);
    if (is_inside(path, folder) || is_proven(output, path)) return;
    throw Error(ErrorCode::refused,
                fmt::format("the receipt names {}, which lies outside of its folder", path.string()))
        .in("output")
        .hint(
            "nothing proves that it was made here, and nothing was touched; if you know that it was, remove it "
            "yourself");
}

/// Files that differ from what the receipt says, for people.
std::vector<std::string> differing(const ReceiptKits::Output& output, const fs::path& path, const WorkOptions& work) {
    std::vector<std::string> all;
    std::error_code code;
    if (!fs::exists(path, code)) return {fmt::format("{} is gone", path.string())};
    if (!output.folder) {
        for (const DigestMismatch& m : compare_file(path, output.file.digests, work.progress))
            all.push_back(fmt::format("{}: {} is {} instead of {}", path.string(), m.name, m.found, m.wanted));
        return all;
    }
    std::vector<TreeRow> rows;
    try {
        rows = rows_of(path, work.progress);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        return {error.what()};
    }
    if (compare(output.file.digests, digests_of(rows)).empty()) return {};
    std::map<std::string, Digests> made;
    for (const ReceiptFile& file : output.files) made.emplace(file.path, file.digests);
    for (const TreeRow& row : rows) {
        if (row.kind != TreeEntry::Kind::file) continue;
        const auto was = made.find(row.name);
        if (was == made.end())
            all.push_back(fmt::format("{} was not made", (path / row.name).string()));
        else if (!compare(was->second, row.digests).empty())
            all.push_back(fmt::format("{} is another", (path / row.name).string()));
        if (was != made.end()) made.erase(was);
    }
    for (const auto& [name, digests] : made) all.push_back(fmt::format("{} is gone", (path / name).string()));
    if (all.empty()) all.push_back(fmt::format("{}: its folders, links or permissions are others", path.string()));
    return all;
}

/// Returns where it was kept, when nothing proves that it is what was put there. `seen`: a folder, as it was looked at.
std::optional<fs::path> remove_output(const ReceiptKits::Output& output, const fs::path& path,
                                      const FolderStamps& seen) {
    if (!is_proven(output, path)) return set_aside_as_backup(path);
    if (output.folder)
        remove_folder(path, seen);
    else
        remove_file(path, *stamp_of(path), false);
    return std::nullopt;
}

void check_bases(const Receipt& receipt, const fs::path& folder, const WorkOptions& work) {
    for (const ReceiptKits::Base& base : receipt.kits->bases) {
        const std::string path = path_from_receipt(base.file.path, folder).string();
        std::error_code code;
        if (base.folder && fs::is_directory(path, code)) continue;
        if (base.folder && !address_of(path).names_part() && fs::exists(path, code)) continue;
        must_be(path, base.file.digests, ErrorCode::wrong_source,
                fmt::format("{} is not there as it was, so what was made of it stays", path),
                "find it again, then remove the outputs yourself", work.progress);
    }
}

/// Of the folders that were made for the outputs, those in which nothing is left; the player's own stay.
void remove_made_folders(const Receipt& receipt, const fs::path& folder, const std::set<fs::path>& now) {
    std::error_code code;
    for (auto name = receipt.kits->folders.rbegin(); name != receipt.kits->folders.rend(); ++name) {
        const fs::path path = path_from_receipt(*name, folder);
        const bool used = std::any_of(now.begin(), now.end(), [&](const fs::path& file) {
            return !file.lexically_relative(path).empty() && *file.lexically_relative(path).begin() != "..";
        });
        // A receipt may say anything: only what lies above an output of it, and no link.
        const bool above =
            std::any_of(receipt.kits->outputs.begin(), receipt.kits->outputs.end(), [&](const auto& one) {
                const fs::path inside = path_from_receipt(one.file.path, folder).lexically_relative(path);
                return !inside.empty() && *inside.begin() != ".." && inside != ".";
            });
        if (!used && above && fs::is_directory(fs::symlink_status(path, code))) fs::remove(path, code);
    }
}

}  // namespace

bool is_as_made(const ReceiptKits::Output& output, const fs::path& path, const WorkOptions& work) {
    return differing(output, path, work).empty();
}

std::vector<std::string> not_as_made(const Receipt& receipt, const fs::path& folder, const WorkOptions& work) {
    std::vector<std::string> all;
    if (const fs::path changed = folder / receipt.target.path; receipt.in_place && fs::is_directory(changed)) {
        for (const std::string& name : changed_since(changed, work.progress))
            all.push_back(fmt::format("{} is another", (changed / name).string()));
        return all;
    }
    for (const ReceiptKits::Output& output : receipt.kits->outputs)
        for (std::string& one : differing(output, path_from_receipt(output.file.path, folder), work))
            all.push_back(std::move(one));
    return all;
}

UndoResult undo_kits(const fs::path& file, const Receipt& receipt, const WorkOptions& work) {
    const fs::path folder = file.parent_path();
    std::error_code code;
    struct There {
        fs::path path;
        const ReceiptKits::Output* output;
        FolderStamps seen;
    };
    std::vector<There> there;
    for (const ReceiptKits::Output& output : receipt.kits->outputs) {
        const fs::path path = path_from_receipt(output.file.path, folder);
        clear_leftovers(path);  // of an undo that was killed
        if (!fs::exists(fs::symlink_status(path, code))) continue;
        refuse_elsewhere(output, path, folder);
        FolderStamps seen = output.folder ? stamps_below(path) : FolderStamps();
        if (const auto wrong = differing(output, path, work); !wrong.empty())
            throw Error(ErrorCode::wrong_target, "an output is no longer what was made")
                .in("output")
                .found(fmt::format("{}", fmt::join(wrong, "\n")))
                .hint("it was changed since; nothing was touched. Put it aside yourself if it may go");
        there.push_back({path, &output, std::move(seen)});
    }
    check_bases(receipt, folder, work);
    UndoResult result{.outcome = there.empty() ? UndoOutcome::removed_already : UndoOutcome::removed, .file = file};
    if (!receipt.kits->bases.empty()) result.source = path_from_receipt(receipt.kits->bases.front().file.path, folder);
    for (const auto& [path, output, seen] : there)
        if (const auto kept = remove_output(*output, path, seen)) result.kept = kept;
    const fs::path receipt_file = receipt_path(file);
    if (const auto stamp = stamp_of(receipt_file)) remove_file(receipt_file, *stamp, false);
    remove_made_folders(receipt, folder, {});
    return result;
}

void remove_former(const Receipt& receipt, const fs::path& folder, const std::set<fs::path>& now,
                   const WorkOptions& work) {
    const fs::path old_receipt = receipt_path(folder / receipt.target.path);
    for (const ReceiptKits::Output& output : receipt.kits->outputs) {
        const fs::path path = path_from_receipt(output.file.path, folder);
        std::error_code code;
        if (now.contains(path) || !fs::exists(fs::symlink_status(path, code))) continue;
        if (!is_inside(path, folder) && !is_proven(output, path)) continue;
        const FolderStamps seen = output.folder ? stamps_below(path) : FolderStamps();
        if (is_as_made(output, path, work)) remove_output(output, path, seen);
    }
    if (const auto stamp = stamp_of(old_receipt); stamp && !now.contains(old_receipt))
        remove_file(old_receipt, *stamp, false);
    remove_made_folders(receipt, folder, now);
}

std::optional<Receipt> receipt_of(const fs::path& output) {
    std::error_code code;
    const fs::path path = really_absolute(output);
    if (fs::is_directory(path, code))
        if (const auto way_back = way_back_of(path); way_back && !way_back->stopped)
            if (fs::exists(way_back->path / "receipt.json", code)) return read_receipt(way_back->path / "receipt.json");
    if (fs::exists(receipt_path(path), code)) return read_receipt(receipt_path(path));
    return std::nullopt;
}

fs::path renewal_path(const fs::path& output) {
    return fs::path(output).concat(".renewal.hotstitch");
}

void forget_renewal(const fs::path& output) {
    const fs::path record = renewal_path(really_absolute(output));
    if (const auto stamp = stamp_of(record)) remove_file(record, *stamp, false);
}

}  // namespace hotstitch
