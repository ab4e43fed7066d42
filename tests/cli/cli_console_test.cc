// SPDX-License-Identifier: MIT
// Console discs, cartridges with files and compressed copies by the real tool: what a player and a maker do with them.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <map>
#include <random>

#include "console_discs.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/file_io.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using hotstitch::Bytes;
using hotstitch::ByteView;
using hotstitch::text_of;

class CliConsole : public testing::Test {
protected:
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(std::move(arguments));
        return fmt::format("{} {}", result.code, result.json()["answer"].get<std::string>());
    }
    std::map<std::string, Bytes> files_in(const char* name) const {
        return demo::files_of_table(contents(folder / name), false);
    }

    TemporaryFolder folder;
    const Bytes disc = demo::table_disc(demo::console_files(1), {.total = 1 << 20, .gap = 512});
    const Bytes other = [this] {
        Bytes changed = disc;
        for (std::size_t at = 0x3000; at < 0x3100; ++at) changed[at] ^= std::byte{0x55};
        return changed;
    }();
};

TEST_F(CliConsole, ACompressedCopyIsTheDiscEverywhere) {
    folder.put("kelp.iso", disc);
    folder.put("mod.iso", other);
    folder.put("kelp.cso", demo::deflate_copy(disc, 2048));
    folder.put("fog.txt", "fog\n");
    ASSERT_EQ(answer({"create", "kelp.iso", "mod.iso", "-o", "mod.bps"}), "0 made");
    EXPECT_EQ(answer({"verify", "mod.bps", "kelp.cso"}), "0 fits");
    EXPECT_EQ(run({"verify", "mod.bps", "kelp.cso", "--json"}).json()["sources"][0]["path"], "kelp.cso");
    EXPECT_EQ(answer({"apply", "kelp.cso", "mod.bps", "-o", "out.iso"}), "0 made");
    EXPECT_EQ(contents(folder / "out.iso"), other);
    EXPECT_EQ(answer({"apply", "kelp.cso", "mod.bps"}), "0 made-already") << "a plain image, under the name of one";
    EXPECT_EQ(answer({"take", "kelp.cso:content", "-o", "plain/"}), "0 taken");
    EXPECT_EQ(contents(folder / "plain/kelp.iso"), disc);
    EXPECT_EQ(answer({"take", "kelp.cso:files/data/messages.txt", "-o", "m.txt"}), "0 taken");
    EXPECT_EQ(answer({"put", "kelp.cso", "files/data/messages.txt=fog.txt", "-o", "put.iso"}), "0 put");
    EXPECT_EQ(text_of(files_in("put.iso").at("data/messages.txt")), "fog\n");
    EXPECT_EQ(run({"put", "kelp.cso", "files/data/messages.txt=fog.txt", "--in-place"}).code, 2);
    EXPECT_EQ(run({"apply", "kelp.cso", "mod.bps", "--in-place"}).code, 2);
    // Through a pipe, it has no name.
    const std::string packed(text_of(contents(folder / "kelp.cso")));
    for (const char* const command : {"describe", "parts"})
        EXPECT_EQ(run_tool({command, "-"}, {.folder = folder.path(), .input = packed}).code, 0) << command;
    EXPECT_EQ(run_tool({"apply", "-", "mod.bps", "-o", "piped.iso"}, {.folder = folder.path(), .input = packed}).code,
              0);
    EXPECT_EQ(contents(folder / "piped.iso"), other);
    // A newer patch, by the receipt, which names the copy.
    folder.put("newer.iso", demo::junk(3000, 4));
    ASSERT_EQ(answer({"create", "kelp.iso", "newer.iso", "-o", "newer.bps"}), "0 made");
    EXPECT_EQ(answer({"renew", "out.iso", "newer.bps"}), "0 made");
    EXPECT_EQ(contents(folder / "out.iso"), demo::junk(3000, 4));
    EXPECT_EQ(answer({"undo", "out.iso"}), "0 restored") << "the older version";
    EXPECT_EQ(answer({"undo", "out.iso"}), "0 removed");
    EXPECT_EQ(answer({"create", "kelp.cso", "mod.iso", "-o", "again.bps"}), "0 made");
    EXPECT_EQ(contents(folder / "again.bps"), contents(folder / "mod.bps"));
    EXPECT_EQ(answer({"mend", "kelp.cso", "title=Fog", "-o", "fog.iso"}), "0 mended");
    EXPECT_EQ(contents(folder / "kelp.cso"), demo::deflate_copy(disc, 2048)) << "never touched";
    EXPECT_EQ(answer({"parts", "kelp.cso", "--compare", "kelp.iso"}), "1 different") << "but for the content itself";
    const auto told = run({"describe", "kelp.cso", "--json"}).json()["files"][0];
    EXPECT_EQ(told["kind"], "disc");
    EXPECT_EQ(told["archive"]["path"], "kelp.cso");
    Bytes scrubbed = demo::table_disc(demo::console_files(1), {.total = 4 << 20});
    std::fill(scrubbed.begin() + (1 << 20), scrubbed.end(), std::byte{0});
    folder.put("scrubbed.gcm", scrubbed);
    EXPECT_NE(run({"describe", "scrubbed.gcm"}).out.find("a scrubbed copy"), std::string::npos);
}

