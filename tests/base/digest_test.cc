// SPDX-License-Identifier: MIT
#include "hotstitch/digest.h"

#include <gtest/gtest.h>

#include "digest/portable_checksums.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

// RFC 1321 A.5, FIPS 180 examples, and the check value of the CRC catalogues for "123456789".
TEST(Digest, PublishedVectors) {
    const Digests abc = digest(MemorySource(bytes_of("abc")), {true, true, true, true});
    EXPECT_EQ(hex(abc.md5->bytes), "900150983cd24fb0d6963f7d28e17f72");
    EXPECT_EQ(hex(abc.sha1->bytes), "a9993e364706816aba3e25717850c26c9cd0d89d");
    EXPECT_EQ(hex(abc.sha256->bytes), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    EXPECT_EQ(abc.size, 3U);
    EXPECT_EQ(crc32(bytes_of("123456789")).hex(), "cbf43926");
    EXPECT_EQ(adler32(bytes_of("Wikipedia")).hex(), "11e60398");
    EXPECT_EQ(crc32({}).value, 0U);
    EXPECT_EQ(adler32({}).value, 1U);
}

TEST(Digest, LibraryAndPortableVersionAgreeInPieces) {
    makers::Random random(1);
    for (int round = 0; round < 50; ++round) {
        const Bytes bytes = makers::file_like(random, makers::below(random, 5000));
        const std::size_t cut = makers::below(random, bytes.size() + 1);
        const ByteView first = ByteView(bytes).first(cut), second = ByteView(bytes).subspan(cut);
        EXPECT_EQ(crc32(second, crc32(first)).value, portable::crc32(0, bytes));
        EXPECT_EQ(adler32(second, adler32(first)).value, portable::adler32(1, bytes));
    }
}

TEST(Digest, ExpectationsAreReadAndCompared) {
    Digests wanted;
    for (const char* text : {"crc32:352441C2", "size:3", "md5:900150983cd24fb0d6963f7d28e17f72"})
        add_digest(wanted, text);
    const Digests found = digest(MemorySource(bytes_of("abc")), choice_for(wanted));
    EXPECT_TRUE(compare(wanted, found).empty());
    EXPECT_FALSE(found.sha1.has_value());
    const auto mismatches = compare(wanted, digest(MemorySource(bytes_of("abcd")), choice_for(wanted)));
    ASSERT_EQ(mismatches.size(), 3U);
    EXPECT_EQ(mismatches[0].name, "size");
    EXPECT_EQ(mismatches[1].wanted, "352441c2");
}

TEST(Digest, BadExpectationsAreUsageErrors) {
    for (const char* text : {"", "crc32", "crc32:", "crc32:12345", "crc32:zzzzzzzz", "crc32:+1234567", "md5:12",
                             "sha9:00", "size:", "size:-1", "size:12x", "sha1:900150983cd24fb0d6963f7d28e17f72"}) {
        Digests digests;
        try {
            add_digest(digests, text);
            ADD_FAILURE() << "accepted " << text;
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::usage) << text;
        }
    }
    Digests twice;
    add_digest(twice, "crc32:00000001");
    add_digest(twice, "crc32:00000001");
    EXPECT_THROW(add_digest(twice, "crc32:00000002"), Error);
}

TEST(Digest, ProgressCanStop) {
    const Bytes bytes(8 << 20);
    EXPECT_THROW(digest(MemorySource(bytes), {}, [](const ProgressState& s) { return s.done < (4 << 20); }), Error);
}

}  // namespace
}  // namespace hotstitch
