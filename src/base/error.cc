// SPDX-License-Identifier: MIT
#include "hotstitch/error.h"

#include "hotstitch/limits.h"

namespace hotstitch {

std::string_view name_of(ErrorCode code) noexcept {
    switch (code) {
        case ErrorCode::usage: return "usage";
        case ErrorCode::io: return "io";
        case ErrorCode::not_this_format: return "not-this-format";
        case ErrorCode::damaged: return "damaged";
        case ErrorCode::truncated: return "truncated";
        case ErrorCode::unsupported: return "unsupported";
        case ErrorCode::limit: return "limit";
        case ErrorCode::wrong_source: return "wrong-source";
        case ErrorCode::wrong_target: return "wrong-target";
        case ErrorCode::cancelled: return "cancelled";
        case ErrorCode::exists: return "exists";
        case ErrorCode::refused: return "refused";
    }
    return "unknown";
}

std::string_view name_of(Phase phase) noexcept {
    switch (phase) {
        case Phase::reading: return "reading";
        case Phase::checking_source: return "checking the source";
        case Phase::comparing: return "comparing";
        case Phase::writing: return "writing";
        case Phase::checking_result: return "checking the result";
        case Phase::flushing: return "flushing to the disk";
        case Phase::indexing: return "reading the source";
    }
    return "working";
}

}  // namespace hotstitch