TEST_F(CliConsole, ACopyInSeveralFilesIsJoinedWhereTheyLieBesideEachOther) {
    const Bytes whole = demo::drive_copy(disc, 16);
    const auto middle = static_cast<std::ptrdiff_t>(whole.size() / 2 / 0x10000 * 0x10000);
    folder.put("kelp.wbfs", Bytes(whole.begin(), whole.begin() + middle));
    const ToolResult missing = run({"parts", "kelp.wbfs"});
    EXPECT_NE(missing.code, 0);
    EXPECT_NE(missing.err.find("a part of the copy is missing"), std::string::npos) << missing.err;
    folder.put("kelp.wbf1", Bytes(whole.begin() + middle, whole.end()));
    EXPECT_EQ(answer({"take", "kelp.wbfs:files/opening.bin", "-o", "o.bin"}), "0 taken");
    EXPECT_EQ(contents(folder / "o.bin"), demo::console_files(1)[4].content);
}

TEST_F(CliConsole, AFolderBecomesADiscAgain) {
    folder.put("kelp.gcm", disc);
    ASSERT_EQ(answer({"take", "kelp.gcm:", "-o", "tree/"}), "0 taken");
    folder.put("tree/files/data/messages.txt", "The fog is thick.\n");
    // Into a copy: only what differs.
    const ToolResult put = run({"put", "kelp.gcm", "/=tree", "-o", "put.gcm", "--json"});
    EXPECT_EQ(put.code, 0) << put.err;
    EXPECT_EQ(put.json()["parts"].size(), 1U);
    EXPECT_EQ(text_of(files_in("put.gcm").at("data/messages.txt")), "The fog is thick.\n");
    // Laid out anew, with a file more.
    folder.put("tree/files/new/a.bin", demo::junk(300, 1));
    EXPECT_EQ(run({"put", "kelp.gcm", "files/=tree/files", "-o", "x.gcm"}).code, 2) << "not added unasked";
    EXPECT_EQ(answer({"put", "kelp.gcm", "files/=tree/files", "--add", "-o", "x.gcm"}), "0 put");
    EXPECT_EQ(run({"put", "tree", "-o", "new.gcm"}).code, 2) << "it is not said how";
    EXPECT_EQ(answer({"put", "tree", "--room", "rebuild", "-o", "new.gcm"}), "0 put");
    auto wanted = demo::files_of_table(disc, false);
    wanted["data/messages.txt"] = contents(folder / "tree/files/data/messages.txt");
    wanted["new/a.bin"] = demo::junk(300, 1);
    EXPECT_EQ(files_in("new.gcm"), wanted);
    EXPECT_EQ(files_in("x.gcm"), wanted);
    EXPECT_EQ(answer({"parts", "new.gcm", "files/*", "--compare", "x.gcm"}), "0 same");
    fs::remove_all(folder / "tree/sys");
    EXPECT_EQ(run({"put", "tree", "--room", "rebuild", "-o", "none.gcm"}).code, 2);
    EXPECT_FALSE(fs::exists(folder / "none.gcm"));
}

