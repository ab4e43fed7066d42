// SPDX-License-Identifier: MIT
#include "other_patches.h"

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "search.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

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
    list_.push_back({shown(file.path()), &reader});
}

void OtherPatches::add_beside(const InputFile& patch, const Context& context) {
    for (const fs::path& path : patch_files_in(patch.path().parent_path())) {
        try {
            if (patch.is_same_file(path)) continue;
            InputFile file(path);
            auto reader = open_patch(file.bytes(), context.limits);
            opened_.push_back({std::move(file), std::move(reader)});
            add(opened_.back().file, *opened_.back().reader);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // any other: it is no help, and nobody asked for it
        }
    }
}

}  // namespace hotstitch::cli
