// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_apply_test.cc and tests/part/archive_test.cc.
#include <algorithm>
#include <atomic>
#include <chrono>
#include <thread>

#include "base/workers.h"
#include "hotstitch/error.h"
#include "hotstitch/patch_jobs.h"

namespace hotstitch {
namespace {

/// What every file is held against.
struct Wanted {
    const PatchReader& patch;
    const Checks& checks;
    const std::vector<OtherPatch>& others;
    DigestChoice digests;
};

bool any(DigestChoice choice) {
    return choice.crc32 || choice.md5 || choice.sha1 || choice.sha256;
}

/// What else speaks for or against it, as `apply` would find.
void look_at_evidence(const InputFile& file, const Wanted& wanted, const WorkOptions& work, VerifiedFile& result) {
    const RepresentationTrial trial = opinion_on_representation(wanted.patch, file, work.limits);
    result.opinion = trial.opinion;
    const bool other = trial.opinion && trial.opinion->sure();
    result.diagnosis = implausible_source(wanted.patch, file, file.path().filename().string(),
                                          other ? std::optional(trial.opinion->reading) : std::nullopt);
    if (result.diagnosis) return void(result.fit.answer = FitAnswer::does_not_fit);
    result.own_checks = own_checks(wanted.patch, file, trial, work.limits);
}

void look_at(const InputFile& file, const Wanted& wanted, const WorkOptions& work, VerifiedFile& result) {
    // Of a compressed copy, the copy: the plain image stands nowhere.
    result.path = file.is_computed() ? file.computed_from().path() : file.path();
    result.size = file.size();
    result.fit = fit(wanted.patch, file, wanted.checks, work.limits, work.progress);
    if (any(wanted.digests)) result.digests = digest(file, wanted.digests, work.progress);
    if (result.fit.answer == FitAnswer::unknown) look_at_evidence(file, wanted, work, result);
    if (result.fit.answer == FitAnswer::does_not_fit && !result.diagnosis)
        result.diagnosis =
            diagnose(wanted.patch, file,
                     {wanted.checks, wanted.others, work.limits, work.progress, file.path().filename().string()});
}

void verify(VerifiedFile& result, const Wanted& wanted, const WorkOptions& work) try {
    const SourceFile source = source_for(open_file(result.name, work), wanted.patch, wanted.checks, work);
    result.from_archive = !source.archive.empty();
    look_at(source.file, wanted, work, result);
} catch (const Error& error) {
    result.error = error;
} catch (const std::bad_alloc&) {
    result.error = Error(ErrorCode::limit, "there is no memory left to look at this file");
}

std::vector<VerifiedFile> files_named(const std::vector<std::string>& names) {
    std::vector<VerifiedFile> all;
    for (const std::string& name : names) {
        std::error_code code;
        if (!std::filesystem::is_directory(name, code)) {
            all.push_back({.name = name});
            continue;
        }
        for (const std::filesystem::path& file : files_below(name))
            all.push_back({.name = file.string(), .found = true});
    }
    return all;
}

/// Workers beside the calling thread, which alone asks whether to go on.
void verify_all(std::vector<VerifiedFile>& files, const Wanted& wanted, const WorkOptions& options) {
    std::atomic<std::size_t> next = 0, running = 0;
    std::atomic<bool> stopped = false;
    ProgressState last{Phase::checking_source, 0, 0};
    const auto work = [&](const Progress& progress) {
        WorkOptions own = options;
        own.progress = progress;
        for (std::size_t i = next++; i < files.size() && !stopped; i = next++) verify(files[i], wanted, own);
    };
    const auto ask = [&](const ProgressState& state) {
        last = state;
        if (options.progress && !options.progress(state)) stopped = true;
        return !stopped;
    };
    const std::size_t most = std::min<std::size_t>(files.size(), std::max(1U, std::thread::hardware_concurrency()));
    Workers workers;
    try {
        for (std::size_t i = 1; i < most; ++i) {
            ++running;
            const bool started = workers.start([&] {
                try {
                    work([&](const ProgressState&) { return !stopped; });
                } catch (...) {
                    stopped = true, --running;
                    throw;
                }
                --running;
            });
            if (!started) --running;
        }
        work(ask);
        while (running != 0) {
            std::this_thread::sleep_for(std::chrono::milliseconds(5));
            ask(last);
        }
    } catch (...) {
        stopped = true;
        throw;
    }
    workers.join();
    if (stopped) throw Error(ErrorCode::cancelled, "stopped on request");
}

}  // namespace

std::vector<VerifiedFile> verify_files(const InputFile& patch_file, const PatchReader& patch, const Checks& checks,
                                       const VerifyRequest& request, const WorkOptions& options) {
    std::vector<VerifiedFile> files = files_named(request.files);
    if (files.empty()) throw Error(ErrorCode::usage, "there is no file in the folders named");
    OtherPatches others;
    others.add_beside(patch_file, options);
    verify_all(files, {patch, checks, others.list(), request.digests}, options);
    patch_file.check_intact();
    return files;
}

}  // namespace hotstitch
