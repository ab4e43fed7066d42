// SPDX-License-Identifier: MIT
// The language of kits, kits as folder and zip file, finding bases, and each kind of step.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/archive.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part.h"
#include "kelp_harbour.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using namespace std::string_literals;

const std::string head = "hotstitch-kit = 1\nname = \"Fog Signals\"\nversion = \"1.2\"\nreadme = \"README.md\"\n";
const std::string base =
    "[[base]]\nid = \"game\"\nany = [{name = \"europe\", crc32 = \"6f184ef6\"}, {name = \"early\", crc32 = "
    "\"00000001\"}]\n";
const std::string output = "[[output]]\nfrom = \"game\"\nname = \"{name}/game.bin\"\n";
const std::string folder_base =
    "[[base]]\nid = \"game\"\nfolder = true\nany = [{files = {\"A.BIN\" = {crc32 = \"00000001\"}}}]\n";

struct WrongText {
    const char* why;
    std::string text;
    unsigned line;
    std::string says;
};

TEST(KitText, EachMistakeIsToldWithItsLine) {
    const std::string step = "[[step]]\n";
    const WrongText rows[] = {
        {"version", "hotstitch-kit = 2\n", 1, "version of the language"},
        {"no name", "hotstitch-kit = 1\nreadme = \"R\"\n", 1, "name"},
        {"no readme", "hotstitch-kit = 1\nname = \"a\"\n", 1, "readme"},
        {"nothing made", head + base, 1, "makes something"},
        {"unknown key", head + "colour = 1\n" + base + output, 5, "colour"},
        {"unknown key of a step", head + base + step + "put = \"a\"\ninto = \"game:B\"\nroam = \"append\"\n" + output,
         11, "roam"},
        {"two verbs", head + base + step + "put = \"a\"\napply = \"b\"\n" + output, 9, "put"},
        {"no verb", head + base + step + "note = \"a\"\n" + output, 8, "does nothing"},
        {"no such base", head + base + step + "apply = \"a.bps\"\nto = \"gone\"\n" + output, 10, "no base"},
        {"a base in the place of a part", head + base + step + "remove = \"game\"\n" + output, 9,
         "not something in it"},
        {"unused base", head + base + "[[base]]\nid = \"voices\"\nany = [{crc32 = \"00000001\"}]\n" + output, 8,
         "uses this base"},
        {"two bases of one id", head + base + base + output, 9, "taken"},
        {"id of a word", head + "[[base]]\nid = \"name\"\nany = [{crc32 = \"00000001\"}]\n" + output, 6, "taken"},
        {"known by a size alone", head + "[[base]]\nid = \"game\"\nany = [{size = 5}]\n" + output, 7, "checksum"},
        {"two editions of one name",
         head +
             "[[base]]\nid = \"game\"\nany = [{name = \"a\", crc32 = \"00000001\"}, {name = \"a\", crc32 = "
             "\"00000002\"}]\n" +
             output,
         7, "two editions"},
        {"a checksum that is none", head + "[[base]]\nid = \"game\"\nany = [{crc32 = \"xyz\"}]\n" + output, 7, "crc32"},
        {"only for what there is not",
         head + base + step + "apply = \"a\"\nto = \"game\"\nonly = [\"japan\"]\n" + output, 11,
         "no base has an edition"},
        {"out of the kit", head + base + step + "apply = \"../a.bps\"\nto = \"game\"\n" + output, 9, "leads out"},
        {"absolute", head + base + step + "apply = \"/a.bps\"\nto = \"game\"\n" + output, 9, "root"},
        {"out of the kit by the readme", "hotstitch-kit = 1\nname = \"a\"\nreadme = \"../R\"\n" + base + output, 3,
         "leads out"},
        {"out of the output", head + base + "[[output]]\nfrom = \"game\"\nname = \"a/../../b\"\n", 10, "leads out"},
        {"out of a folder",
         head + folder_base + step + "remove = \"game:../B\"\n[[output]]\nfrom = \"game\"\nname = \"a\"\n", 10,
         "leads out"},
        {"a link out of a folder",
         head + folder_base + step +
             "link = \"game:a/b\"\nto = \"../../c\"\n[[output]]\nfrom = \"game\"\nname = \"a\"\n",
         11, "leads out"},
        {"a link in a file", head + base + step + "link = \"game:a\"\nto = \"b\"\n" + output, 9, "of a folder"},
        {"files of what is no folder",
         head + "[[base]]\nid = \"game\"\nany = [{files = {\"A\" = {crc32 = \"00000001\"}}}]\n" + output, 7,
         "folder = true"},
        {"a folder by one checksum",
         head + "[[base]]\nid = \"game\"\nfolder = true\nany = [{crc32 = \"00000001\"}]\n" + output, 8,
         "known by its files"},
        {"two outputs of one name", head + base + output + output, 13, "two outputs"},
        {"but for case", head + base + output + "[[output]]\nfrom = \"game\"\nname = \"{name}/GAME.bin\"\n", 13,
         "two outputs"},
        {"one in another",
         head + base + "[[output]]\nfrom = \"game\"\nname = \"a\"\n[[output]]\nfrom = \"b.txt\"\nname = \"a/b\"\n", 13,
         "lies in another"},
        {"a name of a device", head + base + "[[output]]\nfrom = \"game\"\nname = \"con\"\n", 10, "no system"},
        {"a word of nothing", head + base + "[[output]]\nfrom = \"game\"\nname = \"{title}\"\n", 10, "{title}"},
        {"check of what there is not", head + base + output + "check = {japan = {crc32 = \"00000001\"}}\n", 11,
         "no base has an edition"},
        {"a folder in the place of a file",
         head + folder_base + step + "apply = \"a\"\nto = \"game\"\n[[output]]\nfrom = \"game\"\nname = \"a\"\n", 11,
         "is a folder"},
        {"no room", head + base + step + "put = \"a\"\ninto = \"game:B\"\nroom = \"cellar\"\n" + output, 11, "no room"},
    };
    for (const WrongText& row : rows) {
        SCOPED_TRACE(row.why);
        try {
            read_kit(row.text, "kit.toml");
            ADD_FAILURE() << "is taken";
        } catch (const Error& error) {
            const std::string all = fmt::format("{} {} {}", error.what(), error.wanted(), error.found());
            EXPECT_EQ(error.code(), ErrorCode::damaged);
            EXPECT_NE(all.find(row.says), std::string::npos) << all;
            EXPECT_NE(all.find(fmt::format("line {}", row.line)), std::string::npos) << all;
        }
    }
}

