// SPDX-License-Identifier: MIT
// Archives made by the system's own tool, looked into by the library and used by the commands.
#include "hotstitch/archive.h"
#include "hotstitch/inputs.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <chrono>
#include <cstdlib>
#include <thread>

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/file_io.h"
#include "kelp_harbour.h"
#include "lib/archive_makers.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

class Archives : public testing::Test {
protected:
    Archives() {
        folder.put("kelp.sfc", source);
        folder.put("mods/night.bps", patch);
        folder.put("readme.txt", "Apply to Kelp Harbour, Europe, revision 1.");
    }
    /// Runs bsdtar in the folder.
    void pack(const std::string& arguments) const {
        const std::string call = fmt::format("cd '{}' && bsdtar {} 2>/dev/null", folder.path().string(), arguments);
        ASSERT_EQ(std::system(call.c_str()), 0) << call;
    }
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    ErrorCode extracting(const char* archive, const std::string& member, const Limits& limits = {}) const {
        try {
            open_part(InputFile(folder / archive), member, {.limits = limits});
        } catch (const Error& error) {
            return error.code();
        }
        return ErrorCode{};
    }

    TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source),
                patch = hotstitch::create(source, target);
};

TEST_F(Archives, AllCommandsLookIntoThem) {
    folder.put("old.sfc", demo::kelp_harbour(0));
    folder.put("night.sfc", target);
    folder.put("fog.bps", hotstitch::create(source, demo::fog_signals(source)));
    pack("--format=zip -cf games.zip old.sfc kelp.sfc readme.txt");
    pack("--format=zip -cf one.zip kelp.sfc readme.txt");
    pack("--format=7zip -cf twice.7z one.zip");
    pack("--format=zip -cf mods.zip mods readme.txt");
    // Of several files, the one that the patch fits.
    EXPECT_EQ(run({"apply", "games.zip", "mods.zip", "-o", "a.sfc"}).code, 0);
    EXPECT_TRUE(contents(folder / "a.sfc") == target);
    EXPECT_EQ(run({"verify", "mods.zip", "games.zip", "--json"}).json()["answer"], "fits");
    EXPECT_EQ(run({"apply", "twice.7z", "mods.zip", "-o", "b.sfc"}).code, 0);
    folder.put("other.ips", hotstitch::create(source, target, {.format = PatchFormat::ips}));
    EXPECT_EQ(run({"apply", "games.zip", "other.ips", "-o", "o.sfc"}).code, 0) << "by the ROMs' own checks";
    EXPECT_TRUE(contents(folder / "o.sfc") == target);
    folder.put("unclear.ips", bytes_of("PATCH" + makers::ips_record(0x100, "wrong in both") + "EOF"));
    const ToolResult unclear = run({"apply", "games.zip", "unclear.ips", "-o", "c.sfc"});
    EXPECT_EQ(unclear.code, 2);
    EXPECT_NE(unclear.err.find("games.zip:old.sfc"), std::string::npos) << unclear.err;
    EXPECT_EQ(run({"recast", "one.zip", "mods.zip", "--format", "ups", "-o", "r.ups"}).code, 0);
    EXPECT_EQ(run({"apply", "kelp.sfc", "r.ups", "-o", "d.sfc"}).code, 0);
    EXPECT_EQ(run({"overlap", "one.zip", "mods.zip", "fog.bps", "--json"}).json()["pairs"].size(), 1U);
    EXPECT_EQ(run({"create", "one.zip", "night.sfc", "-o", "made.bps"}).code, 0);
    EXPECT_TRUE(contents(folder / "made.bps") == patch);
    EXPECT_EQ(run({"create", "one.zip", "games.zip", "-o", "packed.bps"}).code, 0);  // both as they are
    EXPECT_EQ(run({"apply", "one.zip", "packed.bps", "-o", "e.zip"}).code, 0);
    EXPECT_TRUE(contents(folder / "e.zip") == contents(folder / "games.zip"));
    const auto described = run({"describe", "games.zip", "--json"}).json();
    EXPECT_EQ(described["files"][0]["holds"].size(), 3U) << described;
    EXPECT_EQ(run({"describe", "mods.zip:mods/night.bps", "--json"}).json()["files"][0]["format"], "bps");
}

