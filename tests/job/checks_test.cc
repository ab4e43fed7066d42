// SPDX-License-Identifier: MIT
#include "hotstitch/checks.h"

#include <gtest/gtest.h>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

TEST(Checks, ComeBackAsWritten) {
    const DigestChoice all{true, true, true, true};
    const Checks checks{digest(MemorySource(bytes_of("patch")), {}), digest(MemorySource(bytes_of("old")), all),
                        digest(MemorySource(bytes_of("new")), all)};
    const Checks back = checks_from_json(checks_to_json(checks));
    EXPECT_EQ(checks_to_json(back), checks_to_json(checks));
    EXPECT_TRUE(compare(checks.target, back.target).empty());
    EXPECT_EQ(back.source.sha256, checks.source.sha256);
    EXPECT_FALSE(back.patch.md5.has_value());
}

TEST(Checks, DamageIsNamed) {
    const std::string head = R"({"schema":{"name":"hotstitch/checks","version":1},)";
    const std::pair<std::string, ErrorCode> rows[] = {
        {"", ErrorCode::damaged},
        {"[]", ErrorCode::damaged},
        {"{}", ErrorCode::damaged},
        {R"({"schema":{"name":"other","version":1}})", ErrorCode::damaged},
        {R"({"schema":{"name":"hotstitch/checks","version":2}})", ErrorCode::unsupported},
        {head + R"("source":3})", ErrorCode::damaged},
        {head + R"("source":{"size":-1}})", ErrorCode::damaged},
        {head + R"("source":{"crc32":17}})", ErrorCode::damaged},
        {head + R"("source":{"crc32":"12"}})", ErrorCode::damaged},
        {std::string(100'000, '['), ErrorCode::damaged},
    };
    for (const auto& [text, code] : rows) {
        try {
            checks_from_json(text);
            ADD_FAILURE() << "accepted " << text.substr(0, 80);
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), code) << text.substr(0, 80);
        }
    }
    EXPECT_TRUE(checks_from_json(head + R"("note":"more is allowed"})").source.empty());
}

}  // namespace
}  // namespace hotstitch
