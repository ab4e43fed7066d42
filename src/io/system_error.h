// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <cerrno>
#include <filesystem>
#include <system_error>

#include "hotstitch/error.h"

namespace hotstitch {

/// "cannot open X: No such file or directory", from errno.
inline Error system_error(std::string_view doing, const std::filesystem::path& path, int code = errno) {
    return {ErrorCode::io,
            fmt::format("cannot {} {}: {}", doing, path.string(), std::generic_category().message(code))};
}

}  // namespace hotstitch
