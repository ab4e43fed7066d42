// SPDX-License-Identifier: MIT
// Sums go on from piece to piece, so no stretch has to fit into memory. Tested by tests/field/fields_test.cc.
#include "field/map_check.h"

#include <fmt/format.h>

#include <algorithm>

#include "digest/sums.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "source/stretch.h"

namespace hotstitch {
namespace {

struct Running {
    std::uint64_t sum = 0;
    Crc32 crc32{};
    Adler32 adler32{};
    std::uint16_t crc16 = 0xFFFF;

    void take(MapCheck::Sum kind, ByteView bytes) {
        switch (kind) {
            case MapCheck::Sum::bytes: sum += sum_of_bytes(bytes); break;
            case MapCheck::Sum::words_le: sum += sum_of_little_words(bytes); break;
            case MapCheck::Sum::words_be: sum += sum_of_words(bytes); break;
            case MapCheck::Sum::xor_bytes:
                for (const std::byte b : bytes) sum ^= std::to_integer<std::uint64_t>(b);
                break;
            case MapCheck::Sum::crc32: crc32 = hotstitch::crc32(bytes, crc32); break;
            case MapCheck::Sum::adler32: adler32 = hotstitch::adler32(bytes, adler32); break;
            case MapCheck::Sum::crc16: crc16 = hotstitch::crc16(bytes, crc16); break;
            case MapCheck::Sum::crc16_ccitt: crc16 = hotstitch::crc16_ccitt(bytes, crc16); break;
        }
    }
    std::uint64_t value(MapCheck::Sum kind) const {
        switch (kind) {
            case MapCheck::Sum::crc32: return crc32.value;
            case MapCheck::Sum::adler32: return adler32.value;
            case MapCheck::Sum::crc16:
            case MapCheck::Sum::crc16_ccitt: return crc16;
            default: return sum;
        }
    }
};

/// A few sums over all of a file are one thing, hundreds another.
void refuse_much(const FieldMap& map, std::uint64_t size) {
    const std::uint64_t most = std::max(std::uint64_t{1} << 30, 16 * std::min(size, std::uint64_t{1} << 40));
    std::uint64_t all = 0;
    for (const MapCheck& check : map.checks)
        for (const auto& [begin, end] : check.over) {
            all += std::min(end, size) - std::min(begin, std::min(end, size));
            if (all > most)
                throw Error(ErrorCode::limit, "the checks of a map are over more bytes than are looked at")
                    .in(fmt::format("{}, line {}", map.name, check.line))
                    .wanted(fmt::format("at most {} in all", counted(most, "byte", "bytes")));
        }
}

}  // namespace

std::uint64_t computed(const FieldMap& map, const MapCheck& check, const ByteSource& file) {
    constexpr std::uint64_t piece = 1 << 20;  // even, so that words stay whole
    Running running;
    Bytes scratch(static_cast<std::size_t>(std::min(piece, file.size())));
    for (const auto& [begin, end] : check.over) {
        if (end > file.size())
            throw map_error(map, check.line, "this check is over bytes outside of the file")
                .wanted(fmt::format("up to {}", offset_text(file.size())))
                .found(offset_text(end));
        for (std::uint64_t at = begin; at < end; at += piece)
            running.take(check.sum, file.read(at, static_cast<std::size_t>(std::min(piece, end - at)), scratch));
    }
    return running.value(check.sum) & check.number.type->most().magnitude;
}

std::uint64_t stored(const FieldMap& map, const MapCheck& check, const ByteSource& file) {
    if (check.number.at > file.size() || check.number.type->size > file.size() - check.number.at)
        throw map_error(map, check.line, "this check lies outside of the file").found(offset_text(check.number.at));
    return raw_number(stretch_of(file, check.number.at, check.number.type->size), check.number.type->size,
                      check.number.order);
}

ChangeList keeping_map_checks(const FieldMap& map, const ByteSource& file, ChangeList change,
                              std::vector<std::string>& mended, std::vector<std::string>& warnings) {
    if (change.empty()) return change;
    refuse_much(map, file.size());
    for (const MapCheck& check : map.checks) {
        const ChangedSource made(file, change);
        const std::uint64_t now = computed(map, check, made);
        if (now == stored(map, check, made)) continue;
        if (computed(map, check, file) != stored(map, check, file)) {
            warnings.push_back(fmt::format("the {} was wrong before, and stays as it is", name_of(check)));
            continue;
        }
        Bytes bytes(check.number.type->size);
        put_raw_number(bytes, bytes.size(), check.number.order, now);
        ChangeList of_check(made.size());
        of_check.put(check.number.at, check.number.type->size, std::move(bytes));
        change = change.then(of_check);
        mended.push_back(name_of(check));
    }
    return change;
}

std::string name_of(const MapCheck& check) {
    constexpr std::string_view names[] = {"sum of bytes", "sum of words", "sum of words", "xor of bytes",
                                          "crc32",        "crc16",        "crc16",        "adler32"};
    return fmt::format("{} at {}", names[static_cast<std::size_t>(check.sum)], offset_text(check.number.at));
}

}  // namespace hotstitch
