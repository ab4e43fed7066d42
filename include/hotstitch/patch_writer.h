// SPDX-License-Identifier: MIT
// Writes edits down as a patch.
#pragma once

#include <functional>
#include <memory>

#include "hotstitch/bytes.h"
#include "hotstitch/edit.h"
#include "hotstitch/export.h"
#include "hotstitch/patch_format.h"
#include "hotstitch/stream.h"

namespace hotstitch {

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

}  // namespace hotstitch
