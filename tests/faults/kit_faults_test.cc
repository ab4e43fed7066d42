// SPDX-License-Identifier: MIT
// Kits and shelves: killed before, and failing in, each system call that changes something on disk, and on a full disk.
// What was brought is untouched or comes back, outputs are all there or none, and the same call again goes through.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <cerrno>
#include <csignal>
#include <functional>
#include <map>
#include <regex>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "lib/fault_walk.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using Call = std::vector<std::string>;

struct KitScenario {
    const char* name;
    std::vector<Call> before;
    Call call;
    const char* game;                 ///< which may change: "prog", "kelp.iso"; empty: none
    std::set<std::string> outputs{};  ///< that come all or not at all
    friend void PrintTo(const KitScenario& row, std::ostream* out) { *out << row.name; }
};

const std::vector<KitScenario> kit_scenarios{
    {"two outputs",
     {},
     {"apply", "kelp.iso", "fog", "-o", "out/"},
     "",
     {"out/game.iso", "out/cover.png", "out/game.iso.receipt.json"}},
    {"a folder", {}, {"apply", "prog", "tides", "-o", "new/place"}, "", {"new/place"}},
    {"a folder in place", {}, {"apply", "prog", "tides", "--in-place"}, "prog"},
    {"a file in place", {}, {"apply", "kelp.iso", "one", "--in-place"}, "kelp.iso"},
    {"undo of outputs", {{"apply", "kelp.iso", "fog", "-o", "out/"}}, {"undo", "out/game.iso"}, ""},
    {"undo of a folder in place", {{"apply", "prog", "tides", "--in-place"}}, {"undo", "prog"}, "prog"},
    {"again with another", {{"apply", "kelp.iso", "fog", "-o", "out/"}}, {"renew", "out/game.iso", "newer"}, ""},
    {"create", {}, {"create", "prog", "quiet", "--format", "kit", "-o", "quiet.kit"}, "", {"quiet.kit"}},
    {"create a folder", {}, {"create", "prog", "quiet", "--format", "kit", "-o", "q/"}, "", {"q"}},
    {"shelf of a file",
     {{"shelf", "kelp.iso", "--keep", "night.bps", "one"}},
     {"shelf", "kelp.iso", "--use", "night"},
     "kelp.iso"},
    {"shelf by turns",
     {{"shelf", "kelp.iso", "--keep", "night.bps", "one"}, {"shelf", "kelp.iso", "--use", "night"}},
     {"shelf", "kelp.iso", "--use", "one"},
     "kelp.iso"},
    {"shelf and back",
     {{"shelf", "kelp.iso", "--keep", "night.bps"}, {"shelf", "kelp.iso", "--use", "night"}},
     {"shelf", "kelp.iso", "--use", "original"},
     "kelp.iso"},
    {"again in a folder in place", {{"apply", "prog", "tides", "--in-place"}}, {"renew", "prog", "gale"}, "prog"},
    {"again in a file in place",
     {{"apply", "kelp.iso", "one", "--in-place"}},
     {"renew", "kelp.iso", "fog"},
     "kelp.iso"},
    {"a folder again", {{"apply", "prog", "tides", "-o", "new/"}}, {"renew", "new/out", "gale"}, ""},
    {"undo of a folder", {{"apply", "prog", "tides", "-o", "new/"}}, {"undo", "new/out"}, ""},
    {"over another folder", {}, {"apply", "prog", "tides", "-o", "other/", "--replace"}, ""},
    {"undo of what replaced a folder",
     {{"apply", "prog", "tides", "-o", "other/", "--replace"}},
     {"undo", "other/out"},
     ""},
    {"undo of what replaced files",
     {{"apply", "kelp.iso", "fog", "-o", "out/"},
      {"put", "out/game.iso", "B.TXT=one/b.txt", "--in-place", "--no-backup"},
      {"apply", "kelp.iso", "fog", "-o", "out/", "--replace"}},
     {"undo", "out/game.iso"},
     ""},
    {"put on a shelf", {}, {"shelf", "kelp.iso", "--keep", "night.bps", "one"}, ""},
    {"an update adopted",
     {{"shelf", "kelp.iso", "--keep", "night.bps"},
      {"shelf", "kelp.iso", "--use", "night"},
      {"put", "kelp.iso", "B.TXT=one/b.txt", "--in-place", "--no-receipt"}},
     {"shelf", "kelp.iso", "--adopt"},
     "kelp.iso"},
    {"an update put aside",
     {{"shelf", "kelp.iso", "--keep", "night.bps"},
      {"shelf", "kelp.iso", "--use", "night"},
      {"put", "kelp.iso", "B.TXT=one/b.txt", "--in-place", "--no-receipt"}},
     {"shelf", "kelp.iso", "--use", "original"},
     "kelp.iso"},
    {"shelf of a folder and back",
     {{"shelf", "prog", "--keep", "tides", "quiet"}, {"shelf", "prog", "--use", "quiet"}},
     {"shelf", "prog", "--use", "original"},
     "prog"},
    {"shelf of a folder",
     {{"shelf", "prog", "--keep", "tides", "quiet"}, {"shelf", "prog", "--use", "quiet"}},
     {"shelf", "prog", "--use", "tides"},
     "prog"},
};

