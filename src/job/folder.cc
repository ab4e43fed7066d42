// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_disc_test.cc.
#include "job/folder.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/file_io.h"
#include "hotstitch/patch_jobs.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

class FolderContainer final : public Container {
public:
    explicit FolderContainer(fs::path folder) : folder_(std::move(folder)) {}

    KindId kind() const noexcept override { return KindId::folder; }
    std::string title() const override { return "a folder"; }

    void visit(const VisitPart& visitor) const override {
        for (const fs::path& path : files_below(folder_)) {
            const auto stamp = stamp_of(path);
            if (!stamp) continue;
            Part part{.name = path.lexically_relative(folder_).generic_string(),
                      .kind = PartKind::file,
                      .size = stamp->size,
                      .offset = {},
                      .head = {},
                      .storage = PartStorage::in_a_folder};
            part.head = [&path] { return head_of(InputFile::regular(path)); };
            const auto extract = [&path](ByteSink& out) { write_source(InputFile::regular(path), out); };
            if (visitor(part, extract) == Flow::stop) return;
        }
    }

    SharedSource open(const Part& part) const override {
        return std::make_shared<InputFile>(InputFile::regular(folder_ / part.name));
    }

private:
    fs::path folder_;
};

}  // namespace

std::unique_ptr<Container> open_folder(const fs::path& folder) {
    return std::make_unique<FolderContainer>(folder);
}

fs::path file_in_folder(const fs::path& folder, const std::string& name) {
    const fs::path named(name);
    if (named.is_absolute() || std::any_of(named.begin(), named.end(), [](const fs::path& p) { return p == ".."; }))
        throw Error(ErrorCode::usage, fmt::format("{} leads out of the folder {}", name, folder.string())).in("part");
    std::error_code code;
    if (fs::is_regular_file(folder / named, code)) return folder / named;
    return folder / find_part(*open_folder(folder), name).name;
}

}  // namespace hotstitch
