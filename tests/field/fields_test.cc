// SPDX-License-Identifier: MIT
// Fields by the public API: every type set and read back in random maps and files, selectors, checks, comparisons, maps
// for parts and editions.
#include "hotstitch/fields.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "data_files.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

SharedMap map_for(bool americas) {
    return read_map(demo::map_of(americas), americas ? "kelp-americas.map.toml" : "kelp-europe.map.toml",
                    [](const std::string&) { return makers::bytes(demo::letters()); });
}

Bytes made(const Bytes& file, const FieldPlan& plan) {
    return changed(file, plan.change);
}

/// A field of a random type, its declaration, and a value that it can hold.
struct RandomField {
    std::string declaration, value;
    std::uint64_t size = 0;
};

RandomField random_field(makers::Random& random, std::uint64_t at, int number) {
    constexpr std::pair<const char*, unsigned> types[] = {{"u8", 1},  {"s8", 1},  {"u16", 2}, {"s16", 2},
                                                          {"u24", 3}, {"u32", 4}, {"s32", 4}, {"u64", 8},
                                                          {"s64", 8}, {"f32", 4}, {"f64", 8}};
    RandomField field{fmt::format("[[table.t.field]]\nname = \"f{}\"\nat = {}\n", number, at), {}, 0};
    const auto kind = makers::below(random, 15);
    if (kind < 11) {
        const auto& [type, size] = types[kind];
        field.size = size;
        field.declaration +=
            fmt::format("type = \"{}\"\nbyte-order = \"{}\"\n", type, makers::below(random, 2) == 0 ? "little" : "big");
        const std::uint64_t raw = random() >> (64 - 8 * size);
        if (type[0] == 'f')
            field.value = size == 4 ? fmt::format("{}", static_cast<float>(static_cast<std::int32_t>(raw)) / 16)
                                    : fmt::format("{}", static_cast<double>(static_cast<std::int64_t>(raw)) / 1024);
        else if (type[0] == 's')
            field.value = std::to_string(static_cast<std::int64_t>(raw << (64 - 8 * size)) >> (64 - 8 * size));
        else
            field.value = std::to_string(raw);
    } else if (kind == 11) {
        const auto bit = makers::below(random, 16), width = 1 + makers::below(random, 16 - bit);
        field.size = 2;
        field.declaration += fmt::format("type = \"bits\"\nof = \"u16\"\nbit = {}\nwidth = {}\n", bit, width);
        field.value = std::to_string(makers::below(random, std::uint64_t{1} << width));
    } else if (kind == 12) {
        field.size = 6;
        field.declaration += "type = \"bytes\"\nlength = 6\n";
        for (int i = 0; i < 6; ++i) field.value += fmt::format("{:02x}", random() & 0xFF);
    } else if (kind == 13) {
        field.size = 2;
        field.declaration += "type = \"pointer\"\nsize = 2\nplus = -16\n";
        field.value = std::to_string(random() & 0xFFFF);
    } else {
        const auto length = 2 + 2 * makers::below(random, 8);
        field.size = length;
        constexpr const char* encodings[] = {"ascii", "latin-1", "utf-8", "utf-16le", "utf-16be"};
        const auto encoding = makers::below(random, 5);
        field.declaration +=
            fmt::format("type = \"text\"\ntext = \"{}\"\nlength = {}\npad = 0x20\n", encodings[encoding], length);
        const auto letters = makers::below(random, (encoding < 3 ? length : length / 2) + 1);
        for (std::uint64_t i = 0; i < letters; ++i) field.value += static_cast<char>('a' + makers::below(random, 26));
    }
    return field;
}

