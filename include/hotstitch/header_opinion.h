// SPDX-License-Identifier: MIT
// Patches without checks say nothing of the file they were made for, but what they would make of it does.
#pragma once

#include <optional>
#include <string>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_reader.h"
#include "hotstitch/reading.h"

namespace hotstitch {

/// The patch was made for the cartridge image in another dress: without its front header, or with one.
struct HeaderOpinion {
    Reading reading;
    bool sure = false;  ///< internal checks come out right only so
    std::string why;    ///< for people: "the checksum comes out right only so"
};

/// Makes the target in memory both ways and compares what the platform's recogniser says of them, where the patch
/// reaches, and how many of its bytes the file holds already. Nothing, where the file is no cartridge image of up to 64
/// MiB, or where nothing speaks for another reading than the file as it is. Throws what reading the patch throws.
HOTSTITCH_EXPORT std::optional<HeaderOpinion> opinion_on_header(const PatchReader& patch, ByteView file,
                                                                const Limits& limits = {});

}  // namespace hotstitch
