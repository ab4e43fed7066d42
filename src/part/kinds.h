// SPDX-License-Identifier: MIT
// The kinds of file that have parts, one row each in table.cc.
#pragma once

#include "hotstitch/part.h"

namespace hotstitch {

/// REQUIRES that identify() found the file to be of this kind. Throw what opening it throws.
std::unique_ptr<Container> open_archive(const ByteSource& file, Identity identity, const Limits& limits,
                                        const Progress& progress);
std::unique_ptr<Container> open_cartridge(const ByteSource& file, Identity identity, const Limits& limits,
                                          const Progress& progress);

}  // namespace hotstitch