TEST(KitText, ReadingWhatWasWrittenGivesTheSame) {
    const std::string text =
        head + "author = \"the harbour master\"\n" + base + folder_base.substr(0, 8) +
        "\nid = \"tree\"\nfolder = true\noptional = true\nany = [{name = \"one\", files = {\"A \\\"B\\\".BIN\" = {size "
        "= 3, sha1 = \"0000000000000000000000000000000000000001\"}}}]\n"
        "[[step]]\napply = \"p/{game}.bps\"\nto = \"game\"\nonly = [\"europe\"]\nnote = \"first\"\n"
        "[[step]]\nput = \"files/a.xz:content\"\ninto = \"game:A:B\\\\:C\"\nroom = \"append\"\nadd = true\n"
        "[[step]]\nput = \"tree:A\"\ninto = \"tree:B\"\nexecutable = false\n"
        "[[step]]\nset = {\"berth[12].depth\" = 7, \"name\" = \"Old \\\"Pier\\\"\", \"x\" = 1.5}\nmap = "
        "\"maps/u.map.toml\"\nin = \"game\"\n"
        "[[step]]\nedit = \"a.edits\"\nin = \"game\"\n[[step]]\nremove = \"tree:OLD\"\n[[step]]\nmend = [\"checksum\", "
        "\"region=Europe\"]\nin = \"game\"\n"
        "[[step]]\nfolder = \"tree:E\"\n[[step]]\nlink = \"tree:a/l\"\nto = \"../b\"\n" +
        output +
        "check = {europe = {crc32 = \"00000007\"}}\nonly = [\"europe\"]\n[[output]]\nfrom = \"tree\"\nname = \"tree "
        "{version}\"\n";
    const Kit kit = read_kit(text);
    const std::string written = kit_text(kit), again = kit_text(read_kit(written));
    EXPECT_EQ(written, again);
    ASSERT_EQ(kit.steps.size(), 9u);
    EXPECT_EQ(kit.steps[3].as<step::Set>()->fields[2].value, "1.5");
    EXPECT_EQ(kit.steps[1].as<step::Put>()->room, Room::append);
    EXPECT_EQ(kit.steps[2].as<step::Put>()->executable, false);
    EXPECT_EQ(kit_text_for(kit, "{name} {version}/{game}", {{"game", "europe"}}), "Fog Signals 1.2/europe");
    for (std::size_t i = 0; i < kit.steps.size(); ++i)
        EXPECT_EQ(words_for(kit.steps[i]), words_for(read_kit(written).steps[i]));
}

