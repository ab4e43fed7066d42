// SPDX-License-Identifier: MIT
// The target is cut into stretches that are parsed on their own, by as many threads as there are, and told in order.
// Where they are cut depends on the files alone, so the edits do not depend on the number of threads.
#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <exception>
#include <system_error>
#include <thread>

#include "match/stretch_parser.h"

namespace hotstitch {
namespace {

StretchParser parser_for(MatchJob& job, Ticker& ticker) {
    return job.options.effort == Effort::quick ? greedy_parser(job, ticker) : cheapest_parser(job, ticker);
}

/// Joins what was cut at the end of a stretch.
class JoiningSink {
public:
    explicit JoiningSink(EditSink& sink) : sink_(sink) {}

    Flow put(const Edit& edit) {
        if (pending_ && goes_on(*pending_, edit)) {
            pending_->length += edit.length;
            if (edit.kind == EditKind::literal)
                pending_->bytes = ByteView(pending_->bytes.data(), pending_->bytes.size() + edit.bytes.size());
            return Flow::go_on;
        }
        const Flow flow = finish();
        pending_ = edit;
        return flow;
    }
    Flow finish() {
        const Flow flow = pending_ ? sink_.put(*pending_) : Flow::go_on;
        pending_.reset();
        return flow;
    }

private:
    static bool goes_on(const Edit& a, const Edit& b) {
        if (a.kind != b.kind) return false;
        switch (a.kind) {
            case EditKind::copy_source:
            case EditKind::copy_target: return a.offset + a.length == b.offset;
            case EditKind::literal: return a.bytes.data() + a.bytes.size() == b.bytes.data();
            case EditKind::run: return a.value == b.value;
            case EditKind::xor_source: break;
        }
        return false;
    }
    EditSink& sink_;
    std::optional<Edit> pending_;
};

/// Progress of work on the caller's own thread.
class OwnTicker : public Ticker {
public:
    OwnTicker(Meter& meter, std::uint64_t source_size) : meter_(meter), source_size_(source_size) {}
    void indexed(std::uint64_t bytes) override {
        if (!indexing_) indexing_.emplace(meter_.progress(), Phase::indexing, source_size_);
        indexing_->advance_to(bytes);
    }
    void parsed(std::uint64_t bytes) override { meter_.advance(bytes); }
    void went_on() override { meter_.finish(); }

private:
    Meter& meter_;
    std::uint64_t source_size_;
    std::optional<Meter> indexing_;
};

/// Threads that parse stretches ahead of the one who tells them.
class Crew {
public:
    Crew(MatchJob& job, unsigned threads) : job_(job), lead_(threads + 2), results_(lead_) {
        try {
            for (unsigned i = 0; i < threads; ++i) threads_.emplace_back([this] { work(); });
        } catch (const std::system_error&) {
            // Fewer do as well, with the same edits.
            if (threads_.empty())
                throw Error(ErrorCode::limit, "the system starts no more threads")
                    .hint("end other programs, and run it again");
        }
    }
    Crew(const Crew&) = delete;
    Crew& operator=(const Crew&) = delete;
    ~Crew() {
        {
            // Under the lock: a thread between its look at `stop_` and its wait would never hear of it.
            const std::lock_guard lock(mutex_);
            stop_ = true;
        }
        changed_.notify_all();
        for (std::thread& thread : threads_) thread.join();
    }

    /// The edits of the next stretch; `meanwhile` is called before, and now and then while they are waited for.
    template <class Meanwhile>
    std::vector<Edit> next(Meanwhile&& meanwhile) {
        using namespace std::chrono_literals;
        meanwhile(indexed_.load(), parsed_.load());
        std::unique_lock lock(mutex_);
        Result& result = results_[told_ % lead_];
        while (!changed_.wait_for(lock, 50ms, [&] { return result.done; })) {
            lock.unlock();
            meanwhile(indexed_.load(), parsed_.load());
            lock.lock();
        }
        if (result.failure) std::rethrow_exception(result.failure);
        std::vector<Edit> edits = std::move(result.edits);
        result = {};
        ++told_;
        changed_.notify_all();
        return edits;
    }

private:
    struct Result {
        std::vector<Edit> edits;
        std::exception_ptr failure;
        bool done = false;
    };
    struct CrewTicker : Ticker {
        explicit CrewTicker(Crew& c) : crew(c) {}
        void indexed(std::uint64_t bytes) override { crew.indexed_ = bytes, check(); }
        void parsed(std::uint64_t bytes) override { crew.parsed_ += bytes, check(); }
        void went_on() override { check(); }
        void check() const {
            if (crew.stop_) throw Error(ErrorCode::cancelled, "stopped on request");
        }
        Crew& crew;
    };

    void work() {
        CrewTicker ticker(*this);
        StretchParser parser;  // made under the guard below: it takes memory
        for (std::unique_lock lock(mutex_);;) {
            changed_.wait(lock, [&] { return stop_ || taken_ < told_ + lead_; });
            const std::uint64_t number = taken_;
            if (stop_ || number * MatchJob::stretch >= job_.target.size()) return;
            ++taken_;
            lock.unlock();
            Result result{.edits = {}, .failure = {}, .done = true};
            try {
                if (!parser) parser = parser_for(job_, ticker);
                result.edits = parser(number);
            } catch (...) {
                result.failure = std::current_exception();
            }
            lock.lock();
            results_[number % lead_] = std::move(result);
            changed_.notify_all();
        }
    }

    MatchJob& job_;
    std::uint64_t lead_;
    std::uint64_t taken_ = 0, told_ = 0;  ///< stretches begun, and handed out
    std::vector<Result> results_;
    std::mutex mutex_;
    std::condition_variable changed_;
    std::atomic<bool> stop_{false};
    std::atomic<std::uint64_t> indexed_{0}, parsed_{0};
    std::vector<std::thread> threads_;
};

}  // namespace

MatchFacts match_anywhere(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter) {
    const std::uint64_t stretches = (target.size() + MatchJob::stretch - 1) / MatchJob::stretch;
    OwnTicker own(meter, source.size());
    MatchJob job(source, target, options, own);
    JoiningSink joined(sink);
    const auto tell = [&](const std::vector<Edit>& edits) {
        return std::all_of(edits.begin(), edits.end(),
                           [&](const Edit& edit) { return joined.put(edit) == Flow::go_on; });
    };
    const auto threads =
        static_cast<unsigned>(std::min<std::uint64_t>(job.options.threads, stretches / job.depth.stretches));
    std::uint64_t told = 0;
    if (threads <= 1) {
        const StretchParser parser = parser_for(job, own);
        while (told < stretches && tell(parser(told))) ++told;
    } else {
        Crew crew(job, threads);
        std::uint64_t ticked = 0, ticked_index = 0;
        const auto tick = [&](std::uint64_t indexed, std::uint64_t parsed) {
            if (indexed != std::exchange(ticked_index, indexed)) own.indexed(indexed);
            own.parsed(parsed - std::exchange(ticked, parsed));
        };
        while (told < stretches && tell(crew.next(tick))) ++told;
    }
    joined.finish();
    return job.facts();
}

}  // namespace hotstitch