/// A random tree over a disc's files: some with other content, some new, in folders that are there or not.
std::map<std::string, Bytes> random_tree(std::mt19937_64& random, const std::map<std::string, Bytes>& there,
                                         std::size_t largest) {
    static constexpr const char* words[] = {"data", "new", "maps", "deep", "a", "Voices", "x.bin", "lamp"};
    std::map<std::string, Bytes> tree;
    const auto lower = [](std::string text) {
        for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        return text + "/";
    };
    for (std::size_t i = 1 + makers::below(random, 12); i-- > 0;) {
        std::string name;
        if (makers::below(random, 5) < 2)
            name = std::next(there.begin(), static_cast<std::ptrdiff_t>(makers::below(random, there.size())))->first;
        else
            for (std::size_t depth = 1 + makers::below(random, 4); depth-- > 0;)
                name += fmt::format("{}{}{}", name.empty() ? "" : "/", words[makers::below(random, 8)],
                                    makers::below(random, 2) == 0 ? "" : "7");
        const auto clashes = [&](const auto& files) {
            return std::any_of(files.begin(), files.end(), [&](const auto& file) {
                const std::string a = lower(file.first), b = lower(name);
                return file.first != name && (a.starts_with(b) || b.starts_with(a));
            });
        };
        if (!clashes(there) && !clashes(tree)) tree[name] = demo::junk(makers::below(random, largest), random());
    }
    return tree;
}

