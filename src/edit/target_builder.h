// SPDX-License-Identifier: MIT
// The sink that carries edits out: takes bytes from the source, the target so far and the edits themselves,
// and writes the target in order. Memory: one buffer, whatever the file's size; where the format has windows, one
// window.
#pragma once

#include "base/meter.h"
#include "hotstitch/edit.h"
#include "hotstitch/source.h"
#include "hotstitch/window.h"

namespace hotstitch {

/// A window that is not what its check wants: a wrong source or, where it owes nothing to the source, damage.
Error wrong_window(const Window& window, Adler32 found);

class TargetBuilder final : public WindowSink {
public:
    /// Keeps references. `target_size` is the exact size promised; more is an error.
    TargetBuilder(const ByteSource& source, ByteSink& target, std::uint64_t target_size, const Progress& progress,
                  Phase phase);

    /// Throws Error(damaged) for an edit that reads outside the source or the target so far, or makes more
    /// than was promised; Error(io), Error(cancelled).
    Flow put(const Edit& edit) override;

    /// Keeps the window in memory; at its end compares it with its check. Throws Error(wrong_source) when it is wrong
    /// and the patch has read the source by then, else Error(damaged).
    Flow begin(const Window& window) override;
    Flow end(const Window& window) override;

    /// Goes on after wrong windows; `results` tells of them.
    void tolerate_wrong_windows() noexcept { tolerant_ = true; }
    const WindowResults& window_results() const noexcept { return results_; }

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
    void forget();
    void skip(std::uint64_t bytes);
    void grow(std::uint64_t least);
    void pass_through(std::uint64_t offset, std::uint64_t length);
    void fill_holes(std::size_t begin, std::size_t length);
    void update_adler();
    /// `source` from `offset`, padded with 00 past its end, into the buffer's room.
    void read_padded(std::uint64_t offset, MutableByteView into) const;

    const ByteSource& source_;
    ByteSink& target_;
    std::uint64_t size_;      ///< promised
    std::uint64_t made_ = 0;  ///< edits taken so far
    /// buffer_[0] is the target's byte base_; up to handed_over_ the buffer is with the sink already, and kept only
    /// for copies from a window.
    std::uint64_t base_ = 0;
    Bytes buffer_;
    std::size_t fill_ = 0, handed_over_ = 0;
    /// A stretch of the buffer that was written straight from the source: only copied here when a copy asks for it.
    struct Hole {
        std::size_t begin, length;
        std::uint64_t source;
    };
    std::vector<Hole> holes_;
    bool in_window_ = false, checked_window_ = false, tolerant_ = false;
    std::uint64_t window_begin_ = 0, window_length_ = 0;
    Adler32 adler_{};  ///< of the window's bytes up to adlered_
    std::size_t adlered_ = 0;
    WindowResults results_;
    Meter meter_;
};

}  // namespace hotstitch