TEST(Fields, SettingAndReadingBackIsTheIdentity) {
    makers::Random random(7);
    for (int round = 0; round < 60; ++round) {
        std::vector<RandomField> fields;
        std::uint64_t at = 0;
        for (int i = 0; i < 12; ++i) {
            fields.push_back(random_field(random, at, i));
            at += fields.back().size + makers::below(random, 3);
        }
        const std::uint64_t begin = makers::below(random, 100), count = 1 + makers::below(random, 20),
                            stride = at + makers::below(random, 9);
        std::string text =
            fmt::format("hotstitch-map = 1\n[table.t]\nat = {}\ncount = {}\nstride = {}\n", begin, count, stride);
        for (const RandomField& field : fields) text += field.declaration;
        Bytes file(begin + count * stride + makers::below(random, 64));
        for (std::byte& b : file) b = static_cast<std::byte>(random());
        const Bytes before = file;
        const SharedMap map = read_map(text, "random.map.toml");
        const std::uint64_t record = makers::below(random, count);
        std::vector<FieldSetting> settings;
        for (std::size_t i = 0; i < fields.size(); ++i)
            settings.push_back({fmt::format("t[{}].f{}", record, i), fields[i].value});
        const MemorySource source(before);
        file = made(before, Fields(source, {map}).set(settings));
        const MemorySource after(file);
        const Fields now(after, {map});
        const FieldTable shown = now.show({fmt::format("t[{}]", record)}).front();
        for (std::size_t i = 0; i < fields.size(); ++i)
            EXPECT_EQ(shown.records[0].values[i].text, fields[i].value) << fields[i].declaration;
        // Only that record has changed, and comparing says the same.
        for (const ByteRange& range : differing_ranges(before, file)) {
            EXPECT_GE(range.offset, begin + record * stride);
            EXPECT_LE(range.offset + range.length, begin + (record + 1) * stride);
        }
        const FieldComparison compared = Fields(source, {map}).compare(now);
        EXPECT_TRUE(compared.outside.empty());
        EXPECT_LE(compared.fields.size(), fields.size());
        // And back again.
        std::vector<FieldSetting> back;
        for (const FieldChange& field : compared.fields) back.push_back({field.name, field.before});
        EXPECT_EQ(changed(file, now.set(back).change), before);
    }
}

/// Tables whose records lie anywhere, with texts behind pointers and texts that end by their end: each written into a
/// file by hand, then read by its map, and changed in the places that it has.
TEST(Fields, RecordsBehindPointersWhereverTheyLie) {
    makers::Random random(8);
    for (int round = 0; round < 60; ++round) {
        const bool big = makers::below(random, 2) == 0;
        const std::uint64_t count = 1 + makers::below(random, 12), plus = makers::below(random, 200);
        std::vector<std::uint64_t> places;
        for (std::uint64_t i = 0; i < 2 * count; ++i) places.push_back(500 + 40 * i);
        std::shuffle(places.begin(), places.end(), random);
        Bytes file(2000);
        for (std::byte& b : file) b = static_cast<std::byte>('a' + makers::below(random, 26));
        const auto put16 = [&](std::uint64_t at, std::uint64_t value) {
            file[at + (big ? 1 : 0)] = static_cast<std::byte>(value & 0xFF);
            file[at + (big ? 0 : 1)] = static_cast<std::byte>(value >> 8);
        };
        std::vector<std::string> texts, names;
        file[9] = static_cast<std::byte>(count);
        for (std::uint64_t i = 0; i < count; ++i) {
            const std::uint64_t record = places[2 * i], text = places[2 * i + 1], length = makers::below(random, 20);
            put16(10 + 2 * i, record - plus);
            put16(record, text);
            texts.emplace_back(text_of(ByteView(file).subspan(text, length)));
            file[text + length] = std::byte{0};
            names.push_back(fmt::format("n{}", i));
            file[record + 4] = std::byte{'n'};
            for (std::size_t c = 1; c < names[i].size(); ++c)
                file[record + 4 + c] = static_cast<std::byte>(names[i][c]);
            file[record + 4 + names[i].size()] = std::byte{0};
        }
        const std::string text = fmt::format(
            "hotstitch-map = 1\n[defaults]\nbyte-order = \"{}\"\n[table.t]\nat = 10\ncount = {{at = 9, type = "
            "\"u8\"}}\n"
            "via = {{type = \"u16\", plus = {}}}\nkey = \"name\"\n"
            "[[table.t.field]]\nname = \"hello\"\nat = 0\ntype = \"pointer\"\nsize = 2\nto = \"text\"\nend = \"00\"\n"
            "[[table.t.field]]\nname = \"name\"\nat = 4\ntype = \"text\"\nlength = 8\nend = \"00\"\n",
            big ? "big" : "little", plus);
        const SharedMap map = read_map(text, "pointers.map.toml");
        const MemorySource source(file);
        const Fields fields(source, {map});
        const FieldTable table = fields.show({"t"}).front();
        ASSERT_EQ(table.records.size(), count);
        std::vector<FieldSetting> settings;
        for (std::uint64_t i = 0; i < count; ++i) {
            EXPECT_EQ(table.records[i].offset, places[2 * i]);
            EXPECT_EQ(table.records[i].key, names[i]);
            EXPECT_EQ(table.records[i].values[0].leads_to, texts[i]);
            EXPECT_EQ(table.records[i].values[0].offset, places[2 * i + 1]);
            // As long as it was, or shorter.
            texts[i] = std::string(makers::below(random, texts[i].size() + 1), 'Z');
            settings.push_back({fmt::format("t[{}].hello.text", names[i]), texts[i]});
            EXPECT_THROW(fields.set({{settings.back().selector, std::string(41, 'x')}}), Error);
        }
        const Bytes after = made(file, fields.set(settings));
        const MemorySource changed_file(after);
        const Fields now(changed_file, {map});
        for (std::uint64_t i = 0; i < count; ++i)
            EXPECT_EQ(now.show({settings[i].selector})[0].records[0].values[0].text, texts[i]);
        for (const FieldChange& field : fields.compare(now).fields)
            EXPECT_TRUE(field.name.ends_with(".hello.text")) << field.name;
        // Every byte of a record has its field's name.
        std::uint64_t length = 99;
        EXPECT_EQ(now.name_at(places[0] + 1, length), "t[n0]: hello");
        EXPECT_EQ(length, 1U);
        EXPECT_EQ(now.name_at(places[0] + 2, length), "");
    }
}

