// SPDX-License-Identifier: MIT
// Every JSON document against the schema that the tool prints of it, and docs/json.md, which is made from the same.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

#include "cartridges.h"
#include "console_discs.h"
#include "data_files.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/create.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

using Json = nlohmann::ordered_json;
using namespace std::string_view_literals;

bool is_of(const Json& value, const std::string& type) {
    if (type == "string") return value.is_string();
    if (type == "integer") return value.is_number_integer();
    if (type == "number") return value.is_number();
    if (type == "boolean") return value.is_boolean();
    if (type == "array") return value.is_array();
    return type == "null" ? value.is_null() : value.is_object();
}

/// As much of JSON Schema as ours need. Returns what is wrong; empty: nothing.
std::string wrong_in(const Json& value, const Json& schema, const std::string& where) {
    const Json types = schema["type"].is_array() ? schema["type"] : Json::array({schema["type"]});
    if (std::none_of(types.begin(), types.end(), [&](const Json& type) { return is_of(value, type); }))
        return fmt::format("{} is {} and should be {}", where, value.dump(), types.dump());
    if (value.is_array())
        for (const Json& item : value)
            if (std::string wrong = wrong_in(item, schema["items"], where + "[]"); !wrong.empty()) return wrong;
    if (!value.is_object()) return {};
    for (const Json& key : schema["required"])
        if (!value.contains(key.get<std::string>())) return fmt::format("{} lacks {}", where, key.dump());
    for (const auto& [key, inner] : value.items()) {
        const bool known = schema["properties"].contains(key);
        const Json& other = schema["additionalProperties"];
        if (!known && other == true) continue;
        if (!known && !other.is_object()) return fmt::format("{} has {}, which no schema names", where, key);
        if (std::string wrong = wrong_in(inner, known ? schema["properties"][key] : other, where + "." + key);
            !wrong.empty())
            return wrong;
    }
    return {};
}

Json schemas() {
    return Json::parse(run_tool({"--schemas"}).out);
}

