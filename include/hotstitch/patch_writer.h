// SPDX-License-Identifier: MIT
// Writes edits down as a patch.
#pragma once

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

/// A writer for the target of which the edits will be told. The target, which must outlive the writer,
/// is at hand because a format may store more than the edits say (IPS merges short gaps).
/// Throws Error(usage), by name, when the format cannot hold the change, and which one can.
HOTSTITCH_EXPORT std::unique_ptr<PatchWriter> make_patch_writer(PatchFormat format, std::uint64_t source_size,
                                                                ByteView target, ByteSink& patch);

}  // namespace hotstitch
