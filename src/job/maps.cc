// SPDX-License-Identifier: MIT
// Maps on the disk. Tested by tests/cli/cli_fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/patch.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::uint64_t largest_map = std::uint64_t{16} << 20;

Bytes bytes_of_file(const fs::path& path, const WorkOptions& options) {
    Limits limits = options.limits;
    limits.stream = std::min(limits.stream, largest_map);  // what has no end is given up there
    const InputFile file(path, limits, options.progress);
    if (file.size() > largest_map)
        throw Error(ErrorCode::limit, fmt::format("{} is larger than any map", path.string()));
    return {file.bytes().begin(), file.bytes().end()};
}

bool leads_out(const fs::path& name) {
    return name.is_absolute() || std::find(name.begin(), name.end(), "..") != name.end();
}

}  // namespace

SharedMap read_map_file(const fs::path& path, const WorkOptions& options) {
    const Bytes text = bytes_of_file(path, options);
    const auto beside = [&](const std::string& name) {
        if (leads_out(name)) throw Error(ErrorCode::refused, "a map names no file outside of its folder");
        return bytes_of_file(path.parent_path() / name, options);
    };
    return read_map(text_of(text), path.filename().string(), beside);
}

std::shared_ptr<const Maps> maps_of(const MapChoice& choice, const WorkOptions& options,
                                    std::vector<std::string>* broken) {
    auto maps = std::make_shared<Maps>();
    for (const std::string& file : choice.files) {
        const SharedMap map = read_map_file(file, options);
        maps->add(map, traits_of(*map).for_any);
    }
    if (choice.folder.empty()) return maps;
    for (const fs::path& path : files_in(choice.folder)) {
        if (!path.filename().string().ends_with(map_extension)) continue;
        try {
            maps->add(read_map_file(path, options));
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
            if (broken != nullptr) broken->push_back(error.what());
        }
    }
    return maps;
}

Limits limits_for_patch(const InputFile& patch, const WorkOptions& options) {
    Limits limits = options.limits;
    if (recognise_patch(head_of(patch)) != PatchFormat::edits) return limits;
    const std::vector<std::string> named = open_patch(patch, limits)->facts().maps;
    if (named.empty()) return limits;
    const fs::path folder = patch.path().parent_path();
    auto maps = copied_maps(limits);
    for (const std::string& name : named) {
        if (leads_out(name))
            throw Error(ErrorCode::refused, "an edit list names no map outside of its folder").found(name);
        std::error_code code;
        if (!fs::is_regular_file(folder / name, code)) continue;
        const SharedMap map = read_map_file(folder / name, options);
        maps->add(map, traits_of(*map).for_any);
    }
    const auto beside = maps_of({.files = {}, .folder = folder.empty() ? "." : folder.string()}, options);
    // One that names nothing of its file is for no list that does not name it.
    for (const SharedMap& map : beside->all())
        if (!traits_of(*map).for_any) maps->add(map);
    limits.maps = std::move(maps);
    return limits;
}

}  // namespace hotstitch
