// SPDX-License-Identifier: MIT
// Holds what a receipt says was made against what stands there. A receipt may come from anybody: what is not proven to
// be what was put there gets a backup's name and is not removed. Tested by tests/job/receipt_test.cc and
// tests/kit/cli_kit_test.cc.
#include "job/as_made.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "job/receipts.h"
#include "job/working_copy.h"

namespace hotstitch {

namespace fs = std::filesystem;

bool is_proven(const ReceiptOutput& output, const fs::path& path) {
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

}  // namespace

fs::path path_of(const ReceiptOutput& output, const Receipt& receipt, const fs::path& first) {
    const bool is_first = &output == &receipt.target() && receipt.kits.empty();
    return is_first ? first : path_from_receipt(output.file.path, first.parent_path());
}

std::vector<std::string> differing(const ReceiptOutput& output, const fs::path& path, const WorkOptions& work) {
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

ReceiptFile replaced_in_receipt(const fs::path& path, const fs::path& backup, bool digests, const Progress& progress) {
    std::error_code code;
    return {backup.filename().string(), fs::is_directory(path, code)
                                            ? digests_of(read_tree(path))
                                            : receipt_digests(InputFile(path), digests, progress)};
}

bool is_as_replaced(const ReceiptOutput& output, const fs::path& path, const Progress& progress) {
    std::error_code code;
    if (output.folder != fs::is_directory(path, code)) return false;
    if (output.folder) return compare(output.replaced->digests, digests_of(read_tree(path))).empty();
    return compare_file(path, output.replaced->digests, progress).empty();
}

void go_on_from(Receipt& receipt, const Receipt& present) {
    const bool replaces =
        std::any_of(receipt.outputs.begin(), receipt.outputs.end(), [](const auto& one) { return one.replaced; });
    for (ReceiptOutput& output : receipt.outputs)
        for (const ReceiptOutput& was : present.outputs)
            if (was.file.path == output.file.path && !output.replaced) output.replaced = was.replaced;
    receipt.before = present.before;
    if (!replaces) return;
    receipt.before.insert(receipt.before.begin(), present);
    receipt.before.front().before.clear();
}

void remove_made_folders(const Receipt& receipt, const fs::path& folder, const std::set<fs::path>& now) {
    std::error_code code;
    for (auto name = receipt.folders.rbegin(); name != receipt.folders.rend(); ++name) {
        const fs::path path = path_from_receipt(*name, folder);
        const bool used = std::any_of(now.begin(), now.end(), [&](const fs::path& file) {
            return !file.lexically_relative(path).empty() && *file.lexically_relative(path).begin() != "..";
        });
        // A receipt may say anything: only what lies above an output of it, and no link.
        const bool above = std::any_of(receipt.outputs.begin(), receipt.outputs.end(), [&](const auto& one) {
            const fs::path inside = path_from_receipt(one.file.path, folder).lexically_relative(path);
            return !inside.empty() && *inside.begin() != ".." && inside != ".";
        });
        if (!used && above && fs::is_directory(fs::symlink_status(path, code))) fs::remove(path, code);
    }
}

std::vector<std::string> not_as_made(const Receipt& receipt, const fs::path& first, const WorkOptions& work) {
    std::vector<std::string> all;
    if (receipt.in_place && fs::is_directory(first)) {
        for (const std::string& name : changed_since(first, work.progress))
            all.push_back(fmt::format("{} is another", (first / name).string()));
        return all;
    }
    for (const ReceiptOutput& output : receipt.outputs)
        for (std::string& one : differing(output, path_of(output, receipt, first), work)) all.push_back(std::move(one));
    return all;
}

void remove_former(const Receipt& receipt, const fs::path& folder, const std::set<fs::path>& now,
                   const WorkOptions& work) {
    const fs::path old_receipt = receipt_path(folder / receipt.target().file.path);
    for (const ReceiptOutput& output : receipt.outputs) {
        const fs::path path = path_from_receipt(output.file.path, folder);
        std::error_code code;
        if (now.contains(path) || !fs::exists(fs::symlink_status(path, code))) continue;
        if (!is_inside(path, folder) && !is_proven(output, path)) continue;
        const FolderStamps seen = output.folder ? stamps_below(path) : FolderStamps();
        if (!differing(output, path, work).empty()) continue;
        if (!is_proven(output, path))
            set_aside_as_backup(path);
        else if (output.folder)
            remove_folder(path, seen);
        else
            remove_file(path, *stamp_of(path), false);
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
