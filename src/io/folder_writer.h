// SPDX-License-Identifier: MIT
// Fills a folder that nobody else knows yet.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "hotstitch/source.h"

namespace hotstitch {

/// Names are paths below the folder, with '/'; the folders above them are made. All throw Error(io).
class FolderWriter {
public:
    explicit FolderWriter(std::filesystem::path root) : root_(std::move(root)) {}
    void folder(const std::string& name);
    void link(const std::string& name, const std::string& to);
    void file(const std::string& name, bool executable, const std::function<void(ByteSink&)>& write);
    /// Brings all of it to the disk.
    void flush() const;
    const std::filesystem::path& root() const noexcept { return root_; }

private:
    std::filesystem::path root_;
};

}  // namespace hotstitch
