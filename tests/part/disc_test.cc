// SPDX-License-Identifier: MIT
// Discs by the public API: sectors and their codes, volumes right and broken, files put in in every way, cue sheets,
// mends. The images are made by demo/disc.cc, which shares nothing with the library.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <random>

#include "disc.h"
#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "part/disc/sector.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t raw = 2352, user = 2048;

Bytes all_of(const ByteSource& source) {
    MemorySink sink;
    write_source(source, sink);
    return sink.take();
}

Bytes noise(std::size_t size, unsigned seed) {
    std::mt19937 random(seed);
    Bytes out(size);
    for (std::byte& b : out) b = static_cast<std::byte>(random());
    return out;
}

ByteView sector(const Bytes& image, std::size_t number) {
    return ByteView(image).subspan(number * raw, raw);
}

SharedSource shared(Bytes bytes) {
    return owned(std::move(bytes));
}

/// Every file of a disc by its name.
std::map<std::string, Bytes> files_of(const Bytes& image) {
    std::map<std::string, Bytes> files;
    const MemorySource source(image);
    open_container(source)->visit([&](const Part& part, const ExtractPart& extract) {
        if (part.kind != PartKind::file) return Flow::go_on;
        MemorySink sink;
        extract(sink);
        files[part.name] = sink.take();
        return Flow::go_on;
    });
    return files;
}

const Bytes& plain_disc() {
    static const Bytes image = demo::disc(demo::kelp_harbour_files(1));
    return image;
}

// --- sectors

TEST(Sectors, CodesAreThoseOfTheStandardBitByBit) {
    for (const auto mode : {disc::SectorMode::mode1, disc::SectorMode::form1})
        for (const Bytes& data : {Bytes(user), noise(user, 1), Bytes(user, std::byte{0xFF})}) {
            Bytes made(raw);
            disc::encode(made, data, 0, mode);
            EXPECT_EQ(demo::wrong_codes(made), 0U);
            EXPECT_EQ(std::vector<std::byte>(made.begin() + 12, made.begin() + 15),
                      (std::vector<std::byte>{std::byte{0}, std::byte{2}, std::byte{0}}))
                << "sector 0 is 00:02:00";
            EXPECT_EQ(made, demo::in_sectors(data, mode == disc::SectorMode::mode1 ? 1 : 2));
            for (const std::size_t at : {20U, 1000U, 2070U, 2100U, 2300U}) {
                Bytes wrong = made;
                wrong[at] ^= std::byte{1};
                EXPECT_FALSE(disc::is_protected(wrong, mode)) << at;
            }
        }
}

struct Form {
    const char* name;
    Bytes image;
    std::uint64_t mode1, form1, form2;
};
std::vector<Form> forms() {
    const Bytes plain = plain_disc();
    const std::size_t count = plain.size() / user;
    const Bytes mode2 = demo::in_sectors(plain, 2);
    Bytes with_subchannel, headless, cut = mode2, with_sound = mode2;
    for (std::size_t i = 0; i < count; ++i) {
        const ByteView one = sector(mode2, i);
        with_subchannel.insert(with_subchannel.end(), one.begin(), one.end());
        with_subchannel.resize(with_subchannel.size() + 96, std::byte{0x55});
        headless.insert(headless.end(), one.begin() + 16, one.end());
    }
    cut.resize(cut.size() + 1000);
    const Bytes sound = demo::sound(1);
    with_sound.insert(with_sound.end(), sound.begin(), sound.end());
    return {{"mode 1", demo::in_sectors(plain, 1), count, 0, 0},
            {"mode 2", mode2, 0, count, 0},
            {"form 2 at the end", demo::in_sectors(plain, 2, 5), 0, count - 5, 5},
            {"with subchannel", with_subchannel, 0, count, 0},
            {"without sync and header", headless, 0, count, 0},
            {"ends inside a sector", cut, 0, count, 0},
            {"sound behind it", with_sound, 0, count, 0}};
}

