// SPDX-License-Identifier: MIT
#include "lib/reference.h"

#include <cstdint>
#include <nlohmann/json.hpp>
#include <stdexcept>

namespace reference {
namespace {

using hotstitch::Bytes, hotstitch::ByteView;

std::uint64_t number(ByteView bytes) {
    std::uint64_t value = 0;
    for (const std::byte b : bytes) value = value * 256 + std::to_integer<std::uint64_t>(b);
    return value;
}

bool is_json_object(ByteView bytes) {
    const std::string text(hotstitch::text_of(bytes));
    return !text.empty() && text[0] == '{' && text.find('\0') == std::string::npos && nlohmann::json::accept(text);
}

/// The cut length of a tail (-1: none), or nothing when it is no tail.
std::optional<std::int64_t> cut_of(ByteView tail, bool wide) {
    if (tail.empty()) return -1;
    if (wide && tail.size() == 4) return number(tail);
    if (tail.size() == 3) return number(tail);
    if (is_json_object(tail)) return -1;
    if (wide && tail.size() > 4 && is_json_object(tail.subspan(4))) return number(tail.first(4));
    if (tail.size() > 3 && is_json_object(tail.subspan(3))) return number(tail.first(3));
    return std::nullopt;
}

}  // namespace

std::optional<Bytes> apply_ips(ByteView patch, ByteView source, std::uint64_t most) {
    const std::string_view text = hotstitch::text_of(patch);
    const bool wide = text.starts_with("IPS32");
    if (!wide && !text.starts_with("PATCH")) return std::nullopt;
    const std::string_view end = wide ? "EEOF" : "EOF";
    Bytes target(source.begin(), source.end());
    std::size_t size_made = source.size();
    for (std::size_t at = 5;;) {
        if (text.substr(at).starts_with(end)) {
            if (const auto cut = cut_of(patch.subspan(at + end.size()), wide)) {
                if (*cut >= 0) size_made = std::min(size_made, static_cast<std::size_t>(*cut));
                if (size_made > most) throw std::length_error("too large");
                target.resize(size_made);
                return target;
            }
        }
        const std::size_t header = end.size() + 2;
        if (patch.size() - at < header) return std::nullopt;
        const std::size_t offset = number(patch.subspan(at, end.size()));
        std::size_t size = number(patch.subspan(at + end.size(), 2));
        at += header;
        const bool run = size == 0;
        if (run) {
            if (patch.size() - at < 3) return std::nullopt;
            size = number(patch.subspan(at, 2));
            if (size == 0) return std::nullopt;
            at += 2;
        } else if (patch.size() - at < size) {
            return std::nullopt;
        }
        size_made = std::max(size_made, offset + size);
        target.resize(std::max<std::size_t>(target.size(), std::min<std::uint64_t>(offset + size, most)));
        for (std::size_t i = 0; i < size && offset + i < target.size(); ++i)
            target[offset + i] = patch[run ? at : at + i];
        at += run ? 1 : size;
    }
}

}  // namespace reference
