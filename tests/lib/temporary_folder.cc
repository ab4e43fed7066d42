// SPDX-License-Identifier: MIT
#include "lib/temporary_folder.h"

#include <fstream>
#include <random>

#include "lib/patch_makers.h"

namespace fs = std::filesystem;

TemporaryFolder::TemporaryFolder() {
    std::random_device random;
    path_ = fs::temp_directory_path() / ("hotstitch-test-" + std::to_string(random()));
    fs::create_directories(path_);
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ignored;
    fs::remove_all(path_, ignored);
}

fs::path TemporaryFolder::put(std::string_view name, hotstitch::ByteView bytes) const {
    const fs::path path = path_ / name;
    fs::create_directories(path.parent_path());
    std::ofstream(path, std::ios::binary).write(reinterpret_cast<const char*>(bytes.data()), std::ssize(bytes));
    return path;
}

fs::path TemporaryFolder::put(std::string_view name, std::string_view text) const {
    return put(name, hotstitch::bytes_of(text));
}

std::set<std::string> TemporaryFolder::names() const {
    std::set<std::string> all;
    for (const auto& entry : fs::recursive_directory_iterator(path_))
        all.insert(entry.path().lexically_relative(path_).string());
    return all;
}

hotstitch::Bytes contents(const fs::path& path) {
    hotstitch::Bytes bytes(fs::is_regular_file(path) ? fs::file_size(path) : 0);
    std::ifstream(path, std::ios::binary).read(reinterpret_cast<char*>(bytes.data()), std::ssize(bytes));
    return bytes;
}
