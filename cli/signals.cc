// SPDX-License-Identifier: MIT
#include "signals.h"

#include <csignal>

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
    // A closed pipe or a file-size limit is an error of that write, not the end of the process.
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);
}

int stop_signal() noexcept {
    return caught;
}

}  // namespace hotstitch::cli
