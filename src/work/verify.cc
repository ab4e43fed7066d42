// SPDX-License-Identifier: MIT
// Tested by tests/cli_apply_test.cc and tests/archive_test.cc.
#include <algorithm>
#include <atomic>
#include <chrono>
#include <thread>

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

void look_at(const InputFile& file, const Wanted& wanted, const WorkOptions& work, VerifiedFile& result) {
    // Of a compressed copy, the copy: the plain image stands nowhere.
    result.path = file.is_computed() ? file.computed_from().path() : file.path();
    result.size = file.size();
    result.fit = fit(wanted.patch, file, wanted.checks, work.limits, work.progress);
    if (any(wanted.digests)) result.digests = digest(file, wanted.digests, work.progress);
    if (result.fit.answer == FitAnswer::unknown)
        result.opinion = opinion_on_representation(wanted.patch, file, work.limits).opinion;
    if (result.fit.answer == FitAnswer::does_not_fit)
        result.diagnosis =
            diagnose(wanted.patch, file,
                     {wanted.checks, wanted.others, work.limits, work.progress, file.path().filename().string()});
}

void verify(VerifiedFile& result, const Wanted& wanted, const WorkOptions& work) try {
    const InputFile file = open_file(result.name, work);
    look_at(file, wanted, work, result);
    if (result.fits()) return;
    if (const auto inside = source_inside(file, wanted.patch, wanted.checks, work)) {
        VerifiedFile other{.name = result.name, .found = result.found};
        other.from_archive = true;
        look_at(*inside, wanted, work, other);
        result = std::move(other);
    }
} catch (const Error& error) {
    result.error = error;
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
    const std::size_t workers = std::min<std::size_t>(files.size(), std::max(1U, std::thread::hardware_concurrency()));
    std::vector<std::thread> threads;
    for (std::size_t i = 1; i < workers; ++i) {
        ++running;
        threads.emplace_back([&] {
            work([&](const ProgressState&) { return !stopped; });
            --running;
        });
    }
    work(ask);
    while (running != 0) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        ask(last);
    }
    for (std::thread& thread : threads) thread.join();
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
