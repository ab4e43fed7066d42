// SPDX-License-Identifier: MIT
// The one place that unpacks by libbz2. The library checks the CRC of each block and of each stream.
// Tested by tests/archive_test.cc.
#include "part/archive/codec/decoder.h"

#if HOTSTITCH_WITH_BZIP2
#include <bzlib.h>

#include <algorithm>
#include <new>

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

}  // namespace

std::unique_ptr<Decoder> open_bzip2(ByteView packed) {
    return std::make_unique<Bzip2>(packed);
}

}  // namespace hotstitch
#else
namespace hotstitch {
std::unique_ptr<Decoder> open_bzip2(ByteView) {
    decoder_unsupported("bzip2");
}
}  // namespace hotstitch
#endif
