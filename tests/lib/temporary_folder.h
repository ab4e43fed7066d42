// SPDX-License-Identifier: MIT
#pragma once

#include <filesystem>
#include <set>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

/// A folder of its own for one test, gone with the object.
class TemporaryFolder {
public:
    TemporaryFolder();
    ~TemporaryFolder();
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;

    std::filesystem::path operator/(std::string_view name) const { return path_ / name; }
    const std::filesystem::path& path() const { return path_; }

    /// Writes a file and returns its path.
    std::filesystem::path put(std::string_view name, hotstitch::ByteView bytes) const;
    std::filesystem::path put(std::string_view name, std::string_view text) const;
    /// Names of everything below the folder.
    std::set<std::string> names() const;

private:
    std::filesystem::path path_;
};

hotstitch::Bytes contents(const std::filesystem::path& path);
