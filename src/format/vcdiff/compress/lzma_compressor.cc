// SPDX-License-Identifier: MIT
// The one place that writes by liblzma.
#include "format/vcdiff/compress/compressor.h"

#if HOTSTITCH_WITH_LZMA
#include <lzma.h>

#include <algorithm>
#include <bit>

#include "format/vcdiff/integer.h"

namespace hotstitch::vcdiff {
namespace {

constexpr unsigned preset = 6;
constexpr std::uint64_t smallest_dictionary = 64 << 10, largest_dictionary = 8 << 20;
std::uint32_t dictionary_for(std::uint64_t size) {
    return static_cast<std::uint32_t>(std::bit_ceil(std::clamp(size, smallest_dictionary, largest_dictionary)));
}

constexpr std::size_t least_section = 48;  ///< below, the overhead of a flush is never won back
constexpr std::size_t sample = 1 << 20;    ///< what the throw-away encoder looks at

}  // namespace

/// An .xz stream without integrity check that is flushed after each section and never ends.
struct SectionCompressor::Stream {
    explicit Stream(std::uint32_t dictionary) {
        lzma_options_lzma options;
        lzma_lzma_preset(&options, preset);
        options.dict_size = dictionary;
        const lzma_filter filters[] = {{LZMA_FILTER_LZMA2, &options}, {LZMA_VLI_UNKNOWN, nullptr}};
        if (lzma_stream_encoder(&stream, filters, LZMA_CHECK_NONE) != LZMA_OK)
            throw Error(ErrorCode::io, "there is no memory for an LZMA encoder");
    }
    Stream(const Stream&) = delete;
    Stream& operator=(const Stream&) = delete;
    ~Stream() { lzma_end(&stream); }

    Bytes feed(ByteView bytes, const std::function<void()>& tick) {
        constexpr std::size_t piece = 64 << 10;  // some 20 ms of work
        Bytes out;
        put_integer(out, bytes.size());
        while (bytes.size() > piece) {
            if (tick) tick();
            code(bytes.first(piece), LZMA_RUN, out);
            bytes = bytes.subspan(piece);
        }
        code(bytes, LZMA_SYNC_FLUSH, out);
        return out;
    }

    void code(ByteView bytes, lzma_action action, Bytes& out) {
        stream.next_in = reinterpret_cast<const std::uint8_t*>(bytes.data());
        stream.avail_in = bytes.size();
        std::array<std::byte, 64 << 10> buffer;
        lzma_ret result = LZMA_OK;
        while (result == LZMA_OK && (action == LZMA_SYNC_FLUSH || stream.avail_in != 0)) {
            stream.next_out = reinterpret_cast<std::uint8_t*>(buffer.data());
            stream.avail_out = buffer.size();
            result = lzma_code(&stream, action);
            out.insert(out.end(), buffer.begin(),
                       buffer.begin() + static_cast<std::ptrdiff_t>(buffer.size() - stream.avail_out));
        }
        if (result != (action == LZMA_SYNC_FLUSH ? LZMA_STREAM_END : LZMA_OK))
            throw Error(ErrorCode::io, "the LZMA encoder failed");
    }

    lzma_stream stream = LZMA_STREAM_INIT;
};

SectionCompressor::SectionCompressor(std::uint64_t target_size, std::function<void()> tick)
    : dictionary_(dictionary_for(target_size)), tick_(std::move(tick)) {}

SectionCompressor::~SectionCompressor() = default;

bool SectionCompressor::compress(unsigned section, Bytes& bytes) {
    if (bytes.size() < least_section) return false;
    std::unique_ptr<Stream>& stream = streams_[section];
    if (!stream) {
        const ByteView tried = ByteView(bytes).first(std::min(bytes.size(), sample));
        // The encoder clears tables in proportion to its dictionary.
        Stream trial(std::min(dictionary_, dictionary_for(tried.size())));
        if (trial.feed(tried, tick_).size() >= tried.size()) return false;
        stream = std::make_unique<Stream>(dictionary_);
    }
    bytes = stream->feed(bytes, tick_);
    return true;
}

}  // namespace hotstitch::vcdiff
#else
namespace hotstitch::vcdiff {

struct SectionCompressor::Stream {};
SectionCompressor::SectionCompressor(std::uint64_t, std::function<void()>) : dictionary_(0) {}
SectionCompressor::~SectionCompressor() = default;
bool SectionCompressor::compress(unsigned, Bytes&) {
    return false;
}

}  // namespace hotstitch::vcdiff
#endif
