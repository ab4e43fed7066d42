// SPDX-License-Identifier: MIT
// Threads beside the calling one: joined at the latest when this goes, and what one of them throws is thrown by join().
#pragma once

#include <exception>
#include <functional>
#include <mutex>
#include <system_error>
#include <thread>
#include <utility>
#include <vector>

namespace hotstitch {

class Workers {
public:
    Workers() = default;
    Workers(const Workers&) = delete;
    Workers& operator=(const Workers&) = delete;
    ~Workers() { wait(); }

    /// False: the system has no thread to give.
    bool start(std::function<void()> work) {
        try {
            threads_.emplace_back([this, work = std::move(work)] {
                try {
                    work();
                } catch (...) {
                    const std::lock_guard lock(mutex_);
                    if (!failure_) failure_ = std::current_exception();
                }
            });
        } catch (const std::system_error&) {
            return false;
        }
        return true;
    }

    void join() {
        wait();
        if (failure_) std::rethrow_exception(std::exchange(failure_, nullptr));
    }

private:
    void wait() {
        for (std::thread& thread : threads_) thread.join();
        threads_.clear();
    }

    std::vector<std::thread> threads_;
    std::mutex mutex_;
    std::exception_ptr failure_;
};

}  // namespace hotstitch