// Kits on the disk.

Bytes text_bytes(std::string_view text) {
    return Bytes(bytes_of(text).begin(), bytes_of(text).end());
}

/// A disc with a file of texts, one that grows, and a packed one.
const Bytes& disc() {
    static const Bytes all = demo::disc(
        {{"A.BIN", Bytes(9000, std::byte{1})}, {"B.TXT", text_bytes("calm\n")}, {"C.BIN", Bytes(3000, std::byte{3})}});
    return all;
}

std::string crc(ByteView bytes) {
    return crc32(bytes).hex();
}

/// A kit in a folder, and what it is for.
class KitFolder {
public:
    TemporaryFolder folder;
    KitFolder() {
        folder.put("game.iso", disc());
        folder.put("kit/README.md", "read me");
    }
    void text(const std::string& rest) const {
        folder.put("kit/kit.toml",
                   fmt::format("{}[[base]]\nid = \"game\"\nany = [{{crc32 = \"{}\"}}]\n{}", head, crc(disc()), rest));
    }
    Bytes run(const std::string& rest, std::vector<std::string> given = {"game.iso"}) const {
        text(rest + "[[output]]\nfrom = \"game\"\nname = \"made.iso\"\n");
        for (std::string& name : given) name = (folder / name).string();
        KitRequest request{.given = given,
                           .kits = {(folder / "kit").string()},
                           .output = (folder / "out/").string(),
                           .receipt = false};
        request.replace = Replace::without_backup;
        KitJob job(request, {});
        job.open();
        if (const auto& refusal = job.run().refusal) throw Error(*refusal);
        return contents(folder / "out/made.iso");
    }
    std::string refused(const std::string& rest) const {
        try {
            run(rest);
        } catch (const Error& error) {
            EXPECT_FALSE(fs::exists(folder / "out/made.iso"));
            EXPECT_EQ(contents(folder / "game.iso"), disc());
            return fmt::format("{}: {} | {} | {}", name_of(error.code()), error.what(), error.wanted(), error.found());
        }
        return "it was made";
    }
};

std::string part_text(const Bytes& file, const std::string& name) {
    const MemorySource source(file);
    const auto container = open_container(source);
    MemorySink out;
    extract_part(*container, name, out);
    return std::string(text_of(out.bytes()));
}

TEST(KitSteps, EachSortDoesWhatItSays) {
    const KitFolder kit;
    kit.folder.put("kit/b.txt", "foggy\n");
    kit.folder.put("kit/long.txt", std::string(30'000, 'x'));
    kit.folder.put("kit/b.bps", create(bytes_of("calm\n"), bytes_of("fog!\n")));
    kit.folder.put("kit/b.edits", "hotstitch-edits = 1\n[[edit]]\nat = 1\nold = \"61\"\nnew = \"65\"\n");
    kit.folder.put("kit/b.txt.xz", pack_content("xz", bytes_of("packed fog\n")));
    struct Row {
        const char* step;
        const char* part;
        std::string holds;
    };
    const Row rows[] = {
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT\"\n", "B.TXT", "foggy\n"},
        {"[[step]]\nput = \"long.txt\"\ninto = \"game:B.TXT\"\n", "B.TXT", std::string(30'000, 'x')},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:NEW.TXT\"\nadd = true\n", "NEW.TXT", "foggy\n"},
        {"[[step]]\nput = \"b.txt.xz:content\"\ninto = \"game:B.TXT\"\n", "B.TXT", "packed fog\n"},
        {"[[step]]\nput = \"game:C.BIN\"\ninto = \"game:B.TXT\"\n", "B.TXT", std::string(3000, '\3')},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:C.BIN\"\n[[step]]\nput = \"game:C.BIN\"\ninto = \"game:B.TXT\"\n",
         "B.TXT", std::string(3000, '\3')},
        {"[[step]]\napply = \"b.bps\"\nto = \"game:B.TXT\"\n", "B.TXT", "fog!\n"},
        {"[[step]]\nedit = \"b.edits\"\nin = \"game:B.TXT\"\n", "B.TXT", "celm\n"},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:A.BIN\"\n[[step]]\nremove = \"game:C.BIN\"\n", "A.BIN", "foggy\n"},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT\"\nonly = [\"only\"]\n", "B.TXT", "foggy\n"},
    };
    for (const Row& row : rows) {
        SCOPED_TRACE(row.step);
        const Bytes made = kit.run(row.step);
        EXPECT_EQ(part_text(made, row.part), row.holds);
        EXPECT_EQ(contents(kit.folder / "game.iso"), disc()) << "what was brought is only read";
    }
    EXPECT_THROW(part_text(kit.run("[[step]]\nremove = \"game:C.BIN\"\n"), "C.BIN"), Error);
}

