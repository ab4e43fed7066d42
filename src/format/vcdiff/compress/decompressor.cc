// SPDX-License-Identifier: MIT
#include "format/vcdiff/compress/decompressor.h"

#include "format/vcdiff/integer.h"
#include "format/vcdiff/vcdiff_format.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

/// Address space taken ahead for an honest size; memory is only used as bytes are made.
constexpr std::uint64_t most_reserved = std::uint64_t{64} << 20;

}  // namespace

bool can_decompress(unsigned id) noexcept {
    return id == static_cast<unsigned>(Compressor::huffman) ||
           (id == static_cast<unsigned>(Compressor::lzma) && has_lzma());
}

std::unique_ptr<Decompressor> make_decompressor(std::optional<unsigned> id, const Limits& limits) {
    if (id == static_cast<unsigned>(Compressor::huffman)) return make_huffman_decompressor();
    if (id == static_cast<unsigned>(Compressor::lzma)) return make_lzma_decompressor(limits.lzma_memory);
    return nullptr;
}

void decompress_section(Decompressor& decompressor, unsigned section, ByteView packed, std::uint64_t at,
                        std::uint64_t most, Bytes& out) {
    Cursor cursor(packed);
    const std::string field(section_names[section]);
    try {
        const std::uint64_t size = take_integer(cursor, field);
        if (size > most)
            throw Error(ErrorCode::limit, fmt::format("its {} unpack to more than is allowed", field))
                .at(0)
                .wanted(fmt::format("at most {}", counted(most, "byte", "bytes")))
                .found(counted(size, "byte", "bytes"));
        out.clear();
        out.reserve(static_cast<std::size_t>(std::min(size, most_reserved)));
        decompressor.decode(section, cursor.rest(), size, out);
    } catch (const Error& error) {
        throw Error(error.code(), error.what())
            .at(at + error.offset().value_or(0))
            .in(field)
            .wanted(error.wanted())
            .found(error.found());
    }
}

}  // namespace hotstitch::vcdiff
