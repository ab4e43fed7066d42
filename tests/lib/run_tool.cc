// SPDX-License-Identifier: MIT
#include "lib/run_tool.h"

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>

#include "lib/temporary_folder.h"

namespace {

/// All that the child needs, made before the fork: another thread may hold the allocator's lock at that moment, so the
/// child only calls what POSIX allows there.
struct Launch {
    std::string binary, in, out, err, folder;
    std::vector<std::string> words, variables;
    std::vector<char*> argv, environment;
    rlimit file_size{}, address_space{};
    bool unprivileged = false;

    Launch(const std::string& tool, const std::vector<std::string>& arguments, const TemporaryFolder& streams,
           const ToolOptions& options)
        : binary(tool),
          in(streams / "in"),
          out(streams / "out"),
          err(streams / "err"),
          folder(options.folder),
          words{tool},
          variables(options.environment),
          file_size{options.file_size_limit, options.file_size_limit},
          address_space{options.address_space, options.address_space},
          unprivileged(options.unprivileged && geteuid() == 0) {
        words.insert(words.end(), arguments.begin(), arguments.end());
        for (std::string& word : words) argv.push_back(word.data());
        for (std::string& variable : variables) environment.push_back(variable.data());
        for (char** variable = environ; *variable != nullptr; ++variable)
            if (!is_given(*variable)) environment.push_back(*variable);
        argv.push_back(nullptr);
        environment.push_back(nullptr);
    }

    [[nodiscard]] bool is_given(std::string_view variable) const {
        const std::string_view name = variable.substr(0, variable.find('=') + 1);
        return std::any_of(variables.begin(), variables.end(), [&](const auto& one) { return one.starts_with(name); });
    }

    /// In the child: streams, folder and limits, then the tool itself.
    [[noreturn]] void become_tool() const {
        dup2(open(in.c_str(), O_RDONLY), STDIN_FILENO);
        dup2(open(out.c_str(), O_WRONLY | O_CREAT, 0600), STDOUT_FILENO);
        dup2(open(err.c_str(), O_WRONLY | O_CREAT, 0600), STDERR_FILENO);
        if (!folder.empty() && chdir(folder.c_str()) != 0) _exit(126);
        if (file_size.rlim_cur != 0) setrlimit(RLIMIT_FSIZE, &file_size);
        if (address_space.rlim_cur != 0) setrlimit(RLIMIT_AS, &address_space);
        if (unprivileged && (setgid(65534) != 0 || setuid(65534) != 0)) _exit(125);
        execve(argv[0], argv.data(), environment.data());
        _exit(127);
    }
};

std::string text_in(const std::filesystem::path& path) {
    const hotstitch::Bytes bytes = contents(path);
    return std::string(hotstitch::text_of(bytes));
}

}  // namespace

ToolResult run_tool(const std::vector<std::string>& arguments, const ToolOptions& options) {
    const char* const tool = options.binary.empty() ? std::getenv("HOTSTITCH_TOOL") : options.binary.c_str();
    if (tool == nullptr) throw std::runtime_error("HOTSTITCH_TOOL is not set; run the tests by ctest");
    const TemporaryFolder streams;
    streams.put("in", options.input);
    std::string binary = tool;
    if (options.unprivileged) {
        // The build folder may be closed to nobody.
        binary = streams / "hotstitch";
        std::filesystem::copy_file(tool, binary);
    }
    const Launch launch(binary, arguments, streams, options);
    const auto began = std::chrono::steady_clock::now();
    const pid_t child = fork();
    if (child == 0) launch.become_tool();
    int status = 0;
    waitpid(child, &status, 0);
    ToolResult result;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    result.code = WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status);
    result.out = text_in(streams / "out");
    result.err = text_in(streams / "err");
    return result;
}
