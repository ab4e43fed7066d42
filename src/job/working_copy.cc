// SPDX-License-Identifier: MIT
// Tested by tests/kit/kit_create_test.cc.
#include "job/working_copy.h"

#include <sys/stat.h>

#include <fmt/format.h>

#include "base/meter.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "source/chunks.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t most_entries = 200'000;

}  // namespace

SharedSource WorkingFile::result() const {
    return change_.empty() ? base_ : std::make_shared<ChangedSource>(base_, change_);
}

void WorkingFile::settle(const WorkOptions& work) {
    if (!pending_) return;
    const std::shared_ptr<ByteSink> made = scratch_of(work.limits);
    write(*made, work);
    pending_.reset();
    replace(held(made));
}

SharedSource WorkingFile::now(const WorkOptions& work) {
    settle(work);
    return result();
}

void WorkingFile::change(const ChangeList& change) {
    change_ = change_.empty() ? change : change_.then(change);
}

void WorkingFile::replace(SharedSource content) {
    pending_.reset();
    base_ = std::move(content);
    change_ = ChangeList(base_->size());
}

void WorkingFile::patch(SharedSource file, std::shared_ptr<const PatchReader> reader, const Limits& limits,
                        std::function<Error(const Error&)> blame) {
    pending_.emplace(Pending{std::move(file), std::move(reader), limits, std::move(blame)});
}

std::uint64_t WorkingFile::size(const WorkOptions& work) {
    if (!pending_) return result()->size();
    return pending_->reader->for_source(*base_) ? now(work)->size() : pending_->reader->target_size(result()->size());
}

void WorkingFile::write(ByteSink& out, const WorkOptions& work) {
    const SharedSource source = result();
    if (pending_) {
        ApplyOptions options;
        options.limits = pending_->limits;
        options.progress = work.progress;
        try {
            apply(*pending_->reader, *source, out, options);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
            throw pending_->blame(error);
        }
        return;
    }
    Meter meter(work.progress, Phase::writing, source->size());
    out.reserve(source->size());
    each_chunk(*source, std::size_t{1} << 20, [&](ByteView bytes) {
        out.write(bytes);
        meter.advance(bytes.size());
    });
    meter.finish();
    source->check_intact();
    original_->check_intact();
}

std::vector<std::string> folders_above(const std::string& path) {
    std::vector<std::string> all;
    for (std::size_t at = path.find('/'); at != std::string::npos; at = path.find('/', at + 1))
        all.push_back(path.substr(0, at));
    return all;
}

namespace {

/// Where a path leads, link by link; nothing: out of the tree, or round in a circle.
std::optional<std::string> where_it_leads(const Tree& tree, const std::string& path) {
    constexpr int most_links = 40;
    int links = 0;
    std::vector<std::string> at, ahead;  // the next step last
    const auto go = [&](std::string_view to) {
        std::vector<std::string> steps;
        while (!to.empty()) {
            const std::size_t end = std::min(to.find('/'), to.size());
            if (end != 0) steps.emplace_back(to.substr(0, end));
            to.remove_prefix(std::min(end + 1, to.size()));
        }
        ahead.insert(ahead.end(), steps.rbegin(), steps.rend());
    };
    go(path);
    while (!ahead.empty()) {
        const std::string step = ahead.back();
        ahead.pop_back();
        if (step == ".") continue;
        if (step == "..") {
            if (at.empty()) return std::nullopt;
            at.pop_back();
            continue;
        }
        at.push_back(step);
        const auto found = tree.find(fmt::format("{}", fmt::join(at, "/")));
        if (found == tree.end() || found->second.kind != TreeEntry::Kind::link) continue;
        if (++links > most_links || found->second.to.empty() || found->second.to.front() == '/') return std::nullopt;
        at.pop_back();
        go(found->second.to);
    }
    return fmt::format("{}", fmt::join(at, "/"));
}

}  // namespace

std::string link_leading_out(const Tree& tree) {
    for (const auto& [name, entry] : tree)
        if (entry.kind == TreeEntry::Kind::link && !where_it_leads(tree, name)) return name;
    return {};
}

void refuse_links_out(const Tree& tree) {
    const std::string name = link_leading_out(tree);
    if (name.empty()) return;
    throw Error(ErrorCode::refused, fmt::format("a link leads out of the folder: {}", name))
        .in("link")
        .found(tree.at(name).to)
        .hint("put the file itself there, or take the link away");
}

Tree read_tree(const fs::path& folder) {
    Tree tree;
    std::error_code code;
    fs::recursive_directory_iterator entry(folder, code), end;
    for (; !code && entry != end; entry.increment(code)) {
        const fs::path path = entry->path();
        const std::string name = path.lexically_relative(folder).generic_string();
        struct stat info {};
        if (::lstat(path.c_str(), &info) != 0) throw Error(ErrorCode::io, fmt::format("cannot read {}", path.string()));
        TreeEntry row;
        if (S_ISDIR(info.st_mode)) {
            row.kind = TreeEntry::Kind::folder;
        } else if (S_ISLNK(info.st_mode)) {
            row.kind = TreeEntry::Kind::link;
            row.to = fs::read_symlink(path).string();
        } else if (S_ISREG(info.st_mode)) {
            row.size = static_cast<std::uint64_t>(info.st_size);
            row.executable = (info.st_mode & 0100) != 0;
            row.open = [path] { return std::make_shared<InputFile>(path); };
        } else {
            throw Error(ErrorCode::refused, fmt::format("this is neither file, folder nor link: {}", path.string()))
                .in("folder");
        }
        if (tree.size() == most_entries)
            throw Error(ErrorCode::limit, "the folder holds more than is looked at")
                .wanted(fmt::format("at most {} files and folders", most_entries));
        tree.emplace(name, std::move(row));
    }
    if (code) throw Error(ErrorCode::io, fmt::format("cannot read {}: {}", folder.string(), code.message()));
    refuse_links_out(tree);
    return tree;
}

Tree read_tree(const Listing& container, const Limits& limits) {
    Tree tree;
    for (const Part& part : container->parts()) {
        if (part.kind == PartKind::link) continue;  // which has no content to be read
        if (const std::string why = why_unsafe(part.name); !why.empty() && why.find("system") == std::string::npos)
            throw Error(ErrorCode::damaged, why).found(part.name);
        for (const std::string& above : folders_above(part.name))
            tree.try_emplace(above, TreeEntry{.kind = TreeEntry::Kind::folder});
        TreeEntry row;
        row.size = part.size.value_or(0);
        row.open = [container, part, limits] { return container.content(part, limits); };
        tree.insert_or_assign(part.name, std::move(row));
    }
    return tree;
}

Digests digests_of(const std::vector<TreeRow>& rows) {
    Digester digester({});
    std::uint64_t size = 0;
    for (const TreeRow& row : rows) {
        const bool file = row.kind == TreeEntry::Kind::file;
        const char kind = row.kind == TreeEntry::Kind::folder ? 'd' : !file ? 'l' : row.executable ? 'x' : 'f';
        digester.update(bytes_of(fmt::format("{} {}\n{} {} {}\n", kind, row.name, row.digests.size.value_or(0),
                                             row.digests.crc32 ? row.digests.crc32->hex() : "-", row.to)));
        size += row.digests.size.value_or(0);
    }
    Digests digests = digester.finish();
    digests.size = size;
    return digests;
}

Digests digests_of(const Tree& tree) {
    std::vector<TreeRow> rows;
    for (const auto& [name, entry] : tree)
        rows.push_back({name, entry.kind, entry.executable, Digests{.size = entry.size}, entry.to});
    return digests_of(rows);
}

}  // namespace hotstitch