TEST(CliJson, EveryDocumentIsAsItsSchemaSays) {
    const TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source);
    folder.put("k.sfc", source);
    folder.put("old.sfc", demo::kelp_harbour(0));
    folder.put("k.dat", demo::harbour_data(false));
    folder.put("kelp.map.toml", demo::map_of(false));
    folder.put("kelp.tbl", demo::letters());
    folder.put("berths.edits", demo::longer_berths_edits());
    folder.put("w.sfc", target);
    folder.put("k.smc", demo::with_front_header(source));
    folder.put("k.nes", demo::nes_kelp());
    folder.put("k.z64", demo::nintendo_64_kelp());
    folder.put("plain.dat", Bytes(5000, std::byte{1}));
    folder.put("k.exe", demo::pe({.overlay = 16}));
    folder.put("k.lz", "\x10\x0C\0\0\0Kelp Har\0bour"sv);
    folder.put("empty", "");
    folder.put("damaged.ips", "PATCH\1");
    folder.put("f.bps", hotstitch::create(source, demo::fog_signals(source)));
    const Bytes plain = Bytes(5000, std::byte{1});
    const Bytes disc = demo::disc({{"DATA/A.BIN", Bytes(5000)}, {"C.BIN", plain}});
    folder.put("d.iso", disc);
    folder.put("d.bin", demo::in_sectors(disc, 1));
    folder.put("d.cue", demo::cue_sheet("d.bin", 1, disc.size() / 2048, "w.sfc"));
    folder.put("c.bps", hotstitch::create(plain, Bytes(5000, std::byte{2})));
    folder.put("big.iso", disc);
    std::filesystem::resize_file(folder / "big.iso", 70'000'000 / 2048 * 2048);
    folder.put("t.gcm", demo::table_disc(demo::console_files(1)));
    folder.put("t.cso", demo::deflate_copy(demo::table_disc(demo::console_files(1)), 2048));
    folder.put("t.nds", demo::file_cartridge(demo::console_files(1), false));
    folder.put("t.wav", demo::chunk("RIFF", demo::wave(Bytes(40)), false));
    folder.put("w.iso",
               demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 20 * 0x7C00})));
    folder.put("keys.txt", demo::key_file());
    folder.put("list.csv", "crc32,size,name\n6f184ef6,1048576,Kelp Harbour\n");
    ASSERT_EQ(
        std::system(("cd '" + folder.path().string() + "' && bsdtar --format=zip -cf a.zip k.sfc old.sfc").c_str()), 0);
    const std::vector<std::vector<std::string>> calls = {
        {"create", "k.sfc", "w.sfc", "-o", "n.bps", "--checks"},
        {"create", "k.sfc", "w.sfc", "-o", "n.ips"},
        {"create", "k.sfc", "w.sfc", "-o", "n.xdelta"},
        {"create", "k.sfc", "none"},
        {"apply", "k.sfc", "n.bps", "-o", "a.sfc"},
        {"apply", "k.sfc", "n.bps", "-o", "a.sfc"},
        {"apply", "k.sfc", "n.ips", "f.bps", "-o", "b.sfc"},
        {"apply", "k.smc", "n.ips", "-o", "c.sfc", "--keep-reverse"},
        {"apply", "old.sfc", "n.bps", "--known", "list.csv"},
        {"apply", "w.sfc", "n.bps"},
        {"apply", "k.sfc", "damaged.ips"},
        {"apply", "empty", "n.ips"},
        {"apply", "--nonsense"},
        {"heap", "n.bps", "k.sfc", "list.csv", "-o", "h/"},
        {"heap", "n.ips", "old.sfc", "k.smc", "--plan"},
        {"heap", "n.bps", "old.sfc"},
        {"heap", "n.bps", "n.ips", "k.sfc", "a.zip"},
        {"verify", "n.bps", "k.sfc", "old.sfc", "k.smc", "w.sfc", "none", "--known", "list.csv"},
        {"verify", "n.ips", ".", "old.sfc"},
        {"verify", "n.bps", "k.sfc", "--target", "w.sfc"},
        {"verify", "n.xdelta", "--target", "k.sfc"},
        {"verify", "--receipt", "a.sfc"},
        {"recast", "k.sfc", "n.bps", "-o", "r.ips"},
        {"overlap", "k.sfc", "n.bps", "f.bps"},
        {"renew", "a.sfc", "f.bps"},
        {"undo", "a.sfc"},
        {"mend", "k.sfc"},
        {"mend", "k.sfc", "region=Japan", "-o", "m.sfc"},
        {"mend", "k.sfc", "region=Japan", "--patch", "m.bps"},
        {"mend", "k.sfc", "nothing"},
        {"header", "show", "k.smc"},
        {"header", "strip", "k.smc", "--keep", "h.bin", "-o", "s.sfc"},
        {"header", "attach", "s.sfc", "--from", "h.bin", "-o", "t.smc"},
        {"parts", "a.zip", "--digests"},
        {"parts", "k.sfc", "--compare", "w.sfc"},
        {"take", "a.zip:", "-o", "out"},
        {"put", "k.sfc", "bank 3=k.sfc:bank 4", "-o", "p.sfc"},
        {"describe", "k.sfc", "k.smc", "k.nes", "k.z64", "a.zip", "n.bps", "n.ips", "n.xdelta", "plain.dat", "empty",
         "damaged.ips", "none"},
        {"describe", "k.sfc", "--at", "80:8000", "--at", "zz", "--free", "--known", "list.csv"},
        {"describe", "n.bps", "--source", "k.sfc"},
        {"describe", "k.exe", "k.lz", "--at", "0x401000"},
        {"describe", "k.lz"},
        {"mend", "k.exe"},
        {"mend", "k.exe", "high-entropy", "nx", "-o", "n.exe"},
        {"parts", "k.exe", "--deep"},
        {"fields", "k.dat"},
        {"fields", "k.dat", "berth[1].keeper", "berth[1].ferry"},
        {"fields", "k.dat", "berth[1].depth=14", "-o", "l.dat"},
        {"fields", "k.dat", "berth[1].depth=14", "--patch", "l.bps"},
        {"fields", "k.dat", "--compare", "l.dat", "--save", "l.edits"},
        {"fields", "k.sfc", "header.region=Japan", "-o", "l.sfc"},
        {"fields", "--check", "--map", "kelp.map.toml"},
        {"fields", "k.dat", "birth"},
        {"describe", "l.edits", "--source", "k.dat", "--map", "kelp.map.toml"},
        {"describe", "berths.edits"},
        {"apply", "k.dat", "berths.edits", "-o", "m.dat"},
        {"chart", "k.dat", "l.dat", "--hex", "2", "--svg", "l.svg", "--map", "kelp.map.toml"},
        {"chart", "k.dat", "l.edits"},
        {"chart", "d.iso", "d.iso"},
        {"put", "k.lz", "content=plain.dat", "-o", "p.lz"},
        {"describe", "d.cue", "d.iso"},
        {"parts", "d.cue"},
        {"parts", "d.iso", "--compare", "."},
        {"put", "d.cue", "DATA/A.BIN=plain.dat", "-o", "e.cue"},
        {"put", "d.iso", "DATA/A.BIN=k.sfc", "B.BIN=empty", "--add", "--remove", "C.BIN", "-o", "e.iso"},
        {"renew", "e.iso"},
        {"verify", "--receipt", "e.iso"},
        {"put", "big.iso", "DATA/A.BIN=plain.dat", "--in-place"},
        {"undo", "big.iso"},
        {"apply", "d.iso:C.BIN", "c.bps", "-o", "f.iso"},
        {"mend", "d.iso"},
        {"describe", "t.gcm", "t.cso", "t.nds", "t.wav", "w.iso"},
        {"mend", "t.gcm", "title=Fog", "-o", "u.gcm"},
        {"parts", "t.cso"},
        {"parts", "w.iso", "--keys", "keys.txt"},
        {"put", "w.iso", "partition 0/files/opening.bin=plain.dat", "--keys", "keys.txt", "--as", "{serial}.iso"},
        {"put", "t.nds", "opening.bin=k.sfc", "-o", "u.nds"},
        {"take", "t.gcm:", "-o", "tree"},
        {"put", "tree", "files/new=plain.dat", "--room", "rebuild", "-o", "v.gcm"},
        {"put", "t.gcm", "files/=tree/files", "-o", "same.gcm"},
        {"create", "t.gcm", "u.gcm", "-o", "patches/a.bps"},
        {"create", "k.sfc", "w.sfc", "-o", "patches/b.bps"},
        {"verify", "patches", "t.cso"},
        {"apply", "t.cso", "patches", "-o", "x.gcm"},
        {"apply", "old.sfc", "patches"},
        {"apply", "w.iso", "patches/a.bps"},
        {"create", "d.iso", "f.iso", "--format", "kit", "--title", "Fog", "-o", "fog/"},
        {"kit", "check", "fog", "d.iso"},
        {"kit", "pack", "fog"},
        {"describe", "fog"},
        {"verify", "fog.kit", "d.iso"},
        {"verify", "fog.kit", "k.sfc"},
        {"apply", "d.iso", "fog.kit", "-o", "made/", "--plan"},
        {"apply", "d.iso", "fog.kit", "-o", "made/"},
        {"renew", "made/Fog.iso", "fog"},
        {"verify", "--receipt", "made/Fog.iso"},
        {"undo", "made/Fog.iso"},
        {"shelf", "k.sfc", "--keep", "n.bps"},
        {"shelf", "k.sfc", "--use", "n"},
        {"shelf", "k.sfc"},
        {"hotstitch", "is", "no command"},
    };
    const Json all = schemas();
    std::set<std::string> seen;
    for (std::vector<std::string> call : calls) {
        const std::string name = "hotstitch/" + call.front();
        call.emplace_back("--json");
        const ToolResult result = run_tool(call, {.folder = folder.path()});
        const Json document = Json::parse(result.out);
        EXPECT_EQ(document["schema"]["name"], name);
        EXPECT_EQ(document["schema"]["version"], all["version"]);
        EXPECT_EQ(document["exit"], result.code);
        EXPECT_EQ(wrong_in(document, all["schemas"][name], call.front()), "") << result.out.substr(0, 3000);
        seen.insert(name);
    }
    // What the check is worth: a missing key, a wrong type, an unknown key.
    const Json& undo = all["schemas"]["hotstitch/undo"];
    const Json right = Json::parse(run_tool({"undo", "none", "--json"}, {.folder = folder.path()}).out);
    EXPECT_EQ(wrong_in(right, undo, "undo"), "");
    for (const auto& [key, value] :
         {std::pair{"exit", Json("4")}, std::pair{"file", Json("none")}, std::pair{"more", Json(1)}}) {
        Json wrong = right;
        wrong[key] = value;
        EXPECT_NE(wrong_in(wrong, undo, "undo"), "") << key;
    }
    Json missing = right;
    missing.erase("answer");
    EXPECT_NE(wrong_in(missing, undo, "undo"), "");
    EXPECT_EQ(seen.size(), all["schemas"].size()) << "a document that nothing was held against";
}

