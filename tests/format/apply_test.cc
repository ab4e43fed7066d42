// SPDX-License-Identifier: MIT
#include "hotstitch/apply.h"

#include <gtest/gtest.h>

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

using makers::ips_record, makers::ips_run;
using namespace std::string_literals;

const std::string source = "The ferry waits at berth seven.";
const std::string patch = "PATCH" + ips_record(4, "barge") + "EOF";
const std::string target = "The barge waits at berth seven.";

Digests digests_of(const std::string& text) {
    return digest(MemorySource(bytes_of(text)), {});
}

ErrorCode code_of(const ApplyOptions& options, const std::string& with = patch, const std::string& from = source) {
    try {
        hotstitch::apply_in_memory(bytes_of(with), bytes_of(from), options);
    } catch (const Error& error) {
        return error.code();
    }
    return ErrorCode{};
}

TEST(Apply, ChecksWhatItIsTold) {
    ApplyOptions right;
    right.checks = {digests_of(patch), digests_of(source), digests_of(target)};
    MemorySink sink;
    const ApplyReport report =
        hotstitch::apply(MemorySource(bytes_of(patch)), MemorySource(bytes_of(source)), sink, right);
    EXPECT_TRUE(report.made && report.target_checked && report.overridden.empty());
    EXPECT_EQ(report.fit.answer, FitAnswer::fits);
    EXPECT_EQ(report.target.crc32, crc32(bytes_of(target)));
    EXPECT_EQ(text_of(sink.bytes()), target);

    struct Row {
        Digests Checks::*which;
        bool ApplyOptions::*allow;
        ErrorCode code;
    };
    for (const Row& row : {Row{&Checks::patch, &ApplyOptions::allow_patch, ErrorCode::damaged},
                           Row{&Checks::source, &ApplyOptions::allow_source, ErrorCode::wrong_source},
                           Row{&Checks::target, &ApplyOptions::allow_target, ErrorCode::damaged}}) {
        ApplyOptions wrong = right;
        (wrong.checks.*row.which).crc32 = Crc32{0x12345678};
        EXPECT_EQ(code_of(wrong), row.code);
        wrong.*row.allow = true;
        MemorySink out;
        EXPECT_EQ(hotstitch::apply(MemorySource(bytes_of(patch)), MemorySource(bytes_of(source)), out, wrong)
                      .overridden.size(),
                  1U);
        EXPECT_EQ(text_of(out.bytes()), target);
    }
}

TEST(Apply, NoticesAPatchedSource) {
    ApplyOptions options;
    options.make_when_already_patched = false;
    MemorySink sink;
    const ApplyReport report =
        hotstitch::apply(MemorySource(bytes_of(patch)), MemorySource(bytes_of(target)), sink, options);
    EXPECT_EQ(report.fit.answer, FitAnswer::already_patched);
    EXPECT_FALSE(report.made);
    EXPECT_TRUE(sink.bytes().empty());
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(bytes_of(patch), bytes_of(target)).target), target);
}

TEST(Fit, TellsWhatAFormatWithoutChecksAllows) {
    struct Row {
        const char* name;
        std::string patch, source;
        FitAnswer answer;
        std::uint64_t past_end;
        bool changes_nothing;
    };
    const Row rows[] = {
        {"nothing known", patch, source, FitAnswer::unknown, 0, false},
        {"holds it all", patch, target, FitAnswer::already_patched, 0, false},
        {"run held", "PATCH" + ips_run(0, 3, 'x') + "EOF", "xxxy", FitAnswer::already_patched, 0, false},
        {"run not held", "PATCH" + ips_run(0, 3, 'x') + "EOF", "xxzy", FitAnswer::unknown, 0, false},
        {"held but not cut", "PATCH" + ips_record(0, "x") + "EOF\0\0\2"s, "xyz", FitAnswer::unknown, 0, false},
        {"empty patch", "PATCHEOF", source, FitAnswer::unknown, 0, true},
        {"grows at the end", "PATCH" + ips_record(31, "x") + "EOF", source, FitAnswer::unknown, 0, false},
        {"starts past the end", "PATCH" + ips_record(131, "x") + "EOF", source, FitAnswer::unknown, 100, false},
    };
    for (const Row& row : rows) {
        const Fit answer = fit(*open_patch(bytes_of(row.patch)), MemorySource(bytes_of(row.source)), {});
        EXPECT_EQ(answer.answer, row.answer) << row.name;
        EXPECT_EQ(answer.starts_past_end, row.past_end) << row.name;
        EXPECT_EQ(answer.changes_nothing, row.changes_nothing) << row.name;
    }
}

TEST(Apply, KeepsToTheOutputLimitBeforeReserving) {
    class Counting final : public ByteSink {
    public:
        void reserve(std::uint64_t) override { ++calls; }
        void write(ByteView) override { ++calls; }
        int calls = 0;
    } sink;
    const std::string huge = "IPS32" + ips_run(0xFFFF0000, 9, 'x', 4) + "EEOF";
    EXPECT_THROW(hotstitch::apply(MemorySource(bytes_of(huge)), MemorySource(bytes_of(source)), sink), Error);
    EXPECT_EQ(sink.calls, 0);
    EXPECT_EQ(code_of({}, huge), ErrorCode::limit);
}

TEST(Apply, StopsWhenTold) {
    const Bytes big(16 << 20);
    ApplyOptions options;
    options.progress = [](const ProgressState& state) { return state.done < (4 << 20); };
    EXPECT_THROW(hotstitch::apply_in_memory(bytes_of(patch), big, options), Error);
}

TEST(Apply, BlamesAFailingSourceAndNotThePatch) {
    class Failing final : public ByteSource {
    public:
        std::uint64_t size() const noexcept override { return 31; }
        ByteView read(std::uint64_t, std::size_t length, MutableByteView scratch) const override {
            std::fill_n(scratch.begin(), length, std::byte{0});
            return scratch.first(length);
        }
        void check_intact() const override { throw Error(ErrorCode::io, "the disk failed"); }
    };
    ApplyOptions options;
    options.checks.source = digests_of(source);
    MemorySink sink;
    try {
        hotstitch::apply(MemorySource(bytes_of(patch)), Failing(), sink, options);
        FAIL() << "believed a failing source";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::io);
    }
}

TEST(Create, RefusesASinkThatCannotGiveBack) {
    class Silent final : public ByteSink {
    public:
        void write(ByteView) override {}
    } sink;
    EXPECT_THROW(create(MemorySource(bytes_of(source)), MemorySource(bytes_of(target)), sink), Error);
}

const CreateOptions as_ips{.format = PatchFormat::ips};

TEST(Create, SaysWhatOldAppliersFailOn) {
    const auto demands = [](const std::string& from, const std::string& to) {
        MemorySink sink;
        return create(MemorySource(bytes_of(from)), MemorySource(bytes_of(to)), sink, as_ips).demands;
    };
    EXPECT_FALSE(demands(source, target).any());
    EXPECT_TRUE(demands(source, target + "more").grows);
    EXPECT_TRUE(demands(source, "less").cuts);
    const std::string big(0x1000010, 'x');
    EXPECT_TRUE(demands(big, big.substr(1) + "y").past_16_mib);
}

}  // namespace
}  // namespace hotstitch
