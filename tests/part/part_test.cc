// SPDX-License-Identifier: MIT
// What is inside files: listed, compared, taken out and put back, by the library and by the real tool.
#include "hotstitch/part.h"

#include <gtest/gtest.h>

#include <cstdlib>

#include "cartridges.h"
#include "hotstitch/apply.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "kelp_harbour.h"
#include "lib/archive_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using makers::poked;

class Parts : public testing::Test {
protected:
    Parts() {
        folder.put("kelp.sfc", rom);
        folder.put("h.smc", demo::with_front_header(rom));
        folder.put("games/Kelp.GB", game_boy);
        folder.put("a:b.bin", "the colon");
        pack("--format=zip -cf shelf.zip games kelp.sfc ./a:b.bin");
        pack("--format=7zip -cf deep.7z shelf.zip");
    }
    void pack(const std::string& arguments) const {
        const std::string call = "cd '" + folder.path().string() + "' && bsdtar " + arguments + " 2>/dev/null";
        ASSERT_EQ(std::system(call.c_str()), 0) << call;
    }
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(std::move(arguments));
        return std::to_string(result.code) + " " + result.json()["answer"].get<std::string>();
    }

    TemporaryFolder folder;
    const Bytes rom = demo::kelp_harbour(1), game_boy = demo::game_boy_kelp();
};

TEST_F(Parts, OfCartridgesAreTheHeaderAndTheBanks) {
    const struct {
        const char* what;
        Bytes file;
        std::size_t header, header_size, banks, bank_size;
    } rows[] = {{"SNES", rom, 0x7FC0, 0x40, 32, 32 << 10},
                {"SNES behind a copier header", demo::with_front_header(rom), 0x81C0, 0x40, 32, 32 << 10},
                {"Game Boy", game_boy, 0x100, 0x50, 4, 16 << 10},
                {"GBA", demo::game_boy_advance_kelp(), 0, 0xC0, 0, 0},
                {"Mega Drive", demo::mega_drive_kelp(), 0x100, 0x100, 0, 0}};
    for (const auto& row : rows) {
        const MemorySource file(row.file);
        const auto container = open_container(file);
        ASSERT_TRUE(container) << row.what;
        EXPECT_EQ(container->kind(), KindId::cartridge);
        const Part header = find_part(*container, "header");
        EXPECT_EQ(header.offset, row.header) << row.what;
        EXPECT_EQ(header.size, row.header_size) << row.what;
        std::size_t banks = 0, bytes = 0;
        container->visit([&](const Part& part, const ExtractPart& extract) {
            if (part.kind != PartKind::bank) return Flow::go_on;
            MemorySink content;
            extract(content);
            EXPECT_TRUE(std::equal(content.bytes().begin(), content.bytes().end(),
                                   row.file.begin() + static_cast<std::ptrdiff_t>(*part.offset)));
            ++banks, bytes += content.bytes().size();
            return Flow::go_on;
        });
        EXPECT_EQ(banks, row.banks) << row.what;
        EXPECT_EQ(bytes, row.banks * row.bank_size) << row.what;
    }
    // In another byte order, the part is what the console reads, and has no place in the file.
    const Bytes n64 = demo::nintendo_64_kelp(), swapped = demo::with_pairs_swapped(n64);
    MemorySink header;
    EXPECT_FALSE(extract_part(*open_container(MemorySource(swapped)), "header", header).offset);
    EXPECT_TRUE(std::equal(header.bytes().begin(), header.bytes().end(), n64.begin()));
    EXPECT_FALSE(open_container(MemorySource(bytes_of("no parts"))));
}

