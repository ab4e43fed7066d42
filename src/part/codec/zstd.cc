// SPDX-License-Identifier: MIT
// The one place that packs and unpacks by libzstd (RFC 8878), which checks the frames' checksums where they have one
// and takes at most 128 MiB of window. Tested by tests/part/archive_test.cc and tests/part/payload_test.cc.
#include "part/codec/decoder.h"
#include "part/payload/library_codecs.h"

#if HOTSTITCH_WITH_ZSTD
#include <zstd.h>
#include <zstd_errors.h>

#include <algorithm>
#include <new>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

class Zstd final : public Decoder {
public:
    explicit Zstd(ByteView packed)
        : in_{packed.data(), packed.size(), 0}, stream_(ZSTD_createDStream(), ZSTD_freeDStream) {
        if (!stream_) throw std::bad_alloc();
    }

    std::size_t read(MutableByteView into) override {
        ZSTD_outBuffer out{into.data(), into.size(), 0};
        while (out.pos == 0) {
            if (frame_done_ && !another_follows()) return 0;
            const std::size_t before = in_.pos;
            const std::size_t result = ZSTD_decompressStream(stream_.get(), &out, &in_);
            if (ZSTD_getErrorCode(result) == ZSTD_error_frameParameter_windowTooLarge)
                throw Error(ErrorCode::limit, "the zstd data asks for more memory than is allowed")
                    .in("window")
                    .wanted("at most 128 MiB");
            if (ZSTD_isError(result) != 0) decoder_damaged("zstd", in_.pos, ZSTD_getErrorName(result));
            frame_done_ = result == 0;
            if (out.pos == 0 && in_.pos == before && !frame_done_) decoder_truncated("zstd", in_.pos);
        }
        return out.pos;
    }
    std::uint64_t consumed() const noexcept override { return in_.pos; }

private:
    /// Another frame, or one to be skipped; what does not begin like one is padding.
    bool another_follows() const {
        const std::string_view rest(static_cast<const char*>(in_.src) + in_.pos, in_.size - in_.pos);
        return rest.starts_with("\x28\xB5\x2F\xFD") ||
               rest.substr(std::min<std::size_t>(1, rest.size())).starts_with("\x2A\x4D\x18");
    }

    ZSTD_inBuffer in_;
    std::unique_ptr<ZSTD_DStream, std::size_t (*)(ZSTD_DStream*)> stream_;
    bool frame_done_ = false;
};

/// At the strongest level, with a checksum and the content's size where the old frame has them (RFC 8878, section
/// 3.1.1.1.1).
Bytes pack_zstd(ByteView content, ByteView like) {
    constexpr int strongest = 22;
    const unsigned flags = like.size() > 4 ? std::to_integer<unsigned>(like[4]) : 0;
    const std::unique_ptr<ZSTD_CCtx, std::size_t (*)(ZSTD_CCtx*)> packer(ZSTD_createCCtx(), ZSTD_freeCCtx);
    if (!packer) throw std::bad_alloc();
    ZSTD_CCtx_setParameter(packer.get(), ZSTD_c_compressionLevel, strongest);
    ZSTD_CCtx_setParameter(packer.get(), ZSTD_c_checksumFlag, (flags & 4) != 0 ? 1 : 0);
    ZSTD_CCtx_setParameter(packer.get(), ZSTD_c_contentSizeFlag, (flags >> 6) != 0 || (flags & 0x20) != 0 ? 1 : 0);
    Bytes out(ZSTD_compressBound(content.size()));
    const std::size_t size = ZSTD_compress2(packer.get(), out.data(), out.size(), content.data(), content.size());
    if (ZSTD_isError(size) != 0) throw Error(ErrorCode::limit, ZSTD_getErrorName(size));
    out.resize(size);
    return out;
}

}  // namespace

std::unique_ptr<Decoder> open_zstd(ByteView packed) {
    return std::make_unique<Zstd>(packed);
}

}  // namespace hotstitch
#else
namespace hotstitch {
namespace {
Bytes pack_zstd(ByteView, ByteView) {
    decoder_unsupported("zstd");
}
}  // namespace
std::unique_ptr<Decoder> open_zstd(ByteView) {
    decoder_unsupported("zstd");
}
}  // namespace hotstitch
#endif

namespace hotstitch {

constinit const Codec zstd_codec{.name = "zstd",
                                 .title = "a zstd-compressed file",
                                 .by_word = true,
                                 .begins = [](ByteView head) { return text_of(head).starts_with("\x28\xB5\x2F\xFD"); },
                                 .open = [](ByteView packed, const Limits&) { return open_zstd(packed); },
                                 .pack = pack_zstd};

}  // namespace hotstitch
