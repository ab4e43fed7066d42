// SPDX-License-Identifier: MIT
#include "hotstitch/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>

#include "hotstitch/error.h"

namespace hotstitch {

std::string grouped(std::uint64_t number) {
    std::string digits = std::to_string(number);
    for (std::size_t at = digits.size(); at > 3; at -= 3) digits.insert(at - 3, 1, ',');
    return digits;
}

std::string bytes_text(ByteView bytes, std::size_t most) {
    std::string text;
    for (const std::byte b : bytes.first(std::min(bytes.size(), most)))
        text += fmt::format("{}{:02x}", text.empty() ? "" : " ", std::to_integer<unsigned>(b));
    return bytes.empty() ? "nothing" : bytes.size() > most ? text + " …" : text;
}

std::string short_size(double bytes) {
    constexpr std::string_view units[] = {"bytes", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"};
    std::size_t unit = 0;
    while (bytes >= 1024 && unit + 1 < std::size(units)) bytes /= 1024, ++unit;
    return unit == 0 ? fmt::format("{:.0f} {}", bytes, units[0]) : fmt::format("{:.2f} {}", bytes, units[unit]);
}

std::string size_text(std::uint64_t bytes) {
    const std::string exact = counted(bytes, "byte", "bytes");
    return bytes < 1024 ? exact : fmt::format("{} ({})", exact, short_size(static_cast<double>(bytes)));
}

std::string share_text(std::uint64_t part, std::uint64_t whole) {
    if (part == 0 || whole == 0) return "0 %";
    const double share = 100.0 * static_cast<double>(part) / static_cast<double>(whole);
    return share >= 10 ? fmt::format("{:.0f} %", share) : fmt::format("{:.2g} %", share);
}

std::string offset_text(std::uint64_t offset) {
    return fmt::format("0x{:06x}", offset);
}

std::string counted(std::uint64_t number, std::string_view singular, std::string_view plural) {
    return fmt::format("{} {}", grouped(number), number == 1 ? singular : plural);
}

std::uint64_t parse_size(std::string_view text) {
    constexpr std::string_view letters = "KMGT";
    double number = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
    std::string_view unit = text.substr(static_cast<std::size_t>(end - text.data()));
    double scale = 1;
    if (!unit.empty()) {
        const std::size_t power =
            letters.find(static_cast<char>(std::toupper(static_cast<unsigned char>(unit.front()))));
        if (power != std::string_view::npos) {
            for (std::size_t i = 0; i <= power; ++i) scale *= 1024;
            unit.remove_prefix(1);
            if (unit == "iB" || unit == "ib") unit = "B";
        }
        if (unit == "B" || unit == "b") unit = {};
    }
    const double bytes = number * scale;
    if (error != std::errc{} || !unit.empty() || !(bytes >= 1) || bytes > 1e18)
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no size", text))
            .wanted("a number of bytes, or 64M, 2G, …");
    return static_cast<std::uint64_t>(bytes);
}

}  // namespace hotstitch