std::string type_text(const Json& schema) {
    if (schema["type"] == "array") return "array of " + type_text(schema["items"]);
    return schema["type"].is_array() ? fmt::format("{} or null", schema["type"][0].get<std::string>())
                                     : schema["type"].get<std::string>();
}

void add_table(const Json& schema, const std::string& indent, std::string& page) {
    for (const auto& [key, value] : schema["properties"].items()) {
        const bool always =
            std::find(schema["required"].begin(), schema["required"].end(), key) != schema["required"].end();
        page += fmt::format("{}- `{}`: {}{}{}\n", indent, key, type_text(value), always ? "" : ", where there is one",
                            value.contains("description") ? "; " + value["description"].get<std::string>() : "");
        const Json& inner = value["type"] == "array" ? value["items"] : value;
        const bool is_file = inner.contains("properties") && inner["properties"].contains("path") &&
                             inner["properties"].contains("sha256");
        if (inner.contains("properties") && !is_file) add_table(inner, indent + "  ", page);
    }
}

TEST(CliJson, TheDocumentationIsMadeFromTheSchemas) {
    const Json all = schemas();
    std::string page = fmt::format(
        "# The JSON documents\n\nWith `--json`, every command prints one document of these on standard output; version "
        "{}. "
        "`hotstitch --schemas` prints the same as JSON Schema.\nThis page is made from it: a test writes it, and holds "
        "the "
        "output of every command against it.\n\nA file is always an object: `path`, `part` (null, or the part's "
        "address: "
        "`ARCHIVE:MEMBER`) and, as far as they are known,\n`size`, `crc32`, `md5`, `sha1`, `sha256`, and of a patch "
        "`format`. Names that are not UTF-8 have U+F780 to U+F7FF for their wrong bytes 80 to FF.\n",
        all["version"].get<int>());
    const Json& common = all["schemas"]["hotstitch/undo"];
    for (const auto& [name, schema] : all["schemas"].items()) {
        Json own = schema;
        page += fmt::format("\n## {}\n\n", name);
        if (name != "hotstitch/describe")
            for (const char* key : {"schema", "answer", "message", "exit", "warnings", "notes", "not_checked", "next",
                                    "field", "offset", "wanted", "found"}) {
                ASSERT_TRUE(common["properties"].contains(key));
                own["properties"].erase(key);
            }
        else
            page += "The keys up to `found` are those of every document.\n\n";
        add_table(own, "", page);
    }
    const std::string path = DOCS_FOLDER "/json.md";
    if (std::getenv("HOTSTITCH_WRITE_DOCS") != nullptr) std::ofstream(path, std::ios::binary) << page;
    EXPECT_TRUE(text_of(contents(path)) == page) << "write it anew with HOTSTITCH_WRITE_DOCS=1";
}

}  // namespace
}  // namespace hotstitch
