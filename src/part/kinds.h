// SPDX-License-Identifier: MIT
// The kinds of file that have parts, one row each in table.cc.
#pragma once

#include "hotstitch/part.h"

namespace hotstitch {

/// Null when the file is of another kind.
using OpenContainer = std::unique_ptr<Container> (*)(ByteView file, const Limits& limits, const Progress& progress);

std::unique_ptr<Container> open_archive_container(ByteView file, const Limits& limits, const Progress& progress);
std::unique_ptr<Container> open_cartridge_container(ByteView file, const Limits& limits, const Progress& progress);

}  // namespace hotstitch