TEST(KitSteps, FieldsAreSetByTheMapOfTheKit) {
    const TemporaryFolder folder;
    const Bytes data = demo::harbour_data(false);
    folder.put("kelp.dat", data);
    folder.put("kit/README.md", "r"), folder.put("kit/maps/kelp.tbl", demo::letters());
    folder.put("kit/maps/kelp.map.toml", demo::map_of(false));
    folder.put(
        "kit/kit.toml",
        fmt::format(
            "{}[[base]]\nid = \"game\"\nany = [{{crc32 = \"{}\"}}]\n[[step]]\nset = {{\"berth[1].depth\" = 14}}\n"
            "map = \"maps/kelp.map.toml\"\nin = \"game\"\n[[output]]\nfrom = \"game\"\nname = \"out.dat\"\n",
            head, crc(data)));
    KitJob job({.given = {(folder / "kelp.dat").string()}, .kits = {(folder / "kit").string()}}, {});
    job.open();
    job.run();
    const Bytes made = contents(folder / "out.dat");
    EXPECT_NE(made, data);
    const SharedMap map =
        read_map(demo::map_of(false), "m", [](const std::string&) { return text_bytes(demo::letters()); });
    const MemorySource file(made);
    EXPECT_EQ(Fields(file, {map}).show({"berth[1].depth"}).front().records.front().values.front().text, "14");
}

TEST(KitSteps, WhatCannotBeDoneNamesItsStep) {
    const KitFolder kit;
    kit.folder.put("kit/b.txt", "foggy\n");
    kit.folder.put("kit/other.bps", create(bytes_of("storm\n"), bytes_of("fog!\n")));
    kit.folder.put("kit/junk.bps", "BPS1");
    kit.folder.put("kit/wrong.edits", "hotstitch-edits = 1\n[[edit]]\nat = 1\nold = \"00\"\nnew = \"65\"\n");
    const std::pair<std::string, std::string> rows[] = {
        {"[[step]]\napply = \"other.bps\"\nto = \"game:B.TXT\"\n", "apply other.bps to game:B.TXT"},
        {"[[step]]\napply = \"other.bps\"\nto = \"game\"\n", "apply other.bps to game"},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:NONE.TXT\"\n", "put b.txt into game:NONE.TXT"},
        {"[[step]]\nremove = \"game:NONE.TXT\"\n", "remove game:NONE.TXT"},
        {"[[step]]\nedit = \"wrong.edits\"\nin = \"game:B.TXT\"\n", "by wrong.edits"},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT:content\"\n", "game:B.TXT:content"},
        {"[[step]]\nset = {\"depth\" = 1}\nin = \"game\"\n", "set depth = 1 in game"},
        {"[[step]]\nmend = [\"nothing\"]\nin = \"game\"\n", "mend nothing of game"},
        {"[[step]]\napply = \"gone.bps\"\nto = \"game\"\n", "gone.bps"},
        {"[[step]]\napply = \"junk.bps\"\nto = \"game\"\n", "junk.bps"},
        {"[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT\"\n[[output]]\nfrom = \"gone.png\"\nname = \"g.png\"\n",
         "gone.png"},
    };
    for (const auto& [step, says] : rows) {
        const std::string why = kit.refused(step);
        EXPECT_NE(why.find(says), std::string::npos) << step << why;
        EXPECT_NE(why.find("line"), std::string::npos) << why;
    }
    const std::string wrong = "check = {only = {crc32 = \"00000001\"}}\n";
    kit.text("[[output]]\nfrom = \"game\"\nname = \"made.iso\"\n" + wrong);
    KitJob job({.given = {(kit.folder / "game.iso").string()}, .kits = {(kit.folder / "kit").string()}}, {});
    job.open();
    EXPECT_THROW(job.run(), Error);
    EXPECT_FALSE(fs::exists(kit.folder / "made.iso"));
}

