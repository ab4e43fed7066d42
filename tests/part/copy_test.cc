// SPDX-License-Identifier: MIT
// Compressed and cut-down copies of discs by the public API: what each form holds, and forms that lie. Made here with
// zlib and lz4, and by demo/console_discs.cc.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <lz4.h>
#include <zlib.h>

#include <random>

#include "console_discs.h"
#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

void put_number(Bytes& bytes, std::size_t at, std::uint64_t value, unsigned count) {
    if (bytes.size() < at + count) bytes.resize(at + count);
    for (unsigned i = 0; i < count; ++i) bytes[at + i] = static_cast<std::byte>(value >> (8 * i));
}

Bytes deflated(ByteView block, int bits) {
    z_stream stream{};
    deflateInit2(&stream, 9, Z_DEFLATED, bits, 8, Z_DEFAULT_STRATEGY);
    Bytes out(deflateBound(&stream, static_cast<uLong>(block.size())) + 64);
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<std::byte*>(block.data()));
    stream.avail_in = static_cast<uInt>(block.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = static_cast<uInt>(out.size());
    deflate(&stream, Z_FINISH);
    out.resize(stream.total_out);
    deflateEnd(&stream);
    return out;
}

Bytes lz4ed(ByteView block) {
    Bytes out(static_cast<std::size_t>(LZ4_compressBound(static_cast<int>(block.size()))));
    out.resize(static_cast<std::size_t>(
        LZ4_compress_default(reinterpret_cast<const char*>(block.data()), reinterpret_cast<char*>(out.data()),
                             static_cast<int>(block.size()), static_cast<int>(out.size()))));
    return out;
}

/// One block of many; `padded`: the last is filled up to the block size, as some writers do before they pack it.
Bytes block_of(ByteView plain, std::size_t number, std::size_t size, bool padded) {
    const ByteView one = plain.subspan(number * size, std::min(size, plain.size() - number * size));
    Bytes block(one.begin(), one.end());
    if (padded) block.resize(size);
    return block;
}

/// A list of 32-bit offsets; every third block is stored plain.
Bytes short_list(ByteView plain, std::size_t block, unsigned shift, bool lz4, bool padded = false) {
    const std::size_t count = (plain.size() + block - 1) / block;
    Bytes copy(24 + 4 * (count + 1));
    std::copy_n(bytes_of(lz4 ? "ZISO" : "CISO").begin(), 4, copy.begin());
    put_number(copy, 4, 0x18, 4), put_number(copy, 8, plain.size(), 8), put_number(copy, 16, block, 4);
    put_number(copy, 20, 1, 1), put_number(copy, 21, shift, 1);
    for (std::size_t i = 0; i < count; ++i) {
        copy.resize((copy.size() + (1U << shift) - 1) >> shift << shift);
        const Bytes one = block_of(plain, i, block, padded);
        const bool stored = i % 3 == 2;
        put_number(copy, 24 + 4 * i, copy.size() >> shift | (stored ? 0x80000000U : 0U), 4);
        const Bytes packed = stored ? one : lz4 ? lz4ed(one) : deflated(one, -15);
        copy.insert(copy.end(), packed.begin(), packed.end());
    }
    copy.resize((copy.size() + (1U << shift) - 1) >> shift << shift);
    put_number(copy, 24 + 4 * count, copy.size() >> shift, 4);
    return copy;
}

Bytes zlib_list(ByteView plain, std::size_t block, bool padded = false) {
    const std::size_t count = (plain.size() + block - 1) / block;
    Bytes copy(32 + 12 * count), data;
    put_number(copy, 0, 0xB10BC001, 4), put_number(copy, 16, plain.size(), 8), put_number(copy, 24, block, 4);
    put_number(copy, 28, count, 4);
    for (std::size_t i = 0; i < count; ++i) {
        const Bytes one = block_of(plain, i, block, padded);
        const bool stored = i % 4 == 3;
        const Bytes packed = stored ? one : deflated(one, 15);
        put_number(copy, 32 + 8 * i, data.size() | (stored ? std::uint64_t{1} << 63 : 0), 8);
        put_number(copy, 32 + 8 * count + 4 * i,
                   ::adler32(1, reinterpret_cast<const Bytef*>(packed.data()), static_cast<uInt>(packed.size())), 4);
        data.insert(data.end(), packed.begin(), packed.end());
    }
    put_number(copy, 8, data.size(), 8);
    copy.insert(copy.end(), data.begin(), data.end());
    return copy;
}

