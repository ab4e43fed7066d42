// SPDX-License-Identifier: MIT
// ROM images beyond the demo world's, and files that are none.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/mend.h"

namespace makers {

using hotstitch::Bytes;
using hotstitch::ByteView;

Bytes joined(ByteView a, ByteView b);
Bytes first(const Bytes& bytes, std::size_t length);
/// With the byte at `place` another one: `value`, or its complement where that stands there already.
Bytes poked(Bytes bytes, std::size_t place, unsigned value);

/// SNES images of other mappings, with right checks; also of sizes that are no power of two.
Bytes hirom(std::size_t size);
Bytes ex_hirom(std::size_t size);
Bytes ex_lorom(std::size_t size);

Bytes headered_disk(const Bytes& side);

/// The file with these mends done.
Bytes mended(ByteView file, const std::vector<hotstitch::MendRequest>& requests,
             const hotstitch::MendOptions& options = {});

/// Over 200 files that are no ROMs, up to 1 MiB of each: programs, libraries, archives, texts and pictures of this
/// machine, random bytes, runs, and more.
std::vector<std::pair<std::string, Bytes>> other_files();

}  // namespace makers
