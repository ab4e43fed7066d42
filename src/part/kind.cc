// SPDX-License-Identifier: MIT
// The names of kinds, in the order of their values. Tested by tests/part/part_test.cc.
#include "hotstitch/kind.h"

#include <array>
#include <cstddef>

namespace hotstitch {

std::string_view name_of(KindId kind) noexcept {
    constexpr std::array<std::string_view, 18> names{
        "data",    "empty",   "text",      "pointer", "web-page",  "picture",    "document",   "patch",  "other-patch",
        "archive", "payload", "cartridge", "disc",    "disc-copy", "chunk-file", "executable", "folder", "described"};
    static_assert(names.size() == static_cast<std::size_t>(KindId::described) + 1);
    return names[static_cast<std::size_t>(kind)];
}

std::string_view name_of(PartKind kind) noexcept {
    constexpr std::array<std::string_view, 20> names{
        "file",     "content",      "link",    "track",          "front-header", "header",       "bank",
        "section",  "overlay",      "segment", "signature",      "boot-area",    "main-program", "ticket",
        "metadata", "certificates", "hashes",  "partition-data", "table",        "gap"};
    static_assert(names.size() == static_cast<std::size_t>(PartKind::gap) + 1);
    return names[static_cast<std::size_t>(kind)];
}

std::string_view name_of(PartStorage storage) noexcept {
    constexpr std::array<std::string_view, 11> names{
        "",          "packed",       "computed",        "encrypted",   "form 2",
        "in pieces", "past the end", "in another file", "in a folder", "nowhere",
        "link"};
    static_assert(names.size() == static_cast<std::size_t>(PartStorage::link) + 1);
    return names[static_cast<std::size_t>(storage)];
}

}  // namespace hotstitch
