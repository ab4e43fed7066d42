// SPDX-License-Identifier: MIT
// The longest stretch of certain bytes is looked for by the system's own search, and the rest compared where it stands.
// Tested by tests/map_test.cc.
#include "source/pattern.h"

#include <algorithm>
#include <cctype>
#include <cstring>

namespace hotstitch {
namespace {

/// Where the longest stretch of certain bytes begins, and those bytes.
std::pair<std::size_t, Bytes> anchor_of(const Pattern& pattern) {
    std::size_t best = 0, length = 0;
    for (std::size_t at = 0; at < pattern.size();) {
        std::size_t end = at;
        while (end < pattern.size() && pattern[end]) ++end;
        if (end - at > length) best = at, length = end - at;
        at = end + 1;
    }
    Bytes bytes;
    for (std::size_t i = 0; i < length; ++i) bytes.push_back(*pattern[best + i]);
    return {best, bytes};
}

/// In a time that goes with the text's length, whatever both hold.
std::size_t find(std::string_view text, std::string_view wanted, std::size_t from) {
    if (from > text.size()) return std::string_view::npos;
#if defined(__linux__)
    const void* const found = memmem(text.data() + from, text.size() - from, wanted.data(), wanted.size());
    return found == nullptr ? std::string_view::npos
                            : static_cast<std::size_t>(static_cast<const char*>(found) - text.data());
#else
    return text.find(wanted, from);
#endif
}

}  // namespace

std::optional<Pattern> pattern_from(std::string_view text) {
    std::string digits;
    for (const char c : text)
        if (std::isspace(static_cast<unsigned char>(c)) == 0) digits += c;
    if (digits.empty() || digits.size() % 2 != 0 || digits.size() / 2 > longest_pattern) return std::nullopt;
    Pattern pattern;
    for (std::size_t i = 0; i < digits.size(); i += 2) {
        if (digits[i] == '?' && digits[i + 1] == '?') {
            pattern.emplace_back();
            continue;
        }
        if (std::isxdigit(static_cast<unsigned char>(digits[i])) == 0 ||
            std::isxdigit(static_cast<unsigned char>(digits[i + 1])) == 0)
            return std::nullopt;
        pattern.emplace_back(static_cast<std::byte>(std::stoul(digits.substr(i, 2), nullptr, 16)));
    }
    if (std::none_of(pattern.begin(), pattern.end(), [](const auto& byte) { return byte.has_value(); }))
        return std::nullopt;
    return pattern;
}

bool matches(const Pattern& pattern, ByteView bytes) noexcept {
    for (std::size_t i = 0; i < pattern.size(); ++i)
        if (pattern[i] && *pattern[i] != bytes[i]) return false;
    return true;
}

std::vector<std::uint64_t> places_of(const Pattern& pattern, const ByteSource& source, std::size_t most) {
    constexpr std::size_t chunk = std::size_t{1} << 20;
    const auto [skip, anchor] = anchor_of(pattern);
    const std::string_view wanted = text_of(anchor);
    std::vector<std::uint64_t> places;
    Bytes scratch(source.whole() ? 0 : chunk + pattern.size());
    // Neighbouring chunks share as many bytes as a pattern may lie across.
    for (std::uint64_t begin = 0; begin + pattern.size() <= source.size(); begin += chunk) {
        const auto length =
            static_cast<std::size_t>(std::min<std::uint64_t>(chunk + pattern.size() - 1, source.size() - begin));
        const ByteView bytes = source.read(begin, length, scratch);
        const std::string_view text = text_of(bytes);
        for (std::size_t at = find(text, wanted, skip); at != std::string_view::npos; at = find(text, wanted, at + 1)) {
            const std::size_t first = at - skip;
            if (first + pattern.size() > length) break;
            if (!matches(pattern, bytes.subspan(first))) continue;
            places.push_back(begin + first);
            if (places.size() == most) return places;
        }
    }
    return places;
}

}  // namespace hotstitch
