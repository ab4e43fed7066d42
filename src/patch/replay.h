// SPDX-License-Identifier: MIT
// A patch written anew in another format from its own edits: nothing is matched.
#pragma once

#include "hotstitch/create.h"
#include "hotstitch/patch.h"

namespace hotstitch {

/// `target`: what the edits make of `source`; writers take bytes from it. Otherwise as create().
CreateReport replay(const PatchReader& edits, const ByteSource& source, const ByteSource& target, ByteSink& patch,
                    const CreateOptions& options);

}  // namespace hotstitch