TEST_F(CliConsole, ATreeGoesInAsOneNewLayout) {
    folder.put("keys.txt", demo::key_file());
    std::mt19937_64 random(29);
    for (int round = 0; round < 24; ++round) {
        const bool in_partition = round % 4 == 3;
        const Bytes volume = demo::table_disc(
            demo::console_files(static_cast<int>(makers::below(random, 2))),
            {.later = in_partition, .gap = makers::below(random, 700), .room = makers::below(random, 100)});
        std::map<std::string, Bytes> wanted = demo::files_of_table(volume, in_partition);
        auto there = wanted;
        there.erase("main.dol");
        const auto tree = random_tree(random, there, in_partition ? 2000 : 40'000);
        fs::remove_all(folder / "tree"), fs::remove(folder / "out.iso"), fs::remove(folder / "out.iso.receipt.json");
        fs::create_directory(folder / "tree");
        for (const auto& [name, content] : tree) folder.put("tree/" + name, content), wanted[name] = content;
        folder.put("d.iso", in_partition ? demo::partition_disc(volume) : volume);
        SCOPED_TRACE(fmt::format("round {}", round));
        const std::string prefix = in_partition ? "partition 0/files/=tree" : "files/=tree";
        const ToolResult result = run({"put", "d.iso", prefix, "--add", "-o", "out.iso", "--keys", "keys.txt"});
        ASSERT_EQ(result.code, 0) << result.err;
        const Bytes made = contents(folder / "out.iso");
        if (in_partition) {
            EXPECT_EQ(demo::wrong_hashes(made), "");
        }
        EXPECT_TRUE(demo::files_of_table(in_partition ? demo::volume_of(made) : ByteView(made), in_partition) ==
                    wanted);
    }
}

TEST_F(CliConsole, HundredsOfNewFilesAreOneChange) {
    for (int i = 0; i < 800; ++i)
        folder.put(fmt::format("tree/f{:03}.bin", i), demo::junk(900, static_cast<unsigned>(i)));
    folder.put("kelp.iso", demo::disc(demo::kelp_harbour_files(1)));
    ASSERT_EQ(answer({"put", "kelp.iso", "DATA/=tree", "--add", "-o", "out.iso"}), "0 put");
    const Bytes made = contents(folder / "out.iso");
    // A folder, which grows for each, is written once: 800 files of a sector, the folder's own, and what was there.
    EXPECT_LT(made.size(), contents(folder / "kelp.iso").size() + (800 + 60) * 2048);
    const hotstitch::MemorySource source(made);
    const auto container = hotstitch::open_container(source);
    for (const int i : {0, 399, 799}) {
        hotstitch::MemorySink out;
        hotstitch::extract_part(*container, fmt::format("DATA/f{:03}.bin", i), out);
        EXPECT_TRUE(out.take() == demo::junk(900, static_cast<unsigned>(i))) << i;
    }
}

TEST_F(CliConsole, AKitOfATableDiscLaidOutAnewIsProven) {
    const Bytes volume = demo::table_disc(demo::console_files(1), {.later = true});
    folder.put("keys.txt", demo::key_file());
    folder.put("plain.iso", demo::table_disc(demo::console_files(1)));
    folder.put("partition.iso", demo::partition_disc(volume));
    folder.put("tree/new.bin", demo::junk(30'000, 9)), folder.put("tree/data/messages.txt", demo::junk(9'000, 8));
    for (const auto& [disc_name, where] :
         {std::pair{"plain.iso", "files/=tree"}, std::pair{"partition.iso", "partition 0/files/=tree"}}) {
        fs::remove(folder / "new.iso"), fs::remove_all(folder / "made"), fs::remove(folder / "n.kit");
        ASSERT_EQ(answer({"put", disc_name, where, "--add", "-o", "new.iso", "--keys", "keys.txt", "--replace"}),
                  "0 put");
        ASSERT_EQ(answer({"create", disc_name, "new.iso", "-o", "n.kit", "--keys", "keys.txt"}), "0 made") << disc_name;
        ASSERT_EQ(run({"apply", disc_name, "n.kit", "-o", "made/", "--keys", "keys.txt"}).code, 0) << disc_name;
        EXPECT_TRUE(contents(folder / "made/new.iso") == contents(folder / "new.iso")) << disc_name;
    }
}

TEST_F(CliConsole, BytesToldAreThoseThatDiffer) {
    const Bytes volume = demo::table_disc(demo::console_files(1), {.later = true});
    folder.put("keys.txt", demo::key_file());
    folder.put("partition.iso", demo::partition_disc(volume));
    folder.put("kelp.gcm", disc);
    folder.put("kelp.iso", demo::disc(demo::kelp_harbour_files(1)));
    folder.put("cart.nds", demo::file_cartridge(demo::console_files(1), false));
    folder.put("short.bin", demo::junk(40, 3)), folder.put("long.bin", demo::junk(60'000, 4));
    const std::vector<std::vector<std::string>> calls = {
        {"kelp.gcm", "files/opening.bin=short.bin"},
        {"kelp.gcm", "files/data/messages.txt=long.bin"},
        {"kelp.iso", "DATA/BERTHS.BIN=short.bin"},
        {"partition.iso", "partition 0/files/opening.bin=short.bin", "--keys", "keys.txt"},
        {"cart.nds", "opening.bin=short.bin"},
        {"cart.nds", "opening.bin=long.bin"},
        {"cart.nds", "data/messages.txt=long.bin"}};
    for (std::vector<std::string> call : calls) {
        const Bytes before = contents(folder / call.front());
        fs::remove(folder / "out"), fs::remove(folder / "out.receipt.json");
        call.insert(call.begin(), "put"), call.insert(call.end(), {"-o", "out"});
        SCOPED_TRACE(call[2]);
        const ToolResult result = run(call);
        ASSERT_EQ(result.code, 0) << result.err;
        const Bytes after = contents(folder / "out");
        std::uint64_t differing = 0;
        for (std::size_t i = 0; i < std::min(before.size(), after.size()); ++i)
            differing += before[i] != after[i] ? 1 : 0;
        const std::string told = ": " + hotstitch::counted(differing, "byte", "bytes") + " changed";
        const bool longer = after.size() > before.size();  // what comes in is told apart
        EXPECT_NE(result.out.find(longer ? "bytes longer" : told), std::string::npos)
            << told << result.out.substr(0, 99);
    }
}

TEST_F(CliConsole, SizesThatLieCostNoOtherFile) {
    folder.put("short.bin", std::string(40, 'n'));
    struct Lie {
        const char* name;
        std::size_t at;  ///< of 4 bytes, most significant first
    };
    const Bytes whole = demo::table_disc(demo::console_files(1), {.gap = 600, .room = 200});
    const auto program_at = static_cast<std::size_t>(whole[0x421]) << 16 | static_cast<std::size_t>(whole[0x422]) << 8 |
                            static_cast<std::size_t>(whole[0x423]);
    const Lie lies[] = {{"the loader's size", 0x2454},
                        {"the loader's trailer", 0x2458},
                        {"the program's first section", program_at + 0x90},
                        {"the table's size", 0x428}};
    const std::vector<std::vector<std::string>> changes = {{"files/opening.bin=short.bin"},
                                                           {"files/new.bin=short.bin", "--add"},
                                                           {"--remove", "files/opening.bin"},
                                                           {"sys/main.dol=program"},
                                                           {"sys/loader=loader"}};
    const auto before = demo::files_of_table(whole, false);
    folder.put("whole.gcm", whole);
    for (const char* const part : {"main.dol=program", "loader=loader"}) {
        const std::string text = part;
        const std::size_t equals = text.find('=');
        ASSERT_EQ(answer({"take", "whole.gcm:sys/" + text.substr(0, equals), "-o", text.substr(equals + 1)}),
                  "0 taken");
    }
    int made = 0;
    for (const Lie& lie : lies)
        for (const unsigned value : {0x7FFFFFF0U, 0x00020000U, 0x00004000U})
            for (const auto& change : changes) {
                Bytes disc_with_lie = whole;
                for (int i = 0; i < 4; ++i)
                    disc_with_lie[lie.at + static_cast<std::size_t>(i)] = static_cast<std::byte>(value >> (24 - 8 * i));
                folder.put("lie.gcm", disc_with_lie);
                fs::remove(folder / "out.gcm"), fs::remove(folder / "out.gcm.receipt.json");
                std::vector<std::string> call{"put", "lie.gcm"};
                call.insert(call.end(), change.begin(), change.end());
                call.insert(call.end(), {"-o", "out.gcm"});
                const ToolResult result = run(call);
                SCOPED_TRACE(fmt::format("{} {:x} {}", lie.name, value, change.front()));
                ASSERT_LT(result.code, 4) << result.err;
                if (result.code != 0 || lie.at == 0x428) continue;
                ++made;
                auto after = files_in("out.gcm");
                for (const auto& [name, content] : before)
                    if (name != "opening.bin" && name != "main.dol") {
                        EXPECT_TRUE(after[name] == content) << name;
                    }
            }
    EXPECT_GT(made, 10) << "most of them are made, not refused";
}

TEST_F(CliConsole, AnEncryptedPartitionOpensWithTheUsersKey) {
    const Bytes image =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 1 << 20}));
    folder.put("kelp.iso", image);
    folder.put("keys.txt", demo::key_file());
    std::string wrong = demo::key_file();
    wrong[wrong.find("= ") + 2] = wrong[wrong.find("= ") + 2] == '0' ? '1' : '0';
    folder.put("wrong.txt", wrong);
    folder.put("short.txt", "common = 1234\n");
    folder.put("fog.txt", "fog\n");
    const std::string part = "partition 0/files/data/messages.txt";
    const ToolResult locked = run({"parts", "kelp.iso"});
    EXPECT_NE(locked.err.find("it can be read with your own key") + locked.out.find("it can be read with your own key"),
              2 * std::string::npos);
    EXPECT_NE(run({"take", "kelp.iso:partition 0/data", "-o", "data.bin"}).code, 0);
    // Without the keys every command says what would open it.
    folder.put("kit/README.md", "Fog.");
    folder.put("kit/kit.toml",
               fmt::format("hotstitch-kit = 1\nname = \"Fog\"\nreadme = \"README.md\"\n[[base]]\nid = \"game\"\nany = "
                           "[{{size = {}, crc32 = \"{}\"}}]\n[[step]]\nput = \"README.md\"\ninto = \"game:{}\"\n"
                           "[[output]]\nfrom = \"game\"\nname = \"fog.iso\"\n",
                           image.size(), hotstitch::crc32(image).hex(), part));
    const std::vector<std::vector<std::string>> locked_calls = {{"take", "kelp.iso:" + part, "-o", "m.txt"},
                                                                {"put", "kelp.iso", part + "=fog.txt", "-o", "m.iso"},
                                                                {"fields", "kelp.iso:" + part},
                                                                {"describe", "kelp.iso:" + part},
                                                                {"apply", "kelp.iso", "kit", "-o", "out/"},
                                                                {"put", "kelp.iso", "--remove", part, "-o", "m.iso"}};
    for (const auto& call : locked_calls) {
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, 3) << call.front() << result.err;
        EXPECT_NE((result.out + result.err).find("--keys FILE"), std::string::npos) << call.front();
    }
    EXPECT_NE(run({"take", "kelp.iso:partition 0/", "-o", "some/"}).out.find("partition 0/data"), std::string::npos);
    for (const char* const keys : {"wrong.txt", "short.txt", "missing.txt"}) {
        EXPECT_NE(run({"put", "kelp.iso", part + "=fog.txt", "--in-place", "--keys", keys}).code, 0) << keys;
        EXPECT_EQ(contents(folder / "kelp.iso"), image) << "said before anything is written";
    }
    EXPECT_EQ(answer({"take", "kelp.iso:" + part, "-o", "m.txt", "--keys", "keys.txt"}), "0 taken");
    EXPECT_EQ(contents(folder / "m.txt"), demo::console_files(1)[1].content);
    const ToolResult put = run({"put", "kelp.iso", part + "=fog.txt", "--in-place", "--keys", "keys.txt"});
    EXPECT_EQ(put.code, 0) << put.err;
    EXPECT_NE(put.out.find("no longer matches, and none is forged"), std::string::npos) << put.out;
    const Bytes made = contents(folder / "kelp.iso");
    EXPECT_EQ(demo::wrong_hashes(made), "");
    EXPECT_EQ(text_of(demo::files_of_table(demo::volume_of(made), true).at("data/messages.txt")), "fog\n");
    EXPECT_EQ(put.out.find(demo::key_file().substr(60, 20)), std::string::npos) << "no key is ever printed";
    EXPECT_EQ(answer({"undo", "kelp.iso"}), "0 restored");
    EXPECT_EQ(contents(folder / "kelp.iso"), image);
    // A patch for a file inside.
    folder.put("old.txt", demo::console_files(1)[1].content);
    ASSERT_EQ(answer({"create", "old.txt", "fog.txt", "-o", "fog.bps"}), "0 made");
    EXPECT_EQ(answer({"apply", "kelp.iso:" + part, "fog.bps", "-o", "patched.iso", "--keys", "keys.txt"}), "0 made");
    EXPECT_EQ(contents(folder / "patched.iso"), made);
}

