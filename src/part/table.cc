// SPDX-License-Identifier: MIT
// Which kinds of file have parts, in the order in which they are asked. A new kind is one file and one row.
#include <array>

#include "part/kinds.h"

namespace hotstitch {
namespace {

// A tar of one ROM looks like a ROM behind a copier header, so archives come first.
constexpr std::array<OpenContainer, 2> kinds{open_archive_container, open_cartridge_container};

}  // namespace

std::unique_ptr<Container> open_container(ByteView file, const Limits& limits, const Progress& progress) {
    for (const OpenContainer open : kinds)
        if (auto container = open(file, limits, progress)) return container;
    return nullptr;
}

}  // namespace hotstitch
