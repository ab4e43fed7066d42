// SPDX-License-Identifier: MIT
#pragma once

namespace hotstitch {

/// What edits cost in a patch, as far as the matcher has to know: the rows of the format table name one of these.
enum class CostModel { bps, vcdiff, vcdiff_lzma };

}  // namespace hotstitch
