// SPDX-License-Identifier: MIT
// Kits made of two states of a game: applied, they give the new one, whatever differs.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <fstream>
#include <random>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part.h"
#include "lib/sanitized.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

constexpr int tree_files = sanitized ? 300 : 2000;

/// Path to what stands there: "f" or "x" and the content, "d", or "l" and where to.
std::map<std::string, std::string> tree_of(const fs::path& folder) {
    std::map<std::string, std::string> tree;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        const std::string name = entry.path().lexically_relative(folder).string();
        struct stat info {};
        ::lstat(entry.path().c_str(), &info);
        if (S_ISDIR(info.st_mode)) {
            tree[name] = "d";
        } else if (S_ISLNK(info.st_mode)) {
            tree[name] = "l" + fs::read_symlink(entry.path()).string();
        } else {
            const Bytes bytes = contents(entry.path());
            tree[name] = ((info.st_mode & 0100) != 0 ? "x" : "f") + std::string(text_of(bytes));
        }
    }
    return tree;
}

class Trees {
public:
    TemporaryFolder folder;
    std::mt19937 random;
    explicit Trees(unsigned seed) : random(seed) {}

    unsigned below(unsigned end) { return std::uniform_int_distribution<unsigned>(0, end - 1)(random); }
    std::string name() {
        static const char* const words[] = {"berth", "tide", "fog horn", "kelp",  "quay",
                                            "Läuft", "a:b",  "x.y",      "k'q\"", "ferry"};
        std::string path;
        for (unsigned depth = below(4); depth > 0; --depth) path += fmt::format("{}-{}/", words[below(10)], below(6));
        return path + fmt::format("{}_{}.bin", words[below(10)], below(100'000));
    }
    std::string noise() {
        std::string text(below(3) == 0 ? below(20'000) : below(200), 0);
        for (char& c : text) c = static_cast<char>(below(below(2) == 0 ? 4 : 256));
        return text;
    }
    void write(const fs::path& path, const std::string& content) {
        std::error_code code;
        fs::create_directories(path.parent_path(), code);
        if (code || fs::is_directory(path)) return;
        std::ofstream(path, std::ios::binary) << content;
        if (below(10) == 0) fs::permissions(path, fs::perms::owner_exec, fs::perm_options::add);
    }
    void fill(const fs::path& root, int files) {
        fs::create_directory(root);
        for (int i = 0; i < files; ++i) write(root / name(), noise());
        fs::create_directories(root / "EMPTY/one"), fs::create_directories(root / "EMPTY/two");
        fs::create_symlink("EMPTY", root / "link");
    }
    /// Changed, moved, removed, added, given rights, and other things in their places.
    void change(const fs::path& root, int changes) {
        std::vector<fs::path> files;
        for (const auto& entry : fs::recursive_directory_iterator(root))
            if (entry.is_regular_file() && !entry.is_symlink()) files.push_back(entry.path());
        std::sort(files.begin(), files.end());
        for (int i = 0; i < changes; ++i) {
            const fs::path path = files[below(static_cast<unsigned>(files.size()))];
            std::error_code code;
            if (!fs::is_regular_file(path, code)) continue;
            switch (below(8)) {
                case 0: {
                    std::fstream file(path, std::ios::in | std::ios::out | std::ios::binary);
                    file.seekp(static_cast<std::streamoff>(fs::file_size(path) / 2));
                    file << "fog";
                    break;
                }
                case 1: write(path, noise()); break;
                case 2: fs::rename(path, root / fmt::format("moved_{}.bin", i), code); break;
                case 3: fs::remove(path); break;
                case 4:
                    fs::permissions(path, fs::perms::owner_exec,
                                    below(2) == 0 ? fs::perm_options::add : fs::perm_options::remove);
                    break;
                case 5: fs::remove_all(path.parent_path() == root ? path : path.parent_path(), code); break;
                case 6: fs::remove(path), fs::create_directory(path, code); break;
                default: write(root / fmt::format("new_{}/{}", i % 5, name()), noise());
            }
        }
        std::error_code code;
        fs::remove(root / "EMPTY/one", code), fs::create_directories(root / "EMPTY/three", code);
        fs::remove(root / "link", code), fs::create_symlink("EMPTY/three", root / "link", code);
        fs::create_symlink("../EMPTY", root / "new_0/up", code);
    }
};

TEST(KitOfTrees, MakesTheNewFolderExactly) {
    for (const auto& [seed, files, changes] :
         {std::tuple{1U, tree_files, tree_files / 8}, {2U, 60, 60}, {3U, 12, 200}, {4U, 40, 3}}) {
        SCOPED_TRACE(seed);
        Trees trees(seed);
        const fs::path a = trees.folder / "game", b = trees.folder / "Fog";
        trees.fill(a, files);
        fs::copy(a, b, fs::copy_options::recursive | fs::copy_options::copy_symlinks);
        trees.change(b, changes);
        const auto before = tree_of(a), wanted = tree_of(b);
        ASSERT_NE(before, wanted);
        const KitCreateResult made =
            create_kit({.pairs = {{a.string(), b.string(), {}}}, .output = (trees.folder / "fog.kit").string()});
        EXPECT_GT(made.patches + made.files + made.added + made.moved + made.removed, 0u);
        KitJob job({.given = {a.string()},
                    .kits = {(trees.folder / "fog.kit").string()},
                    .output = (trees.folder / "out").string()},
                   {});
        job.open();
        job.run();
        EXPECT_TRUE(tree_of(trees.folder / "out") == wanted);
        EXPECT_TRUE(tree_of(a) == before) << "what was brought is only read";
        EXPECT_TRUE(not_as_made(receipt_of(trees.folder / "out").value(), trees.folder / "out").empty());
        // In place, and back.
        KitJob in_place({.given = {a.string()}, .kits = {(trees.folder / "fog.kit").string()}, .in_place = true}, {});
        in_place.open();
        in_place.run();
        EXPECT_TRUE(tree_of(a) == wanted);
        undo_folder(a);
        EXPECT_TRUE(tree_of(a) == before);
        EXPECT_FALSE(way_back_of(a));
    }
}

TEST(KitOfTrees, EditionsAreToldApartByAFileThatNoStepTouches) {
    const TemporaryFolder folder;
    KitCreateRequest request{.pairs = {}, .output = (folder / "k.kit").string()};
    for (const char* const edition : {"europe", "americas"}) {
        const std::string a = std::string("a-") + edition, b = std::string("b-") + edition;
        for (const std::string& tree : {a, b})
            folder.put(tree + "/same.txt", "same"), folder.put(tree + "/z.txt", edition);
        folder.put(b + "/same.txt", "fog"), folder.put(b + "/new.txt", edition);
        request.pairs.push_back({(folder / a).string(), (folder / b).string(), edition});
    }
    create_kit(request);
    for (const char* const edition : {"europe", "americas"}) {
        KitJob job({.given = {(folder / (std::string("a-") + edition)).string()},
                    .kits = {(folder / "k.kit").string()},
                    .output = (folder / (std::string("c-") + edition)).string()},
                   {});
        job.open();
        job.run();
        EXPECT_EQ(tree_of(folder / (std::string("c-") + edition)), tree_of(folder / (std::string("b-") + edition)));
    }
}

TEST(KitOfTrees, WhatASystemWouldMixUpIsRefused) {
    const TemporaryFolder folder;
    folder.put("a/x", "1"), folder.put("b/x", "1"), folder.put("b/X", "2");
    const auto make = [&] {
        create_kit(
            {.pairs = {{(folder / "a").string(), (folder / "b").string(), {}}}, .output = (folder / "k.kit").string()});
    };
    EXPECT_THROW(make(), Error);
    fs::remove(folder / "b/X");
    EXPECT_THROW(make(), Error) << "nothing differs";
    fs::create_symlink("/etc", folder / "b/out");
    EXPECT_THROW(make(), Error) << "a link that leads out";
    fs::remove(folder / "b/out");
    ASSERT_EQ(::mkfifo((folder / "b/pipe").c_str(), 0600), 0);
    EXPECT_THROW(make(), Error) << "a pipe";
    EXPECT_FALSE(fs::exists(folder / "k.kit"));
}

Bytes noise(std::size_t size, unsigned seed) {
    std::mt19937 random(seed);
    Bytes bytes(size);
    for (std::byte& byte : bytes) byte = static_cast<std::byte>(random());
    return bytes;
}

Bytes with(Bytes bytes, std::size_t at, std::string_view text) {
    std::copy(bytes_of(text).begin(), bytes_of(text).end(), bytes.begin() + static_cast<std::ptrdiff_t>(at));
    return bytes;
}

std::vector<demo::DiscFile> files(int edition) {
    return {{"DATA/UNITS.BIN", noise(40'000, 1)},
            {"DATA/TEXTS.XZ", pack_content("xz", Bytes(20'000, static_cast<std::byte>(edition)))},
            {"DATA/SAME.BIN", noise(100'000, 3)},
            {"GAME.EXE", noise(70'000, static_cast<unsigned>(4 + edition))},
            {"OLD.BIN", noise(30'000, 5)}};
}

struct DiscPair {
    const char* name;
    std::function<void(std::vector<demo::DiscFile>&)> change;
    std::size_t steps;  ///< at least
};

TEST(KitOfDiscs, EachPartByWhatTakesLeast) {
    const DiscPair pairs[] = {
        {"one byte", [](auto& f) { f[0].content = with(f[0].content, 100, "fog"); }, 1},
        {"a file grows", [](auto& f) { f[0].content.resize(90'000, std::byte{7}); }, 1},
        {"several",
         [](auto& f) { f[0].content = with(f[0].content, 9, "x"), f[3].content = with(f[3].content, 9, "y"); }, 2},
        {"inside a packed file",
         [](auto& f) { f[1].content = pack_content("xz", with(Bytes(20'000, std::byte{0}), 7, "fog")); }, 1},
        {"a new file",
         [](auto& f) {
             f.push_back({"NEW.BIN", noise(5000, 9)});
         },
         1},
        {"one is gone", [](auto& f) { f.pop_back(); }, 1},
        {"one has moved", [](auto& f) { f.back().path = "RENAMED.BIN"; }, 1},
        {"laid out anew", [](auto& f) { std::swap(f[0], f[4]), f[2].content = with(f[2].content, 1, "z"); }, 1},
    };
    for (const DiscPair& pair : pairs) {
        SCOPED_TRACE(pair.name);
        const TemporaryFolder folder;
        std::vector<demo::DiscFile> now = files(0);
        pair.change(now);
        const Bytes before = demo::disc(files(0)), after = demo::disc(now);
        folder.put("a.iso", before), folder.put("b.iso", after);
        const KitCreateResult made =
            create_kit({.pairs = {{(folder / "a.iso").string(), (folder / "b.iso").string(), {}}},
                        .output = (folder / "k/").string()});
        const KitInput kit(folder / "k");
        EXPECT_GE(kit.kit().steps.size(), pair.steps);
        MemorySink single;
        create(MemorySource(before), MemorySource(after), single, {.format = PatchFormat::vcdiff});
        EXPECT_LE(made.size, single.bytes().size() * 11 / 10 + 5000) << "beside its text, hardly more than one patch";
        KitJob job({.given = {(folder / "a.iso").string()},
                    .kits = {(folder / "k").string()},
                    .output = (folder / "c.iso").string()},
                   {});
        job.open();
        EXPECT_TRUE(job.run().made.front().checked);
        EXPECT_TRUE(contents(folder / "c.iso") == after);
    }
}

TEST(KitOfDiscs, SeveralEditionsShareWhatIsTheSame) {
    const TemporaryFolder folder;
    KitCreateRequest request{.pairs = {}, .output = (folder / "k/").string(), .name = "Fog Signals"};
    for (const int edition : {0, 1, 2}) {
        std::vector<demo::DiscFile> now = files(edition);
        now[0].content = with(now[0].content, 100, "fog");                   // in all
        now[3].content = with(now[3].content, 50, "signal");                 // each its own
        if (edition != 1) now[2].content = with(now[2].content, 3, "horn");  // in two
        const std::string a = fmt::format("a{}.iso", edition), b = fmt::format("b{}.iso", edition);
        folder.put(a, demo::disc(files(edition))), folder.put(b, demo::disc(now));
        request.pairs.push_back({(folder / a).string(), (folder / b).string(), fmt::format("edition {}", edition)});
    }
    const KitCreateResult made = create_kit(request);
    EXPECT_EQ(made.editions, 3u);
    const KitInput kit(folder / "k");
    std::size_t all = 0, some = 0;
    for (const Step& step : kit.kit().steps) ++(step.only.empty() ? all : some);
    EXPECT_EQ(all, 1u) << "UNITS.BIN changes alike in all";
    EXPECT_EQ(some, 4u) << "three of GAME.EXE, and one of SAME.BIN for two";
    for (const int edition : {0, 1, 2}) {
        const fs::path out = folder / fmt::format("c{}.iso", edition);
        KitJob job({.given = {(folder / fmt::format("a{}.iso", edition)).string()},
                    .kits = {(folder / "k").string()},
                    .output = out.string()},
                   {});
        job.open();
        job.run();
        EXPECT_TRUE(contents(out) == contents(folder / fmt::format("b{}.iso", edition)));
    }
}

TEST(KitOfFiles, FieldsAreSetWhereAMapHasThemAll) {
    const TemporaryFolder folder;
    const Bytes before = demo::harbour_data(false);
    folder.put("kelp.dat", before);
    folder.put("kelp.map.toml", demo::map_of(false)), folder.put("kelp.tbl", demo::letters());
    WorkOptions options;
    options.limits.maps = maps_of({.files = {(folder / "kelp.map.toml").string()}}, options);
    Recipe recipe{.base = (folder / "kelp.dat").string()};
    recipe.steps = {{.does = step::Set{.fields = {{"berth[1].depth", "14"}, {"berth[2].depth", "9"}}}}};
    recipe.to.file = (folder / "new.dat").string();
    Job fields(recipe, options);
    fields.open();
    fields.run();
    KitCreateRequest request{.pairs = {{(folder / "kelp.dat").string(), (folder / "new.dat").string(), {}}},
                             .output = (folder / "k.kit").string()};
    request.maps = {(folder / "kelp.map.toml").string()};
    EXPECT_EQ(create_kit(request, options).fields, 2u);
    const KitInput kit(folder / "k.kit");
    ASSERT_EQ(kit.kit().steps.size(), 1u);
    EXPECT_TRUE(kit.kit().steps.front().is<step::Set>());
    KitJob job({.given = {(folder / "kelp.dat").string()},
                .kits = {(folder / "k.kit").string()},
                .output = (folder / "c.dat").string()},
               {});
    job.open();
    job.run();
    EXPECT_EQ(contents(folder / "c.dat"), contents(folder / "new.dat"));
}

}  // namespace
}  // namespace hotstitch
