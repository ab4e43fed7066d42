// SPDX-License-Identifier: MIT
// The one place that knows zlib: gzip (RFC 1952), zlib (RFC 1950) and raw deflate (RFC 1951). zlib compares checksum
// and length with the trailer. Packing tries whether zlib at one of its levels has made the old stream, and takes that;
// else the strongest there is. Tested by tests/part/archive_test.cc and tests/part/payload_test.cc.
#include "part/codec/decoder.h"
#include "part/payload/library_codecs.h"

#if HOTSTITCH_WITH_ZLIB
#define ZLIB_CONST
#include <zlib.h>

#if HOTSTITCH_WITH_LIBDEFLATE
#include <libdeflate.h>
#endif

#include <algorithm>
#include <new>

#include "base/numbers.h"
#include "hotstitch/error.h"

namespace hotstitch {
namespace {

constexpr std::size_t deflate_step = std::size_t{1} << 30;  ///< zlib counts in 32 bits

/// What stands around the deflate stream, by zlib's number for it.
enum Wrapping : int { raw = -15, zlib = 15, gzip = 15 + 16 };

class Inflater final : public Decoder {
public:
    Inflater(ByteView packed, Wrapping wrapping, std::string_view name)
        : packed_(packed), wrapping_(wrapping), name_(name) {
        if (inflateInit2(&stream_, wrapping) != Z_OK) throw std::bad_alloc();
    }
    Inflater(const Inflater&) = delete;
    Inflater& operator=(const Inflater&) = delete;
    ~Inflater() override { inflateEnd(&stream_); }

    std::size_t read(MutableByteView into) override {
        const std::size_t room = std::min(into.size(), deflate_step);
        stream_.next_out = reinterpret_cast<Bytef*>(into.data());
        stream_.avail_out = static_cast<uInt>(room);
        while (stream_.avail_out == room && !ended_) {
            const std::size_t given = std::min(packed_.size() - at_, deflate_step);
            stream_.next_in = reinterpret_cast<const Bytef*>(packed_.data() + at_);
            stream_.avail_in = static_cast<uInt>(given);
            const int result = inflate(&stream_, Z_NO_FLUSH);
            at_ += given - stream_.avail_in;
            if (result == Z_STREAM_END)
                end_of_member();
            else if (result == Z_BUF_ERROR && at_ == packed_.size())
                decoder_truncated(name_, at_);
            else if (result == Z_MEM_ERROR)
                throw std::bad_alloc();
            else if (result != Z_OK && result != Z_BUF_ERROR)
                decoder_damaged(name_, at_, stream_.msg != nullptr ? stream_.msg : "its rules are broken");
        }
        return room - stream_.avail_out;
    }
    std::uint64_t consumed() const noexcept override { return at_; }

private:
    /// Another member may follow; what does not begin like one is padding, as all readers take it.
    void end_of_member() {
        ended_ = wrapping_ != gzip || packed_.size() - at_ < 2 || packed_[at_] != std::byte{0x1F} ||
                 packed_[at_ + 1] != std::byte{0x8B};
        if (!ended_) inflateReset(&stream_);
    }

