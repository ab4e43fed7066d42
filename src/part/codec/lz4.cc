// SPDX-License-Identifier: MIT
// The one place that knows liblz4: frames, which carry checksums, and bare blocks, which carry nothing and are known by
// their rules alone. Tested by tests/part/payload_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.h"
#include "hotstitch/text.h"
#include "part/codec/blocks.h"
#include "part/codec/decoder.h"
#include "part/payload/library_codecs.h"

#if HOTSTITCH_WITH_LZ4
#include <lz4.h>
#include <lz4frame.h>
#include <lz4hc.h>

#include <new>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

class Lz4Frame final : public Decoder {
public:
    explicit Lz4Frame(ByteView packed) : packed_(packed) {
        if (LZ4F_isError(LZ4F_createDecompressionContext(&context_, LZ4F_VERSION)) != 0) throw std::bad_alloc();
    }
    Lz4Frame(const Lz4Frame&) = delete;
    Lz4Frame& operator=(const Lz4Frame&) = delete;
    ~Lz4Frame() override { LZ4F_freeDecompressionContext(context_); }

    std::size_t read(MutableByteView into) override {
        while (!ended_) {
            std::size_t made = into.size(), taken = packed_.size() - at_;
            const std::size_t result =
                LZ4F_decompress(context_, into.data(), &made, packed_.data() + at_, &taken, nullptr);
            if (LZ4F_isError(result) != 0) decoder_damaged("LZ4", at_, LZ4F_getErrorName(result));
            at_ += taken;
            ended_ = result == 0;
            if (made != 0) return made;
            if (taken == 0 && !ended_) decoder_truncated("LZ4", at_);
        }
        return 0;
    }
    std::uint64_t consumed() const noexcept override { return at_; }

private:
    ByteView packed_;
    std::size_t at_ = 0;
    LZ4F_dctx* context_ = nullptr;
    bool ended_ = false;
};

LZ4F_frameInfo_t frame_info(ByteView frame) {
    LZ4F_dctx* context = nullptr;
    if (LZ4F_isError(LZ4F_createDecompressionContext(&context, LZ4F_VERSION)) != 0) throw std::bad_alloc();
    LZ4F_frameInfo_t info{};
    std::size_t size = frame.size();
    const std::size_t result = LZ4F_getFrameInfo(context, &info, frame.data(), &size);
    LZ4F_freeDecompressionContext(context);
    if (LZ4F_isError(result) != 0) decoder_damaged("LZ4", 0, LZ4F_getErrorName(result));
    return info;
}

Bytes pack_frame(ByteView content, ByteView like) {
    LZ4F_preferences_t preferences{};
    preferences.frameInfo = frame_info(like);
    if (preferences.frameInfo.contentSize != 0) preferences.frameInfo.contentSize = content.size();
    preferences.compressionLevel = LZ4HC_CLEVEL_MAX;
    Bytes out(LZ4F_compressFrameBound(content.size(), &preferences));
    const std::size_t size = LZ4F_compressFrame(out.data(), out.size(), content.data(), content.size(), &preferences);
    if (LZ4F_isError(size) != 0) throw Error(ErrorCode::limit, LZ4F_getErrorName(size));
    out.resize(size);
    return out;
}

Bytes pack_block(ByteView content, ByteView) {
    if (content.size() > LZ4_MAX_INPUT_SIZE)
        throw Error(ErrorCode::limit, "the content is too large for one LZ4 block");
    const auto size = static_cast<int>(content.size());
    Bytes out(static_cast<std::size_t>(LZ4_compressBound(size)));
    const int made = LZ4_compress_HC(reinterpret_cast<const char*>(content.data()), reinterpret_cast<char*>(out.data()),
                                     size, static_cast<int>(out.size()), LZ4HC_CLEVEL_MAX);
    if (made <= 0) throw std::bad_alloc();
    out.resize(static_cast<std::size_t>(made));
    return out;
}

