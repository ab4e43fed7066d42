// SPDX-License-Identifier: MIT
#include "hotstitch/edit.h"

namespace hotstitch {

EditSink::~EditSink() = default;

}  // namespace hotstitch
