// SPDX-License-Identifier: MIT
#include "lib/run_tool.h"

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <fstream>
#include <iterator>

#include "lib/temporary_folder.h"

namespace {

/// In the child: streams, folder and limits, then the tool itself.
[[noreturn]] void become_tool(std::vector<char*>& argv, const TemporaryFolder& streams, const ToolOptions& options) {
    const auto connect = [&](const char* name, int flags, int to) {
        dup2(open((streams / name).c_str(), flags, 0600), to);
    };
    connect("in", O_RDONLY, STDIN_FILENO);
    connect("out", O_WRONLY | O_CREAT, STDOUT_FILENO);
    connect("err", O_WRONLY | O_CREAT, STDERR_FILENO);
    if (!options.folder.empty() && chdir(options.folder.c_str()) != 0) _exit(126);
    if (options.file_size_limit != 0) {
        const rlimit limit{options.file_size_limit, options.file_size_limit};
        setrlimit(RLIMIT_FSIZE, &limit);
    }
    if (options.unprivileged && geteuid() == 0 && (setgid(65534) != 0 || setuid(65534) != 0)) _exit(125);
    for (const std::string& variable : options.environment) putenv(const_cast<char*>(variable.c_str()));
    execv(argv[0], argv.data());
    _exit(127);
}

std::string slurp(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
}

}  // namespace

ToolResult run_tool(const std::vector<std::string>& arguments, const ToolOptions& options) {
    const char* const tool = std::getenv("HOTSTITCH_TOOL");
    if (tool == nullptr) throw std::runtime_error("HOTSTITCH_TOOL is not set; run the tests by ctest");
    const TemporaryFolder streams;
    streams.put("in", options.input);
    std::string binary = tool;
    if (options.unprivileged) {
        // The build folder may be closed to nobody.
        binary = streams / "hotstitch";
        std::filesystem::copy_file(tool, binary);
    }
    std::vector<std::string> words{binary};
    words.insert(words.end(), arguments.begin(), arguments.end());
    std::vector<char*> argv;
    for (std::string& word : words) argv.push_back(word.data());
    argv.push_back(nullptr);

    const auto began = std::chrono::steady_clock::now();
    const pid_t child = fork();
    if (child == 0) become_tool(argv, streams, options);
    int status = 0;
    waitpid(child, &status, 0);
    ToolResult result;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    result.code = WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status);
    result.out = slurp(streams / "out");
    result.err = slurp(streams / "err");
    return result;
}
