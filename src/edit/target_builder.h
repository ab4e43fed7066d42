// SPDX-License-Identifier: MIT
// The sink that carries edits out: takes bytes from the source, the target so far and the edits themselves,
// and writes the target in order. Memory: one buffer, whatever the file's size.
#pragma once

#include "bytes/meter.h"
#include "hotstitch/edit.h"
#include "hotstitch/stream.h"

namespace hotstitch {

class TargetBuilder final : public EditSink {
public:
    /// Keeps references. `target_size` is the exact size promised; more is an error.
    TargetBuilder(const ByteSource& source, ByteSink& target, std::uint64_t target_size, const Progress& progress,
                  Phase phase);

    /// Throws Error(damaged) for an edit that reads outside the source or the target so far, or makes more
    /// than was promised; Error(io), Error(cancelled).
    Flow put(const Edit& edit) override;

    /// Writes what is still buffered. Throws Error(damaged) when less was made than promised.
    void finish();

private:
    void copy_source(std::uint64_t offset, std::uint64_t length);
    void copy_target(std::uint64_t offset, std::uint64_t length);
    void run(std::byte value, std::uint64_t length);
    void xor_source(std::uint64_t offset, ByteView bytes);
    void append(ByteView bytes);
    MutableByteView room(std::uint64_t at_most);
    void flush();
    /// `source` from `offset`, padded with 00 past its end, into the buffer's room.
    void read_padded(std::uint64_t offset, MutableByteView into) const;

    const ByteSource& source_;
    ByteSink& target_;
    std::uint64_t size_;         ///< promised
    std::uint64_t made_ = 0;     ///< edits taken so far
    std::uint64_t flushed_ = 0;  ///< handed to the sink
    Bytes buffer_;
    std::size_t fill_ = 0;
    Meter meter_;
};

}  // namespace hotstitch
