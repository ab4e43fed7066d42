// SPDX-License-Identifier: MIT
// Compressor 2: one .xz stream for each kind of section, going on from window to window. The one place that reads by
// liblzma. docs/formats/vcdiff.md section 7.
#include "format/vcdiff/compress/decompressor.h"

#if HOTSTITCH_WITH_LZMA
#include <fmt/format.h>
#include <lzma.h>

#include <array>

#include "format/vcdiff/vcdiff_format.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

class Stream {
public:
    explicit Stream(std::uint64_t memory) : memory_(memory) {}
    Stream(const Stream&) = delete;
    Stream& operator=(const Stream&) = delete;
    ~Stream() { lzma_end(&stream_); }

    void decode(ByteView packed, std::uint64_t size, Bytes& out) {
        if (!begun_) begin();
        const std::size_t before = out.size();
        stream_.next_in = reinterpret_cast<const std::uint8_t*>(packed.data());
        stream_.avail_in = packed.size();
        // One byte more than is wanted: a stream that makes it makes too much.
        std::uint8_t spare = 0;
        while (!ended_) {
            const std::uint64_t left = size - (out.size() - before);
            const auto room = static_cast<std::size_t>(std::min<std::uint64_t>(left, chunk));
            out.resize(out.size() + room);
            stream_.next_out = room != 0 ? reinterpret_cast<std::uint8_t*>(out.data() + out.size() - room) : &spare;
            stream_.avail_out = room != 0 ? room : 1;
            const std::size_t had_in = stream_.avail_in;
            const lzma_ret result = lzma_code(&stream_, LZMA_RUN);
            const std::size_t made = (room != 0 ? room : 1) - stream_.avail_out;
            if (room == 0 && made != 0) damaged("unpack to more than their size", packed);
            if (room != 0) out.resize(out.size() - room + made);
            check(result, packed);
            const bool stuck = made == 0 && stream_.avail_in == had_in;
            if (stuck && (out.size() - before != size || stream_.avail_in != 0))
                damaged("are cut short or damaged", packed);
            if (stuck) return;
        }
        if (out.size() - before != size) damaged("unpack to less than their size", packed);
        if (stream_.avail_in != 0) damaged("go on after the end of their stream", packed);
    }

private:
    static constexpr std::uint64_t chunk = 256 << 10;

    void begin() {
        if (lzma_stream_decoder(&stream_, memory_, 0) != LZMA_OK)
            throw Error(ErrorCode::io, "there is no memory for an LZMA decoder");
        begun_ = true;
    }

    void check(lzma_ret result, ByteView packed) {
        switch (result) {
            case LZMA_OK:
            case LZMA_BUF_ERROR: return;  // no progress possible: the caller looks at what is there
            case LZMA_STREAM_END: ended_ = true; return;
            case LZMA_MEMLIMIT_ERROR:
                throw Error(ErrorCode::limit, "its LZMA stream asks for more memory than is allowed")
                    .at(at(packed))
                    .wanted(fmt::format("at most {}", counted(memory_, "byte", "bytes")))
                    .found(counted(lzma_memusage(&stream_), "byte", "bytes"));
            case LZMA_MEM_ERROR: throw Error(ErrorCode::io, "there is no memory for an LZMA decoder");
            case LZMA_FORMAT_ERROR: damaged("are no LZMA stream", packed);
            case LZMA_OPTIONS_ERROR:
                throw Error(ErrorCode::damaged, "its LZMA stream wants options that do not exist").at(at(packed));
            default: damaged("are damaged", packed);
        }
    }

    std::uint64_t at(ByteView packed) const { return packed.size() - stream_.avail_in; }

    [[noreturn]] void damaged(const char* what, ByteView packed) const {
        throw Error(ErrorCode::damaged, fmt::format("its LZMA-compressed bytes {}", what)).at(at(packed));
    }

    std::uint64_t memory_;
    lzma_stream stream_ = LZMA_STREAM_INIT;
    bool begun_ = false, ended_ = false;
};

class LzmaDecompressor final : public Decompressor {
public:
    explicit LzmaDecompressor(std::uint64_t memory) : streams_{Stream(memory), Stream(memory), Stream(memory)} {}
    void decode(unsigned section, ByteView packed, std::uint64_t size, Bytes& out) override {
        streams_[section].decode(packed, size, out);
    }

private:
    std::array<Stream, section_count> streams_;
};

}  // namespace

bool has_lzma() noexcept {
    return true;
}
std::unique_ptr<Decompressor> make_lzma_decompressor(std::uint64_t memory) {
    return std::make_unique<LzmaDecompressor>(memory);
}

}  // namespace hotstitch::vcdiff
#else
namespace hotstitch::vcdiff {

bool has_lzma() noexcept {
    return false;
}
std::unique_ptr<Decompressor> make_lzma_decompressor(std::uint64_t) {
    return nullptr;
}

}  // namespace hotstitch::vcdiff
#endif
