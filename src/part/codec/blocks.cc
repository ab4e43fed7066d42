// SPDX-License-Identifier: MIT
// Deflate blocks at once, by libdeflate or zlib. Tested by tests/part/copy_test.cc.
#include "part/codec/blocks.h"

#include "part/codec/decoder.h"

#if HOTSTITCH_WITH_LIBDEFLATE
#include <libdeflate.h>

#include <memory>
#include <new>

namespace hotstitch {

bool inflate_block(ByteView packed, MutableByteView into, bool in_zlib) {
    thread_local const std::unique_ptr<libdeflate_decompressor, void (*)(libdeflate_decompressor*)> unpacker(
        libdeflate_alloc_decompressor(), libdeflate_free_decompressor);
    if (!unpacker) throw std::bad_alloc();
    std::size_t taken = 0, made = 0;
    const auto result = (in_zlib ? libdeflate_zlib_decompress_ex : libdeflate_deflate_decompress_ex)(
        unpacker.get(), packed.data(), packed.size(), into.data(), into.size(), &taken, &made);
    return result == LIBDEFLATE_SUCCESS && made == into.size();
}

}  // namespace hotstitch
#elif HOTSTITCH_WITH_ZLIB
#define ZLIB_CONST
#include <zlib.h>

#include <new>

namespace hotstitch {

bool inflate_block(ByteView packed, MutableByteView into, bool in_zlib) {
    z_stream stream{};
    if (inflateInit2(&stream, in_zlib ? 15 : -15) != Z_OK) throw std::bad_alloc();
    stream.next_in = reinterpret_cast<const Bytef*>(packed.data());
    stream.avail_in = static_cast<uInt>(packed.size());
    stream.next_out = reinterpret_cast<Bytef*>(into.data());
    stream.avail_out = static_cast<uInt>(into.size());
    const int result = inflate(&stream, Z_FINISH);
    const bool whole = result == Z_STREAM_END && stream.avail_out == 0;
    inflateEnd(&stream);
    return whole;
}

}  // namespace hotstitch
#else
namespace hotstitch {

bool inflate_block(ByteView, MutableByteView, bool) {
    decoder_unsupported("deflate");
}

}  // namespace hotstitch
#endif
