// SPDX-License-Identifier: MIT
// Blocks of a known size, unpacked at once: what compressed copies of discs are made of.
#pragma once

#include "hotstitch/bytes.h"

namespace hotstitch {

/// Fills `into` from a packed block, behind which other bytes may follow. False: it does not make just so many bytes.
/// Throws Error(unsupported) in a build without the library.
bool inflate_block(ByteView packed, MutableByteView into, bool in_zlib);
bool unpack_lz4_block(ByteView packed, MutableByteView into);

}  // namespace hotstitch