/// Every sum, against one computed here byte by byte.
TEST(Fields, EverySumThatAMapNames) {
    struct Row {
        const char *sum, *type;
        std::uint64_t wanted;
    };
    Bytes file(200);
    for (std::size_t i = 0; i < file.size(); ++i) file[i] = static_cast<std::byte>(i * 37 % 251);
    std::uint64_t bytes = 0, little = 0, big = 0, exclusive = 0;
    for (std::size_t i = 10; i < 110; ++i) {
        const auto b = std::to_integer<std::uint64_t>(file[i]);
        bytes += b, exclusive ^= b;
        (i % 2 == 0 ? little : big) += b;
        (i % 2 == 0 ? big : little) += b << 8;
    }
    std::uint64_t reflected = 0xFFFF, ccitt = 0xFFFF;
    for (std::size_t i = 10; i < 110; ++i)
        for (int bit = 0; bit < 8; ++bit) {
            const auto b = std::to_integer<std::uint64_t>(file[i]);
            reflected = (reflected ^ (b >> bit & 1)) & 1 ? reflected >> 1 ^ 0xA001 : reflected >> 1;
            ccitt = ((ccitt >> 15 ^ b >> (7 - bit)) & 1) != 0 ? (ccitt << 1 ^ 0x1021) & 0xFFFF : ccitt << 1 & 0xFFFF;
        }
    const ByteView covered = ByteView(file).subspan(10, 100);
    const Row rows[] = {{"bytes", "u16", bytes},
                        {"bytes", "u8", bytes & 0xFF},
                        {"words-le", "u32", little},
                        {"words-be", "u32", big},
                        {"xor-bytes", "u8", exclusive},
                        {"crc32", "u32", crc32(covered).value},
                        {"adler32", "u32", adler32(covered).value},
                        {"crc16", "u16", reflected},
                        {"crc16-ccitt", "u16", ccitt}};
    for (const Row& row : rows) {
        const SharedMap map = read_map(
            fmt::format(
                "hotstitch-map = 1\n[table.t]\nat = 12\n[[table.t.field]]\nname = \"x\"\nat = 0\ntype = \"u8\"\n"
                "[table.sum]\nat = 150\n[[table.sum.field]]\nname = \"value\"\nat = 0\ntype = \"{}\"\n"
                "[[check]]\nat = 150\ntype = \"{}\"\nsum = \"{}\"\nover = [[10, 60], [60, 110]]\n",
                row.type, row.type, row.sum),
            "sums");
        // Once the right value stands there, a change of what it covers and back leaves it right.
        const MemorySource source(file);
        const Bytes right = made(file, Fields(source, {map}).set({{"sum[0].value", std::to_string(row.wanted)}}));
        const MemorySource before(right);
        const FieldPlan plan = Fields(before, {map}).set({{"t[0].x", "77"}});
        EXPECT_EQ(plan.mended.size(), 1U) << row.sum;
        const Bytes there = made(right, plan);
        const MemorySource between(there);
        EXPECT_EQ(made(there, Fields(between, {map}).set({{"t[0].x", std::to_string(std::to_integer<int>(file[12]))}})),
                  right)
            << row.sum;
    }
}

