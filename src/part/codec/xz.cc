// SPDX-License-Identifier: MIT
// The one place that packs and unpacks .xz and the older .lzma by liblzma, which checks CRC-32, CRC-64 or SHA-256 of
// each block of an .xz and the sizes of all. Tested by tests/part/archive_test.cc and tests/part/payload_test.cc.
#include "part/codec/decoder.h"
#include "part/payload/library_codecs.h"

#include <algorithm>
#include <bit>

#include "base/numbers.h"

#if HOTSTITCH_WITH_LZMA
#include <fmt/format.h>
#include <lzma.h>

#include <new>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

class Xz final : public Decoder {
public:
    Xz(ByteView packed, const Limits& limits, bool alone)
        : name_(alone ? "lzma" : "xz"), size_(packed.size()), limit_(limits.lzma_memory) {
        const lzma_ret result =
            alone ? lzma_alone_decoder(&stream_, limit_) : lzma_stream_decoder(&stream_, limit_, LZMA_CONCATENATED);
        if (result != LZMA_OK) throw std::bad_alloc();
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
                    throw Error(ErrorCode::limit,
                                fmt::format("the {} data asks for more memory than is allowed", name_))
                        .in("dictionary")
                        .wanted(fmt::format("at most {}", counted(limit_, "byte", "bytes")))
                        .found(counted(lzma_memusage(&stream_), "byte", "bytes"));
                case LZMA_BUF_ERROR: decoder_truncated(name_, consumed());
                default: decoder_damaged(name_, consumed(), "its checksum or its rules do not hold");
            }
        }
        return into.size() - stream_.avail_out;
    }
    std::uint64_t consumed() const noexcept override { return size_ - stream_.avail_in; }

private:
    std::string_view name_;
    std::uint64_t size_, limit_;
    lzma_stream stream_ = LZMA_STREAM_INIT;
    bool ended_ = false;
};

/// Runs an encoder that was set up over all content.
Bytes encoded(lzma_stream& stream, ByteView content) {
    Bytes out(content.size() + content.size() / 2 + 4096);
    stream.next_in = reinterpret_cast<const std::uint8_t*>(content.data());
    stream.avail_in = content.size();
    stream.next_out = reinterpret_cast<std::uint8_t*>(out.data());
    stream.avail_out = out.size();
    const lzma_ret result = lzma_code(&stream, LZMA_FINISH);
    out.resize(out.size() - stream.avail_out);
    lzma_end(&stream);
    if (result != LZMA_STREAM_END) throw std::bad_alloc();
    return out;
}

/// The strongest preset, with a dictionary that is no larger than the content needs.
lzma_options_lzma strongest() {
    lzma_options_lzma options{};
    lzma_lzma_preset(&options, 9 | LZMA_PRESET_EXTREME);
    return options;
}

/// With the check of the old one (the xz format, section 2.1.1.2).
Bytes pack_xz(ByteView content, ByteView like) {
    lzma_stream_flags flags{};
    lzma_check check = LZMA_CHECK_CRC64;
    if (like.size() >= LZMA_STREAM_HEADER_SIZE &&
        lzma_stream_header_decode(&flags, reinterpret_cast<const std::uint8_t*>(like.data())) == LZMA_OK)
        check = flags.check;
    lzma_options_lzma options = strongest();
    const lzma_filter filters[] = {{LZMA_FILTER_LZMA2, &options}, {LZMA_VLI_UNKNOWN, nullptr}};
    lzma_stream stream = LZMA_STREAM_INIT;
    if (lzma_stream_encoder(&stream, filters, check) != LZMA_OK) throw std::bad_alloc();
    return encoded(stream, content);
}

/// A byte for lc, lp and pb, the dictionary's size, the content's size or all FF, and then an end marker: all as in the
/// old one.
Bytes pack_lzma_alone(ByteView content, ByteView like) {
    constexpr std::size_t header = 13;
    lzma_options_lzma options = strongest();
    const unsigned properties = u8(like, 0);
    options.lc = properties % 9, options.lp = properties / 9 % 5, options.pb = properties / 45;
    options.dict_size = std::max<std::uint32_t>(u32le(like, 1), LZMA_DICT_SIZE_MIN);
    const bool size_known = u32le(like, 5) != UINT32_MAX || u32le(like, 9) != UINT32_MAX;
    options.ext_flags = size_known ? 0 : LZMA_LZMA1EXT_ALLOW_EOPM;
    lzma_set_ext_size(options, size_known ? std::uint64_t{content.size()} : LZMA_VLI_UNKNOWN);
    const lzma_filter filters[] = {{LZMA_FILTER_LZMA1EXT, &options}, {LZMA_VLI_UNKNOWN, nullptr}};
    lzma_stream stream = LZMA_STREAM_INIT;
    if (lzma_raw_encoder(&stream, filters) != LZMA_OK) throw std::bad_alloc();
    Bytes out(like.begin(), like.begin() + header);
    for (unsigned i = 0; size_known && i < 8; ++i)
        out[5 + i] = static_cast<std::byte>(std::uint64_t{content.size()} >> (8 * i));
    const Bytes packed = encoded(stream, content);
    out.insert(out.end(), packed.begin(), packed.end());
    return out;
}

std::unique_ptr<Decoder> open_lzma_alone(ByteView packed, const Limits& limits) {
    return std::make_unique<Xz>(packed, limits, true);
}

}  // namespace

std::unique_ptr<Decoder> open_xz(ByteView packed, const Limits& limits) {
    return std::make_unique<Xz>(packed, limits, false);
}

}  // namespace hotstitch
#else
namespace hotstitch {
namespace {
Bytes pack_xz(ByteView, ByteView) {
    decoder_unsupported("xz");
}
Bytes pack_lzma_alone(ByteView, ByteView) {
    decoder_unsupported("lzma");
}
std::unique_ptr<Decoder> open_lzma_alone(ByteView, const Limits&) {
    decoder_unsupported("lzma");
}
}  // namespace
std::unique_ptr<Decoder> open_xz(ByteView, const Limits&) {
    decoder_unsupported("xz");
}
}  // namespace hotstitch
#endif

namespace hotstitch {
namespace {

/// A dictionary of 2^n or 2^n + 2^(n-1) bytes, and a size below 256 GiB or not known: what encoders write.
bool begins_lzma_alone(ByteView head) {
    if (head.size() < 18 || u8(head, 0) >= 9 * 5 * 5) return false;
    const std::uint32_t dictionary = u32le(head, 1);
    const bool usual = dictionary >= 4096 && (std::popcount(dictionary) == 1 ||
                                              (std::popcount(dictionary) == 2 && (dictionary & dictionary >> 1) != 0));
    const std::uint32_t low = u32le(head, 5), high = u32le(head, 9);
    return usual && ((low == UINT32_MAX && high == UINT32_MAX) || (high < 64 && (low | high) != 0)) &&
           u8(head, 13) == 0;
}

}  // namespace

constinit const Codec xz_codec{
    .name = "xz",
    .title = "an xz-compressed file",
    .by_word = true,
    .begins = [](ByteView head) { return text_of(head).starts_with("\xFD\x37\x7A\x58\x5A"); },
    .open = open_xz,
    .pack = pack_xz};
constinit const Codec lzma_alone_codec{.name = "lzma",
                                       .title = "an lzma-compressed file",
                                       .begins = begins_lzma_alone,
                                       .open = open_lzma_alone,
                                       .pack = pack_lzma_alone};

}  // namespace hotstitch
