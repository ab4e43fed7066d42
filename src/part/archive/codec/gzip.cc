// SPDX-License-Identifier: MIT
// The one place that unpacks by zlib (RFC 1952). zlib compares CRC-32 and length of each member with its trailer.
// Tested by tests/archive_test.cc.
#include "part/archive/codec/decoder.h"

#if HOTSTITCH_WITH_ZLIB
#define ZLIB_CONST
#include <zlib.h>

#include <algorithm>
#include <new>

namespace hotstitch {
namespace {

constexpr std::size_t step = std::size_t{1} << 30;  ///< zlib counts in 32 bits

class Gzip final : public Decoder {
public:
    explicit Gzip(ByteView packed) : packed_(packed) {
        if (inflateInit2(&stream_, 15 + 16) != Z_OK) throw std::bad_alloc();
    }
    Gzip(const Gzip&) = delete;
    Gzip& operator=(const Gzip&) = delete;
    ~Gzip() override { inflateEnd(&stream_); }

    std::size_t read(MutableByteView into) override {
        const std::size_t room = std::min(into.size(), step);
        stream_.next_out = reinterpret_cast<Bytef*>(into.data());
        stream_.avail_out = static_cast<uInt>(room);
        while (stream_.avail_out == room && !ended_) {
            const std::size_t given = std::min(packed_.size() - at_, step);
            stream_.next_in = reinterpret_cast<const Bytef*>(packed_.data() + at_);
            stream_.avail_in = static_cast<uInt>(given);
            const int result = inflate(&stream_, Z_NO_FLUSH);
            at_ += given - stream_.avail_in;
            if (result == Z_STREAM_END)
                end_of_member();
            else if (result == Z_BUF_ERROR && at_ == packed_.size())
                decoder_truncated("gzip", at_);
            else if (result == Z_MEM_ERROR)
                throw std::bad_alloc();
            else if (result != Z_OK && result != Z_BUF_ERROR)
                decoder_damaged("gzip", at_, stream_.msg != nullptr ? stream_.msg : "its rules are broken");
        }
        return room - stream_.avail_out;
    }
    std::uint64_t consumed() const noexcept override { return at_; }

private:
    /// Another member may follow; what does not begin like one is padding, as all readers take it.
    void end_of_member() {
        ended_ = packed_.size() - at_ < 2 || packed_[at_] != std::byte{0x1F} || packed_[at_ + 1] != std::byte{0x8B};
        if (!ended_) inflateReset(&stream_);
    }

    ByteView packed_;
    std::size_t at_ = 0;
    z_stream stream_{};
    bool ended_ = false;
};

}  // namespace

std::unique_ptr<Decoder> open_gzip(ByteView packed) {
    return std::make_unique<Gzip>(packed);
}

}  // namespace hotstitch
#else
namespace hotstitch {
std::unique_ptr<Decoder> open_gzip(ByteView) {
    decoder_unsupported("gzip");
}
}  // namespace hotstitch
#endif
