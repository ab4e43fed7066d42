// SPDX-License-Identifier: MIT
#include "signals.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <initializer_list>

namespace hotstitch::cli {
namespace {

volatile std::sig_atomic_t caught = 0;

void remember(int signal) {
    caught = signal;
}

}  // namespace

void catch_stop_signals() {
    struct sigaction action {};
    action.sa_handler = remember;  // no SA_RESTART: a read from a silent pipe has to wake up
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, nullptr);
    sigaction(SIGTERM, &action, nullptr);
    // Who started us with nohup wants to go on when the terminal closes.
    struct sigaction before {};
    if (sigaction(SIGHUP, nullptr, &before) == 0 && before.sa_handler != SIG_IGN) sigaction(SIGHUP, &action, nullptr);
    // A closed pipe or a file-size limit is an error of that write, not the end of the process.
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);
}

void open_missing_streams() {
    // A stream that was closed would lend its number to the next file opened, and a report would be written into it.
    // Each is opened for the direction that nobody needs, so that its use stays an error.
    for (const int number : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) {
        if (fcntl(number, F_GETFD) != -1 || errno != EBADF) continue;
        if (open("/dev/null", number == STDIN_FILENO ? O_WRONLY : O_RDONLY) < 0) _exit(4);
    }
}

int stop_signal() noexcept {
    return caught;
}

}  // namespace hotstitch::cli
