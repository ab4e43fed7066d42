// SPDX-License-Identifier: MIT
#include "exit_code.h"

namespace hotstitch::cli {

ExitCode exit_code_for(ErrorCode code) noexcept {
    switch (code) {
        case ErrorCode::exists:
        case ErrorCode::usage: return ExitCode::wrong_call;
        case ErrorCode::io: return ExitCode::system;
        case ErrorCode::refused:
        case ErrorCode::wrong_source:
        case ErrorCode::wrong_target: return ExitCode::no;
        case ErrorCode::cancelled: return ExitCode::interrupted;
        case ErrorCode::not_this_format:
        case ErrorCode::damaged:
        case ErrorCode::truncated:
        case ErrorCode::unsupported:
        case ErrorCode::limit: break;
    }
    return ExitCode::bad_input;
}

}  // namespace hotstitch::cli
