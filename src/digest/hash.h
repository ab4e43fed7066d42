// SPDX-License-Identifier: MIT
// MD5, SHA-1 and SHA-256 behind one face.
#pragma once

#include <memory>

#include "hotstitch/bytes.h"

namespace hotstitch {

enum class HashKind { md5, sha1, sha256 };

class Hash {
public:
    virtual ~Hash() = default;
    virtual void update(ByteView bytes) = 0;
    /// REQUIRES into.size() to be the hash's size.
    virtual void finish(MutableByteView into) = 0;
};

/// Throws Error(unsupported) in a build without a hash library.
std::unique_ptr<Hash> make_hash(HashKind kind);

}  // namespace hotstitch