TEST_F(CliConsole, ThePatchOfSeveralIsChosenThatFits) {
    folder.put("kelp.gcm", disc);
    folder.put("mod.gcm", other);
    Bytes elsewhere = demo::table_disc(demo::console_files(0), {.revision = 0, .total = 1 << 20, .gap = 512});
    folder.put("revision 0.gcm", elsewhere);
    elsewhere[0x3000] ^= std::byte{1};
    folder.put("mod 0.gcm", elsewhere);
    fs::create_directory(folder / "patches");
    ASSERT_EQ(answer({"create", "kelp.gcm", "mod.gcm", "-o", "patches/r1.bps"}), "0 made");
    ASSERT_EQ(answer({"create", "revision 0.gcm", "mod 0.gcm", "-o", "patches/r0.xdelta"}), "0 made");
    folder.put("patches/readme.txt", "Two patches.\n");
    for (const char* const game : {"kelp.gcm", "revision 0.gcm"}) {
        const ToolResult found = run({"apply", game, "patches", "-o", fmt::format("out {}", game), "--json"});
        EXPECT_EQ(found.code, 0) << found.err;
        const std::string chosen = game == std::string("kelp.gcm") ? "r1.bps" : "r0.xdelta";
        EXPECT_NE(found.json()["chosen"]["path"].get<std::string>().find(chosen), std::string::npos);
        EXPECT_EQ(answer({"verify", "patches", game}), "0 fits");
    }
    EXPECT_EQ(contents(folder / "out kelp.gcm"), other);
    EXPECT_EQ(contents(folder / "out revision 0.gcm"), elsewhere);
    const ToolResult told = run({"verify", "patches", "kelp.gcm"});
    EXPECT_NE(told.out.find("Kelp Harbour, Europe, revision 1"), std::string::npos) << "why: " << told.out;
    const ToolResult patched = run({"apply", "mod 0.gcm", "patches", "--json"});
    EXPECT_EQ(patched.json()["answer"], "already-patched");
    Bytes strange = disc;
    strange[0x5000] ^= std::byte{1};
    folder.put("strange.gcm", strange);
    const ToolResult none = run({"apply", "strange.gcm", "patches", "-o", "none.gcm"});
    EXPECT_EQ(none.code, 1);
    EXPECT_NE(none.err.find("none of the 2 patches in patches is for this file"), std::string::npos) << none.err;
    folder.put("empty/readme.txt", "nothing\n");
    EXPECT_NE(run({"apply", "kelp.gcm", "empty"}).code, 0);
}