TEST_F(Parts, AreFoundByNamesAsPeopleTypeThem) {
    const Bytes zip = contents(folder / "shelf.zip");
    const MemorySource packed(zip);
    const auto shelf = open_container(packed);
    EXPECT_EQ(find_part(*shelf, "games/Kelp.GB").name, "games/Kelp.GB");
    EXPECT_EQ(find_part(*shelf, "GAMES/kelp.gb;1").name, "games/Kelp.GB");
    try {
        find_part(*shelf, "games/Klep.GB");
        FAIL();
    } catch (const Error& error) {
        EXPECT_EQ(error.wanted().find("games/Kelp.GB"), 0U) << error.wanted();
    }
    for (const char* name : {"", "..", "games", "games/../kelp.sfc", "/kelp.sfc"})
        EXPECT_THROW(find_part(*shelf, name), Error) << name;
    const std::string twice = makers::tar_header("Tide", 0) + makers::tar_header("TIDE", 0) + makers::tar_end();
    EXPECT_THROW(find_part(*open_container(MemorySource(bytes_of(twice))), "tide"), Error) << "which of the two";
    EXPECT_THROW(shelf->put(find_part(*shelf, "kelp.sfc"), borrowed(MemorySource(rom)), {}), Error)
        << "archives are only read";
}

TEST_F(Parts, AreListedToTheEndAndCompared) {
    const auto list = run({"parts", "deep.7z", "--deep", "--digests", "--json"}).json();
    EXPECT_EQ(list["schema"]["name"], "hotstitch/parts");
    EXPECT_EQ(list["container"]["kind"], "archive");
    std::set<std::string> names;
    for (const auto& part : list["parts"]) names.insert(part["name"]);
    for (const char* name : {"shelf.zip", "shelf.zip:kelp.sfc", "shelf.zip:kelp.sfc:bank 31",
                             "shelf.zip:games/Kelp.GB:header", "shelf.zip:a\\:b.bin"})
        EXPECT_TRUE(names.contains(name)) << name;
    EXPECT_EQ(run({"parts", "shelf.zip", "games/*", "--json"}).json()["parts"].size(), 1U);
    EXPECT_EQ(answer({"parts", "kelp.sfc", "--compare", "kelp.sfc"}), "0 same");
    folder.put("changed.sfc", poked(poked(rom, 0x8001, 7), 0x8100, 7));
    const auto compared = run({"parts", "kelp.sfc", "--compare", "changed.sfc", "--json"}).json();
    EXPECT_EQ(compared["exit"], 1);
    for (const auto& part : compared["parts"])
        EXPECT_EQ(part["state"], part["name"] == "bank 1" ? "changed" : "same") << part;
    folder.put("games/New.gb", "new");
    pack("--format=zip -cf other.zip games kelp.sfc");
    std::map<std::string, std::string> states;
    const auto shelves = run({"parts", "shelf.zip", "--compare", "other.zip", "--json"}).json();
    for (const auto& part : shelves["parts"]) states[part["name"]] = part["state"];
    EXPECT_EQ(states, (std::map<std::string, std::string>{{"games/Kelp.GB", "same"},
                                                          {"kelp.sfc", "same"},
                                                          {"a\\:b.bin", "only-here"},
                                                          {"games/New.gb", "only-there"}}));
}

