// SPDX-License-Identifier: MIT
// Files of tagged chunks by the public API: every way they are laid out, put in every way, broken ones.
#include <gtest/gtest.h>

#include <map>

#include "console_discs.h"
#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

Bytes joined_bytes(std::initializer_list<Bytes> pieces) {
    Bytes all;
    for (const Bytes& piece : pieces) all.insert(all.end(), piece.begin(), piece.end());
    return all;
}
Bytes text(std::string_view from) {
    return {bytes_of(from).begin(), bytes_of(from).end()};
}

using demo::chunk;

/// A RIFF with a list in it, an odd chunk, two of one name.
Bytes riff() {
    return chunk("RIFF",
                 joined_bytes({text("KELP"), chunk("head", text("abc"), false),
                               chunk("LIST", joined_bytes({text("INFO"), chunk("INAM", text("fog"), false)}), false),
                               chunk("data", demo::junk(100, 1), false), chunk("data", demo::junk(7, 2), false)}),
                 false);
}
Bytes iff(bool padded) {
    return chunk("FORM",
                 joined_bytes({text("KELP"), chunk("NAME", text("Tides"), true, padded),
                               chunk("BODY", demo::junk(50, 3), true, padded)}),
                 true, padded);
}
/// What an engine keeps its data in: no type, low bytes first, nothing padded.
Bytes engine() {
    return chunk(
        "FORM",
        joined_bytes({chunk("GEN8", demo::junk(33, 4), false, false), chunk("STRG", demo::junk(60, 5), false, false)}),
        false, false);
}

struct Row {
    const char* name;
    Bytes file;
    const char* title;
    std::map<std::string, std::size_t> parts;
    std::string part;  ///< to be put into
    bool grows;
};
std::vector<Row> rows() {
    return {
        {"RIFF",
         riff(),
         "a RIFF file",
         {{"RIFF/head", 3}, {"RIFF/LIST/INAM", 3}, {"RIFF/data", 100}, {"RIFF/data 2", 7}},
         "RIFF/LIST/INAM",
         true},
        {"IFF", iff(true), "an IFF file", {{"FORM/NAME", 5}, {"FORM/BODY", 50}}, "FORM/NAME", true},
        {"IFF without padding", iff(false), "an IFF file", {{"FORM/NAME", 5}, {"FORM/BODY", 50}}, "FORM/NAME", true},
        {"FORM of an engine",
         engine(),
         "a file of chunks (FORM)",
         {{"FORM/GEN8", 33}, {"FORM/STRG", 60}},
         "FORM/GEN8",
         false}};
}

std::map<std::string, Bytes> contents_of(const Bytes& file) {
    std::map<std::string, Bytes> all;
    const MemorySource source(file);
    open_container(source)->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        extract(sink);
        all[part.name] = sink.take();
        return Flow::go_on;
    });
    return all;
}

TEST(Chunks, AreReadAndPutInEveryLayout) {
    for (const Row& row : rows()) {
        SCOPED_TRACE(row.name);
        EXPECT_EQ(identify(row.file).kind.title, row.title);
        std::map<std::string, Bytes> before = contents_of(row.file);
        std::map<std::string, std::size_t> sizes;
        for (const auto& [name, content] : before) sizes[name] = content.size();
        EXPECT_EQ(sizes, row.parts);
        const MemorySource source(row.file);
        const auto container = open_container(source);
        const Part part = find_part(*container, row.part);
        for (const std::size_t size : {before[row.part].size(), std::size_t{2}, std::size_t{0}, std::size_t{40},
                                       std::size_t{41}, std::size_t{5000}}) {
            const Bytes content = demo::junk(size, 9);
            if (!row.grows && size > *part.size) {
                EXPECT_THROW((void)container->put(part, owned(content), {}), Error) << size;
                continue;
            }
            const PutResult result = container->put(part, owned(content), {});
            const Bytes made = changed(row.file, result.change);
            auto wanted = before;
            wanted[row.part] = content;
            if (!row.grows) {
                wanted[row.part].resize(*part.size);
                EXPECT_EQ(made.size(), row.file.size());
                EXPECT_EQ(result.warnings.empty(), size == *part.size);
            }
            EXPECT_EQ(contents_of(made), wanted) << size;
            EXPECT_EQ(identify(made).kind.title, row.title) << size;
        }
    }
}

TEST(Chunks, AnIndexOfAFilmKeepsItsFramesWhereTheyAre) {
    const Bytes film =
        chunk("RIFF",
              joined_bytes({text("AVI "),
                            chunk("LIST", joined_bytes({text("movi"), chunk("00dc", demo::junk(20, 1), false)}), false),
                            chunk("idx1", demo::junk(16, 2), false)}),
              false);
    const MemorySource source(film);
    const auto container = open_container(source);
    EXPECT_THROW((void)container->put(find_part(*container, "RIFF/LIST/00dc"), owned(demo::junk(30, 1)), {}), Error);
    EXPECT_EQ(
        changed(film, container->put(find_part(*container, "RIFF/LIST/00dc"), owned(demo::junk(10, 1)), {}).change)
            .size(),
        film.size());
}

TEST(Chunks, WhatDoesNotParseToTheEndIsNone) {
    const Bytes right = riff();
    for (const std::size_t at : {4U, 16U, 17U, 28U}) {
        Bytes wrong = right;
        wrong[at] ^= std::byte{0x40};
        EXPECT_NE(identify(wrong).kind.id, KindId::chunk_file) << at;
    }
    Bytes cut(right.begin(), right.end() - 20);
    EXPECT_NE(identify(cut).kind.id, KindId::chunk_file);
    EXPECT_NE(identify(text("RIFF")).kind.id, KindId::chunk_file);
    // Lists in lists without an end.
    Bytes deep = text("KELP");
    for (int i = 0; i < 200; ++i) deep = joined_bytes({text("KELP"), chunk("LIST", deep, false)});
    const Bytes nested = chunk("RIFF", deep, false);
    const MemorySource source(nested);
    EXPECT_EQ(open_container(source)->parts().size(), 1U);
}

}  // namespace
}  // namespace hotstitch