    ByteView packed_;
    Wrapping wrapping_;
    std::string_view name_;
    std::size_t at_ = 0;
    z_stream stream_{};
    bool ended_ = false;
};

/// By zlib, at one of its levels.
Bytes deflated(ByteView content, int level, Wrapping wrapping) {
    z_stream stream{};
    if (deflateInit2(&stream, level, Z_DEFLATED, wrapping, 8, Z_DEFAULT_STRATEGY) != Z_OK) throw std::bad_alloc();
    Bytes out(deflateBound(&stream, static_cast<uLong>(content.size())));
    stream.next_in = reinterpret_cast<const Bytef*>(content.data());
    stream.avail_in = static_cast<uInt>(content.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = static_cast<uInt>(out.size());
    const int result = deflate(&stream, Z_FINISH);
    out.resize(stream.total_out);
    deflateEnd(&stream);
    if (result != Z_STREAM_END) throw std::bad_alloc();
    return out;
}

/// The fewest bytes that a library finds.
Bytes strongest(ByteView content, Wrapping wrapping) {
#if HOTSTITCH_WITH_LIBDEFLATE
    const std::unique_ptr<libdeflate_compressor, void (*)(libdeflate_compressor*)> packer(
        libdeflate_alloc_compressor(12), libdeflate_free_compressor);
    if (!packer) throw std::bad_alloc();
    const bool bare = wrapping == raw;
    Bytes out(
        (bare ? libdeflate_deflate_compress_bound : libdeflate_zlib_compress_bound)(packer.get(), content.size()));
    out.resize((bare ? libdeflate_deflate_compress : libdeflate_zlib_compress)(packer.get(), content.data(),
                                                                               content.size(), out.data(), out.size()));
    return out;
#else
    return deflated(content, 9, wrapping);
#endif
}

Bytes inflated(ByteView packed, Wrapping wrapping) {
    Inflater decoder(packed, wrapping, "deflate");
    Bytes content, buffer(64 << 10);
    while (const std::size_t got = decoder.read(buffer))
        content.insert(content.end(), buffer.begin(), buffer.begin() + static_cast<std::ptrdiff_t>(got));
    return content;
}

/// With the settings of `like`.
Bytes deflated_like(ByteView content, ByteView like, Wrapping wrapping) {
    if (content.size() > UINT32_MAX / 2) throw Error(ErrorCode::limit, "the content is too large to be packed here");
    const Bytes old = inflated(like, wrapping);
    for (const int level : {6, 9, 1, 5, 4, 3, 2, 7, 8}) {
        const Bytes made = deflated(old, level, wrapping);
        if (std::equal(made.begin(), made.end(), like.begin(), like.end())) return deflated(content, level, wrapping);
    }
    return strongest(content, wrapping);
}

/// Where the deflate stream of a gzip member begins (RFC 1952, section 2.3). REQUIRES that it unpacks.
std::size_t gzip_header_size(ByteView packed) {
    const unsigned flags = u8(packed, 3);
    std::size_t at = 10;
    if ((flags & 4) != 0) at += 2 + u16le(packed, at);
    for (const unsigned text : {8U, 16U})
        if ((flags & text) != 0) at = text_of(packed).find('\0', at) + 1;
    return at + ((flags & 2) != 0 ? 2 : 0);
}

Bytes pack_gzip(ByteView content, ByteView like) {
    const std::size_t header = gzip_header_size(like);
    Bytes out(like.begin(), like.begin() + static_cast<std::ptrdiff_t>(header));
    const Bytes stream = deflated_like(content, like.subspan(header, like.size() - header - 8), raw);
    out.insert(out.end(), stream.begin(), stream.end());
    const auto check = crc32_z(0, reinterpret_cast<const Bytef*>(content.data()), content.size());
    for (const std::uint64_t value : {std::uint64_t{check}, std::uint64_t{content.size()}})
        for (unsigned i = 0; i < 4; ++i) out.push_back(static_cast<std::byte>(value >> (8 * i)));
    return out;
}

std::unique_ptr<Decoder> open_zlib(ByteView packed, const Limits&) {
    return std::make_unique<Inflater>(packed, zlib, "zlib");
}
std::unique_ptr<Decoder> open_deflate(ByteView packed, const Limits&) {
    return std::make_unique<Inflater>(packed, raw, "deflate");
}

}  // namespace

std::unique_ptr<Decoder> open_gzip(ByteView packed) {
    return std::make_unique<Inflater>(packed, gzip, "gzip");
}

}  // namespace hotstitch
#else
namespace hotstitch {
namespace {
constexpr auto open_zlib = [](ByteView, const Limits&) -> std::unique_ptr<Decoder> { decoder_unsupported("zlib"); };
constexpr auto open_deflate = open_zlib;
Bytes deflated_like(ByteView, ByteView, int) {
    decoder_unsupported("deflate");
}
Bytes pack_gzip(ByteView, ByteView) {
    decoder_unsupported("gzip");
}
constexpr int raw = 0, zlib = 0;
}  // namespace
std::unique_ptr<Decoder> open_gzip(ByteView) {
    decoder_unsupported("gzip");
}
}  // namespace hotstitch
#endif

namespace hotstitch {
namespace {

bool begins_zlib(ByteView head) {
    if (head.size() < 6) return false;
    const unsigned first = std::to_integer<unsigned>(head[0]), second = std::to_integer<unsigned>(head[1]);
    return (first & 0xF) == 8 && first >> 4 <= 7 && (second & 0x20) == 0 && (first << 8 | second) % 31 == 0;
}

/// A first block of a kind that there is; a stored one has its length twice.
bool begins_deflate(ByteView head) {
    if (head.size() < 16) return false;
    const auto byte = [&](std::size_t i) { return std::to_integer<unsigned>(head[i]); };
    const unsigned kind = byte(0) >> 1 & 3;
    return kind == 0 ? ((byte(1) ^ byte(3)) & (byte(2) ^ byte(4))) == 0xFF : kind != 3;
}

}  // namespace

constinit const Codec gzip_codec{.name = "gzip",
                                 .title = "a gzip-compressed file",
                                 .by_word = true,
                                 .begins = [](ByteView head) { return text_of(head).starts_with("\x1F\x8B"); },
                                 .open = [](ByteView packed, const Limits&) { return open_gzip(packed); },
                                 .pack = pack_gzip};
constinit const Codec zlib_codec{
    .name = "zlib",
    .title = "a zlib-compressed file",
    .begins = begins_zlib,
    .open = open_zlib,
    .pack = [](ByteView content, ByteView like) { return deflated_like(content, like, zlib); }};
constinit const Codec deflate_codec{
    .name = "deflate",
    .title = "a deflate-compressed file",
    .by_rules_only = true,
    .begins = begins_deflate,
    .open = open_deflate,
    .pack = [](ByteView content, ByteView like) { return deflated_like(content, like, raw); }};

}  // namespace hotstitch