TEST(KitFiles, FolderAndZipFileAreTheSameKit) {
    const KitFolder kit;
    kit.folder.put("kit/sub/b.txt", "foggy\n");
    kit.folder.put("kit/.hidden", "an editor's");
    kit.text(
        "[[step]]\nput = \"sub/b.txt\"\ninto = \"game:B.TXT\"\n[[output]]\nfrom = \"game\"\nname = \"made.iso\"\n");
    const KitInput folder(kit.folder / "kit");
    MemorySink once, twice;
    pack_kit(folder, once);
    fs::last_write_time(kit.folder / "kit/sub/b.txt", fs::file_time_type::clock::now() - std::chrono::hours(5));
    pack_kit(KitInput(kit.folder / "kit"), twice);
    EXPECT_EQ(once.bytes(), twice.bytes()) << "the same bytes for the same content";
    kit.folder.put("a.kit", once.bytes());
    const KitInput zip(kit.folder / "a.kit");
    EXPECT_EQ(zip.files(), folder.files());
    EXPECT_EQ(zip.digests().crc32, folder.digests().crc32);
    EXPECT_EQ(check_kit(zip), std::vector<std::string>{});
    MemorySink again;
    pack_kit(zip, again);
    EXPECT_EQ(again.bytes(), once.bytes());
    EXPECT_TRUE(is_kit((kit.folder / "a.kit").string()) && is_kit((kit.folder / "kit").string()));
    EXPECT_FALSE(is_kit((kit.folder / "game.iso").string()));
    // Whoever packs the folder itself has one more level.
    const MemorySource text(folder.text()), readme(bytes_of("r")), b(bytes_of("foggy\n"));
    MemorySink deeper;
    write_zip({{"fog/kit.toml", borrowed(text)}, {"fog/README.md", borrowed(readme)}, {"fog/sub/b.txt", borrowed(b)}},
              deeper);
    kit.folder.put("b.zip", deeper.bytes());
    EXPECT_EQ(KitInput(kit.folder / "b.zip").files().count("sub/b.txt"), 1u);
}

TEST(KitFiles, NamesThatDoHarmAreRefused) {
    const KitFolder kit;
    kit.text("[[output]]\nfrom = \"game\"\nname = \"made.iso\"\n");
    const Bytes text = contents(kit.folder / "kit/kit.toml");
    const MemorySource good(text), other(bytes_of("x"));
    for (const char* const name : {"../evil", "/evil", "a/../../evil", "con", "README.MD", "kit.toml"}) {
        MemorySink zip;
        write_zip({{"kit.toml", borrowed(good)}, {"README.md", borrowed(other)}, {name, borrowed(other)}}, zip);
        const fs::path path = kit.folder.put("evil.kit", zip.bytes());
        EXPECT_THROW(KitInput{path}, Error) << name;
    }
    fs::create_symlink("/etc/passwd", kit.folder / "kit/link");
    EXPECT_THROW(KitInput(kit.folder / "kit"), Error);
    for (const Bytes& bytes : {Bytes{}, text_bytes("PK\3\4 and no more"), text}) {
        const fs::path path = kit.folder.put("bad.kit", bytes);
        EXPECT_THROW(KitInput{path}, Error);
    }
    // A bomb: many times its size.
    const Bytes zeros(64 << 20);
    MemorySink bomb;
    const MemorySource large(zeros);
    write_zip({{"kit.toml", borrowed(good)}, {"README.md", borrowed(large)}}, bomb);
    Limits limits;
    limits.archive_ratio = 100;
    EXPECT_THROW(KitInput(kit.folder.put("bomb.kit", bomb.bytes()), {.limits = limits}), Error);
}

