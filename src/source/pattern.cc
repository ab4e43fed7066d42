// SPDX-License-Identifier: MIT
// One byte of the pattern is looked for by the system's own search, and the rest compared where it stands.
// Tested by tests/map_test.cc.
#include "source/pattern.h"

#include <algorithm>
#include <cctype>
#include <cstring>

namespace hotstitch {
namespace {

/// The byte of the pattern by which to look for it: a certain one, and none that fills files.
std::size_t telling_byte(const Pattern& pattern) {
    std::size_t best = pattern.size();
    for (std::size_t i = 0; i < pattern.size(); ++i) {
        if (!pattern[i]) continue;
        const bool fills =
            *pattern[i] == std::byte{0} || *pattern[i] == std::byte{0xFF} || *pattern[i] == std::byte{' '};
        if (!fills) return i;
        if (best == pattern.size()) best = i;
    }
    return best;
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
    const std::size_t skip = telling_byte(pattern);
    const int wanted = std::to_integer<int>(*pattern[skip]);
    std::vector<std::uint64_t> places;
    Bytes scratch(source.whole() ? 0 : chunk + pattern.size());
    // Neighbouring chunks share as many bytes as a pattern may lie across.
    for (std::uint64_t begin = 0; begin + pattern.size() <= source.size(); begin += chunk) {
        const auto length =
            static_cast<std::size_t>(std::min<std::uint64_t>(chunk + pattern.size() - 1, source.size() - begin));
        const ByteView bytes = source.read(begin, length, scratch);
        const std::size_t last = length - pattern.size() + skip;  // where the byte may stand at most
        for (std::size_t at = skip; at <= last; ++at) {
            const void* const found = std::memchr(bytes.data() + at, wanted, last + 1 - at);
            if (found == nullptr) break;
            at = static_cast<std::size_t>(static_cast<const std::byte*>(found) - bytes.data());
            if (!matches(pattern, bytes.subspan(at - skip))) continue;
            places.push_back(begin + at - skip);
            if (places.size() == most) return places;
        }
    }
    return places;
}

}  // namespace hotstitch