TEST_F(Parts, AreTakenOutUnderSafeNames) {
    EXPECT_EQ(answer({"take", "deep.7z:SHELF.zip:games/kelp.gb:bank 2", "-o", "bank.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "bank.bin") == Bytes(game_boy.begin() + 0x8000, game_boy.begin() + 0xC000));
    EXPECT_EQ(answer({"take", "shelf.zip:a\\:b.bin", "-o", "out/"}), "0 taken");
    EXPECT_EQ(text_of(contents(folder / "out/a_b.bin")), "the colon");
    EXPECT_TRUE(run({"take", "shelf.zip:kelp.sfc", "-o", "-"}).out == text_of(rom));
    EXPECT_EQ(answer({"take", "shelf.zip:games/", "-o", "tree/"}), "0 taken");
    EXPECT_TRUE(contents(folder / "tree/Kelp.GB") == game_boy);
    const std::string evil = makers::tar_header("../../up", 2) + makers::tar_blocks("up") +
                             makers::tar_header("Name", 1) + makers::tar_blocks("1") + makers::tar_header("name", 1) +
                             makers::tar_blocks("2") + makers::tar_header("con.txt", 0) + makers::tar_end();
    folder.put("evil.tar", evil);
    // What leads out is refused by the archive itself; the others get names that every system takes.
    EXPECT_EQ(answer({"take", "evil.tar:../../up"}), "3 damaged");
    EXPECT_EQ(answer({"take", "evil.tar:n", "-o", "all/"}), "2 usage");
    const ToolResult named = run({"take", "evil.tar:Name", "evil.tar:con.txt", "-o", "all/"});
    EXPECT_EQ(named.code, 0) << named.err;
    EXPECT_TRUE(fs::exists(folder / "all/_con.txt"));
    EXPECT_FALSE(fs::exists(folder.path().parent_path() / "up"));
    // Never over the file that it lies in, nor over anything unasked.
    EXPECT_EQ(answer({"take", "shelf.zip:kelp.sfc", "-o", "shelf.zip", "--replace"}), "2 usage");
    EXPECT_EQ(answer({"take", "shelf.zip:kelp.sfc", "-o", "h.smc"}), "2 exists");
    EXPECT_EQ(answer({"take", "shelf.zip"}), "2 usage");
    EXPECT_EQ(answer({"take", "kelp.sfc:bank 99"}), "2 usage");
    EXPECT_EQ(answer({"take", "a:b.bin:x"}), "3 unsupported") << "a file of that name, without parts";
    EXPECT_EQ(answer({"parts", "a:b.bin:x"}), "2 usage");
}

TEST_F(Parts, ArePutBackWithTheChecksKeptRight) {
    Bytes bank(rom.begin() + 0x8000, rom.begin() + 0x10000);
    bank[100] ^= std::byte{0x55};
    folder.put("bank.bin", bank);
    for (const char* name : {"kelp.sfc", "h.smc"}) {
        const Bytes before = contents(folder / name);
        const std::size_t front = before.size() - rom.size();
        Bytes wanted = before;
        wanted[front + 0x8000 + 100] = bank[100];
        ASSERT_EQ(answer({"put", name, "bank 1=bank.bin", "-o", "left.sfc", "--no-mend"}), "0 put");
        EXPECT_TRUE(contents(folder / "left.sfc") == wanted) << "only that byte";
        ASSERT_EQ(answer({"put", name, "BANK 1=bank.bin", "-o", "made.sfc"}), "0 put");
        EXPECT_TRUE(contents(folder / "made.sfc") == makers::mended(wanted, {{"checksum", {}}})) << "and the checksum";
        ASSERT_EQ(answer({"put", name, "bank 1=bank.bin", "--patch", "change.ips"}), "0 put");
        EXPECT_TRUE(hotstitch::apply_in_memory(contents(folder / "change.ips"), before).target ==
                    contents(folder / "made.sfc"));
        for (const char* file :
             {"left.sfc", "made.sfc", "left.sfc.receipt.json", "made.sfc.receipt.json", "change.ips"})
            fs::remove(folder / file);
    }
    // A part of another file goes in as well, several are one change, and undo takes it back.
    ASSERT_EQ(answer({"put", "kelp.sfc", "bank 1=bank.bin", "bank 3=h.smc:bank 2", "--in-place"}), "0 put");
    EXPECT_TRUE(all_checks_right(*recognise_cartridge(contents(folder / "kelp.sfc"))));
    EXPECT_EQ(answer({"undo", "kelp.sfc"}), "0 restored");
    EXPECT_TRUE(contents(folder / "kelp.sfc") == rom);
    EXPECT_EQ(answer({"put", "kelp.sfc", "bank 2=h.smc:bank 2", "-o", "same.sfc"}), "0 nothing-to-put");
    folder.put("short.bin", "short");
    EXPECT_EQ(answer({"put", "kelp.sfc", "bank 1=short.bin", "-o", "x.sfc"}), "2 usage");
    EXPECT_EQ(answer({"put", "kelp.sfc", "bank 1", "-o", "x.sfc"}), "2 usage");
    EXPECT_EQ(answer({"put", "kelp.sfc", "bank 1=bank.bin"}), "2 usage");
    EXPECT_EQ(answer({"put", "shelf.zip", "kelp.sfc=bank.bin", "-o", "x.zip"}), "3 unsupported");
    EXPECT_EQ(answer({"put", "kelp.sfc", "bank 1=bank.bin", "-o", "kelp.sfc", "--replace"}), "2 usage");
    EXPECT_FALSE(fs::exists(folder / "x.sfc") || fs::exists(folder / "x.zip"));
}

}  // namespace
}  // namespace hotstitch
