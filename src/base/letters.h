// SPDX-License-Identifier: MIT
// Upper and lower case of ASCII letters; other bytes stay as they are.
#pragma once

#include <algorithm>
#include <cctype>
#include <string>
#include <string_view>

namespace hotstitch {

inline std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return out;
}

inline std::string upper(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(),
                   [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
    return out;
}

}  // namespace hotstitch
