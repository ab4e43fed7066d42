// SPDX-License-Identifier: MIT
// The matcher for formats that know a byte only by its place: what stands at the same offset in both files
// is copied, everything else is literal.
#pragma once

#include "bytes/meter.h"
#include "hotstitch/edit.h"

namespace hotstitch {

/// Tells the edits that make `target`; advances `meter` by its bytes. Literals are views of `target`.
Flow match_in_place(ByteView source, ByteView target, EditSink& sink, Meter& meter);

}  // namespace hotstitch