const Bytes& plain_disc() {
    static const Bytes image = demo::table_disc(demo::console_files(1), {.total = 1 << 20, .gap = 512});
    return image;
}

struct Form {
    const char* name;
    Bytes copy;
    std::uint64_t size;
};
std::vector<Form> forms() {
    constexpr std::uint64_t full = 1'459'978'240;
    const Bytes& plain = plain_disc();
    Bytes gap = plain;
    gap.resize(gap.size() - 100);
    return {{"blocks of deflate", short_list(plain, 2048, 0, false), plain.size()},
            {"blocks of deflate that are aligned", short_list(plain, 2048, 4, false), plain.size()},
            {"a last block that is short", short_list(gap, 16384, 0, false), gap.size()},
            {"blocks that only store", demo::deflate_copy(plain, 2048), plain.size()},
            {"blocks of LZ4", short_list(plain, 2048, 2, true), plain.size()},
            {"blocks of zlib", zlib_list(plain, 16384), plain.size()},
            {"blocks of zlib, the last short", zlib_list(gap, 32768), gap.size()},
            {"blocks of zlib, the last filled up", zlib_list(gap, 32768, true), gap.size()},
            {"blocks of deflate, the last filled up", short_list(gap, 16384, 0, false, true), gap.size()},
            {"blocks of LZ4, the last filled up", short_list(gap, 16384, 2, true, true), gap.size()},
            {"a map of blocks", demo::block_map_copy(plain, 32768), full},
            {"a loader's container", demo::drive_copy(plain, 16), full}};
}

