// SPDX-License-Identifier: MIT
// A chart on a terminal.
#pragma once

#include <string>

#include "hotstitch/chart.h"

namespace hotstitch::cli {

/// The whole file as one strip, and a row a region that is changed; `width`: columns, at least 60.
std::string text_of_chart(const Chart& chart, std::size_t width, bool colour);

/// Places as bytes, 16 around, old over new, what differs set apart in brackets where there is no colour.
std::string text_of_places(const Chart& chart, const ByteSource& source, const ByteSource& target, bool colour);

}  // namespace hotstitch::cli