TEST_F(CliConsole, OutputsGoByWhatTheFileSaysOfItself) {
    Bytes named = disc;
    std::copy_n(hotstitch::bytes_of("Kelp: Night/../Fog?").begin(), 19, named.begin() + 0x20);
    folder.put("kelp.gcm", named);
    folder.put("fog.txt", "fog\n");
    const std::string put = "files/data/messages.txt=fog.txt";
    ASSERT_EQ(answer({"put", "kelp.gcm", put, "--as", "games/{title} [{serial}]/game.iso"}), "0 put");
    EXPECT_TRUE(fs::exists(folder / "games/Kelp_ Night_.._Fog_ [GKHP99]/game.iso"));
    ASSERT_EQ(answer({"create", "kelp.gcm", "games/Kelp_ Night_.._Fog_ [GKHP99]/game.iso", "-o", "fog.bps"}), "0 made");
    ASSERT_EQ(answer({"apply", "kelp.gcm", "fog.bps", "--as", "{platform}/{region} {revision}/{name}.{extension}"}),
              "0 made");
    EXPECT_TRUE(fs::exists(folder / "gamecube/Europe 1/fog.gcm"));
    folder.put("plain.bin", "nothing is known of this");
    for (const std::vector<std::string>& call :
         {std::vector<std::string>{"put", "kelp.gcm", put, "--as", "{author}.iso"},
          {"put", "kelp.gcm", put, "--as", "{title"},
          {"put", "kelp.gcm", put, "--as", "games/"},
          {"put", "kelp.gcm", put, "--as", "{title}.iso", "-o", "x.iso"},
          {"apply", "kelp.gcm", "fog.bps", "--as", "{title}.iso", "--in-place"},
          {"apply", "plain.bin", "fog.bps", "--as", "{serial}.bin"}})
        EXPECT_EQ(run(call).code, 2) << fmt::format("{}", fmt::join(call, " "));
}