TEST(Sectors, UserDataIsReadThroughEveryForm) {
    for (const Form& form : forms()) {
        SCOPED_TRACE(form.name);
        const auto data = user_data_of(shared(form.image));
        EXPECT_EQ(all_of(*data), plain_disc());
        const SectorCheck check = check_sectors(MemorySource(form.image)).value();
        EXPECT_EQ(std::tuple(check.mode1, check.form1, check.form2, check.wrong, check.other),
                  std::tuple(form.mode1, form.form1, form.form2, 0U, 0U));
        EXPECT_EQ(identify(form.image).kind.id, KindId::disc);
        EXPECT_EQ(files_of(form.image), files_of(plain_disc()));
        std::mt19937 random(2);
        Bytes scratch(20'000);
        for (int i = 0; i < 50; ++i) {
            const std::size_t length = random() % scratch.size() + 1, at = random() % (data->size() - length);
            const ByteView read = data->read(at, length, scratch);
            EXPECT_TRUE(std::equal(read.begin(), read.end(), plain_disc().begin() + static_cast<std::ptrdiff_t>(at)));
        }
    }
    EXPECT_FALSE(check_sectors(MemorySource(plain_disc())));
}

TEST(Sectors, OnlyThoseTouchedGetTheirCodesAnew) {
    for (const unsigned mode : {1U, 2U}) {
        Bytes image = demo::in_sectors(plain_disc(), mode);
        image[30 * raw + 2100] ^= std::byte{1};  // wrong before, as a protection is
        Bytes data = plain_disc();
        data[100 * user + 7] ^= std::byte{1}, data[102 * user] ^= std::byte{1};
        const Bytes made = changed(image, with_user_data(shared(image), shared(data)));
        for (std::size_t i = 0; i < image.size() / raw; ++i) {
            const bool same = std::equal(sector(image, i).begin(), sector(image, i).end(), sector(made, i).begin());
            EXPECT_EQ(same, i != 100 && i != 102) << i;
        }
        for (const std::size_t touched : {100U, 102U}) EXPECT_EQ(demo::wrong_codes(sector(made, touched)), 0U);
        EXPECT_EQ(all_of(*user_data_of(shared(made))), data);
        const SectorCheck check = check_sectors(MemorySource(made)).value();
        EXPECT_EQ(std::pair(check.wrong, check.first_wrong), std::pair(std::uint64_t{1}, std::uint64_t{30}));
        // Longer: the new ones get headers that go on counting.
        data.resize(data.size() + 3 * user, std::byte{4});
        EXPECT_EQ(changed(image, with_user_data(shared(image), shared(data))).size(), image.size() + 3 * raw);
        Bytes whole = changed(demo::in_sectors(plain_disc(), mode),
                              with_user_data(shared(demo::in_sectors(plain_disc(), mode)), shared(data)));
        EXPECT_EQ(whole, demo::in_sectors(data, mode));
    }
    const Bytes film = demo::in_sectors(plain_disc(), 2, 4);
    Bytes data = plain_disc();
    data.back() ^= std::byte{1};
    EXPECT_THROW(with_user_data(shared(film), shared(data)), Error) << "form 2 is not written";
}

// --- what is put in

struct Disc {
    const char* name;
    Bytes (*make)(const Bytes& plain);
};
const Disc images[] = {{"plain", [](const Bytes& plain) { return plain; }},
                       {"mode 1", [](const Bytes& plain) { return demo::in_sectors(plain, 1); }},
                       {"mode 2", [](const Bytes& plain) { return demo::in_sectors(plain, 2); }}};

std::vector<demo::DiscFile> random_files(std::mt19937& random) {
    std::vector<demo::DiscFile> files;
    const char* const folders[] = {"", "DATA/", "DATA/SUB/", "VOICES/"};
    for (unsigned i = 0; i < 3 + random() % 6; ++i)
        files.push_back(
            {fmt::format("{}F{}.BIN", folders[random() % 4], i), noise(random() % 5 == 0 ? 0 : random() % 9000, i)});
    return files;
}

/// Whatever is put in wherever: it comes out again, and nothing else changes.
TEST(DiscProperty, WhatIsPutInComesOutAndNothingElseChanges) {
    std::mt19937 random(7);
    for (int round = 0; round < 60; ++round) {
        const bool joliet = random() % 2 == 0;
        const Bytes plain = demo::disc(random_files(random), {.joliet = joliet, .padding = random() % 3});
        const Disc& form = images[random() % 3];
        const Bytes image = form.make(plain);
        auto wanted = files_of(image);
        const MemorySource source(image);
        const auto container = open_container(source);
        auto chosen = wanted.begin();
        std::advance(chosen, static_cast<std::ptrdiff_t>(random() % wanted.size()));
        const std::string name = chosen->first;
        const Bytes content = noise(random() % 12'000, static_cast<unsigned>(round));
        PutOptions options;
        options.room = static_cast<Room>(random() % 4);
        const unsigned what = random() % 4;
        SCOPED_TRACE(
            fmt::format("round {}: {} {} room {} of {}", round, what, name, static_cast<int>(options.room), form.name));
        try {
            const PutResult result = what == 0 ? container->add("DATA-NEW.BIN", shared(content), options)
                                     : what == 1
                                         ? container->remove(find_part(*container, name), options)
                                         : container->put(find_part(*container, name), shared(content), options);
            if (what == 1)
                wanted.erase(name);
            else
                wanted[what == 0 ? "DATA-NEW.BIN" : name] = content;
            const Bytes made = changed(image, result.change);
            EXPECT_EQ(files_of(made), wanted);
            if (const auto check = check_sectors(MemorySource(made))) {
                EXPECT_EQ(check->wrong, 0U);
            }
            EXPECT_TRUE(identify(made).warnings.empty());
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::usage) << error.what();
            EXPECT_EQ(options.room, Room::place) << error.what();
        }
    }
}

/// As many as there are at once, with new ones among them: the same disc as one after the other, and read again.
TEST(DiscProperty, ManyAtOnceAreAsOneAfterTheOther) {
    std::mt19937 random(11);
    for (int round = 0; round < 60; ++round) {
        const Bytes plain = demo::disc(random_files(random), {.joliet = random() % 2 == 0, .padding = random() % 3});
        const Disc& form = images[random() % 3];
        const Bytes image = form.make(plain);
        auto wanted = files_of(image);
        PutOptions options;
        options.room = random() % 2 == 0 ? Room::append : Room::any, options.add = true;
        std::vector<PartChange> changes;
        for (auto& [name, content] : wanted) {
            if (random() % 3 == 0) continue;
            content = noise(random() % 3 == 0 ? content.size() : random() % 12'000, static_cast<unsigned>(random()));
            changes.push_back({name, shared(content)});
        }
        if (random() % 2 == 0) {
            const Bytes content = noise(random() % 5000, 5);
            changes.push_back({"ADDED.BIN", shared(content), true});
            wanted["ADDED.BIN"] = content;
        }
        SCOPED_TRACE(fmt::format("round {}: {} changes, {}", round, changes.size(), form.name));
        if (changes.empty()) continue;
        const MemorySource source(image);
        const auto all = open_container(source)->change_all(changes, options);
        ASSERT_TRUE(all);
        ASSERT_EQ(all->parts.size(), changes.size());
        const Bytes made = changed(image, all->change);
        for (const auto& [name, content] : files_of(made))
            EXPECT_TRUE(wanted[name] == content) << name << ", " << wanted[name].size() << " bytes";
        if (const auto check = check_sectors(MemorySource(made))) {
            EXPECT_EQ(check->wrong, 0U);
        }
        Bytes one_by_one = image;
        for (const PartChange& change : changes) {
            const MemorySource now(one_by_one);
            const auto container = open_container(now);
            const PutResult result = change.add
                                         ? container->add(change.name, change.content, options)
                                         : container->put(find_part(*container, change.name), change.content, options);
            one_by_one = changed(one_by_one, result.change);
        }
        // A file that shrank last leaves sectors that are then no padding any more, where at once it is not in the way.
        EXPECT_LE(made.size(), one_by_one.size());
        if (made.size() == one_by_one.size()) {
            EXPECT_TRUE(made == one_by_one);
        }
    }
}

TEST(Disc, PutNeverMovesWhatItWasNotAskedToMove) {
    const Bytes image = plain_disc();
    const MemorySource source(image);
    const auto container = open_container(source);
    const Part table = find_part(*container, "data/berths.bin;1");
    const auto put = [&](std::size_t size, Room room) {
        PutOptions options;
        options.room = room;
        return container->put(table, shared(noise(size, 1)), options);
    };
    const PutResult fits = put(24'500, Room::any);
    EXPECT_EQ(fits.how, "in-place");
    EXPECT_EQ(fits.to, table.offset);
    for (const Splice& splice : fits.change.splices()) EXPECT_EQ(splice.removed, splice.added());
    EXPECT_EQ(fits.change.result_size(), image.size());
    const PutResult moved = put(30'000, Room::any);
    EXPECT_EQ(moved.how, "moved");
    EXPECT_EQ(moved.to, image.size()) << "behind everything else";
    EXPECT_LT(*moved.mended, 60U) << "two records and the volume's size, each in both byte orders";
    const PutResult rebuilt = put(30'000, Room::rebuild);
    EXPECT_EQ(rebuilt.how, "rebuilt");
    EXPECT_EQ(rebuilt.to, table.offset);
    EXPECT_EQ(rebuilt.moved_sectors, 3U);
    EXPECT_EQ(rebuilt.change.result_size(), image.size() + 3 * user);
    EXPECT_THROW(put(30'000, Room::place), Error);
    EXPECT_THROW(container->put(find_part(*container, "boot-area"), shared(Bytes(40'000)), {}), Error);
    EXPECT_THROW(container->add("NO/SUCH/FOLDER.BIN", shared(Bytes(4)), {}), Error);
}

TEST(Disc, AFileOfSeveralExtentsIsOneFile) {
    // Two files that follow each other become one: the same name, and a flag that says so.
    const Bytes first = noise(4096, 1), second = noise(904, 2), third = noise(100, 3);
    Bytes image = demo::disc({{"A.BIN", first}, {"B.BIN", second}, {"C.BIN", third}}, {.joliet = false});
    const auto at = [&](std::string_view name) { return text_of(image).find(name, 20 * user) - 33; };
    image[at("A.BIN") + 25] |= std::byte{0x80};
    image[at("B.BIN") + 33] = std::byte{'A'};
    Bytes whole = first;
    whole.insert(whole.end(), second.begin(), second.end());
    ASSERT_EQ(files_of(image), (std::map<std::string, Bytes>{{"A.BIN", whole}, {"C.BIN", third}}));
    const MemorySource source(image);
    const auto container = open_container(source);
    const Part part = find_part(*container, "A.BIN");
    EXPECT_EQ(part.offset, 21U * user) << "in one piece";
    for (const std::size_t size : {4'500U, 5'000U, 6'144U, 100U, 0U, 6'145U, 20'000U}) {
        const Bytes content = noise(size, 4);
        const PutResult result = container->put(part, shared(content), {});
        EXPECT_EQ(result.how, size <= 6'144 ? "in-place" : "moved") << size;
        EXPECT_EQ(files_of(changed(image, result.change)),
                  (std::map<std::string, Bytes>{{"A.BIN", content}, {"C.BIN", third}}))
            << size;
    }
}

TEST(Disc, TellsWhatItIs) {
    const Identity identity = identify(plain_disc());
    EXPECT_EQ(
        std::tuple(name_of(identity.kind.id), identity.platform, identity.title, identity.serial, identity.region),
        std::tuple("disc", "ps2", "KELP_HARBOUR", "SLES-99001", "Europe"));
    EXPECT_EQ(fact_of(identity, "publisher"), "KELP HARBOUR AUTHORITY");
    EXPECT_EQ(fact_of(identity, "created"), "2026-11-27 12:00:00 UTC");
    EXPECT_EQ(fact_of(identity, "main_program"), "SLES_990.01");
    const MemorySource source(plain_disc());
    const auto container = open_container(source);
    EXPECT_EQ(all_of(*container->open(find_part(*container, "main-program"))),
              all_of(*container->open(find_part(*container, "SLES_990.01"))));
    for (const auto& [name, content] : makers::other_files()) EXPECT_FALSE(identify(content).is(KindId::disc)) << name;
}

// --- bad input

/// Bytes of the plain disc that lie.
struct Lie {
    const char* name;
    void (*tell)(Bytes& image);
    const char* said;  ///< in a warning or in the error
};

void number(Bytes& image, std::size_t at, std::uint32_t value) {
    for (unsigned i = 0; i < 4; ++i) image[at + i] = static_cast<std::byte>(value >> (8 * i));
    for (unsigned i = 0; i < 4; ++i) image[at + 7 - i] = static_cast<std::byte>(value >> (8 * i));
}
/// Where a record of this name stands, behind the descriptors and the path tables.
std::size_t record_of(const Bytes& image, std::string_view name) {
    const std::size_t at = text_of(image).find(name, 20 * user);
    return at - 33;
}

const Lie lies[] = {
    {"a folder that is its own child", [](Bytes& i) { number(i, record_of(i, "VOICES") + 2, 21); }, "a loop"},
    {"a folder outside the image", [](Bytes& i) { number(i, record_of(i, "VOICES") + 2, 100'000); },
     "outside the image"},
    {"a file outside the image", [](Bytes& i) { number(i, record_of(i, "SYSTEM.CNF") + 2, 100'000); }, ""},
    {"a file longer than the image", [](Bytes& i) { number(i, record_of(i, "SYSTEM.CNF") + 10, 0xF0000000); }, ""},
    {"two byte orders that differ", [](Bytes& i) { i[record_of(i, "SYSTEM.CNF") + 17] = std::byte{9}; },
     "in the other"},
    {"a record that is too short", [](Bytes& i) { i[record_of(i, "SYSTEM.CNF")] = std::byte{20}; },
     "do not hold together"},
    {"a name longer than its record", [](Bytes& i) { i[record_of(i, "SYSTEM.CNF") + 32] = std::byte{200}; },
     "do not hold together"},
    {"a name with a separator", [](Bytes& i) { i[record_of(i, "SYSTEM.CNF") + 36] = std::byte{'/'}; }, "separator"},
    {"a name that leads out",
     [](Bytes& i) {
         const std::size_t at = record_of(i, "SYSTEM.CNF");
         i[at + 33] = i[at + 34] = std::byte{'.'}, i[at + 32] = std::byte{2};
     },
     "no name of a file"},
    {"4 GiB of folder", [](Bytes& i) { number(i, record_of(i, "VOICES") + 10, 0xFFFFF800); }, "outside the image"},
    {"a root outside", [](Bytes& i) { number(i, 16 * user + 158, 100'000); }, "root folder lies outside"},
    {"a root of nothing", [](Bytes& i) { number(i, 16 * user + 166, 0); }, "root folder lies outside"},
    {"no primary descriptor", [](Bytes& i) { i[16 * user] = std::byte{3}; }, "no primary volume descriptor"},
    {"an image cut short", [](Bytes& i) { i.resize(300 * user); }, "cut short"},
    {"an image cut in a sector", [](Bytes& i) { i = demo::in_sectors(i, 2), i.resize(i.size() - 500); }, "cut short"},
    {"a volume that is larger", [](Bytes& i) { number(i, 16 * user + 80, 5'000); }, "cut short"},
};

TEST(Disc, LiesAreToldAndNothingIsLostByThem) {
    for (const Lie& lie : lies) {
        SCOPED_TRACE(lie.name);
        // Without Joliet names, the tree that lies is the one that is shown.
        Bytes image = demo::disc(demo::kelp_harbour_files(1), {.joliet = false});
        lie.tell(image);
        const MemorySource source(image);
        std::string said;
        for (const std::string& warning : identify(source).warnings) said += warning + "\n";
        std::map<std::string, Bytes> files;
        try {
            for (const std::string& warning : open_container(source)->warnings()) said += warning + "\n";
            open_container(source)->visit([&](const Part& part, const ExtractPart& extract) {
                MemorySink sink;
                try {
                    extract(sink);
                    files[part.name] = sink.take();
                } catch (const Error& error) {
                    EXPECT_EQ(error.code(), ErrorCode::truncated);
                    said += error.what();
                }
                return Flow::go_on;
            });
            EXPECT_TRUE(files.contains("boot-area"));
            EXPECT_EQ(files.contains("DATA/BERTHS.BIN"), true);
        } catch (const Error& error) {
            said += error.what();
            EXPECT_EQ(error.code(), ErrorCode::damaged);
        }
        EXPECT_NE(said.find(lie.said), std::string::npos) << said;
        // What cannot be kept right is refused, and never written wrong.
        try {
            const auto container = open_container(source);
            const PutResult put = container->put(find_part(*container, "DATA/BERTHS.BIN"), shared(Bytes(40'000)), {});
            const auto now = files_of(changed(image, put.change));
            EXPECT_EQ(now.at("DATA/BERTHS.BIN"), Bytes(40'000));
        } catch (const Error& error) {
            EXPECT_NE(error.code(), ErrorCode::io);
        }
    }
}

/// Each folder's name stands in the paths of all that is below it: 50,000 files under 150 long names are gigabytes.
TEST(Disc, PathsAreBounded) {
    constexpr std::size_t sector = 2048, first = 20, last_sectors = 400;
    const auto both = [](std::size_t value) {
        std::string out(8, '\0');
        for (std::size_t i = 0; i < 4; ++i)
            out[i] = static_cast<char>(value >> (8 * i)), out[4 + i] = static_cast<char>(value >> (24 - 8 * i));
        return out;
    };
    const auto record = [&](const std::string& name, std::size_t extent, std::size_t size, bool folder) {
        std::string out(2, '\0');
        out += both(extent) + both(size) + std::string(7, '\0') + (folder ? '\2' : '\0') + std::string(2, '\0');
        out += std::string("\1\0\0\1", 4) + static_cast<char>(name.size()) + name;
        out.resize(out.size() + out.size() % 2);
        return out.replace(0, 1, 1, static_cast<char>(out.size()));
    };
    for (const std::size_t depth : {std::size_t{2}, std::size_t{150}}) {
        const std::size_t last = first + depth;
        std::string disc((last + last_sectors) * sector, '\0');
        const auto put = [&](std::size_t at, const std::string& text) { disc.replace(at, text.size(), text); };
        std::string volume = std::string("\1CD001\1", 7) + std::string(73, ' ') + both(last + last_sectors);
        volume.resize(120), volume += std::string("\1\0\0\1\1\0\0\1\0\x08\x08\0", 12);
        volume.resize(156), volume += record(std::string(1, '\0'), first, sector, true);
        put(16 * sector, volume), put(17 * sector,
                                      "\xFF"
                                      "CD001\1");
        const auto dots = [&](std::size_t own, std::size_t size) {
            return record(std::string(1, '\0'), own, size, true) + record("\1", std::max(first, own - 1), sector, true);
        };
        for (std::size_t i = 0; i < depth; ++i)
            put((first + i) * sector,
                dots(first + i, sector) + record(std::string(200, static_cast<char>('A' + i % 26)), first + i + 1,
                                                 i + 1 < depth ? sector : last_sectors * sector, true));
        std::string here = dots(last, last_sectors * sector);
        std::size_t files = 0;
        for (std::size_t at = 0; at < last_sectors; ++at, here.clear()) {
            while (here.size() + 40 < sector) here += record(fmt::format("{:05X}", files++), 0, 0, false);
            put((last + at) * sector, here);
        }
        const MemorySource source(bytes_of(disc));
        if (depth == 2) {
            EXPECT_GE(open_container(source)->parts().size(), files);
        } else {
            EXPECT_THROW(open_container(source), Error);
        }
    }
}

TEST(Disc, MendsPutRightWhatIsAskedAndNeverHideACut) {
    Bytes image = demo::in_sectors(plain_disc(), 2);
    image[30 * raw + 2100] ^= std::byte{1}, image[31 * raw + 100] ^= std::byte{1};
    const Bytes mended = makers::mended(image, {{"sectors", {}}});
    EXPECT_EQ(check_sectors(MemorySource(mended))->wrong, 0U);
    EXPECT_EQ(differing_ranges(image, mended).front().offset / raw, 30U);
    EXPECT_FALSE(plan_mends(mended, {{"sectors", {}}}).changes());
    const Bytes named = makers::mended(image, {{"volume-id", "Night_Tides"}});
    EXPECT_EQ(identify(named).title, "NIGHT_TIDES");
    EXPECT_EQ(check_sectors(MemorySource(named))->wrong, 2U) << "only what was asked for";
    EXPECT_THROW(plan_mends(image, {{"volume-id", "with spaces"}}), Error);
    Bytes longer = plain_disc();
    longer.resize(longer.size() + 10 * user);
    const Bytes sized = makers::mended(longer, {{"volume-size", {}}});
    EXPECT_EQ(identify(sized).declared_size, longer.size());
    Bytes cut = plain_disc();
    cut.resize(300 * user);
    EXPECT_THROW(plan_mends(cut, {{"volume-size", {}}}), Error);
    EXPECT_EQ(mends_for(image).size(), 3U);
}

// --- cue sheets

TEST(CueSheet, IsReadAsItIsWritten) {
    const char* const text =
        "\xEF\xBB\xBFREM made up\r\nTITLE \"Kelp Harbour\"\rFILE \"Kelp Harbour.bin\" BINARY\r\n  track 01 mode2/2352\n"
        "    INDEX 01 00:00:00\n  TRACK 02 AUDIO\n    PREGAP 00:02:00\n    INDEX 00 00:10:00\n    INDEX 01 00:12:01\n"
        "FILE other file.wav WAVE\n  TRACK 03 AUDIO\n    INDEX 01 00:00:00\n";
    ASSERT_TRUE(is_cue_sheet(text));
    const CueSheet sheet = read_cue_sheet(text);
    EXPECT_EQ(sheet.files, (std::vector<std::string>{"Kelp Harbour.bin", "other file.wav"}));
    ASSERT_EQ(sheet.tracks.size(), 3U);
    EXPECT_EQ(sheet.data_track()->number, 1U);
    EXPECT_EQ(std::tuple(sheet.tracks[1].pregap, sheet.tracks[1].begin, sheet.tracks[1].silent),
              std::tuple(std::optional<std::uint64_t>(750), 901U, 150U));
    EXPECT_EQ(range_of(sheet, sheet.tracks[0], 2352 * 2000), (ByteRange{0, 2352 * 750}));
    EXPECT_EQ(range_of(sheet, sheet.tracks[1], 2352 * 2000), (ByteRange{2352 * 901, 2352 * 1099}));
    EXPECT_EQ(range_of(sheet, sheet.tracks[1], 2352 * 2000, true), (ByteRange{2352 * 750, 2352 * 1250}));
    EXPECT_EQ(sheet.tracks[2].file, 1U);
    const std::string renamed = cue_sheet_with(text, 1, "Night Tides.wav");
    EXPECT_EQ(read_cue_sheet(renamed).files[1], "Night Tides.wav");
    EXPECT_EQ(cue_sheet_with(renamed, 1, "other file.wav").size(), std::string(text).size() + 2) << "in quotes now";
    EXPECT_THROW(range_of(sheet, sheet.tracks[1], 2352 * 100), Error) << "the file is too short";
}

TEST(CueSheet, WhatIsWrongIsToldWithItsLine) {
    const std::string file = "FILE \"a.bin\" BINARY\n", track = "TRACK 01 MODE1/2352\n";
    const std::pair<std::string, const char*> rows[] = {
        {file, "names no track"},
        {track, "before any file"},
        {"FILE\n" + track, "without a name"},
        {"FILE a.bin ZIP\n" + track, "line 1"},
        {file + "TRACK 01\n", "without a mode"},
        {file + "TRACK 01 MODE9/1\n", "MODE9/1 is not known"},
        {file + "TRACK x AUDIO\n", "is no number"},
        {file + track + track, "out of order"},
        {file + "INDEX 01 00:00:00\n" + track, "INDEX before any track"},
        {file + track + "INDEX 01\n", "line 3"},
        {file + track + "INDEX 01 00:61:00\n", "is no time"},
        {file + track + "INDEX 01 1:2\n", "is no number"},
        {file + track + "INDEX 00 00:05:00\nINDEX 01 00:04:00\n", "behind the begin"},
        {std::string(2 << 20, ' '), "larger than any"},
    };
    for (const auto& [text, said] : rows) try {
            read_cue_sheet(text);
            ADD_FAILURE() << text;
        } catch (const Error& error) {
            EXPECT_NE(std::string(error.what()).find(said), std::string::npos) << error.what();
        }
    EXPECT_FALSE(is_cue_sheet("FILE cabinets\nare heavy\n"));
}

}  // namespace
}  // namespace hotstitch
