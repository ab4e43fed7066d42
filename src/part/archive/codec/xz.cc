// SPDX-License-Identifier: MIT
// Unpacks .xz by liblzma, which checks CRC-32, CRC-64 or SHA-256 of each block and the sizes of all.
// Tested by tests/archive_test.cc.
#include "part/archive/codec/decoder.h"

#if HOTSTITCH_WITH_LZMA
#include <fmt/format.h>
#include <lzma.h>

#include <new>

#include "hotstitch/error.h"
#include "hotstitch/words.h"

namespace hotstitch {
namespace {

class Xz final : public Decoder {
public:
    Xz(ByteView packed, const Limits& limits) : size_(packed.size()), limit_(limits.lzma_memory) {
        if (lzma_stream_decoder(&stream_, limit_, LZMA_CONCATENATED) != LZMA_OK) throw std::bad_alloc();
        stream_.next_in = reinterpret_cast<const std::uint8_t*>(packed.data());
        stream_.avail_in = packed.size();
    }
    Xz(const Xz&) = delete;
    Xz& operator=(const Xz&) = delete;
    ~Xz() override { lzma_end(&stream_); }

    std::size_t read(MutableByteView into) override {
        stream_.next_out = reinterpret_cast<std::uint8_t*>(into.data());
        stream_.avail_out = into.size();
        while (stream_.avail_out == into.size() && !ended_) {
            switch (lzma_code(&stream_, stream_.avail_in == 0 ? LZMA_FINISH : LZMA_RUN)) {
                case LZMA_OK: break;
                case LZMA_STREAM_END: ended_ = true; break;
                case LZMA_MEM_ERROR: throw std::bad_alloc();
                case LZMA_MEMLIMIT_ERROR:
                    throw Error(ErrorCode::limit, "the xz data asks for more memory than is allowed")
                        .in("dictionary")
                        .wanted(fmt::format("at most {}", counted(limit_, "byte", "bytes")))
                        .found(counted(lzma_memusage(&stream_), "byte", "bytes"));
                case LZMA_BUF_ERROR: decoder_truncated("xz", consumed());
                default: decoder_damaged("xz", consumed(), "its checksum or its rules do not hold");
            }
        }
        return into.size() - stream_.avail_out;
    }
    std::uint64_t consumed() const noexcept override { return size_ - stream_.avail_in; }

private:
    std::uint64_t size_, limit_;
    lzma_stream stream_ = LZMA_STREAM_INIT;
    bool ended_ = false;
};

}  // namespace

std::unique_ptr<Decoder> open_xz(ByteView packed, const Limits& limits) {
    return std::make_unique<Xz>(packed, limits);
}

}  // namespace hotstitch
#else
namespace hotstitch {
std::unique_ptr<Decoder> open_xz(ByteView, const Limits&) {
    decoder_unsupported("xz");
}
}  // namespace hotstitch
#endif