TEST(Copies, HoldThePlainImageInEveryForm) {
    const Bytes& plain = plain_disc();
    for (const Form& form : forms()) {
        SCOPED_TRACE(form.name);
        EXPECT_EQ(identify(form.copy).kind.id, KindId::disc_copy);
        const auto image = plain_copy(owned(form.copy));
        ASSERT_NE(image, nullptr);
        ASSERT_EQ(image->size(), form.size);
        Bytes scratch(300'000);
        std::mt19937 random(3);
        for (int i = 0; i < 60; ++i) {
            const std::size_t most = i < 30 ? 5000 : scratch.size(), length = random() % most + 1;
            const std::size_t at = random() % (plain.size() - 100 - length);
            const ByteView read = image->read(at, length, scratch);
            ASSERT_TRUE(std::equal(read.begin(), read.end(), plain.begin() + static_cast<std::ptrdiff_t>(at)))
                << length << " at " << at;
        }
        if (form.size > plain.size()) {
            EXPECT_TRUE(is_filled(*image, plain.size(), 200'000, std::byte{0}));
        }
        const MemorySource source(form.copy);
        const auto container = open_container(source);
        EXPECT_EQ(container->kind(), KindId::disc) << "the copy is the disc";
        EXPECT_EQ(container->parts().front().name, "content");
        MemorySink sink;
        extract_part(*container, "files/data/messages.txt", sink);
        EXPECT_EQ(sink.bytes(), demo::console_files(1)[1].content);
        // What is put in makes the file a plain image.
        const PutResult put =
            container->put(find_part(*container, "files/data/messages.txt"), owned(demo::junk(70, 1)), {});
        const ChangedSource made(source, put.change);
        ASSERT_EQ(made.size(), form.size);
        Bytes begin(plain.size() - 100);
        const ByteView read = made.read(0, begin.size(), begin);
        if (read.data() != begin.data()) std::copy(read.begin(), read.end(), begin.begin());
        EXPECT_EQ(demo::files_of_table(begin, false).at("data/messages.txt"), demo::junk(70, 1));
    }
}

/// A number that is set somewhere, and what comes of it: said when it is opened, or when all of it is read.
struct Lie {
    const char* name;
    Bytes copy;
    std::size_t at;
    std::uint64_t value;
    unsigned bytes;
    const char* said;
};
TEST(Copies, IndexesThatLieAreSaidToDoSo) {
    const Bytes deflate = short_list(plain_disc(), 2048, 0, false), lz4 = short_list(plain_disc(), 2048, 0, true),
                list = zlib_list(plain_disc(), 16384), map = demo::block_map_copy(plain_disc(), 32768),
                drive = demo::drive_copy(plain_disc(), 16);
    const Lie lies[] = {
        {"no size", deflate, 8, 0, 8, "a size that no disc has"},
        {"a bomb", deflate, 8, std::uint64_t{1} << 60, 8, "a size that no disc has"},
        {"more blocks than bytes", deflate, 8, std::uint64_t{1} << 36, 8, "cut short in its list"},
        {"no block size", deflate, 16, 0, 4, "a size that no block has"},
        {"a later version", deflate, 20, 2, 1, "later version"},
        {"shifted too far", deflate, 21, 40, 1, "shifted too far"},
        {"a block past the end", deflate, 24 + 40, 0x7FFFFFF0, 4, "a block lies past its end"},
        {"blocks over each other", deflate, 24 + 40, 0x100, 4, "over each other"},
        {"a block that is no deflate", deflate, 24 + 4 * 513 + 2, UINT64_MAX, 8, "does not unpack"},
        {"a block that is no LZ4", lz4, 24 + 4 * 513 + 3, UINT64_MAX, 8, "does not unpack"},
        {"blocks of zlib out of order", list, 32 + 16, 0x10, 8, "over each other"},
        {"a block of zlib past the end", list, 32 + 16, std::uint64_t{1} << 40, 8, "past its end"},
        {"another number of blocks", list, 28, 3, 4, "another number of blocks"},
        {"a wrong checksum", list, list.size() - 40, UINT64_MAX, 8, "not what its checksum says"},
        {"a map with another value", map, 12, 7, 1, "its map is broken"},
        {"a map of nothing", map, 8, 0, 1, "nothing of the disc's begin"},
        {"a map of more than there is", map, 8 + 200, 0x0101010101010101, 8, "a part of the copy is missing"},
        {"a sector of no size", drive, 8, 60, 1, "no sector has"},
        {"a block of no size", drive, 9, 60, 1, "no block has"},
        {"no disc", drive, 12, 0, 1, "holds no disc"},
        {"a block past the container's end", drive, 512 + 0x100 + 4, 0xFFFF, 2, "a part of the copy is missing"},
        {"a block twice", drive, 512 + 0x100 + 2, 0x0A00, 2, "at the same place"}};
    for (const Lie& lie : lies) {
        SCOPED_TRACE(lie.name);
        Bytes broken = lie.copy;
        put_number(broken, lie.at, lie.value, lie.bytes);
        if (std::string(lie.name) == "a block twice")  // two entries name one block
            std::copy_n(broken.begin() + 512 + 0x100, 2, broken.begin() + 512 + 0x102);
        try {
            const auto image = plain_copy(owned(broken));
            ASSERT_NE(image, nullptr);
            MemorySink sink;
            write_source(SliceSource(image, 0, std::min<std::uint64_t>(image->size(), 2 << 20)), sink);
            ADD_FAILURE() << "nothing is said";
        } catch (const Error& error) {
            EXPECT_NE(std::string(error.what()).find(lie.said), std::string::npos) << error.what();
        }
    }
    // Cut anywhere: an error, never less than was there.
    for (const Bytes& copy : {deflate, lz4, list, drive})
        for (const std::size_t size : {copy.size() - 1000, copy.size() / 2, std::size_t{100}, std::size_t{33}}) {
            Bytes cut(copy.begin(), copy.begin() + static_cast<std::ptrdiff_t>(size));
            EXPECT_THROW((void)plain_copy(owned(cut)), Error) << size << " of " << copy.size();
        }
}

TEST(Copies, OtherFormsAreRecognisedAndNotRead) {
    struct Row {
        std::size_t at;
        std::string_view word;
        const char* title;
    };
    for (const Row& row :
         {Row{0, std::string_view("RVZ\1", 4), "a compressed copy of a disc"},
          Row{0, std::string_view("WIA\1", 4), "a compressed copy of a disc"},
          Row{0, "MComprHD", "a compressed copy of a disc"},
          Row{0, std::string_view("ECM\0", 4), "a copy of a disc whose error correction was taken out"},
          Row{0x200, "NKIT", "a shortened copy of a disc"}}) {
        Bytes file = row.at == 0 ? demo::junk(5000, 3) : plain_disc();
        std::copy(bytes_of(row.word).begin(), bytes_of(row.word).end(),
                  file.begin() + static_cast<std::ptrdiff_t>(row.at));
        EXPECT_EQ(identify(file).kind.title, row.title);
        EXPECT_EQ(plain_copy(owned(file)), nullptr);
        const MemorySource source(file);
        try {
            (void)open_container(source);
            ADD_FAILURE();
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::unsupported);
            EXPECT_NE(error.hint().find("save a plain, full copy"), std::string::npos);
        }
    }
}

}  // namespace
}  // namespace hotstitch
