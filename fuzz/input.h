// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

/// Takes numbers and pieces off the input; what is missing is 0 or empty.
class Input {
public:
    explicit Input(std::string_view bytes) : bytes_(bytes) {}
    unsigned byte() {
        if (bytes_.empty()) return 0;
        const auto value = static_cast<unsigned char>(bytes_.front());
        bytes_.remove_prefix(1);
        return value;
    }
    std::string piece(std::size_t length) {
        const std::string_view taken = bytes_.substr(0, length);
        bytes_.remove_prefix(taken.size());
        return std::string(taken);
    }
    bool empty() const { return bytes_.empty(); }
    std::string rest() { return piece(bytes_.size()); }

private:
    std::string_view bytes_;
};
