// SPDX-License-Identifier: MIT
// The one place that packs and unpacks by libbz2. The library checks the CRC of each block and of each stream.
// Tested by tests/part/archive_test.cc and tests/part/payload_test.cc.
#include "part/codec/decoder.h"
#include "part/payload/library_codecs.h"

#if HOTSTITCH_WITH_BZIP2
#include <bzlib.h>

#include <algorithm>
#include <new>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

constexpr std::size_t step = std::size_t{1} << 30;  ///< the library counts in 32 bits

class Bzip2 final : public Decoder {
public:
    explicit Bzip2(ByteView packed) : packed_(packed) { begin(); }
    Bzip2(const Bzip2&) = delete;
    Bzip2& operator=(const Bzip2&) = delete;
    ~Bzip2() override { BZ2_bzDecompressEnd(&stream_); }

    std::size_t read(MutableByteView into) override {
        const std::size_t room = std::min(into.size(), step);
        stream_.next_out = reinterpret_cast<char*>(into.data());
        stream_.avail_out = static_cast<unsigned>(room);
        while (stream_.avail_out == room && !ended_) {
            const std::size_t given = std::min(packed_.size() - at_, step);
            // The library's interface is older than const; it does not write there.
            stream_.next_in = reinterpret_cast<char*>(const_cast<std::byte*>(packed_.data() + at_));
            stream_.avail_in = static_cast<unsigned>(given);
            const int result = BZ2_bzDecompress(&stream_);
            at_ += given - stream_.avail_in;
            if (result == BZ_STREAM_END)
                end_of_stream();
            else if (result == BZ_MEM_ERROR)
                throw std::bad_alloc();
            else if (result != BZ_OK)
                decoder_damaged("bzip2", at_, "its checksum or its rules do not hold");
            else if (at_ == packed_.size() && stream_.avail_out == room)
                decoder_truncated("bzip2", at_);
        }
        return room - stream_.avail_out;
    }
    std::uint64_t consumed() const noexcept override { return at_; }

private:
    void begin() {
        if (BZ2_bzDecompressInit(&stream_, 0, 0) != BZ_OK) throw std::bad_alloc();
    }
    /// Several streams may follow each other.
    void end_of_stream() {
        ended_ = !text_of(packed_.subspan(at_)).starts_with("BZh");
        if (ended_) return;
        char* const out = stream_.next_out;
        const unsigned room = stream_.avail_out;
        BZ2_bzDecompressEnd(&stream_);
        stream_ = {};
        begin();
        stream_.next_out = out;
        stream_.avail_out = room;
    }

    ByteView packed_;
    std::size_t at_ = 0;
    bz_stream stream_{};
    bool ended_ = false;
};

/// With blocks of the size that the fourth byte of the old one tells.
Bytes pack_bzip2(ByteView content, ByteView like) {
    if (content.size() > UINT32_MAX / 2) throw Error(ErrorCode::limit, "the content is too large to be packed here");
    const int hundred_thousands = std::clamp(std::to_integer<int>(like[3]) - '0', 1, 9);
    Bytes out(content.size() + content.size() / 100 + 600);
    auto size = static_cast<unsigned>(out.size());
    // The library's interface is older than const; it does not write there.
    const int result = BZ2_bzBuffToBuffCompress(reinterpret_cast<char*>(out.data()), &size,
                                                reinterpret_cast<char*>(const_cast<std::byte*>(content.data())),
                                                static_cast<unsigned>(content.size()), hundred_thousands, 0, 0);
    if (result != BZ_OK) throw std::bad_alloc();
    out.resize(size);
    return out;
}

}  // namespace

std::unique_ptr<Decoder> open_bzip2(ByteView packed) {
    return std::make_unique<Bzip2>(packed);
}

}  // namespace hotstitch
#else
namespace hotstitch {
namespace {
Bytes pack_bzip2(ByteView, ByteView) {
    decoder_unsupported("bzip2");
}
}  // namespace
std::unique_ptr<Decoder> open_bzip2(ByteView) {
    decoder_unsupported("bzip2");
}
}  // namespace hotstitch
#endif

namespace hotstitch {

constinit const Codec bzip2_codec{.name = "bzip2",
                                  .title = "a bzip2-compressed file",
                                  .by_word = true,
                                  .begins = [](ByteView head) { return text_of(head).starts_with("BZh"); },
                                  .open = [](ByteView packed, const Limits&) { return open_bzip2(packed); },
                                  .pack = pack_bzip2};

}  // namespace hotstitch
