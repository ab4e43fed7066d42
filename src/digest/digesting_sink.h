// SPDX-License-Identifier: MIT
// Computes checksums of what passes through to another sink, so that it is not read once more for them.
#pragma once

#include "hotstitch/digest.h"
#include "hotstitch/source.h"

namespace hotstitch {

class DigestingSink final : public ByteSink {
public:
    DigestingSink(ByteSink& below, DigestChoice choice) : below_(below), digester_(choice) {}
    void reserve(std::uint64_t size) override { below_.reserve(size); }
    void write(ByteView bytes) override {
        digester_.update(bytes);
        below_.write(bytes);
    }
    void read_back(std::uint64_t offset, MutableByteView into) const override { below_.read_back(offset, into); }
    Digests finish() { return digester_.finish(); }

private:
    ByteSink& below_;
    Digester digester_;
};

}  // namespace hotstitch
