// SPDX-License-Identifier: MIT
// One byte of the pattern is looked for by the system's own search, and the rest compared where it stands.
// Tested by tests/field/map_test.cc.
#include "source/pattern.h"

#include <algorithm>
#include <cstring>

#include "base/hex.h"

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
    const std::string digits = without_spaces(text);
    if (digits.empty() || digits.size() % 2 != 0 || digits.size() / 2 > longest_pattern) return std::nullopt;
    Pattern pattern;
    for (std::size_t i = 0; i < digits.size(); i += 2) {
        if (digits[i] == '?' && digits[i + 1] == '?') {
            pattern.emplace_back();
            continue;
        }
        const auto byte = byte_from_hex(std::string_view(digits).substr(i));
        if (!byte) return std::nullopt;
        pattern.emplace_back(*byte);
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

namespace {

/// Adds the places in these bytes, the first of which stands at `begin`, that lie wholly in them.
void add_places(const Pattern& pattern, std::size_t skip, ByteView bytes, std::uint64_t begin, std::size_t most,
                std::vector<std::uint64_t>& places) {
    if (bytes.size() < pattern.size()) return;
    const int wanted = std::to_integer<int>(*pattern[skip]);
    const std::size_t last = bytes.size() - pattern.size() + skip;  // where the byte may stand at most
    for (std::size_t at = skip; at <= last && places.size() < most; ++at) {
        const void* const found = std::memchr(bytes.data() + at, wanted, last + 1 - at);
        if (found == nullptr) return;
        at = static_cast<std::size_t>(static_cast<const std::byte*>(found) - bytes.data());
        if (matches(pattern, bytes.subspan(at - skip))) places.push_back(begin + at - skip);
    }
}

}  // namespace

std::vector<std::vector<std::uint64_t>> places_of(const std::vector<Pattern>& patterns, const ByteSource& source,
                                                  std::size_t most) {
    constexpr std::size_t chunk = std::size_t{1} << 20;
    std::vector<std::vector<std::uint64_t>> places(patterns.size());
    std::vector<std::size_t> telling;
    for (const Pattern& pattern : patterns) telling.push_back(telling_byte(pattern));
    Bytes scratch(source.whole() || patterns.empty() ? 0 : chunk + longest_pattern);
    for (std::uint64_t begin = 0; begin < source.size() && !patterns.empty(); begin += chunk) {
        // Neighbouring chunks share as many bytes as a pattern may lie across.
        const auto length =
            static_cast<std::size_t>(std::min<std::uint64_t>(chunk + longest_pattern - 1, source.size() - begin));
        const ByteView bytes = source.read(begin, length, scratch);
        for (std::size_t i = 0; i < patterns.size(); ++i) {
            const std::size_t own = std::min(length, chunk + patterns[i].size() - 1);
            add_places(patterns[i], telling[i], bytes.first(own), begin, most, places[i]);
        }
    }
    return places;
}

std::vector<std::uint64_t> places_of(const Pattern& pattern, const ByteSource& source, std::size_t most) {
    return places_of(std::vector<Pattern>(1, pattern), source, most).front();
}

}  // namespace hotstitch
