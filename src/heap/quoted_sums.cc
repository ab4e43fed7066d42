// SPDX-License-Identifier: MIT
// A text is cut into words of letters and digits; those that could be a checksum are kept. Tested by
// tests/heap/heap_test.cc.
#include "heap/quoted_sums.h"

#include <fmt/format.h>

#include <cctype>

namespace hotstitch {

void QuotedSums::add(std::string_view text, const std::string& where) {
    std::string word;
    for (std::size_t i = 0; i <= text.size(); ++i) {
        const char c = i < text.size() ? text[i] : ' ';
        if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
            word += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
            continue;
        }
        const std::size_t length = word.size();
        const bool is_sum = (length == 8 || length == 32 || length == 40 || length == 64) &&
                            word.find_first_not_of("0123456789abcdef") == std::string::npos;
        if (is_sum) where_.emplace(word, where);
        word.clear();
    }
}

Digests QuotedSums::among(const Digests& of_file, std::string& by) const {
    Digests quoted;
    const auto look = [&](const auto& sum, auto& out, std::string_view name) {
        if (!sum) return;
        const auto found = where_.find(sum->hex());
        if (found == where_.end()) return;
        out = sum;
        if (by.empty()) by = fmt::format("{} quotes the game's {} {}", found->second, name, found->first);
    };
    look(of_file.crc32, quoted.crc32, "crc32");
    look(of_file.md5, quoted.md5, "md5");
    look(of_file.sha1, quoted.sha1, "sha1");
    look(of_file.sha256, quoted.sha256, "sha256");
    return quoted;
}

}  // namespace hotstitch
