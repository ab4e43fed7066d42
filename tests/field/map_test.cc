// SPDX-License-Identifier: MIT
// The language of maps: everything that may be wrong with one, with its line and what is known; places, numbers and
// texts.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <random>

#include "field/number_type.h"
#include "field/text_codec.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/map.h"
#include "lib/patch_makers.h"
#include "source/pattern.h"

namespace hotstitch {
namespace {

constexpr std::string_view head = "hotstitch-map = 1\n";

/// One table of one field, with these lines in it.
std::string table(std::string_view lines, std::string_view field = "type = \"u8\"\n") {
    return fmt::format("{}[table.berth]\n{}[[table.berth.field]]\nname = \"depth\"\nat = 0\n{}", head, lines, field);
}

/// What reading and binding a map throws, with all that its error says; empty: nothing.
std::string complaint(const std::string& text, ByteView file = {}) {
    try {
        const SharedMap map = read_map(text, "kelp.map.toml", [](const std::string& name) -> Bytes {
            if (name == "twice.tbl") return makers::bytes("41=A\n41=B\n");
            if (name == "empty.tbl") return makers::bytes("41=A\n42=\n");
            throw Error(ErrorCode::io, "cannot open it: No such file");
        });
        if (!file.empty()) Fields(MemorySource(file), {map}).show();
        return {};
    } catch (const Error& error) {
        const bool broken = error.code() == ErrorCode::damaged || error.code() == ErrorCode::limit;
        EXPECT_TRUE(broken) << error.what();
        return fmt::format("{} | {} | {} | {}", error.what(), error.wanted(), error.found(), error.hint());
    }
}

struct BrokenMap {
    const char* name;
    std::string text;
    std::vector<std::string> says;
    bool needs_file = false;
};

std::vector<BrokenMap> broken_maps() {
    const std::string two_tables =
        table("at = 0\ncount = 4\nstride = 4\n") +
        "[table.pier]\nat = 9\ncount = 2\nstride = 4\n[[table.pier.field]]\nname = \"x\"\nat = 0\ntype = \"u32\"\n";
    return {
        {"no TOML", "hotstitch-map = = 1", {"line 1", "no TOML"}},
        {"no version", "title = \"x\"\n", {"has no hotstitch-map"}},
        {"a later version", "hotstitch-map = 2\n", {"line 1", "| 1 |"}},
        {"an unknown key", std::string(head) + "titel = \"x\"\n", {"line 2", "titel", "title", "did you mean title?"}},
        {"an unknown key of a field", table("at = 0\n", "type = \"u8\"\ncolour = 1\n"), {"line 8", "colour", "range"}},
        {"a wrong kind of value", table("at = 0\ncount = \"many\"\n"), {"line 4", "a number", "a text in quotes"}},
        {"an unknown type", table("at = 0\n", "type = \"u9\"\n"), {"line 7", "u9", "u24", "pointer"}},
        {"2^32 records", table("at = 0\nstride = 1\ncount = 4294967296\n"), {"line 5", "4294967296", "0 to 1000000"}},
        {"a negative offset", table("at = -4\n"), {"line 3", "0 or more"}},
        {"no stride", table("at = 0\ncount = 3\n"), {"line 2", "stride"}},
        {"a field behind the record",
         table("at = 0\ncount = 2\nstride = 2\n", "type = \"u32\"\n"),
         {"stride", "4 bytes"}},
        {"two fields of one name",
         table("at = 0\n") + "[[table.berth.field]]\nname = \"depth\"\nat = 4\ntype = \"u8\"\n",
         {"line 8", "two fields"}},
        {"fields that overlap",
         table("at = 0\n", "type = \"u16\"\n") + "[[table.berth.field]]\nname = \"low\"\nat = 1\ntype = \"u8\"\n",
         {"depth and low overlap", "overlay = true"}},
        {"bits that overlap",
         table("at = 0\n", "type = \"bits\"\nof = \"u8\"\nbit = 0\nwidth = 3\n") +
             "[[table.berth.field]]\nname = \"lamp\"\nat = 0\ntype = \"bits\"\nof = \"u8\"\nbit = 2\n",
         {"depth and lamp overlap"}},
        {"bits past their number", table("at = 0\n", "type = \"bits\"\nof = \"u8\"\nbit = 6\nwidth = 3\n"), {"1 to 2"}},
        {"a key that is no field", table("at = 0\nkey = \"name\"\n"), {"key", "name"}},
        {"a text without length", table("at = 0\n", "type = \"text\"\n"), {"length = 8, or end"}},
        {"an unknown encoding",
         table("at = 0\n", "type = \"text\"\ntext = \"morse\"\nlength = 4\n"),
         {"morse", "shift-jis"}},
        {"letters that are not there",
         table("at = 0\n", "type = \"text\"\ntext = \"no.tbl\"\nlength = 4\n"),
         {"line 8", "no.tbl"}},
        {"letters with two texts",
         table("at = 0\n", "type = \"text\"\ntext = \"twice.tbl\"\nlength = 4\n"),
         {"twice.tbl, line 2", "\"A\" and \"B\""}},
        {"letters without a text",
         table("at = 0\n", "type = \"text\"\ntext = \"empty.tbl\"\nlength = 4\n"),
         {"empty.tbl, line 2"}},
        {"a range upside down", table("at = 0\n", "type = \"u8\"\nrange = [5, 1]\n"), {"line 8", "lower end"}},
        {"words that are not there", table("at = 0\n", "type = \"u8\"\nwords = \"weather\"\n"), {"line 8", "weather"}},
        {"two words for one number", std::string(head) + "[words.w]\n0 = \"calm\"\n0x0 = \"fog\"\n", {"two words"}},
        {"a pattern of nothing", table("at = {find = \"?? ??\"}\n"), {"line 3", "A9 0D ?? 8D"}},
        {"an unknown sum",
         std::string(head) + "[[check]]\nat = 0\ntype = \"u8\"\nsum = \"md4\"\nover = [[0, 1]]\n",
         {"line 5", "crc16-ccitt"}},
        {"an unknown codec",
         std::string(head) + "[[payload]]\nname = \"p\"\nat = 0\ncodec = \"rar\"\n",
         {"line 5", "lz10"}},
        {"members without a size",
         std::string(head) + "[members.s]\nat = 0\nstride = 4\noffset = {at = 0, type = \"u32\"}\n",
         {"next = true"}},
        {"deep keys", "a.a.a.a.a.a.a.a.a.a = 1\n", {"line 1", "9 parts"}},
        {"too many values",
         "hotstitch-map = 1\nx = [" +
             [] {
                 std::string all;
                 for (int i = 0; i < 200'001; ++i) all += "1,";
                 return all;
             }() +
             "]\n",
         {"200000 values"}},
        // What shows only with a file, of 32 bytes here.
        {"a table outside", table("at = 64\n"), {"line 3", "0x000040", "0x000020"}, true},
        {"a table over the end", table("at = 0\ncount = 9\nstride = 4\n"), {"9 records", "32 bytes"}, true},
        {"a count of the file over the end",
         table("at = 0\ncount = {at = 0, type = \"u32\"}\nstride = 4\n"),
         {"line 4", "more records"},
         true},
        {"a pattern twice",
         table("at = {find = \"AA ?? AA\"}\n"),
         {"line 3", "more than once", "0x000010 and 0x000012"},
         true},
        {"a pattern nowhere", table("at = {find = \"BB BB\"}\n"), {"nowhere"}, true},
        {"a pointer out of the file", table("at = {pointer = 24, type = \"u32\"}\n"), {"line 3", "outside"}, true},
        {"pointers into themselves",
         table("at = 8\ncount = 2\nvia = {type = \"u8\"}\n"),
         {"back into the pointers"},
         true},
        {"an end that never comes", table("at = 0\ncount = {until = \"12 34\"}\nstride = 4\n"), {"never comes"}, true},
        {"an address of no console", table("at = \"80:8000\"\n"), {"line 3", "80:8000"}, true},
        {"tables that overlap", two_tables, {"pier and berth", "0x00000c", "overlay = true"}, true},
    };
}

TEST(Map, SaysWhatIsWrongAndWhere) {
    Bytes file(32);
    for (const std::size_t at : {16U, 18U, 20U, 22U}) file[at] = std::byte{0xAA};
    file[0] = file[1] = file[2] = file[3] = std::byte{0xFF};
    file[8] = std::byte{9}, file[9] = std::byte{8};
    file[24] = file[25] = std::byte{0xFF};
    for (const BrokenMap& row : broken_maps()) {
        SCOPED_TRACE(row.name);
        const std::string said = complaint(row.text, row.needs_file ? ByteView(file) : ByteView());
        EXPECT_FALSE(said.empty());
        for (const std::string& word : row.says) EXPECT_NE(said.find(word), std::string::npos) << word << "\n" << said;
        EXPECT_TRUE(said.starts_with("kelp.map.toml") || said.find(".tbl, line") != std::string::npos ||
                    said.starts_with("a "))
            << said;
    }
}

TEST(Map, TakesWhatIsRight) {
    const Bytes file(64);
    for (const std::string& text : {
             table("at = 0\ncount = 4\nstride = 4\n"),
             table("at = 0\ncount = 4\nstride = 4\n") +
                 "[table.between]\nat = 2\ncount = 4\nstride = 4\n[[table.between.field]]\nname = \"x\"\nat = 0\ntype "
                 "= \"u8\"\n",
             table("at = {pointer = 0, type = \"u16\", plus = 8}\nbyte-order = \"big\"\n"),
             table("at = 40\ncount = 3\nvia = {type = \"u8\", plus = 4}\n"),  // three pointers to one record
             table("at = 0\noverlay = true\n", "type = \"u16\"\n") +
                 "[[table.berth.field]]\nname = \"low\"\nat = 0\ntype = \"u8\"\n",
         })
        EXPECT_EQ(complaint(text, file), "") << text;
}

TEST(Map, ATextOfAStrangerIsReadInBounds) {
    makers::Random random(1);
    const std::string good = table("at = 0\ncount = 4\nstride = 4\nnames = [\"a\", \"b\"]\n");
    for (int round = 0; round < 3000; ++round) {
        std::string text = good;
        for (std::uint64_t n = makers::below(random, 4) + 1; n > 0; --n) {
            const std::size_t at = makers::below(random, text.size());
            if (makers::below(random, 3) == 0)
                text.erase(at, makers::below(random, 8));
            else
                text[at] = "\"'[]{}=.,#\n 0a"[makers::below(random, 14)];
        }
        complaint(text, Bytes(32));  // any error with its line, or none
    }
}

TEST(Map, EveryEncodingReadsBackWhatItWrote) {
    const auto letters = table_codec("D0=er\nD1=in\n41=A\nC0= \n65=e\n72=r\n0D0A=<end>\n", "letters");
    struct Row {
        std::shared_ptr<const TextCodec> codec;
        std::string text;
        Bytes bytes;
    };
    const Row rows[] = {
        {text_codec("ascii"), "Kelp", makers::bytes("Kelp")},
        {text_codec("latin-1"), "Käfig",
         makers::bytes("K\xE4"
                       "fig")},
        {text_codec("utf-8"), "Kü\\x80\\\\", makers::bytes("K\xC3\xBC\x80\\")},
        {text_codec("utf-16le"), "A\xF0\x9F\x8C\x8A",
         Bytes{std::byte{'A'}, {}, std::byte{0x3C}, std::byte{0xD8}, std::byte{0x0A}, std::byte{0xDF}}},
        {text_codec("utf-16be"), "A", Bytes{{}, std::byte{'A'}}},
        {text_codec("shift-jis"), "港A",
         makers::bytes("\x8D\x60"
                       "A")},
        {letters, "erer A\\x42<end>",
         makers::bytes("\xD0\xD0\xC0"
                       "AB\r\n")},
    };
    for (const Row& row : rows) {
        EXPECT_EQ(row.codec->encode(row.text), row.bytes) << row.text;
        EXPECT_EQ(row.codec->decode(row.bytes), row.text);
    }
    // Any bytes come back from the text that shows them.
    makers::Random random(2);
    for (const Row& row : rows)
        for (int round = 0; round < 300; ++round) {
            Bytes bytes(makers::below(random, 12));
            for (std::byte& b : bytes) b = static_cast<std::byte>(random());
            const std::string text = row.codec->decode(bytes);
            EXPECT_EQ(row.codec->decode(row.codec->encode(text)), text);
            if (row.codec != letters && row.codec != rows[5].codec) {
                EXPECT_EQ(row.codec->encode(text), bytes) << text;
            }
        }
    EXPECT_THROW(text_codec("ascii")->encode("ü"), Error);
    EXPECT_THROW(letters->encode("Z"), Error);
    EXPECT_EQ(text_codec("ebcdic"), nullptr);
}

TEST(Map, PatternsAreFoundAcrossTheirSource) {
    Bytes file(3 << 20);
    const auto pattern = pattern_from("A9 ?? 0D 8D").value();
    for (const std::size_t at : {std::size_t{0}, (std::size_t{1} << 20) - 2, file.size() - 4}) {
        file[at] = std::byte{0xA9}, file[at + 2] = std::byte{0x0D}, file[at + 3] = std::byte{0x8D};
    }
    const MemorySource memory(file);
    const JoinedSource joined({borrowed(memory)});  // which is not addressable as a whole
    for (const ByteSource* const source :
         {static_cast<const ByteSource*>(&memory), static_cast<const ByteSource*>(&joined)}) {
        EXPECT_EQ(places_of(pattern, *source, 9), (std::vector<std::uint64_t>{0, (1 << 20) - 2, file.size() - 4}));
        EXPECT_EQ(places_of(pattern, *source, 2).size(), 2U);
    }
    for (const char* const none : {"", "A", "A9 0", "??", "G1", "A9 ?"}) EXPECT_FALSE(pattern_from(none)) << none;
}

TEST(Map, WholeNumbersOfEverySize) {
    const std::pair<const char*, const char*> rows[] = {
        {"0x1F", "31"}, {"-5", "-5"}, {"+7", "7"}, {"18446744073709551615", "18446744073709551615"}, {"-0", "0"}};
    for (const auto& [typed, read] : rows) EXPECT_EQ(whole_from(typed)->text(), read);
    for (const char* const none : {"", "-", "1.5", "0x", "18446744073709551616", "7 ", "x"})
        EXPECT_FALSE(whole_from(none)) << none;
    EXPECT_LT((WholeNumber{true, 5}), (WholeNumber{true, 4}));
    EXPECT_LT((WholeNumber{true, 1}), (WholeNumber{}));
}

}  // namespace
}  // namespace hotstitch
