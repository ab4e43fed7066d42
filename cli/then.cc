// SPDX-License-Identifier: MIT
#include "then.h"

#include <sys/wait.h>

#include <cstdio>
#include <cstdlib>

#include "hotstitch/report.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

int run_then(std::string command, const std::string& output, bool to_stderr) {
    const std::string word = shell_file(output);
    for (std::size_t at = command.find("{}"); at != std::string::npos; at = command.find("{}", at + word.size()))
        command.replace(at, 2, word);
    if (to_stderr) command = "{ " + command + "\n} >&2";
    std::fflush(nullptr);
    const int status = std::system(command.c_str());
    if (status == -1) return static_cast<int>(tell::ExitCode::system);
    return WIFSIGNALED(status) ? 128 + WTERMSIG(status) : WEXITSTATUS(status);
}

}  // namespace hotstitch::cli