void unpack_block(ByteView packed, MutableByteView content) {
    const int made =
        LZ4_decompress_safe(reinterpret_cast<const char*>(packed.data()), reinterpret_cast<char*>(content.data()),
                            static_cast<int>(packed.size()), static_cast<int>(content.size()));
    if (made < 0 || static_cast<std::size_t>(made) != content.size()) decoder_damaged("LZ4", 0, "its rules are broken");
}

std::unique_ptr<Decoder> open_frame(ByteView packed, const Limits&) {
    return std::make_unique<Lz4Frame>(packed);
}

}  // namespace

bool unpack_lz4_block(ByteView packed, MutableByteView into) {
    const int size = static_cast<int>(into.size());
    return LZ4_decompress_safe_partial(reinterpret_cast<const char*>(packed.data()),
                                       reinterpret_cast<char*>(into.data()), static_cast<int>(packed.size()), size,
                                       size) == size;
}

}  // namespace hotstitch
#else
namespace hotstitch {

bool unpack_lz4_block(ByteView, MutableByteView) {
    decoder_unsupported("LZ4");
}

namespace {
std::unique_ptr<Decoder> open_frame(ByteView, const Limits&) {
    decoder_unsupported("LZ4");
}
Bytes pack_frame(ByteView, ByteView) {
    decoder_unsupported("LZ4");
}
constexpr auto pack_block = pack_frame;
void unpack_block(ByteView, MutableByteView) {
    decoder_unsupported("LZ4");
}
}  // namespace
}  // namespace hotstitch
#endif

namespace hotstitch {
namespace {

constexpr std::string_view block_name = "LZ4 block";

/// A length goes on in further bytes while they are FF.
std::uint64_t long_length(ByteView packed, std::size_t& at, unsigned nibble) {
    std::uint64_t length = nibble;
    if (nibble != 15) return length;
    while (true) {
        if (at == packed.size()) payload_truncated(block_name, at, "length");
        const unsigned more = u8(packed, at++);
        length += more;
        if (more != 255) return length;
    }
}

/// Walks over the sequences. The rules of the format's end hold: the last five bytes are literals, and no copy begins
/// within the last twelve.
Extent measure_block(ByteView packed) {
    constexpr std::uint64_t last_literals = 5, no_copy_within = 12;
    std::uint64_t made = 0, last_copy = 0;
    for (std::size_t at = 0; at < packed.size();) {
        const unsigned token = u8(packed, at++);
        const std::uint64_t literals = long_length(packed, at, token >> 4);
        if (literals > packed.size() - at) payload_truncated(block_name, at, "literals");
        at += static_cast<std::size_t>(literals), made += literals;
        if (at == packed.size()) {
            if (last_copy != 0 && (literals < last_literals || made < last_copy + no_copy_within))
                payload_damaged(block_name, at, "end", "literals, as the format ends", "a copy");
            return {at, made};
        }
        if (packed.size() - at < 2) payload_truncated(block_name, at, "copy distance");
        const unsigned distance = u16le(packed, at);
        if (distance == 0 || distance > made)
            payload_damaged(block_name, at, "copy distance", fmt::format("1 to {}", made), grouped(distance));
        at += 2;
        last_copy = made;
        made += long_length(packed, at, token & 15) + 4;
    }
    payload_truncated(block_name, packed.size(), "literals");
}

/// A first sequence that begins with a literal, as nothing can be copied yet.
bool begins_block(ByteView head) {
    return head.size() >= 16 && u8(head, 0) >> 4 != 0;
}

}  // namespace

constinit const Codec lz4_frame_codec{
    .name = "lz4",
    .title = "an LZ4-compressed file",
    .by_word = true,
    .begins = [](ByteView head) { return text_of(head).starts_with("\x04\x22\x4D\x18"); },
    .open = open_frame,
    .pack = pack_frame};
constinit const Codec lz4_block_codec{.name = "lz4-block",
                                      .title = "a bare LZ4 block",
                                      .by_rules_only = true,
                                      .begins = begins_block,
                                      .measure = measure_block,
                                      .unpack = unpack_block,
                                      .pack = pack_block};

}  // namespace hotstitch
