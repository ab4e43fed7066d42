// SPDX-License-Identifier: MIT
#include "hotstitch/edit.h"

namespace hotstitch {

EditSink::~EditSink() = default;

Flow EditSink::begin(const Window&) {
    return Flow::go_on;
}

Flow EditSink::end(const Window&) {
    return Flow::go_on;
}

}  // namespace hotstitch