TEST(KitBases, AreFoundByContentInWhateverIsGiven) {
    const KitFolder kit;
    kit.text("[[output]]\nfrom = \"game\"\nname = \"made.iso\"\n");
    const Kit read = KitInput(kit.folder / "kit").kit();
    fs::create_directories(kit.folder / "shelf/deep");
    fs::copy_file(kit.folder / "game.iso", kit.folder / "shelf/deep/any name");
    const MemorySource bytes(disc()), noise(bytes_of("noise"));
    MemorySink zip;
    write_zip({{"readme", borrowed(noise)}, {"x/y.bin", borrowed(bytes)}}, zip);
    kit.folder.put("disc.zip", zip.bytes());
    kit.folder.put("game.xz", pack_content("xz", disc()));
    for (const auto& [given, address] : {std::pair{"game.iso", "game.iso"},
                                         {"shelf", "shelf/deep/any name"},
                                         {"disc.zip", "disc.zip:x/y.bin"},
                                         {"game.xz", "game.xz:content"}}) {
        const auto found = find_kit_bases(read, {(kit.folder / given).string()});
        ASSERT_EQ(found.size(), 1u);
        EXPECT_EQ(found.front().edition, "only") << given;
        EXPECT_EQ(found.front().address, (kit.folder / address).string());
    }
    Bytes other = disc();
    other[40'000] ^= std::byte{1};
    kit.folder.put("other.iso", other);
    const auto missing =
        find_kit_bases(read, {(kit.folder / "kit/README.md").string(), (kit.folder / "other.iso").string()});
    EXPECT_FALSE(missing.front());
    EXPECT_EQ(missing.front().near.front().size, disc().size()) << "the nearest comes first";
}

TEST(KitConflicts, AreNamedByPartFieldAndBytes) {
    const TemporaryFolder folder;
    const Bytes data = demo::harbour_data(false);
    folder.put("kelp.dat", data);
    const auto set = [](const char* field, int value) {
        return fmt::format("set = {{\"{}\" = {}}}\nmap = \"kelp.map.toml\"\nin = \"game\"\n", field, value);
    };
    const std::string deep = set("berth[1].depth", 14), deeper = set("berth[1].depth", 15),
                      other = set("berth[2].depth", 9);
    const std::string patch = "apply = \"a.bps\"\nto = \"game\"\n",
                      horn = "put = \"horn\"\ninto = \"game:sounds/HORN\"\n",
                      near = "edit = \"near.edits\"\nin = \"game\"\n", far = "edit = \"far.edits\"\nin = \"game\"\n",
                      mend = "mend = [\"checksum\"]\nin = \"game\"\n";
    const std::tuple<std::string, std::string, std::string> rows[] = {
        {deep, deep, ""},
        {deep, other, ""},
        {deep, deeper, "game berth[1].depth"},
        {deep, patch, "game berth[1].depth"},
        {patch, horn, "game:sounds/HORN"},
        {horn, horn, ""},
        {near, far, ""},
        {near, near, "game"},
        {near, patch, "game"},
        {mend, patch, ""},
        {mend, mend, ""},
    };
    for (const auto& [first, second, at] : rows) {
        SCOPED_TRACE(first + second);
        KitRequest request{.given = {(folder / "kelp.dat").string()}, .kits = {}};
        for (const auto& [name, step] : {std::pair{"one", first}, {"two", second}}) {
            const std::string kit = name;
            folder.put(kit + "/README.md", "r"), folder.put(kit + "/horn", "toot"),
                folder.put(kit + "/kelp.tbl", demo::letters());
            folder.put(kit + "/a.bps", create(data, data)), folder.put(kit + "/kelp.map.toml", demo::map_of(false));
            folder.put(kit + "/near.edits", "hotstitch-edits = 1\n[[edit]]\nat = 8\nnew = \"01 02\"\n");
            folder.put(kit + "/far.edits", "hotstitch-edits = 1\n[[edit]]\nat = 10\nnew = \"01 02\"\n");
            folder.put(kit + "/kit.toml",
                       fmt::format("hotstitch-kit = 1\nname = \"{}\"\nreadme = \"README.md\"\n[[base]]\nid = "
                                   "\"game\"\nany = [{{crc32 = \"{}\"}}]\n"
                                   "[[step]]\n{}[[output]]\nfrom = \"game\"\nname = \"{{name}}.dat\"\n",
                                   kit, crc(data), step));
            request.kits.push_back((folder / kit).string());
        }
        KitJob job(request, {});
        job.open();
        job.plan();
        const std::vector<KitConflict> found = job.conflicts();
        ASSERT_EQ(found.size(), at.empty() ? 0u : 1u);
        if (!at.empty()) {
            EXPECT_EQ(found.front().at, at);
            EXPECT_EQ(job.run().answer, Answer::conflict);
            EXPECT_TRUE(job.result().refusal.has_value());
        }
    }
}

}  // namespace
}  // namespace hotstitch