TEST_F(Archives, OfEveryKindAreLookedInto) {
    const std::pair<const char*, const char*> kinds[] = {{"a.zip", "--format=zip"},
                                                         {"a.7z", "--format=7zip"},
                                                         {"a.tar", "--format=ustar"},
                                                         {"a.tar.gz", "--format=ustar -z"},
                                                         {"a.tar.xz", "--format=ustar -J"},
                                                         {"a.tar.bz2", "--format=ustar -j"},
                                                         {"a.tar.zst", "--format=ustar --zstd"}};
    for (const auto& [name, options] : kinds) {
        pack(fmt::format("{} -cf {} kelp.sfc mods readme.txt", options, name));
        const InputFile archive(folder / name);
        EXPECT_EQ(list_archive(archive.bytes()).size(), 3U) << name;
        EXPECT_TRUE(text_of(open_part(archive, "mods/night.bps").bytes()) == text_of(patch)) << name;
        EXPECT_EQ(extracting(name, "none"), ErrorCode::usage);
    }
    for (const auto& [name, option] : {std::pair{"kelp.sfc.gz", "-z"}, {"kelp.sfc.xz", "-J"}, {"kelp.sfc.bz2", "-j"}}) {
        pack(fmt::format("--format=raw {} -cf {} kelp.sfc", option, name));
        const InputFile archive(folder / name);
        ASSERT_EQ(list_archive(archive.bytes()).size(), 1U) << name;
        const InputFile inside = open_part(archive, "");
        EXPECT_EQ(inside.path().filename(), "kelp.sfc");
        EXPECT_TRUE(text_of(inside.bytes()) == text_of(source)) << name;
        EXPECT_TRUE(inside.is_same_file(folder / name));
    }
}

