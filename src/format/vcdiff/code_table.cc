// SPDX-License-Identifier: MIT
#include "format/vcdiff/code_table.h"

#include <algorithm>

#include "edit/target_builder.h"
#include "format/vcdiff/vcdiff_reader.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

constexpr CodeTable make_default() {
    CodeTable table;
    std::size_t at = 0;
    const auto put = [&](Half first, Half second = {}) { table.entries[at++] = {first, second}; };
    const auto number = [](int n) { return static_cast<std::uint8_t>(n); };
    put({Type::run, 0, 0});
    for (int size = 0; size <= 17; ++size) put({Type::add, number(size), 0});
    for (int mode = 0; mode <= 8; ++mode) {
        put({Type::copy, 0, number(mode)});
        for (int size = 4; size <= 18; ++size) put({Type::copy, number(size), number(mode)});
    }
    for (int mode = 0; mode <= 8; ++mode)
        for (int add = 1; add <= 4; ++add)
            for (int copy = 4; copy <= (mode <= 5 ? 6 : 4); ++copy)
                put({Type::add, number(add), 0}, {Type::copy, number(copy), number(mode)});
    for (int mode = 0; mode <= 8; ++mode) put({Type::copy, 4, number(mode)}, {Type::add, 1, 0});
    return table;
}

constexpr CodeTable default_table = make_default();

}  // namespace

const CodeTable& default_code_table() noexcept {
    return default_table;
}

std::array<std::byte, code_table_size> to_bytes(const CodeTable& table) noexcept {
    std::array<std::byte, code_table_size> bytes{};
    for (std::size_t i = 0; i < 256; ++i)
        for (std::size_t half = 0; half < 2; ++half) {
            const Half& h = table.entries[i][half];
            bytes[half * 256 + i] = static_cast<std::byte>(h.type);
            bytes[512 + half * 256 + i] = static_cast<std::byte>(h.size);
            bytes[1024 + half * 256 + i] = static_cast<std::byte>(h.mode);
        }
    return bytes;
}

CodeTable read_code_table(ByteView bytes, std::uint64_t at) {
    Cursor cursor(bytes, 0);
    CodeTable table;
    const auto size = [&](std::string_view field) { return std::to_integer<std::size_t>(cursor.take(1, field)[0]); };
    MemorySink made;
    try {
        table.near = size("code table's near size");
        table.same = size("code table's same size");
        Limits limits;
        limits.window = code_table_size;
        at += cursor.position();
        const Reader reader(cursor.rest(), limits, Reader::Nested::yes);
        const auto source = to_bytes(default_table);
        if (reader.facts().target.size != code_table_size)
            throw Error(ErrorCode::damaged,
                        fmt::format("it makes {}", counted(*reader.facts().target.size, "byte", "bytes")));
        const MemorySource from(source);
        const Progress silent;
        TargetBuilder builder(from, made, code_table_size, silent, Phase::reading);
        reader.read(source.size(), builder);
        builder.finish();
    } catch (const Error& error) {
        // Whatever is wrong in there: the table came with the patch, so it is the patch that is damaged.
        throw Error(ErrorCode::damaged, fmt::format("the patch's own code table is damaged: {}", error.what()))
            .at(at + error.offset().value_or(0))
            .in("code table")
            .wanted(error.wanted())
            .found(error.found());
    }
    const Bytes& values = made.bytes();
    for (std::size_t i = 0; i < 256; ++i)
        for (std::size_t half = 0; half < 2; ++half)
            table.entries[i][half] = {static_cast<Type>(values[half * 256 + i]),
                                      std::to_integer<std::uint8_t>(values[512 + half * 256 + i]),
                                      std::to_integer<std::uint8_t>(values[1024 + half * 256 + i])};
    return table;
}

}  // namespace hotstitch::vcdiff
