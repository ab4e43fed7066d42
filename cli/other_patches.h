// SPDX-License-Identifier: MIT
// Patches at hand that a diagnosis may try: others of the same call, and those beside the patch.
#pragma once

#include <memory>
#include <vector>

#include "commands/commands.h"
#include "hotstitch/diagnose.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

class OtherPatches {
public:
    /// Adds the patches in the folder of `patch`, without itself. Files that are none are passed over.
    void add_beside(const InputFile& patch, const Context& context);
    void add(const InputFile& file, const PatchReader& reader);
    const std::vector<OtherPatch>& list() const noexcept { return list_; }

private:
    struct Opened {
        InputFile file;
        std::unique_ptr<PatchReader> reader;
    };
    std::vector<Opened> opened_;
    std::vector<OtherPatch> list_;
};

}  // namespace hotstitch::cli