TEST_F(Archives, ServeAsSourceAndPatch) {
    pack("--format=zip -cf game.zip kelp.sfc readme.txt");
    pack("--format=7zip -cf mod.7z mods readme.txt");
    const ToolResult result = run({"apply", "game.zip", "mod.7z"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_TRUE(contents(folder / "night.sfc") == target);  // as if both lay beside their archives
    EXPECT_NE(result.out.find("readme.txt in mod.7z"), std::string::npos) << result.out;
    EXPECT_NE(result.out.find("taken out of the archive game.zip"), std::string::npos);
    // The way back and forward knows the archive.
    EXPECT_EQ(run({"renew", "night.sfc", "mod.7z"}).code, 0);
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 0);
    EXPECT_FALSE(fs::exists(folder / "night.sfc"));
    EXPECT_EQ(run({"apply", "game.zip", "mod.7z", "--in-place"}).code, 2);
    EXPECT_TRUE(contents(folder / "kelp.sfc") == source);
    EXPECT_EQ(run({"apply", "game.zip:kelp.sfc", "mod.7z:mods/night.bps", "-o", "x.sfc"}).code, 0);
    EXPECT_EQ(run({"apply", "game.zip", "mod.7z", "-o", "game.zip", "--replace"}).code, 2);
    EXPECT_EQ(run({"apply", "game.zip", "mod.7z", "-o", "y.sfc", "--as-is"}).code, 1);
    pack("--format=ustar -z -cf shelf.tar.gz game.zip");
    const ToolResult verified = run({"verify", "mod.7z", "game.zip", "--json"});
    EXPECT_EQ(verified.json()["sources"][0]["answer"], "fits") << verified.out;

    // A patch for the archive itself is taken as that.
    const Bytes zip = contents(folder / "game.zip");
    Bytes changed = zip;
    changed.push_back(std::byte{0});
    folder.put("zip.bps", hotstitch::create(zip, changed));
    EXPECT_EQ(run({"apply", "game.zip", "zip.bps", "-o", "changed.zip"}).code, 0);
    EXPECT_TRUE(contents(folder / "changed.zip") == changed);
}

TEST_F(Archives, ThatDoNotSayWhichAreAskedAbout) {
    folder.put("mods/fog.bps", patch);
    pack("--format=zip -cf two.zip mods");
    const ToolResult several = run({"apply", "kelp.sfc", "two.zip"});
    EXPECT_EQ(several.code, 2);
    EXPECT_NE(several.err.find("several patches"), std::string::npos);
    EXPECT_NE(several.err.find("two.zip:mods/"), std::string::npos) << several.err;
    pack("--format=zip -cf none.zip kelp.sfc readme.txt");
    EXPECT_EQ(run({"apply", "kelp.sfc", "none.zip"}).code, 3);
}

TEST_F(Archives, ThatMeanHarmAreRefused) {
    pack("--format=ustar -P -s ',^,../../,' -cf out.tar kelp.sfc");
    EXPECT_EQ(extracting("out.tar", "../../kelp.sfc"), ErrorCode::damaged);
    pack("--format=ustar -P -s ',^,/etc/,' -cf abs.tar kelp.sfc");
    EXPECT_EQ(extracting("abs.tar", "/etc/kelp.sfc"), ErrorCode::damaged);
    pack("--format=zip --options zip:encryption=zipcrypt --passphrase tide -cf secret.zip mods/night.bps");
    EXPECT_EQ(extracting("secret.zip", "mods/night.bps"), ErrorCode::unsupported);
    EXPECT_EQ(run({"apply", "kelp.sfc", "secret.zip"}).code, 3);
    folder.put("zeros", Bytes(16 << 20));
    pack("--format=ustar -J -cf bomb.tar.xz zeros");
    EXPECT_EQ(extracting("bomb.tar.xz", "zeros"), ErrorCode::limit);
    pack("--format=zip -cf good.zip kelp.sfc mods");
    Limits small;
    small.archive_unpacked = 1000;
    EXPECT_EQ(extracting("good.zip", "kelp.sfc", small), ErrorCode::limit);
    small.archive_members = 1;
    EXPECT_THROW(list_archive(InputFile(folder / "good.zip").bytes(), small), Error);
    for (const char* text : {"", "PK\3\4", "Rar!\x1A\7\1", "7z\xBC\xAF\x27\x1C", "\x1F\x8B\x08", "plain words"})
        EXPECT_THROW(list_archive(bytes_of(text)), Error) << text;
    Bytes cut = contents(folder / "good.zip");
    cut.resize(cut.size() / 2);
    folder.put("cut.zip", cut);
    EXPECT_EQ(run({"apply", "cut.zip", "mods/night.bps", "-o", "z.sfc"}).code, 3);
    EXPECT_FALSE(fs::exists(folder / "z.sfc"));
}

TEST_F(Archives, AreBelievedOnlyWithTheirChecksumsRight) {
    // Every kind with one bit of its packed bytes, or of what follows them, turned round.
    const std::pair<const char*, const char*> kinds[] = {{"a.zip", "--format=zip"},
                                                         {"a.7z", "--format=7zip"},
                                                         {"a.tar.gz", "--format=ustar -z"},
                                                         {"a.tar.xz", "--format=ustar -J"},
                                                         {"a.tar.bz2", "--format=ustar -j"}};
    for (const auto& [name, options] : kinds) {
        pack(fmt::format("{} -cf {} kelp.sfc", options, name));
        const Bytes good = contents(folder / name);
        for (const std::size_t at : {good.size() / 3, good.size() / 2}) {
            Bytes bad = good;
            bad[at] ^= std::byte{4};
            folder.put(name, bad);
            EXPECT_EQ(extracting(name, "kelp.sfc"), ErrorCode::damaged) << name << " at " << at;
        }
    }
    const std::string tar = makers::tar_header("f", 5) + makers::tar_blocks("hello") + makers::tar_end();
    for (const auto& [packed, member] : {std::pair{makers::gzipped("kelp"), ""}, {makers::gzipped(tar), "f"}}) {
        for (std::size_t from_end = 1; from_end <= 8; ++from_end) {
            std::string bad = packed;
            bad[bad.size() - from_end] ^= 1;
            folder.put("bad.gz", bad);
            EXPECT_EQ(extracting("bad.gz", member), ErrorCode::damaged) << from_end;
        }
        folder.put("cut.gz", packed.substr(0, packed.size() - 4));
        EXPECT_EQ(extracting("cut.gz", member), ErrorCode::truncated);
        folder.put("two.gz", packed + makers::gzipped("") + std::string(100, '\0'));
        EXPECT_EQ(extracting("two.gz", member), ErrorCode{});
    }
    pack("--format=7zip -cf one.7z kelp.sfc");
    for (const bool right : {true, false}) {
        const std::uint32_t sum = crc32(source).value ^ (right ? 0U : 1U);
        folder.put("folder.7z", makers::with_folder_checksum(contents(folder / "one.7z"), sum));
        EXPECT_EQ(extracting("folder.7z", "kelp.sfc"), right ? ErrorCode{} : ErrorCode::damaged);
    }
}

TEST_F(Archives, SevenZipsArePrecheckedByTheirHeaders) {
    // 300 small files in one folder, the list of them packed itself: as 7z archives mostly are.
    const Bytes packed = contents(DOCS_FOLDER "/../fuzz/seeds/archive/packed-header.7z");
    const auto members = list_archive(packed);
    ASSERT_EQ(members.size(), 300U);
    EXPECT_EQ(text_of(members.front().head).substr(0, 5), "file ");
    Limits few;
    few.archive_members = 299;
    EXPECT_THROW(list_archive(packed, few), Error);
    few = {};
    few.archive_unpacked = 1000;
    EXPECT_THROW(list_archive(packed, few), Error);
    // A list that claims terabytes is refused before memory is taken for it.
    const Bytes claims = contents(DOCS_FOLDER "/../fuzz/seeds/archive/header-of-terabytes.7z");
    EXPECT_THROW(list_archive(claims), Error);
    for (std::size_t at = 32; at < packed.size(); at += packed.size() / 40) {
        Bytes bad = packed;
        bad[at] ^= std::byte{0x10};
        EXPECT_THROW(list_archive(bad), Error) << at;
    }
}

TEST_F(Archives, CompressedFilesAreTakenForWhatTheyHold) {
    // A disc image begins with zeros, as the end of a tar does.
    const std::string disc = std::string(64 << 10, '\0') + "CD001";
    folder.put("disc.iso.gz", makers::gzipped(disc));
    folder.put("disc.iso.xz", makers::xzed(disc));
    folder.put("disc.iso.bz2", makers::bzipped(disc));
    for (const char* name : {"disc.iso.gz", "disc.iso.xz", "disc.iso.bz2"}) {
        const InputFile archive(folder / name);
        ASSERT_EQ(list_archive(archive.bytes()).size(), 1U) << name;
        EXPECT_TRUE(text_of(open_part(archive, "").bytes()) == disc) << name;
    }
    folder.put("disc.bps", hotstitch::create(bytes_of(disc), bytes_of(disc + "x")));
    EXPECT_EQ(run({"apply", "disc.iso.gz", "disc.bps", "-o", "made.iso"}).code, 0);
    EXPECT_EQ(run({"undo", "made.iso"}).code, 0) << "the receipt knows where the source came from";
    EXPECT_EQ(run({"describe", "disc.iso.gz:content", "--json"}).json()["files"][0]["size"], disc.size());
    for (const char* text : {"7z\xBC\xAF\x27\x1C", "7z\xBC\xAF\x27\x1C and not more than thirty"})
        EXPECT_THROW(list_archive(bytes_of(text)), Error);
    pack("--format=ustar -cf plain.tar kelp.sfc mods/night.bps");
    const auto described = run({"describe", "plain.tar", "--json"}).json()["files"][0];
    EXPECT_EQ(described["kind"], "cartridge") << "the only game in it";
    EXPECT_EQ(described["path"], "plain.tar");
    EXPECT_EQ(described["part"], "kelp.sfc");
    EXPECT_EQ(run({"apply", "plain.tar", "plain.tar", "-o", "x.sfc"}).code, 0) << "it holds the game and the patch";
    EXPECT_EQ(run({"apply", "plain.tar:kelp.sfc", "mods/night.bps", "-o", "w.sfc"}).code, 0);
    EXPECT_EQ(run({"apply", "plain.tar", "mods/night.bps", "-o", "y.sfc"}).code, 0);
}

TEST_F(Archives, HaveOneBudgetForAll) {
    const std::string zeros(8 << 20, '\0');
    std::string names, folders;
    for (int i = 0; i < 200; ++i)
        names += makers::tar_header("@LongLink", 60'000, 'L') + makers::tar_blocks(std::string(60'000, 'n')) +
                 makers::tar_header("n", 0);
    for (int i = 0; i < 60'000; ++i) folders += makers::tar_header(fmt::format("d{}/", i), 0, '5');
    std::string nested = zeros;
    for (int i = 0; i < 3; ++i) nested = makers::gzipped(nested);
    const std::pair<const char*, std::string> hostile[] = {
        {"one file", makers::gzipped(zeros)},
        {"passed over", makers::bzipped(makers::tar_header("f", zeros.size()) + zeros + makers::tar_end())},
        {"names", makers::xzed(names + makers::tar_end())},
        {"folders", makers::xzed(folders + makers::tar_end())},
        {"sparse", makers::sparse_tar(std::uint64_t{7} << 30)}};
    for (const auto& [what, bytes] : hostile) {
        folder.put("hostile", bytes);
        const ToolResult result = run({"apply", "hostile", "mods/night.bps", "-o", "x.sfc", "--json"});
        EXPECT_EQ(result.json()["answer"], "limit") << what << result.out;
        EXPECT_EQ(result.code, 3) << what;
    }
    // Packed again and again: opened as deep as archives are, and no deeper.
    folder.put("nested.gz", nested);
    EXPECT_EQ(run({"apply", "nested.gz", "mods/night.bps", "-o", "x.sfc"}).code, 1);
    // The budget is there to be raised.
    folder.put("zeros.gz", makers::gzipped(zeros));
    folder.put("zeros.bps", hotstitch::create(bytes_of(zeros), bytes_of(zeros + "x")));
    EXPECT_EQ(run({"apply", "zeros.gz", "zeros.bps", "-o", "z"}).code, 3);
    EXPECT_EQ(run({"apply", "zeros.gz", "zeros.bps", "-o", "z", "--limit-unpacked", "16M"}).code, 0);
    Limits brief;
    brief.archive_time = 1;
    EXPECT_THROW(list_archive(bytes_of(makers::xzed(folders)), brief), Error);
    // Whoever takes the bytes may be slow: that is not the archive's time.
    struct SlowSink final : ByteSink {
        void write(ByteView) override { std::this_thread::sleep_for(std::chrono::milliseconds(600)); }
    } slow;
    brief.archive_time = 500;
    const std::string tar = makers::tar_header("a", 1) + makers::tar_blocks("x") + makers::tar_header("b", 1) +
                            makers::tar_blocks("y") + makers::tar_end();
    ArchiveReader reader(bytes_of(tar), brief);
    ASSERT_NE(reader.next(), nullptr);
    reader.extract(slow);
    EXPECT_NE(reader.next(), nullptr);
}

}  // namespace
}  // namespace hotstitch
