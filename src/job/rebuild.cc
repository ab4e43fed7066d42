// SPDX-License-Identifier: MIT
// A folder with "sys/" and "files/" becomes a disc again. Its files are many, so none stays open. Tested by
// tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch_jobs.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// Opened for each stretch that is read.
class LooseFile final : public ByteSource {
public:
    LooseFile(fs::path path, FileStamp stamp) : path_(std::move(path)), stamp_(stamp) {}
    std::uint64_t size() const noexcept override { return stamp_.size; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        const InputFile file(path_);
        if (file.stamp() != stamp_)
            throw Error(ErrorCode::io, fmt::format("{} was changed while it was read", path_.string()));
        const ByteView bytes = file.read(offset, length, scratch);
        const MutableByteView into = scratch.first(length);
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
        file.check_intact();
        return into;
    }

private:
    const fs::path path_;
    const FileStamp stamp_;
};

}  // namespace

FolderDisc disc_of_folder(const fs::path& folder, const std::vector<Step>& instead, const WorkOptions& work) {
    std::vector<std::pair<std::string, SharedSource>> files;
    std::optional<InputFile> begin;
    std::vector<fs::path> read;
    for (const fs::path& path : files_below(folder)) {
        const auto stamp = stamp_of(path);
        if (!stamp) continue;
        const std::string name = path.lexically_relative(folder).generic_string();
        read.push_back(path);
        SharedSource content = std::make_shared<LooseFile>(path, *stamp);
        for (const Step& step : instead)
            if (const auto* const put = step.as<step::Put>(); put != nullptr && step.at == name)
                content = std::make_shared<InputFile>(open_file(put->file, work));
        files.emplace_back(name, std::move(content));
        // What a disc of this kind begins with, for the receipt to name.
        if (!begin && name.starts_with("sys/") && identify(*files.back().second).platform == "gamecube")
            begin.emplace(path, work.limits, work.progress);
    }
    for (const Step& step : instead) {
        const auto same = [&](const auto& file) { return file.first == step.at; };
        if (step.is<step::Remove>())
            std::erase_if(files, same);
        else if (const auto* const put = step.as<step::Put>();
                 put != nullptr && std::none_of(files.begin(), files.end(), same))
            files.emplace_back(step.at, std::make_shared<InputFile>(open_file(put->file, work)));
    }
    if (files.empty() ||
        !std::any_of(files.begin(), files.end(), [](const auto& f) { return f.first.starts_with("sys/"); }))
        throw Error(ErrorCode::usage, fmt::format("{} has no folder sys/, with which a disc begins", folder.string()))
            .in("folder")
            .hint("a disc's files, taken with \"DISC:\", lie in sys/ and files/");
    const SharedSource disc = disc_from_files(files);
    if (!begin) begin.emplace(folder / fs::path(files.front().first), work.limits, work.progress);
    FolderDisc made{*std::move(begin), ChangeList(0), files.size(), disc->size(), std::move(read)};
    made.change = ChangeList(made.begin.size());
    made.change.put_from(0, made.begin.size(), disc, 0, disc->size());
    return made;
}

}  // namespace hotstitch
