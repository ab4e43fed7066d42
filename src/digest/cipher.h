// SPDX-License-Identifier: MIT
// AES-128 in CBC mode, whole blocks of 16 bytes, without padding.
#pragma once

#include <array>

#include "hotstitch/bytes.h"
#include "hotstitch/keys.h"

namespace hotstitch {

inline constexpr std::size_t cipher_block = 16;

/// REQUIRES in.size() to be a multiple of 16, and out.size() the same; they may be the same memory. Throws
/// Error(unsupported) in a build without OpenSSL.
void decrypt_cbc(const Key& key, const Key& iv, ByteView in, MutableByteView out);
void encrypt_cbc(const Key& key, const Key& iv, ByteView in, MutableByteView out);

}  // namespace hotstitch
