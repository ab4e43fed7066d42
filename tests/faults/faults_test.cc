// SPDX-License-Identifier: MIT
// Every command that writes: killed before, and failing in, each system call that changes something on disk; on a full
// disk; beside a second process. Nothing is lost, nothing is torn, nothing unknown stays, and the same call again goes
// through. scripts/faults.sh tries all of it, the quick runs a sample.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cerrno>
#include <cstdlib>
#include <functional>
#include <map>
#include <regex>
#include <thread>

#include "cartridges.h"
#include "console_discs.h"
#include "data_files.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/file_io.h"
#include "hotstitch/receipt.h"
#include "kelp_harbour.h"
#include "lib/fault_walk.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using Calls = std::vector<std::vector<std::string>>;

struct Scenario {
    const char* name;
    Calls before;                   ///< prepare the folder
    std::vector<std::string> call;  ///< the one that is killed
    const char* stands;             ///< always there, old or new; empty: none such
    friend void PrintTo(const Scenario& row, std::ostream* out) { *out << row.name; }
};

const std::vector<Scenario> scenarios{
    {"apply beside the source", {}, {"apply", "kelp.sfc", "night.bps", "-o", "new/sub/night.sfc"}, "kelp.sfc"},
    {"a heap", {}, {"night.bps", "h.smc", "kelp.sfc", "-o", "new/"}, "kelp.sfc"},
    {"apply in place", {}, {"apply", "kelp.sfc", "night.bps", "--in-place"}, "kelp.sfc"},
    {"apply in place with a reverse patch",
     {},
     {"apply", "kelp.sfc", "night.bps", "--in-place", "--no-backup", "--keep-reverse"},
     "kelp.sfc"},
    {"apply in place a second time",
     {{"apply", "kelp.sfc", "night.bps", "--in-place"}},
     {"apply", "kelp.sfc", "fog.bps", "--in-place"},
     "kelp.sfc"},
    {"apply over another file", {}, {"apply", "kelp.sfc", "night.bps", "-o", "other.sfc", "--replace"}, "other.sfc"},
    {"create with checks", {}, {"create", "kelp.sfc", "night.sfc", "-o", "made.ips", "--checks"}, "kelp.sfc"},
    {"create over a patch",
     {},
     {"create", "kelp.sfc", "night.sfc", "-o", "fog.bps", "--replace", "--checks"},
     "fog.bps"},
    {"recast", {}, {"recast", "kelp.sfc", "night.bps", "-o", "night.ups"}, "kelp.sfc"},
    {"mend in place", {}, {"mend", "stale.sfc", "checksum", "--in-place"}, "stale.sfc"},
    {"header strip with the header kept", {}, {"header", "strip", "h.smc", "--keep", "h.bin", "-o", "h.sfc"}, "h.smc"},
    {"header strip in place", {}, {"header", "strip", "h.smc", "--keep", "h.bin", "--in-place"}, "h.smc"},
    {"undo beside the source", {{"apply", "kelp.sfc", "night.bps", "-o", "out.sfc"}}, {"undo", "out.sfc"}, "kelp.sfc"},
    {"undo in place", {{"apply", "kelp.sfc", "night.bps", "--in-place"}}, {"undo", "kelp.sfc"}, "kelp.sfc"},
    {"undo by a reverse patch",
     {{"apply", "kelp.sfc", "night.bps", "--in-place", "--no-backup", "--keep-reverse"}},
     {"undo", "kelp.sfc"},
     "kelp.sfc"},
    {"undo the second of two",
     {{"apply", "kelp.sfc", "night.bps", "--in-place"}, {"apply", "kelp.sfc", "fog.bps", "--in-place"}},
     {"undo", "kelp.sfc"},
     "kelp.sfc"},
    {"put in place", {}, {"put", "kelp.sfc", "bank 0=night.sfc:bank 0", "--in-place"}, "kelp.sfc"},
    {"a mend as a patch", {}, {"mend", "stale.sfc", "checksum", "--patch", "m.ips"}, "stale.sfc"},
    {"put into a packed file", {}, {"put", "night.lz", "content=fog.bps", "--in-place"}, "night.lz"},
    {"mend an executable", {}, {"mend", "kelp.exe", "nx", "large-address-aware", "--in-place"}, "kelp.exe"},
    {"add a segment", {}, {"mend", "kelp.elf", "add-segment=fog.bps@0x900000", "-o", "other.elf"}, "kelp.elf"},
    {"put a file where it was on a disc", {}, {"put", "kelp.iso", "DATA/A.BIN=fog.bps", "--in-place"}, "kelp.iso"},
    {"put a file behind all on a disc", {}, {"put", "kelp.iso", "DATA/A.BIN=kelp.sfc", "--in-place"}, "kelp.iso"},
    {"rebuild a disc",
     {},
     {"put", "kelp.iso", "DATA/A.BIN=kelp.sfc", "--room", "rebuild", "-o", "new.iso"},
     "kelp.iso"},
    {"patch a file of a disc", {}, {"apply", "kelp.iso:GAME.SFC", "night.bps", "--in-place"}, "kelp.iso"},
    {"put into a table of files", {}, {"put", "kelp.gcm", "files/data/berths.bin=kelp.sfc", "--in-place"}, "kelp.gcm"},
    {"put into an encrypted partition",
     {},
     {"put", "part.iso", "partition 0/files/opening.bin=fog.bps", "--keys", "keys.txt", "--as", "new/{serial}.iso"},
     "part.iso"},
    {"set a field in place", {}, {"fields", "kelp.dat", "berth[1].depth=14", "--in-place"}, "kelp.dat"},
    {"put into a described archive",
     {},
     {"put", "kelp.dat", "sounds/HORN=fog.bps", "--map", "kelp.map.toml", "--in-place"},
     "kelp.dat"},
    {"draw a chart", {}, {"chart", "kelp.dat", "kelp.sfc", "--svg", "new.svg"}, "kelp.dat"},
    {"take", {}, {"take", "kelp.sfc:bank 1", "-o", "new/bank.bin"}, "kelp.sfc"},
    {"renew", {{"apply", "kelp.sfc", "night.bps", "-o", "out.sfc"}}, {"renew", "out.sfc", "newer.bps"}, "out.sfc"},
    {"put again", {{"put", "kelp.iso", "DATA/A.BIN=fog.bps", "-o", "out.iso"}}, {"renew", "out.iso"}, "out.iso"},
    {"put again in place",
     {{"put", "kelp.sfc", "bank 0=night.sfc:bank 0", "--in-place"}},
     {"renew", "kelp.sfc"},
     "kelp.sfc"},
    {"undo what was put again",
     {{"put", "kelp.sfc", "bank 0=night.sfc:bank 0", "--in-place"}, {"renew", "kelp.sfc"}},
     {"undo", "kelp.sfc"},
     "kelp.sfc"},
    {"put several on a disc at once",
     {},
     {"put", "kelp.iso", "DATA/A.BIN=kelp.sfc", "NEW.BIN=fog.bps", "--add", "--remove", "GAME.SFC", "-o", "new/d.iso"},
     "kelp.iso"},
    {"attach a header", {}, {"header", "attach", "kelp.sfc", "--size", "512", "-o", "new/h.smc"}, "kelp.sfc"},
};

