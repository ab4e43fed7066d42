// SPDX-License-Identifier: MIT
// Runs the real binary.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

struct ToolResult {
    int code = -1;  ///< the exit code, or 1000 + the signal that ended it
    std::string out, err;
    double seconds = 0;
    nlohmann::json json() const { return nlohmann::json::parse(out); }
};

struct ToolOptions {
    std::filesystem::path folder;            ///< working folder
    std::string input{};                     ///< standard input
    std::uint64_t file_size_limit = 0;       ///< bytes; as a full disk would
    std::uint64_t address_space = 0;         ///< bytes; large files cannot be mapped then
    bool unprivileged = false;               ///< as nobody, where the test itself runs as root
    std::vector<std::string> environment{};  ///< further "NAME=VALUE"
    std::string binary{};                    ///< another program than the tool
};

/// The binary named by the environment variable HOTSTITCH_TOOL.
ToolResult run_tool(const std::vector<std::string>& arguments, const ToolOptions& options = {});
