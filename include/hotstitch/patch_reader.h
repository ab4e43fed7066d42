// SPDX-License-Identifier: MIT
// A patch opened for reading: its facts first, then its edits pushed into a sink.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/edit.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_format.h"
#include "hotstitch/window.h"

namespace hotstitch {

/// What a patch says of itself. Numbers a format does not carry stay empty.
struct PatchFacts {
    PatchFormat format{};
    std::uint64_t patch_size = 0;
    Digests source;  ///< what the source has to be
    Digests target;  ///< what comes out
    /// IPS: where the last record ends, and the length the target is cut to.
    std::uint64_t reach = 0;
    std::optional<std::uint64_t> cut;
    std::uint64_t records = 0;
    /// IPS: records out of order, or written over each other.
    bool overlapping = false;
    /// VCDIFF: its windows, how many carry a check of the target bytes they make, and the longest in target bytes.
    std::uint64_t windows = 0, checked_windows = 0, largest_window = 0;
    /// VCDIFF: the least size of a source that has every byte the patch may read; 0: it reads none.
    std::uint64_t source_reach = 0;
    /// VCDIFF: how sections are compressed ("LZMA", "Huffman"), empty when none is.
    std::string_view compressor;
    /// VCDIFF: has instructions of its own; copies from the target before the window.
    bool own_code_table = false, reads_target = false;
    /// VCDIFF: file names from an application header of the usual form, without folders, and whether it says that the
    /// source was unpacked by an outside program first. Unchecked.
    std::string named_target, named_source;
    bool source_was_packed = false;
    /// Unchecked text from the file, at most Limits::metadata bytes of metadata_size.
    std::string metadata;
    std::uint64_t metadata_size = 0;
};

class HOTSTITCH_EXPORT PatchReader {
public:
    virtual ~PatchReader();
    virtual const PatchFacts& facts() const noexcept = 0;

    /// The target's size for a source of this size, in bytes.
    virtual std::uint64_t target_size(std::uint64_t source_size) const noexcept = 0;

    /// Pushes the edits that make the whole target from a source of this size. Returns stop when the
    /// sink stopped it. Throws Error(damaged, truncated, limit).
    virtual Flow read(std::uint64_t source_size, EditSink& sink) const = 0;

    /// The windows without their edits, in order. Formats without windows have none.
    virtual Flow windows(const std::function<Flow(const Window&)>& use) const;
};

/// Opens a patch by its content. The bytes must outlive the reader. Throws Error(not_this_format) with
/// the likely reason, Error(damaged, truncated, limit) with the offset.
HOTSTITCH_EXPORT std::unique_ptr<PatchReader> open_patch(ByteView patch, const Limits& limits = {});

}  // namespace hotstitch
