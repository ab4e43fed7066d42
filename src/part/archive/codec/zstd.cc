// SPDX-License-Identifier: MIT
// The one place that unpacks by libzstd (RFC 8878), which checks the frames' checksums where they have one and takes at
// most 128 MiB of window.
// Tested by tests/archive_test.cc.
#include "part/archive/codec/decoder.h"

#if HOTSTITCH_WITH_ZSTD
#include <zstd.h>
#include <zstd_errors.h>

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
            if (frame_done_ && in_.pos == in_.size) return 0;
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
    ZSTD_inBuffer in_;
    std::unique_ptr<ZSTD_DStream, std::size_t (*)(ZSTD_DStream*)> stream_;
    bool frame_done_ = false;
};

}  // namespace

std::unique_ptr<Decoder> open_zstd(ByteView packed) {
    return std::make_unique<Zstd>(packed);
}

}  // namespace hotstitch
#else
namespace hotstitch {
std::unique_ptr<Decoder> open_zstd(ByteView) {
    decoder_unsupported("zstd");
}
}  // namespace hotstitch
#endif