struct Content {
    const char* name;
    Bytes bytes;
};

const std::vector<Content>& contents_at_first() {
    static const std::vector<Content> all = [] {
        const Bytes source = demo::game_boy_kelp();
        const auto changed = [](Bytes bytes, std::size_t at) {
            bytes[at] ^= std::byte{0x55};
            return bytes;
        };
        const Bytes night = changed(source, 0x2000), fog = changed(night, 0x3000), stale = changed(source, 0x1234);
        const Bytes headered = demo::with_front_header(source);
        // RLE: a run of 130, so often that it fills the size.
        Bytes packed{std::byte{0x30}, std::byte{0}, std::byte{0x41}, std::byte{0}};  // 0x4100 = 128 * 130
        for (int i = 0; i < 128; ++i) packed.push_back(std::byte{0xFF}), packed.push_back(static_cast<std::byte>(i));
        const Bytes disc = demo::table_disc(demo::console_files(1), {.total = 300'000, .gap = 64}),
                    later = demo::table_disc({{"opening.bin", Bytes(5000)}}, {.later = true, .total = 2 * 0x7C00});
        const auto text = [](const std::string& from) { return Bytes(bytes_of(from).begin(), bytes_of(from).end()); };
        return std::vector<Content>{{"kelp.sfc", source},
                                    {"night.sfc", night},
                                    {"stale.sfc", stale},
                                    {"h.smc", headered},
                                    {"other.sfc", Bytes(5000, std::byte{9})},
                                    {"night.bps", create(source, night)},
                                    {"fog.bps", create(night, fog)},
                                    {"newer.bps", create(source, fog)},
                                    {"night.lz", packed},
                                    {"kelp.exe", demo::pe({.overlay = 3000})},
                                    {"kelp.elf", demo::elf()},
                                    {"kelp.gcm", disc},
                                    {"part.iso", demo::partition_disc(later)},
                                    {"keys.txt", text(demo::key_file())},
                                    {"kelp.dat", demo::harbour_data(false)},
                                    {"kelp.map.toml", text(demo::map_of(false))},
                                    {"kelp.tbl", text(demo::letters())},
                                    {"kelp.iso", demo::disc({{"DATA/A.BIN", Bytes(9000)}, {"GAME.SFC", source}})}};
    }();
    return all;
}

std::string key_of(ByteView bytes) {
    return fmt::format("{}:{}", bytes.size(), crc32(bytes).hex());
}

/// What is in a folder: name to content. Of backups, which are many, the content stands in place of the date.
std::map<std::string, std::string> state_of(const TemporaryFolder& folder) {
    static const std::regex date(R"(\.\d{4}-\d\d-\d\d-\d{6}(-\d+)?\.backup$)");
    std::map<std::string, std::string> state;
    for (const std::string& name : folder.names()) {
        if (!fs::is_regular_file(folder / name)) continue;
        const std::string content = key_of(contents(folder / name));
        state[std::regex_replace(name, date, "." + content + ".backup")] = content;
    }
    return state;
}

bool is_temporary(const std::string& name) {
    return name.find(".hotstitch-tmp") != std::string::npos;  // or below a folder that is
}
bool is_receipt(const std::string& name) {
    return name.ends_with(".receipt.json");
}

/// Every game that was there at first is there now, under whatever name, or comes back by a reverse patch.
void expect_games(const TemporaryFolder& folder, const std::map<std::string, std::string>& state) {
    std::set<std::string> found;
    for (const auto& [name, content] : state) {
        if (is_temporary(name)) continue;
        found.insert(content);
        if (name != "kelp.sfc.reverse.bps") continue;
        try {
            found.insert(
                key_of(hotstitch::apply_in_memory(contents(folder / name), contents(folder / "kelp.sfc")).target));
        } catch (const Error&) {  // it is for the file that is not in its place yet
        }
    }
    static const std::map<std::string, std::string> games = [] {
        std::map<std::string, std::string> all;
        for (const Content& content : contents_at_first())
            if (!std::string(content.name).ends_with(".bps")) all[content.name] = key_of(content.bytes);
        return all;
    }();
    for (const auto& [name, content] : games) EXPECT_TRUE(found.contains(content)) << name << " is lost";
}

class Faults : public testing::TestWithParam<Scenario> {
protected:
    static ToolResult run(const TemporaryFolder& folder, const std::vector<std::string>& call,
                          std::vector<std::string> environment = {}) {
        if (!environment.empty()) environment.push_back("LD_PRELOAD=" FAULTS_LIBRARY);
        return run_tool(call, {.folder = folder.path(), .environment = std::move(environment)});
    }

    void prepare(const TemporaryFolder& folder) {
        for (const Content& content : contents_at_first()) folder.put(content.name, content.bytes);
        for (const auto& call : GetParam().before) ASSERT_EQ(run(folder, call).code, 0);
    }

    /// The scenario without any fault: what may stand there, and what has to in the end.
    void SetUp() override {
        const TemporaryFolder folder;
        prepare(folder);
        before_ = state_of(folder);
        ASSERT_EQ(run(folder, GetParam().call).code, 0);
        after_ = state_of(folder);
        for (const auto* state : {&before_, &after_})
            for (const auto& [name, content] : *state)
                if (!is_receipt(name)) known_.insert(content);
    }

    /// What must hold at any moment, and after the same call once more.
    void check(const TemporaryFolder& folder, bool made) {
        const auto now = state_of(folder);
        for (const auto& [name, content] : now) {
            if (is_temporary(name)) continue;
            if (is_receipt(name))
                EXPECT_NO_THROW(receipt_from_json(text_of(contents(folder / name)))) << name << " is torn";
            else
                EXPECT_TRUE(known_.contains(content)) << name << " is torn";
        }
        expect_games(folder, now);
        EXPECT_TRUE(now.contains(GetParam().stands)) << GetParam().stands << " is gone";
        if (made) return;
        // An undo that was done, though killed, would undo the change before it when called again.
        const bool was_done =
            names_of(now) == names_of(after_) && now.at(GetParam().stands) == after_.at(GetParam().stands);
        if (was_done && GetParam().call.front() == "undo") return;
        const ToolResult again = run(folder, GetParam().call);
        const auto done = state_of(folder);
        EXPECT_EQ(again.code, 0) << again.err;
        for (const auto& [name, content] : done)
            EXPECT_TRUE(after_.contains(name) || name.ends_with(".backup")) << name << " is an unknown leftover";
        for (const auto& [name, content] : after_) {
            ASSERT_TRUE(done.contains(name)) << name << " is missing";
            if (!is_receipt(name) && !name.ends_with(".backup")) {
                EXPECT_EQ(done.at(name), content) << name;
            }
        }
    }

    /// Receipts say when they were made, so no two are the same.
    static std::map<std::string, std::string> without_receipts(std::map<std::string, std::string> state) {
        std::erase_if(state, [](const auto& entry) { return is_receipt(entry.first); });
        return state;
    }

    static std::set<std::string> names_of(const std::map<std::string, std::string>& state) {
        std::set<std::string> names;
        for (const auto& [name, content] : state)
            if (!is_temporary(name)) names.insert(name);
        return names;
    }

    /// Injects at the first call that changes something, the second, … until there are no more: the kinds in turn.
    /// Returns how many.
    int at_each_call(const std::vector<std::string>& kinds, const std::vector<std::string>& more) {
        int tried = 0;
        for (int at = first_fault(GetParam().name);; at += fault_stride(), ++tried) {
            const std::string& kind = kinds[static_cast<std::size_t>(tried) % kinds.size()];
            const TemporaryFolder folder, marks;
            prepare(folder);
            std::vector<std::string> environment{fmt::format("FAULT_AT={}", at), "FAULT_KIND=" + kind,
                                                 "FAULT_HIT=" + (marks / "hit").string()};
            environment.insert(environment.end(), more.begin(), more.end());
            const ToolResult result = run(folder, GetParam().call, environment);
            if (!fs::exists(marks / "hit")) return tried;
            SCOPED_TRACE(
                fmt::format("{}, {} at call {}, exit {}: {}", GetParam().name, kind, at, result.code, result.err));
            if (kind == "kill")
                EXPECT_EQ(result.code, 1000 + SIGKILL);
            else
                EXPECT_TRUE(result.code == 4 || result.code == 0);
            check(folder, result.code == 0);
            if (HasFailure()) return at;
        }
    }

    std::map<std::string, std::string> before_, after_;
    std::set<std::string> known_;
};

TEST_P(Faults, KilledAnywhere) {
    const int tried = at_each_call({"kill"}, {});
    EXPECT_GE(tried, 1);
    say_tried("killed at each call", GetParam().name, tried);
}

TEST_P(Faults, KilledAnywhereWithoutSecondNames) {
    say_tried("killed, no hard links", GetParam().name, at_each_call({"kill"}, {"FAULT_NO_LINKS=1"}));
}

TEST_P(Faults, FailingAnywhere) {
    const std::string no_space = std::to_string(ENOSPC), unreadable = std::to_string(EIO);
    int tried = at_each_call({no_space, unreadable}, {});
    if (fault_rounds() > 1) tried += at_each_call({unreadable, no_space}, {});
    say_tried("failing at each call", GetParam().name, tried);
}

TEST_P(Faults, OnAFullDisk) {
    // From nothing to more than is ever written at once, in steps that get larger.
    int tried = 0;
    for (int step = 0; step < 30; step += fault_stride(), ++tried) {
        const TemporaryFolder folder;
        prepare(folder);
        const long room = step * step * step * 120;
        const ToolResult result = run(folder, GetParam().call, {fmt::format("FAULT_DISK={}", room)});
        SCOPED_TRACE(fmt::format("{}, {} bytes left, exit {}: {}", GetParam().name, room, result.code, result.err));
        EXPECT_TRUE(result.code == 4 || result.code == 0);
        if (result.code == 4) {
            EXPECT_EQ(without_receipts(state_of(folder)), without_receipts(before_)) << "an error leaves all as it was";
            EXPECT_EQ(names_of(state_of(folder)), names_of(before_));
        }
        check(folder, result.code == 0);
        if (HasFailure()) break;
    }
    say_tried("full disk", GetParam().name, tried);
}

/// Names that tests may have.
INSTANTIATE_TEST_SUITE_P(Table, Faults, testing::ValuesIn(scenarios), [](const auto& row) {
    return std::regex_replace(std::string(row.param.name), std::regex("[^a-z]"), "_");
});

// Changes of a large file in its own place, whose old bytes are kept in a journal: at any moment the file is as it was,
// or as it should be, or undo makes it as it was.
struct InPlaceCall {
    const char* name;
    std::vector<std::string> call;
    int every;  ///< of how many calls one is tried: what is unpacked and made on the side takes many
    friend void PrintTo(const InPlaceCall& row, std::ostream* out) { *out << row.name; }
};

class InPlaceFaults : public testing::TestWithParam<InPlaceCall> {
protected:
    static constexpr std::size_t disc_size = 70'000'000 / 2048 * 2048;

    static ToolResult run(const TemporaryFolder& folder, const std::vector<std::string>& call,
                          std::vector<std::string> environment = {}) {
        if (!environment.empty()) environment.push_back("LD_PRELOAD=" FAULTS_LIBRARY);
        return run_tool(call, {.folder = folder.path(), .environment = std::move(environment)});
    }
    void prepare(const TemporaryFolder& folder) const {
        folder.put("big.iso", disc);
        fs::resize_file(folder / "big.iso", disc_size);  // with a hole
        folder.put("a.bin", Bytes(9'000, std::byte{7}));
        folder.put("b.bin", Bytes(3'000'000, std::byte{8}));
        // Two records, without any check: the fog rolls in.
        folder.put("fog.ips", std::string_view("PATCH\0\x70\0\0\4FOG!\0\x90\0\0\1\x77"
                                               "EOF",
                                               23));
    }
    /// Its first bytes, and how long it is.
    std::string key(const TemporaryFolder& folder) const {
        const InputFile file(folder / "big.iso");
        Bytes tail;
        if (file.size() > disc_size) {
            const ByteView added = file.bytes().subspan(disc_size);
            tail.assign(added.begin(), added.end());
        }
        return key_of(file.bytes().first(disc.size())) + "/" + key_of(tail) + "/" + std::to_string(file.size());
    }
    static bool has(const TemporaryFolder& folder, std::string_view part) {
        for (const std::string& name : folder.names())
            if ((name + "\n").find(part) != std::string::npos) return true;
        return false;
    }
    void SetUp() override {
        const TemporaryFolder folder;
        prepare(folder);
        before = key(folder);
        ASSERT_EQ(run(folder, call).code, 0);
        after = key(folder);
        ASSERT_NE(before, after);
    }
    /// After whatever happened: one of two states, or one that is said and undone.
    void check(const TemporaryFolder& folder, const ToolResult& result) const {
        if (has(folder, "iso.journal.hotstitch\n")) {
            const ToolResult next = run(folder, {"parts", "big.iso"});
            EXPECT_EQ(next.code, 3);
            EXPECT_NE((next.out + next.err).find("hotstitch undo"), std::string::npos);
            EXPECT_EQ(run(folder, {"undo", "big.iso"}).code, 0);
            EXPECT_EQ(key(folder), before);
        } else {
            EXPECT_TRUE(key(folder) == before || key(folder) == after);
            EXPECT_TRUE(result.code != 4 || key(folder) == before || has(folder, ".undo-")) << "it has its way back";
        }
        EXPECT_TRUE(key(folder) == after || run(folder, call).code == 0);
        EXPECT_EQ(key(folder), after);
        EXPECT_EQ(run(folder, {"undo", "big.iso"}).code, 0);
        EXPECT_EQ(key(folder), before);
        EXPECT_FALSE(has(folder, "hotstitch")) << "nothing unknown stays";
    }
    int at_each_call(const std::string& kind, const Calls& first, const std::vector<std::string>& stopped,
                     int every = 1) const {
        int tried = 0;
        for (int at = 1;; at += fault_stride() * every, ++tried) {
            const TemporaryFolder folder, marks;
            prepare(folder);
            for (const auto& one : first) EXPECT_EQ(run(folder, one).code, 0);
            const ToolResult result =
                run(folder, stopped,
                    {fmt::format("FAULT_AT={}", at), "FAULT_KIND=" + kind, "FAULT_HIT=" + (marks / "hit").string()});
            if (!fs::exists(marks / "hit")) return tried;
            SCOPED_TRACE(fmt::format("{} at call {}, exit {}: {}", kind, at, result.code, result.err));
            if (kind == "kill")
                EXPECT_EQ(result.code, 1000 + SIGKILL);
            else
                EXPECT_TRUE(result.code == 4 || result.code == 0);
            const bool is_error = kind != "kill" && result.code == 4 && !has(folder, ".undo-");
            EXPECT_TRUE(!is_error || (key(folder) == before && !has(folder, "iso.journal.hotstitch\n")))
                << "all is as it was";
            check(folder, result);
            if (HasFailure()) return at;
        }
    }

    const Bytes disc = demo::disc({{"A.BIN", Bytes(20'000, std::byte{1})}, {"B.BIN", Bytes(9, std::byte{2})}});
    const std::vector<std::string> call = GetParam().call;
    std::string before, after;
};

TEST_P(InPlaceFaults, KilledAndFailingAnywhere) {
    for (const char* kind : {"kill", "28"}) {  // no space
        const int every = fault_rounds() > 1 ? 1 : GetParam().every;
        const int tried = at_each_call(kind, {}, call, every);
        EXPECT_GE(tried * fault_stride() * every, 8);
        say_tried(fmt::format("in place, {} at each call", kind), GetParam().name, tried);
    }
    say_tried("in place, killed at each call", fmt::format("undo of {}", GetParam().name),
              at_each_call("kill", {call}, {"undo", "big.iso"}));
}

TEST_P(InPlaceFaults, OnAFullDisk) {
    int tried = 0;
    for (long room = 0; room < 4'000'000; room = room * 2 + 500, ++tried) {
        const TemporaryFolder folder;
        prepare(folder);
        const ToolResult result = run(folder, call, {fmt::format("FAULT_DISK={}", room)});
        SCOPED_TRACE(fmt::format("{} bytes left, exit {}: {}", room, result.code, result.err));
        EXPECT_TRUE(result.code == 4 || result.code == 0);
        EXPECT_TRUE(result.code == 0 || key(folder) == before);
        check(folder, result);
        if (HasFailure()) break;
    }
    say_tried("in place, full disk", GetParam().name, tried);
}

INSTANTIATE_TEST_SUITE_P(
    Table, InPlaceFaults,
    testing::ValuesIn(std::vector<InPlaceCall>{
        {"put into a large disc", {"put", "big.iso", "A.BIN=a.bin", "B.BIN=b.bin", "--in-place"}, 1},
        {"patch a large disc", {"apply", "big.iso", "fog.ips", "--in-place"}, 5},
    }),
    [](const auto& row) { return std::regex_replace(std::string(row.param.name), std::regex("[^a-z]"), "_"); });

struct Race {
    const char* name;
    std::vector<std::string> one, other;
    friend void PrintTo(const Race& row, std::ostream* out) { *out << row.name; }
};

class TwoProcesses : public testing::TestWithParam<Race> {};

TEST_P(TwoProcesses, LoseNothing) {
    const Race& race = GetParam();
    const int most = 20 * fault_rounds();
    int both = 0;
    for (int round = 0; round < most && !HasFailure(); ++round) {
        const TemporaryFolder folder;
        for (const Content& content : contents_at_first()) folder.put(content.name, content.bytes);
        ToolResult results[2];
        std::thread second([&] { results[1] = run_tool(race.other, {.folder = folder.path()}); });
        results[0] = run_tool(race.one, {.folder = folder.path()});
        second.join();
        SCOPED_TRACE(fmt::format("{}: {} {} / {} {}", race.name, results[0].code, results[0].err, results[1].code,
                                 results[1].err));
        EXPECT_TRUE(results[0].code == 0 || results[1].code == 0);
        both += results[0].code == 0 && results[1].code == 0 ? 1 : 0;
        const auto now = state_of(folder);
        for (const auto& [name, content] : now) EXPECT_FALSE(is_temporary(name)) << name;
        expect_games(folder, now);
    }
    say_tried(fmt::format("two processes ({} both done)", both), race.name, most);
}

INSTANTIATE_TEST_SUITE_P(
    Table, TwoProcesses,
    testing::ValuesIn(std::vector<Race>{
        {"apply in place",
         {"apply", "kelp.sfc", "night.bps", "--in-place"},
         {"apply", "kelp.sfc", "newer.bps", "--in-place"}},
        {"apply over one file",
         {"apply", "kelp.sfc", "night.bps", "-o", "other.sfc", "--replace"},
         {"apply", "kelp.sfc", "newer.bps", "-o", "other.sfc", "--replace"}},
        {"apply to one new name",
         {"apply", "kelp.sfc", "night.bps", "-o", "x.sfc"},
         {"apply", "kelp.sfc", "newer.bps", "-o", "x.sfc"}},
        {"mend and apply",
         {"mend", "stale.sfc", "checksum", "--in-place"},
         {"apply", "stale.sfc", "night.bps", "--in-place", "--allow", "source,target"}},
        {"header strip", {"header", "strip", "h.smc", "--in-place"}, {"header", "strip", "h.smc", "--in-place"}},
    }),
    [](const auto& row) { return std::regex_replace(std::string(row.param.name), std::regex("[^a-z]"), "_"); });

}  // namespace
}  // namespace hotstitch