std::string key_of(const fs::path& path) {
    const fs::file_status status = fs::symlink_status(path);
    if (fs::is_symlink(status)) return "l" + fs::read_symlink(path).string();
    if (fs::is_directory(status)) return "d";
    const Bytes bytes = contents(path);
    return fmt::format("{}:{}", bytes.size(), crc32(bytes).hex());
}

/// Everything below a folder, without what is temporary.
std::map<std::string, std::string> tree(const fs::path& folder) {
    std::map<std::string, std::string> all;
    if (!fs::exists(folder)) return all;
    if (!fs::is_directory(folder)) return {{"", key_of(folder)}};
    for (auto entry = fs::recursive_directory_iterator(folder); entry != fs::recursive_directory_iterator(); ++entry) {
        if (entry->path().filename().string().ends_with(".hotstitch-tmp")) {
            entry.disable_recursion_pending();
            continue;
        }
        all[entry->path().lexically_relative(folder).string()] = key_of(entry->path());
    }
    return all;
}

class KitFaults : public testing::TestWithParam<KitScenario> {
protected:
    using State = std::map<std::string, std::string>;

    static ToolResult run(const TemporaryFolder& folder, const Call& call, std::vector<std::string> environment = {}) {
        if (!environment.empty()) environment.push_back("LD_PRELOAD=" FAULTS_LIBRARY);
        return run_tool(call, {.folder = folder.path(), .environment = std::move(environment)});
    }

    static Bytes text(std::string_view from) { return Bytes(bytes_of(from).begin(), bytes_of(from).end()); }

    static void put_kit(const TemporaryFolder& folder, const std::string& where, const std::string& rest) {
        folder.put(where + "/README.md", "r");
        folder.put(where + "/kit.toml",
                   fmt::format("hotstitch-kit = 1\nname = \"{}\"\nreadme = \"README.md\"\n{}", where, rest));
    }