TEST_F(CliConsole, ACartridgesFilesAreTakenAndPut) {
    folder.put("kelp.nds", demo::file_cartridge(demo::console_files(1), false));
    folder.put("fog.txt", std::string(5000, 'f'));
    ASSERT_EQ(answer({"put", "kelp.nds", "data/messages.txt=fog.txt", "-o", "out.nds"}), "0 put");
    EXPECT_EQ(answer({"take", "out.nds:data/messages.txt", "-o", "back.txt"}), "0 taken");
    EXPECT_EQ(contents(folder / "back.txt"), contents(folder / "fog.txt"));
    const auto compared = run({"parts", "kelp.nds", "--compare", "out.nds", "--json"}).json();
    std::size_t changed = 0;
    for (const auto& part : compared["parts"]) changed += part["state"] == "changed" ? 1 : 0;
    EXPECT_EQ(changed, 2U) << "the file, and the header";
    ASSERT_EQ(answer({"put", "kelp.nds", "data/messages.txt=fog.txt", "--patch", "fog.bps"}), "0 put");
    EXPECT_EQ(answer({"apply", "kelp.nds", "fog.bps", "-o", "again.nds"}), "0 made");
    EXPECT_EQ(contents(folder / "again.nds"), contents(folder / "out.nds"));
}