class KelpData : public testing::Test {
protected:
    std::vector<FieldTable> show(const std::string& selector) { return Fields(source, {map}).show({selector}); }
    std::string value(const std::string& selector) { return show(selector).at(0).records.at(0).values.at(0).text; }
    /// What an error says in all.
    template <class Call>
    std::string complaint(const Call& call) {
        try {
            call();
            return {};
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::usage) << error.what();
            return fmt::format("{} | {} | {} | {}", error.what(), error.wanted(), error.found(), error.hint());
        }
    }
    const Bytes file = demo::harbour_data(false), other = demo::harbour_data(true);
    const MemorySource source{file}, americas{other};
    const SharedMap map = map_for(false), map_americas = map_for(true);
};

TEST_F(KelpData, IsReadAsItsMakerWroteIt) {
    EXPECT_EQ(value("berth[0].name"), "North Quay");
    EXPECT_EQ(value("berth[Fog Signal].depth"), std::to_string(3 + 21 * 7 % 11));
    EXPECT_EQ(value("berth[\"Old Pier\"].weather"), "gale");
    EXPECT_EQ(value("tide[March].low"), "-5");
    EXPECT_EQ(value("tide[2].low"), "-5");
    EXPECT_EQ(show("berth[3-7].depth").at(0).records.size(), 5U);
    EXPECT_EQ(show("berth[*].price").at(0).records.size(), 24U);
    EXPECT_EQ(show("berth[1].keeper").at(0).records[0].values[0].leads_to, "Jon Wick");
    EXPECT_EQ(value("berth[1].keeper.text"), "Jon Wick");
    EXPECT_EQ(Fields(americas, {map_americas}).show({"berth[0].moorings"})[0].records[0].values[0].text, "2");
}

TEST_F(KelpData, SaysWhatASelectorDoesNotFind) {
    const std::pair<const char*, std::vector<std::string>> rows[] = {
        {"birth", {"no table \"birth\"", "berth, tide", "did you mean berth?"}},
        {"berth[24]", {"no record 24", "0 to 23"}},
        {"berth[7-3]", {"names no field"}},
        {"berth[Old Peer]", {"no record of berth is called", "did you mean Old Pier?"}},
        {"berth[0].deepth", {"no field \"deepth\"", "did you mean depth?"}},
        {"berth[", {"names no field"}},
        {"[0].depth", {"names no field"}},
        {"berth[0]depth", {"names no field"}},
    };
    for (const auto& row : rows) {
        const std::string selector = row.first, said = complaint([&] { show(selector); });
        for (const std::string& word : row.second)
            EXPECT_NE(said.find(word), std::string::npos) << selector << ": " << said;
    }
    Bytes twice = file;  // two berths of one name
    std::copy_n(twice.begin() + 0x200, 16, twice.begin() + 0x220);
    const MemorySource two(twice);
    const std::string said = complaint([&] { Fields(two, {map}).show({"berth[North Quay]"}); });
    EXPECT_NE(said.find("0, 1"), std::string::npos) << said;
}

