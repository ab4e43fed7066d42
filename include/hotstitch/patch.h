// SPDX-License-Identifier: MIT
// The patch formats and how to tell them apart.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/edit.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"
#include "hotstitch/window.h"

namespace hotstitch {

enum class PatchFormat { ips, ips32, ups, bps, vcdiff, edits };

/// One row of the format table.
struct FormatTraits {
    PatchFormat id;
    std::string_view name;                         ///< as in --format: "ips"
    std::string_view title;                        ///< for people: "IPS"
    std::string_view extension;                    ///< with its dot: ".ips"
    std::string_view other_name, other_extension;  ///< understood too; empty where there is none
    std::string_view magic;                        ///< the bytes a patch starts with
    bool has_checks;                               ///< carries checksums of source and target
    bool reversible;                               ///< a patch also makes the source of the target
    bool has_metadata;                             ///< has a place for text of the maker's own
    bool by_extension;                             ///< chosen by the extension of the output when no format is named
    bool has_windows;                              ///< makes the target in windows, with checks of their own
    bool moves;                                    ///< copies from anywhere, not only from the same place
    std::string_view record, records;              ///< what its pieces are called: "record", "records"
    /// The format to take where this one, chosen by its extension, cannot reach far enough; itself: none.
    PatchFormat larger;
};

/// All formats, in the order of docs/formats/.
HOTSTITCH_EXPORT std::span<const FormatTraits> patch_formats() noexcept;
HOTSTITCH_EXPORT const FormatTraits& traits_of(PatchFormat format) noexcept;
/// In any case.
HOTSTITCH_EXPORT std::optional<PatchFormat> format_by_name(std::string_view name) noexcept;
/// `extension` with its dot, in any case.
HOTSTITCH_EXPORT std::optional<PatchFormat> format_by_extension(std::string_view extension) noexcept;

/// Tells a patch by its first bytes (512 are enough); never looks at names.
HOTSTITCH_EXPORT std::optional<PatchFormat> recognise_patch(ByteView head) noexcept;

// A patch opened for reading: its facts first, then its edits pushed into a sink.

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
    /// Edit lists: the title; the maps that they name; edits without old values, which check nothing. In records, the
    /// edits.
    std::string title;
    std::vector<std::string> maps;
    std::uint64_t without_old = 0;
    /// Edit lists, bound to a source (for_source): how many old values were looked at, those that the source does not
    /// have, and how many of these are the new ones already.
    std::uint64_t old_values = 0, already_new = 0;
    std::vector<DigestMismatch> differs;
    /// Edits that have no place in the source: a pattern that is not there once, an offset past its end. They are among
    /// `differs`, and no allowance makes them apply.
    std::uint64_t without_place = 0;
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

    /// What the patch comes to for one source, where that hangs on what the source holds: edit lists name patterns,
    /// fields and parts. Null: on nothing but its size. The source has to outlive what is returned, this reader not.
    /// Throws Error(damaged, usage, io).
    virtual std::unique_ptr<PatchReader> for_source(const ByteSource& source) const;

    /// The windows without their edits, in order. Formats without windows have none.
    virtual Flow windows(const std::function<Flow(const Window&)>& use) const;
};

/// A patch as it is for one source: what for_source() made, or the patch itself. Both have to outlive it.
class PatchForSource {
public:
    PatchForSource(const PatchReader& patch, const ByteSource& source)
        : bound_(patch.for_source(source)), patch_(bound_ ? *bound_ : patch) {}
    const PatchReader& operator*() const noexcept { return patch_; }
    const PatchReader* operator->() const noexcept { return &patch_; }

private:
    std::unique_ptr<PatchReader> bound_;
    const PatchReader& patch_;
};

/// Opens a patch by its content. The source or bytes must outlive the reader; a source that cannot be mapped is read
/// into memory, as far as Limits::memory allows. Throws Error(not_this_format) with
/// the likely reason, Error(damaged, truncated, limit) with the offset.
HOTSTITCH_EXPORT std::unique_ptr<PatchReader> open_patch(const ByteSource& patch, const Limits& limits = {});
HOTSTITCH_EXPORT std::unique_ptr<PatchReader> open_patch(ByteView patch, const Limits& limits = {});

// Writes edits down as a patch.

class HOTSTITCH_EXPORT PatchWriter : public EditSink {
public:
    /// After the last edit: writes what is left. REQUIRES that the edits made the whole target.
    virtual void finish() = 0;
};

/// How a VCDIFF patch is written. With `lzma` and `window_checks` off, any strict reader of RFC 3284 takes it.
struct VcdiffOptions {
    /// Bytes of target in one window, at least 4 KiB, at most 16 MiB. Readers hold one window in memory.
    std::uint64_t window = std::uint64_t{8} << 20;
    /// Compress sections by LZMA where that makes the patch smaller.
    bool lzma = true;
    /// An Adler-32 with each window: the only check the format knows.
    bool window_checks = true;
};

struct WriterOptions {
    /// BPS: kept in the patch as it is, by convention UTF-8 text. VCDIFF: the application header. IPS and UPS have no
    /// place for it.
    ByteView metadata{};
    VcdiffOptions vcdiff{};
    /// Called several times a second while a step takes long; throws to stop it.
    std::function<void()> tick{};
};

/// A writer for the edits that make `target` from `source`. Both must outlive the writer; they are at hand
/// because a format may store more than the edits say (IPS merges short gaps, UPS stores differences).
/// Throws Error(usage), by name, when the format cannot hold the change or the options, and which one can.
HOTSTITCH_EXPORT std::unique_ptr<PatchWriter> make_patch_writer(PatchFormat format, ByteView source, ByteView target,
                                                                ByteSink& patch, const WriterOptions& options = {});

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// "BPS, 41 records"
HOTSTITCH_EXPORT std::string words_for(const PatchFacts& patch);

}  // namespace hotstitch