/// Each way of going wrong: its own message, its exit code, nothing written, nothing lost.
TEST_F(CliConsole, WhatGoesWrongIsSaidAndLosesNothing) {
    const Bytes later =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 20 * 0x7C00}));
    const auto with = [](Bytes bytes, std::size_t at, std::initializer_list<unsigned> values) {
        for (const unsigned value : values) bytes[at++] = static_cast<std::byte>(value);
        return bytes;
    };
    folder.put("kelp.gcm", disc);
    folder.put("later.iso", later);
    folder.put("keys.txt", demo::key_file());
    folder.put("twice.txt", demo::key_file() + demo::key_file());
    folder.put("letters.txt", "common = " + std::string(32, 'g'));
    folder.put("cut.gcm", Bytes(disc.begin(), disc.begin() + 0x3000));
    folder.put("no table.gcm", with(disc, 0x424, {0x7F, 0xFF, 0xFF, 0xFF}));
    folder.put("far file.gcm", with(disc, 0x2F00 + 24 + 4, {0x7F, 0xFF, 0xFF, 0xFF}));
    folder.put("no hashes.iso", with(later, 0x502B4, {0x3F, 0xFF, 0xFF, 0xFF}));
    folder.put("damaged.iso", with(later, 0x70000 + 0x400, {1, 2, 3, 4}));
    const Bytes copy = demo::deflate_copy(disc, 2048);
    folder.put("cut.cso", Bytes(copy.begin(), copy.begin() + static_cast<std::ptrdiff_t>(copy.size() / 2)));
    folder.put("broken.cso", with(copy, 0x18 + 4 * 513, {0xFF, 0xFF, 0xFF}));
    folder.put("kelp.nds", demo::file_cartridge(demo::console_files(1), false));
    folder.put("game.riff", demo::chunk("FORM", demo::chunk("GEN8", Bytes(20), false, false), false, false));
    folder.put("large.bin", demo::junk(200'000, 1));
    folder.put("empty/nothing.txt", "");
    folder.put("tree/sys/odd.bin", demo::junk(40, 2));
    const std::string inside = "partition 0/files/opening.bin=large.bin";
    struct Bad {
        std::vector<std::string> call;
        int code;
        const char* says;
    };
    const Bad rows[] = {
        {{"parts", "no table.gcm"}, 3, "the table of files lies outside the disc"},
        {{"take", "far file.gcm:files/data/berths.bin", "-o", "x"}, 3, "lies past the end of the image"},
        {{"put", "kelp.gcm", "files/none.bin=large.bin", "-o", "x"}, 2, "there is no part files/none.bin"},
        {{"put", "kelp.gcm", "files/none.bin=nowhere.bin", "--add", "-o", "x"}, 4, "cannot open nowhere.bin"},
        {{"put", "kelp.gcm", "sys/header=large.bin", "-o", "x"}, 2, "sys/header has a fixed size"},
        {{"put", "kelp.gcm", "--remove", "sys/main.dol", "-o", "x"}, 2, "is what every disc has"},
        {{"put", "kelp.gcm", "files/opening.bin=large.bin", "--room", "place", "--remove", "x", "-o", "x"},
         2,
         "there is no part x"},
        {{"mend", "kelp.gcm", "region=Atlantis", "-o", "x"}, 2, "Japan"},
        {{"mend", "kelp.gcm", "disc-number=0", "-o", "x"}, 2, "1 to 255"},
        {{"put", "later.iso", inside, "-o", "x"}, 3, "--keys FILE"},
        {{"put", "later.iso", "partition 0/metadata=large.bin", "-o", "x", "--keys", "keys.txt"}, 3, "is only read"},
        {{"put", "later.iso", inside, "-o", "x", "--keys", "twice.txt"}, 3, "each name once"},
        {{"put", "later.iso", inside, "-o", "x", "--keys", "letters.txt"}, 3, "line 1 of the keys is no key"},
        {{"put", "later.iso", inside, "-o", "x", "--keys", "nowhere.txt"}, 4, "cannot open nowhere.txt"},
        {{"put", "no hashes.iso", inside, "-o", "x", "--keys", "keys.txt"}, 3, "has its hashes outside the disc"},
        {{"put", "damaged.iso", inside, "-o", "x", "--keys", "keys.txt"}, 1, "first hash does not come out right"},
        {{"put", "later.iso", "partition 0/files/new=large.bin", "--add", "--room", "append", "-o", "x", "--keys",
          "keys.txt", "--patch", "p.bps"},
         2,
         "more than one place"},
        {{"parts", "cut.cso"}, 3, "cut short"},
        {{"take", "broken.cso:content", "-o", "x"}, 3, "does not unpack to its size"},
        {{"apply", "cut.cso", "kelp.gcm"}, 3, "cut short"},
        {{"put", "kelp.nds", "arm9=large.bin", "-o", "x"}, 3, "has to stay there"},
        {{"put", "kelp.nds", "banner=large.bin", "-o", "x"}, 2, "a banner has a fixed size"},
        {{"put", "kelp.nds", "new.bin=large.bin", "--add", "-o", "x"}, 3, "nothing can be added"},
        {{"put", "game.riff", "FORM/GEN8=large.bin", "-o", "x"}, 3, "cannot grow"},
        {{"put", "empty", "--room", "rebuild", "-o", "x"}, 2, "no folder sys/"},
        {{"put", "tree", "--room", "rebuild", "-o", "x"}, 2, "nothing that a disc has in sys/"},
        {{"apply", "kelp.gcm", "empty", "-o", "x"}, 3, "there is no patch in empty"},
    };
    EXPECT_NE(run({"parts", "cut.gcm"}).out.find("past the image's end"), std::string::npos);
    const auto before = folder.names();
    for (const Bad& row : rows) {
        SCOPED_TRACE(fmt::format("{}", fmt::join(row.call, " ")));
        const ToolResult result = run(row.call);
        EXPECT_EQ(result.code, row.code) << result.err;
        EXPECT_NE(result.err.find(row.says), std::string::npos) << result.err;
        EXPECT_EQ(folder.names(), before) << "nothing is left behind";
    }
    EXPECT_EQ(contents(folder / "later.iso"), later);
    EXPECT_EQ(contents(folder / "kelp.gcm"), disc);
}

}  // namespace
