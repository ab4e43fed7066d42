// SPDX-License-Identifier: MIT
#include "commands/common.h"

#include <fmt/format.h>
#include <unistd.h>

#include "hotstitch/error.h"
#include "hotstitch/words.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress) {
    if (name == "-") return InputFile::from_descriptor(STDIN_FILENO, "standard input", limits, progress);
    std::error_code code;
    if (fs::exists(name, code) || code) return InputFile(name, limits, progress);
    std::vector<std::string> beside;
    for (const fs::path& file : files_in(fs::path(name).parent_path())) beside.push_back(file.filename().string());
    const std::string near = nearest_word(fs::path(name).filename().string(), beside);
    throw Error(ErrorCode::io, fmt::format("cannot open {}: No such file or directory", name))
        .hint(near.empty()
                  ? ""
                  : fmt::format("did you mean {}?", shell_file((fs::path(name).parent_path() / near).string())));
}

}  // namespace hotstitch::cli
