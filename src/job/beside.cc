// SPDX-License-Identifier: MIT
// What lies in a folder: files, other patches. Tested by tests/cli/cli_streams_test.cc and tests/cli/cli_apply_test.cc.
#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/inputs.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

template <class Iterator>
std::vector<fs::path> regular_files(Iterator entry) {
    std::vector<fs::path> files;
    for (std::error_code code; entry != Iterator(); entry.increment(code)) {
        std::error_code unreadable;
        if (entry->is_regular_file(unreadable)) files.push_back(entry->path());
        if (code) break;
    }
    std::sort(files.begin(), files.end());
    return files;
}

}  // namespace

fs::path with_own_name(const fs::path& folder) {
    return fs::absolute(folder / ".").lexically_normal().parent_path();
}

std::vector<fs::path> files_in(const fs::path& folder) {
    std::error_code code;
    if (!folder.empty()) return regular_files(fs::directory_iterator(folder, code));
    std::vector<fs::path> files = regular_files(fs::directory_iterator(".", code));
    for (fs::path& file : files) file = file.filename();  // named as they would be typed
    return files;
}

std::vector<fs::path> files_below(const fs::path& folder) {
    std::error_code code;
    return regular_files(fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, code));
}

namespace {

constexpr std::size_t most_beside = 32;
constexpr std::uintmax_t largest_beside = 64 << 20;

std::vector<fs::path> patch_files_in(const fs::path& folder) {
    std::vector<fs::path> files = files_in(folder);
    std::erase_if(files, [](const fs::path& file) {
        std::error_code code;
        const std::uintmax_t size = fs::file_size(file, code);
        return code || size > largest_beside || !format_by_extension(file.extension().string());
    });
    if (files.size() > most_beside) files.resize(most_beside);
    return files;
}

}  // namespace

void OtherPatches::add(const InputFile& file, const PatchReader& reader) {
    list_.push_back({file.path().string(), &reader});
}

void OtherPatches::add_beside(const InputFile& patch, const WorkOptions& options) {
    for (const fs::path& path : patch_files_in(patch.path().parent_path())) {
        try {
            if (patch.is_same_file(path)) continue;
            InputFile file = InputFile::regular(path);
            auto reader = open_patch(file, options.limits);
            opened_.push_back({std::move(file), std::move(reader)});
            add(opened_.back().file, *opened_.back().reader);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // any other: it is no help, and nobody asked for it
        }
    }
}

}  // namespace hotstitch