    void prepare(const TemporaryFolder& folder) {
        static const Bytes disc = demo::disc({{"B.TXT", text("calm\n")}, {"T.BIN", Bytes(9000)}});
        static const Bytes data = demo::harbour_data(false);
        Bytes night = disc, tides = data;
        night[40'000] ^= std::byte{1}, tides[20] ^= std::byte{1};
        static const Bytes night_patch = create(disc, night), tides_patch = create(data, tides);
        folder.put("kelp.iso", disc), folder.put("night.bps", night_patch);
        folder.put("prog/kelp.dat", data), folder.put("prog/doc/old.txt", "old\n"),
            folder.put("prog/same.txt", "same\n");
        folder.put("quiet/kelp.dat", data), folder.put("quiet/new/hush.txt", "hush\n"),
            folder.put("quiet/same.txt", "same\n");
        fs::create_symlink("same.txt", folder / "quiet/link");
        const std::string disc_base = fmt::format(
            "[[base]]\nid = \"game\"\nany = [{{crc32 = \"{}\"}}]\n[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT\"\n"
            "[[output]]\nfrom = \"game\"\nname = \"game.iso\"\n",
            crc32(disc).hex());
        const std::string cover = "[[output]]\nfrom = \"cover.png\"\nname = \"cover.png\"\n";
        for (const auto& [where, words] : {std::pair{"fog", "foggy\n"}, {"newer", "foggier\n"}, {"one", "one\n"}}) {
            put_kit(folder, where, disc_base + (std::string(where) == "one" ? "" : cover));
            folder.put(std::string(where) + "/b.txt", words), folder.put(std::string(where) + "/cover.png", "picture");
        }
        for (const auto& [where, words] : {std::pair{"tides", "new\n"}, {"gale", "gale\n"}}) {
            put_kit(
                folder, where,
                fmt::format(
                    "[[base]]\nid = \"p\"\nfolder = true\nany = [{{files = {{\"kelp.dat\" = {{crc32 = \"{}\"}}}}}}]\n"
                    "[[step]]\nremove = \"p:doc\"\n[[step]]\napply = \"k.bps\"\nto = \"p:kelp.dat\"\n"
                    "[[step]]\nput = \"n.txt\"\ninto = \"p:new/n.txt\"\nadd = true\n[[step]]\nlink = \"p:l\"\nto = "
                    "\"new\"\n"
                    "[[output]]\nfrom = \"p\"\nname = \"out\"\n",
                    crc32(data).hex()));
            folder.put(std::string(where) + "/k.bps", tides_patch), folder.put(std::string(where) + "/n.txt", words);
        }
        folder.put("other/out/mine.txt", "of the player");
        first_ = key_of(folder / "kelp.iso");
        for (const Call& call : GetParam().before) ASSERT_EQ(run(folder, call).code, 0);
    }

    /// Without what the player never brought: shelves, ways back, receipts' times.
    static State state_of(const TemporaryFolder& folder) {
        static const std::regex date(R"(\.\d{4}-\d\d-\d\d-\d{6}(-\d+)?\.backup)");
        State state;
        const State all = tree(folder.path());
        for (const auto& [found, key] : all) {
            // Where two folders cannot change places, the old one is beside its place for a moment.
            static const std::regex beside(R"((^|/)\.([^/]+)\.[0-9a-f]+\.swap\.hotstitch)");
            const std::string name = std::regex_replace(found, beside, "$1$2");
            if (name != found && all.contains(name)) continue;
            const bool timed = name.find("receipt.json") != std::string::npos;
            state[std::regex_replace(name, date, ".backup")] = timed ? "receipt" : key;
        }
        return state;
    }

    void SetUp() override {
        const TemporaryFolder folder;
        prepare(folder);
        before_ = state_of(folder);
        const ToolResult result = run(folder, GetParam().call);
        ASSERT_EQ(result.code, 0) << result.out << result.err;
        after_ = state_of(folder);
    }

    static State files_of(State state) {
        std::erase_if(state, [](const auto& row) { return row.second == "d"; });
        return state;
    }

    static std::string key_in(const State& state, const std::string& name) {
        const auto found = state.find(name);
        return found == state.end() ? "" : found->second;
    }

    void check(const TemporaryFolder& folder, bool made) {
        const KitScenario& row = GetParam();
        const State now = state_of(folder);
        // What was brought and is not to change, is as it was.
        for (const auto& [name, key] : before_) {
            const std::string game = row.game;
            const bool may_change =
                (!game.empty() && name.starts_with(game)) || !after_.contains(name) || after_.at(name) != key;
            const bool moves = !places_change_at_once_ && key_in(now, name).empty() && name.starts_with("other/");
            if (!may_change && !moves) {
                EXPECT_EQ(key_in(now, name), key) << name;
            }
        }
        // A file in place is old or new at every moment.
        if (std::string(row.game) == "kelp.iso") {
            // What is made anew goes by the original.
            EXPECT_TRUE(now.at("kelp.iso") == before_.at("kelp.iso") || now.at("kelp.iso") == after_.at("kelp.iso") ||
                        (row.call.front() == "renew" && now.at("kelp.iso") == first_));
        }
        // What comes is whole.
        for (const std::string& output : row.outputs)
            for (const auto& [name, key] : now)
                if (name == output || name.starts_with(output + "/")) {
                    EXPECT_EQ(key_in(after_, name), key) << name << " is torn";
                }
        // An undo that was done, though killed, has nothing more to do.
        const bool undone = row.call.front() == "undo" && files_of(now) == files_of(after_);
        if (!made && !undone) {
            const ToolResult again = run(folder, row.call);
            EXPECT_EQ(again.code, 0) << again.out << again.err;
        }
        const State done = state_of(folder);
        for (const auto& [name, key] : after_) EXPECT_EQ(key_in(done, name), key) << name;
        // Of a folder that is replaced there is one backup, and it is the old one.
        if (fs::exists(folder / "other")) {
            int backups = 0;
            for (const auto& entry : fs::directory_iterator(folder / "other")) {
                const std::string name = entry.path().filename().string();
                EXPECT_EQ(name.find("swap"), std::string::npos) << name;
                if (!name.ends_with(".backup")) continue;
                ++backups;
                EXPECT_TRUE(fs::exists(entry.path() / "mine.txt")) << name << " is the new one";
            }
            EXPECT_LE(backups, 1);
            if (row.name == std::string_view("over another folder")) {
                EXPECT_EQ(backups, 1);
            }
        }
        // A backup more, and what lies in a way back, harms nobody; nor does an empty folder after an undo.
        for (const auto& [name, key] : done)
            EXPECT_TRUE(after_.contains(name) || name.ends_with(".backup") ||
                        name.find(".undo-1.hotstitch/new") != std::string::npos ||
                        name.find(".backup/") != std::string::npos || (undone && key == "d"))
                << name << " is an unknown leftover";
    }

    /// An error says so only where it is so. A backup more harms nobody.
    void check_words(const TemporaryFolder& folder, const ToolResult& result) {
        if (result.err.find("Nothing was written") == std::string::npos) return;
        const State now = state_of(folder);
        for (const auto& [name, key] : now)
            EXPECT_TRUE(key_in(before_, name) == key || name.ends_with(".backup") || key == "d")
                << name << " was written, and it is said that nothing was";
        for (const auto& [name, key] : before_)
            EXPECT_EQ(key_in(now, name), key) << name << ", and it is said that nothing was written";
    }

    int at_each_call(const std::string& kind, const std::vector<std::string>& more = {}) {
        int tried = 0;
        for (int at = first_fault(GetParam().name);; at += fault_stride(), ++tried) {
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
            check_words(folder, result);
            check(folder, result.code == 0);
            if (HasFailure()) return at;
        }
    }

    State before_, after_;
    bool places_change_at_once_ = true;  ///< the file system can do that
    std::string first_;                  ///< kelp.iso, as it was brought
};

TEST_P(KitFaults, KilledAnywhere) {
    const int tried = at_each_call("kill");
    EXPECT_GE(tried, 1);
    say_tried("killed at each call", GetParam().name, tried);
}

TEST_P(KitFaults, KilledAnywhereWithoutSecondNames) {
    places_change_at_once_ = false;
    say_tried("killed, no hard links", GetParam().name, at_each_call("kill", {"FAULT_NO_LINKS=1"}));
}

TEST_P(KitFaults, FailingAnywhere) {
    say_tried("no space at each call", GetParam().name, at_each_call(std::to_string(ENOSPC)));
}

TEST_P(KitFaults, OnAFullDisk) {
    int tried = 0;
    for (int step = 0; step < 24; step += fault_stride(), ++tried) {
        const TemporaryFolder folder;
        prepare(folder);
        const long room = step * step * step * 20;
        const ToolResult result = run(folder, GetParam().call, {fmt::format("FAULT_DISK={}", room)});
        SCOPED_TRACE(fmt::format("{}, {} bytes left, exit {}: {}", GetParam().name, room, result.code, result.err));
        EXPECT_TRUE(result.code == 4 || result.code == 0);
        check_words(folder, result);
        check(folder, result.code == 0);
        if (HasFailure()) break;
    }
    say_tried("full disk", GetParam().name, tried);
}

INSTANTIATE_TEST_SUITE_P(Table, KitFaults, testing::ValuesIn(kit_scenarios), [](const auto& row) {
    return std::regex_replace(std::string(row.param.name), std::regex("[^a-z]"), "_");
});

}  // namespace
}  // namespace hotstitch
