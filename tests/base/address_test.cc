// SPDX-License-Identifier: MIT
// Addresses are taken apart and put together again without loss.
#include "hotstitch/address.h"

#include <gtest/gtest.h>

#include <random>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

using Names = std::vector<std::string>;

TEST(Address, IsTakenApartAtTheFirstColonBehindSomethingThatIsThere) {
    const auto there = [](const std::string& name) { return name == "a.iso" || name == "C:x" || name == "odd:b"; };
    const struct {
        std::string text, file;
        Names parts;
        bool all;
    } rows[] = {
        {"a.iso", "a.iso", {}, false},
        {"a.iso:", "a.iso", {""}, true},
        {"a.iso:DATA/", "a.iso", {"DATA/"}, true},
        {"a.iso:DATA/A.BIN:content", "a.iso", {"DATA/A.BIN", "content"}, false},
        {"a.iso:x\\:y:z", "a.iso", {"x:y", "z"}, false},
        {"C:x:y", "C:x", {"y"}, false},
        {"odd:b", "odd:b", {}, false},
        {"gone.iso:part", "gone.iso:part", {}, false},
        {"-", "-", {}, false},
    };
    for (const auto& row : rows) {
        const Address address = Address::parse(row.text, there);
        EXPECT_EQ(address.file, row.file) << row.text;
        EXPECT_EQ(address.parts, row.parts) << row.text;
        EXPECT_EQ(address.names_all(), row.all) << row.text;
        EXPECT_EQ(address.string(), row.text);
    }
    EXPECT_EQ((Address{"a", {"b", "c"}}).outer(), (Address{"a", {"b"}}));
    EXPECT_EQ((Address{"a", {"b:c"}}).string(), "a:b\\:c");
    EXPECT_THROW(split_address(std::string(200, ':')), Error);
}

TEST(Address, AnyNamesComeBack) {
    std::mt19937 random(31);
    constexpr std::string_view letters = "ab:/ .";
    for (int round = 0; round < 2000; ++round) {
        Names names(1 + random() % 5);
        for (std::string& name : names)
            for (std::size_t i = random() % 4 + (names.size() == 1 ? 1 : 0); i > 0; --i)
                name += letters[random() % letters.size()];
        EXPECT_EQ(split_address(joined_address(names)), names) << joined_address(names);
    }
}

TEST(Address, IsSeenFromOutside) {
    EXPECT_EQ(joined_address("a", "b"), "a:b");
    EXPECT_EQ(joined_address("", "b"), "b");
    EXPECT_EQ(joined_address("a", ""), "a");
}

}  // namespace
}  // namespace hotstitch