TEST_F(KelpData, RefusesWhatAFieldCannotHold) {
    const std::pair<const char*, std::vector<std::string>> rows[] = {
        {"berth[0].depth=51", {"berth[0].depth", "1 to 50", "51"}},
        {"berth[0].depth=deep", {"whole number"}},
        {"berth[0].weather=storm", {"calm, fog, gale", "storm"}},
        {"berth[0].weather=8", {"3 bits", "0 to 7"}},
        {"tide[0].low=-129", {"-128 to 127"}},
        {"berth[0].name=A name of seventeen", {"too long", "at most 16 bytes"}},
        {"berth[0].name=Pier 9", {"encoding", "9"}},
        {"berth[0].colour=1234", {"3 bytes"}},
        {"berth[0].ferry=soon", {"a number"}},
        {"berth[0].ferry=1e99", {"too large for f32"}},
        {"berth[0]=7", {"names no field to set", "depth"}},
        {"berth[0].keeper.text=Somebody with a long name", {"too long"}},
    };
    for (const auto& row : rows) {
        const std::string text = row.first, said = complaint([&] { Fields(source, {map}).set({field_setting(text)}); });
        for (const std::string& word : row.second)
            EXPECT_NE(said.find(word), std::string::npos) << text << ": " << said;
    }
    EXPECT_NE(complaint([&] { field_setting("berth[0].depth"); }).find("SELECTOR=VALUE"), std::string::npos);
    // A key may hold what separates a selector from its value.
    EXPECT_EQ(field_setting("berth[\"a=]b\"].depth=x=y").selector, "berth[\"a=]b\"].depth");
    EXPECT_EQ(field_setting("berth[\"a=]b\"].depth=x=y").value, "x=y");
}

TEST_F(KelpData, KeepsChecksRightThatWereRight) {
    const FieldSetting deeper{"berth[*].depth", "20"};
    const auto sum_is_right = [](const Bytes& data) {
        unsigned sum = 0;
        for (std::size_t i = 0x20; i < data.size(); ++i) sum += std::to_integer<unsigned>(data[i]);
        return (sum & 0xFFFF) == (std::to_integer<unsigned>(data[0x10]) | std::to_integer<unsigned>(data[0x11]) << 8);
    };
    ASSERT_TRUE(sum_is_right(file));
    const FieldPlan plan = Fields(source, {map}).set({deeper});
    EXPECT_EQ(plan.mended.size(), 1U);
    EXPECT_EQ(plan.fields.size(), 24U);
    EXPECT_TRUE(sum_is_right(made(file, plan)));
    EXPECT_FALSE(sum_is_right(made(file, Fields(source, {map}).set({deeper}, {.mend = false}))));
    Bytes wrong = file;
    wrong[0x10] ^= std::byte{1};
    const MemorySource broken(wrong);
    const FieldPlan left = Fields(broken, {map}).set({deeper});
    EXPECT_EQ(left.warnings.size(), 1U);
    EXPECT_EQ(made(wrong, left)[0x10], wrong[0x10]);
    EXPECT_TRUE(Fields(source, {map}).set({{"berth[0].depth", "3"}}).change.empty());
}

TEST_F(KelpData, ComparesEditionsByTheirOwnMaps) {
    const FieldComparison found = Fields(source, {map}).compare(Fields(americas, {map_americas}));
    // All prices are ten dearer, and every keeper's pointer another; the rest is the same wherever it stands.
    EXPECT_EQ(found.fields.size(), 48U);
    for (const FieldChange& field : found.fields)
        EXPECT_TRUE(field.name.ends_with(".price") || field.name.ends_with(".keeper")) << field.name;
    const MemorySource same(file);
    const FieldComparison nothing = Fields(source, {map}).compare(Fields(same, {map}));
    EXPECT_TRUE(nothing.fields.empty() && nothing.outside.empty());
    EXPECT_EQ(nothing.compared, 24U * 9 + 12U * 3);
}

TEST_F(KelpData, TheMapThatFitsIsTaken) {
    auto maps = std::make_shared<Maps>();
    maps->add(map), maps->add(map_americas), maps->add(map_for(false));  // the same text counts once
    EXPECT_EQ(maps->all().size(), 2U);
    for (const auto& [data, wanted] : {std::pair{&source, map}, {&americas, map_americas}})
        EXPECT_EQ(maps->for_file(identify(*data), *data), std::vector{wanted});
    const MapFit fit = fit_of(*map, identify(americas), americas);
    EXPECT_FALSE(fit.fits);
    EXPECT_NE(fit.why.at(0).find("first bytes"), std::string::npos);
    const Bytes rom = demo::kelp_harbour(1);
    const MemorySource cartridge(rom);
    const Identity identity = identify(cartridge);
    const std::pair<const char*, bool> files[] = {
        {"kind = \"snes\"", true},          {"kind = \"cartridge\"\nrevision = [0, 1]", true},
        {"title = \"KELP HARBOUR\"", true}, {"revision = [2]", false},
        {"kind = \"nes\"", false},          {"crc32 = [\"00000000\", \"6f184ef6\"]\nkind = \"nes\"", true},
        {"crc32 = \"00000000\"", false},    {"region = \"Europe\"", true}};
    for (const auto& [lines, fits] : files) {
        const SharedMap one = read_map(fmt::format("hotstitch-map = 1\n[file]\n{}\n", lines), "one");
        EXPECT_EQ(fit_of(*one, identity, cartridge).fits, fits) << lines;
    }
}

