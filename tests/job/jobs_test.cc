// SPDX-License-Identifier: MIT
// What a program that links the library may do wrong, or have too little of: always an Error, never an end.
#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <new>
#include <optional>

#include "base/workers.h"
#include "cartridges.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part.h"
#include "hotstitch/patch_jobs.h"
#include "kelp_harbour.h"
#include "lib/temporary_folder.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

std::optional<ErrorCode> code_thrown(const std::function<void()>& work) {
    try {
        work();
    } catch (const Error& error) {
        return error.code();
    }
    return std::nullopt;
}

TEST(Jobs, ThatAreNotOpenSaySo) {
    MemorySink sink;
    Job job(Recipe::of_patches("a", {"b"}), {});
    CreateJob create_job({}, {});
    RecastJob recast_job({}, {});
    OverlapJob overlap_job({}, {});
    KitJob kit_job({}, {});
    const std::pair<const char*, std::function<void()>> calls[] = {
        {"job: output_path", [&] { job.output_path(); }},
        {"job: source", [&] { job.source(); }},
        {"job: run", [&] { job.run(); }},
        {"job: run into a sink", [&] { job.run(sink); }},
        {"job: plan", [&] { job.plan(); }},
        {"job: change", [&] { job.change(); }},
        {"create: source", [&] { create_job.source(); }},
        {"create: target", [&] { create_job.target(); }},
        {"create: run", [&] { create_job.run(); }},
        {"create: run into a sink", [&] { create_job.run(sink); }},
        {"recast: source", [&] { recast_job.source(); }},
        {"recast: patch", [&] { recast_job.patch(); }},
        {"recast: run", [&] { recast_job.run(); }},
        {"overlap: source", [&] { overlap_job.source(); }},
        {"overlap: run", [&] { overlap_job.run(); }},
        {"kit: plan", [&] { kit_job.plan(); }},
        {"kit: run", [&] { kit_job.run(); }},
        {"kit: conflicts", [&] { kit_job.conflicts(); }}};
    for (const auto& [name, call] : calls) EXPECT_EQ(code_thrown(call), ErrorCode::usage) << name;
}

/// Has no memory for anything.
struct NoMemory final : ByteSink {
    void reserve(std::uint64_t) override { throw std::bad_alloc(); }
    void write(ByteView) override { throw std::bad_alloc(); }
};
struct NoMemorySource final : ByteSource {
    std::uint64_t size() const noexcept override { return 1 << 20; }
    ByteView read(std::uint64_t, std::size_t, MutableByteView) const override { throw std::bad_alloc(); }
};

TEST(Jobs, MemoryThatRunsOutIsALimit) {
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source);
    const Bytes patch = create(source, target);
    NoMemory sink;
    EXPECT_EQ(code_thrown([&] { apply(MemorySource(patch), MemorySource(source), sink); }), ErrorCode::limit);
    EXPECT_EQ(code_thrown([&] { create(MemorySource(source), MemorySource(target), sink); }), ErrorCode::limit);
    EXPECT_EQ(code_thrown([&] { open_patch(NoMemorySource(), {.memory = std::uint64_t{1} << 62}); }), ErrorCode::limit);
    const AppliedInMemory whole = apply_in_memory(patch, source);
    EXPECT_TRUE(whole.target == target && whole.report.made && whole.report.target_checked);
}

TEST(Jobs, WhatAWorkerThrowsIsThrownByWhoWaits) {
    Workers workers;
    ASSERT_TRUE(workers.start([] { throw Error(ErrorCode::io, "the disk went away"); }));
    ASSERT_TRUE(workers.start([] {}));
    EXPECT_EQ(code_thrown([&] { workers.join(); }), ErrorCode::io);
    // A progress callback that throws ends the work, not the process.
    const TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1);
    folder.put("p.bps", create(source, demo::night_tides(source)));
    VerifyRequest request;
    for (int i = 0; i < 8; ++i) request.files.push_back(folder.put(std::to_string(i), source).string());
    const InputFile patch(folder / "p.bps");
    WorkOptions options;
    options.progress = [](const ProgressState&) -> bool { throw Error(ErrorCode::refused, "no more"); };
    // Whether the calling thread still has to wait when it asks is a matter of luck.
    int stopped = 0;
    for (int round = 0; round < 20; ++round)
        stopped +=
            code_thrown([&] { verify_files(patch, *open_patch(patch), {}, request, options); }) == ErrorCode::refused
                ? 1
                : 0;
    EXPECT_GT(stopped, 0);
}

TEST(Jobs, NoContainerHoldsItselfWithoutAnEnd) {
    for (const demo::NamedRom& rom : demo::cartridges()) {
        Bytes file = rom.rom;
        int depth = 0;
        for (; depth < 6; ++depth) {
            const MemorySource source(file);
            const auto container = open_container(source);
            if (!container) break;
            const std::vector<Part> parts = container->parts();
            if (std::none_of(parts.begin(), parts.end(), [](const Part& p) { return p.name == "bank 0"; })) break;
            MemorySink sink;
            extract_part(*container, "bank 0", sink);
            file = sink.take();
        }
        EXPECT_LT(depth, 3) << rom.name;
    }
}

}  // namespace
}  // namespace hotstitch
