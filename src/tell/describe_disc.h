// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/tell.h"

namespace hotstitch::tell {

/// What a disc image is, and how much of it is right. `name`: as it was named. Throws Error(io, cancelled).
void describe_disc(const InputFile& file, const Identity& identity, const std::string& name, const WorkOptions& context,
                   Report& part);

}  // namespace hotstitch::tell
