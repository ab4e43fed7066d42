// SPDX-License-Identifier: MIT
// The codecs that libraries do, each beside its decoder in part/codec/.
#pragma once

#include "part/payload/codec.h"

namespace hotstitch {

extern const Codec gzip_codec, zlib_codec, deflate_codec, xz_codec, lzma_alone_codec, bzip2_codec, zstd_codec,
    lz4_frame_codec, lz4_block_codec;

}  // namespace hotstitch