TEST(Fields, HeadersNeedNoMap) {
    const Bytes rom = demo::kelp_harbour(1);
    const MemorySource source(rom);
    const Fields fields(source, {});
    EXPECT_EQ(fields.show({"header.title"})[0].records[0].values[0].text, "KELP HARBOUR");
    const FieldPlan plan = fields.set({{"header.region", "Japan"}, {"header.title", "FOG HARBOUR"}});
    const Bytes after = changed(rom, plan.change);
    const Identity identity = identify(MemorySource(after));
    EXPECT_EQ(identity.title, "FOG HARBOUR");
    EXPECT_EQ(identity.region, "Japan");
    EXPECT_TRUE(all_checks_right(identity));
    EXPECT_THROW(fields.set({{"header.checksum", "1"}}), Error);
    EXPECT_THROW(fields.show({"header.colour"}), Error);
}

/// A map for a part of a file: fields in the payload inside of a file of two members.
TEST(Fields, AMapForAPartIsUsedThere) {
    const Bytes data = demo::harbour_data(false);
    const std::string outer =
        "hotstitch-map = 1\n[[payload]]\nname = \"tables\"\nat = 16\nsize = {at = 0, type = \"u32\"}\ncodec = "
        "\"zlib\"\n";
    std::string inner = demo::map_of(false);
    inner.replace(inner.find("[file]"), 6, "[file]\npart = \"tables:content\"");
    inner.erase(inner.find("begins"), inner.find('\n', inner.find("begins")) - inner.find("begins"));
    const Bytes packed = [&] {
        // Made by putting the data into a small stream of the same codec.
        const auto read = read_map("hotstitch-map = 1\n[[payload]]\nname = \"p\"\nat = 0\ncodec = \"zlib\"\n", "small");
        const Bytes small = makers::bytes(std::string("\x78\x9c\x4b\x04\x00\x00\x62\x00\x62", 9));  // "a"
        Limits limits;
        auto maps = std::make_shared<Maps>();
        maps->add(read);
        limits.maps = maps;
        const MemorySource source(small), content(data);
        const ChangeList change = change_inside(
            borrowed(source), {"p", "content"},
            [&](const SharedSource& old, const Limits&) { return differences(*old, content); }, {.room = Room::rebuild},
            limits);
        return changed(small, change);
    }();
    Bytes file(16);
    for (std::size_t i = 0; i < 4; ++i) file[i] = static_cast<std::byte>(packed.size() >> (8 * i));
    file.insert(file.end(), packed.begin(), packed.end());
    Limits limits;
    auto maps = std::make_shared<Maps>();
    maps->add(read_map(outer, "outer.map.toml"));
    maps->add(read_map(inner, "inner.map.toml", [](const std::string&) { return makers::bytes(demo::letters()); }));
    limits.maps = maps;
    const MemorySource source(file);
    const FileFields fields(borrowed(source), limits);
    ASSERT_EQ(fields.units().size(), 2U);
    EXPECT_EQ(fields.units()[1].part, "tables:content");
    EXPECT_EQ(fields.show({"berth[Old Pier].depth"})[0].records[0].values[0].text, "10");
    const FieldPlan plan = fields.set({{"berth[Old Pier].depth", "14"}}, {});
    const Bytes after = changed(file, plan.change);
    EXPECT_EQ(plan.fields.at(0).part, "tables:content");
    const MemorySource made(after);
    EXPECT_EQ(FileFields(borrowed(made), limits).show({"berth[1].depth"})[0].records[0].values[0].text, "14");
    EXPECT_EQ(fields.compare(FileFields(borrowed(made), limits)).fields.size(), 1U);
}

}  // namespace
}  // namespace hotstitch
