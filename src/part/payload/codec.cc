// SPDX-License-Identifier: MIT
// The table of codecs, and what holds for all: a payload is measured before anything is made of it, and what is packed
// is unpacked again and compared. Tested by tests/part/payload_test.cc.
#include "part/payload/codec.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "part/archive/budget.h"
#include "part/payload/console_codecs.h"
#include "part/payload/library_codecs.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t head_size = 64, most_padding = 4096;
constexpr std::string_view wrapper = "LZ77";

/// What its rules alone tell comes last.
constexpr std::array all_codecs{&lz10,
                                &lz11,
                                &huffman4,
                                &huffman8,
                                &run_length,
                                &yaz0,
                                &gzip_codec,
                                &zlib_codec,
                                &xz_codec,
                                &bzip2_codec,
                                &zstd_codec,
                                &lzma_alone_codec,
                                &lz4_frame_codec,
                                &lz4_block_codec,
                                &deflate_codec};

/// What a library unpacks, in pieces.
template <class Take>
std::uint64_t read_all(const Codec& codec, ByteView packed, const Limits& limits, Take&& take) {
    ArchiveBudget budget(limits, packed.size());
    const auto decoder = codec.open(packed, limits);
    Bytes buffer(64 << 10);
    const auto next = [&] {
        const ArchiveBudget::Turn turn(budget);
        const std::size_t got = decoder->read(buffer);
        budget.unpacked(got, decoder->consumed());
        return got;
    };
    while (const std::size_t got = next()) take(ByteView(buffer).first(got));
    return decoder->consumed();
}

bool is_padding(ByteView rest) {
    return rest.empty() || (rest.size() < most_padding && all_equal(rest) &&
                            (rest.front() == std::byte{0} || rest.front() == std::byte{0xFF}));
}

/// Whether a payload of this extent can be all that the file is.
bool is_whole(const Codec& codec, ByteView file, const Extent& extent) {
    if (extent.content == 0) return false;
    if (codec.by_rules_only) return extent.packed == file.size() && extent.content > extent.packed;
    return is_padding(file.subspan(static_cast<std::size_t>(extent.packed)));
}

/// Padding as it was: to the same alignment, else in the same room. Consoles load whole words, so one of their payloads
/// that happened to end with a word stays a multiple of it.
void pad_like(const Codec& codec, Bytes& made, ByteView old_file, std::uint64_t old_packed) {
    const std::uint64_t size = old_file.size();
    const bool needs_words = codec.open == nullptr && !codec.by_rules_only && size % 4 == 0;
    if (size == old_packed && !needs_words) return;
    const std::byte fill = size == old_packed ? std::byte{0} : old_file.back();
    const auto aligned = [](std::uint64_t n, std::uint64_t to) { return (n + to - 1) / to * to; };
    for (std::uint64_t to = 4; to <= most_padding; to *= 2)
        if (aligned(old_packed, to) == size)
            return made.resize(static_cast<std::size_t>(aligned(made.size(), to)), fill);
    if (made.size() < size) made.resize(static_cast<std::size_t>(size), fill);
}

}  // namespace

std::span<const Codec* const> codecs() noexcept {
    return all_codecs;
}

const Codec* codec_by_name(std::string_view name) noexcept {
    const auto found =
        std::find_if(all_codecs.begin(), all_codecs.end(), [&](const Codec* c) { return c->name == name; });
    return found == all_codecs.end() ? nullptr : *found;
}

bool is_codec(std::string_view name) noexcept {
    return codec_by_name(name) != nullptr;
}

std::string codec_names() {
    std::string names;
    for (const Codec* const codec : all_codecs) names += fmt::format("{}{}", names.empty() ? "" : ", ", codec->name);
    return names;
}

const Codec* codec_by_begin(ByteView head) noexcept {
    for (const Codec* const codec : all_codecs)
        if (codec->begins(head)) return codec;
    return nullptr;
}

const Codec* codec_of(const ByteSource& file) {
    if (file.size() > largest_payload || file.size() < 4) return nullptr;
    const Bytes head = head_of(file, head_size);
    std::optional<WholeView> whole;
    for (const Codec* const codec : all_codecs) {
        if (!codec->begins(head)) continue;
        if (!whole) whole.emplace(file);
        try {
            if (is_whole(*codec, *whole, measure(*codec, *whole, {}))) return codec;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io) throw;  // else it is none of this codec
        }
    }
    return nullptr;
}

Extent measure(const Codec& codec, ByteView packed, const Limits& limits) {
    if (codec.measure != nullptr) return codec.measure(packed);
    Extent extent;
    extent.packed = read_all(codec, packed, limits, [&](ByteView bytes) { extent.content += bytes.size(); });
    return extent;
}

void unpack(const Codec& codec, ByteView packed, ByteSink& out, const Limits& limits) {
    if (codec.measure == nullptr) {
        read_all(codec, packed, limits, [&](ByteView bytes) { out.write(bytes); });
        return;
    }
    const std::uint64_t size = codec.measure(packed).content;
    if (size > limits.memory)
        throw Error(ErrorCode::limit, "the payload unpacks to more than is allowed in memory")
            .wanted(fmt::format("at most {}", exact_size(limits.memory)))
            .found(exact_size(size));
    Bytes content(static_cast<std::size_t>(size));
    codec.unpack(packed, content);
    out.write(content);
}

Bytes repacked(const Codec& codec, ByteView old_file, ByteView content, const Limits& limits) {
    const Extent old = measure(codec, old_file, limits);
    const auto holds_content = [&](ByteView packed) {
        MemorySink sink;
        unpack(codec, packed, sink, limits);
        return std::equal(content.begin(), content.end(), sink.bytes().begin(), sink.bytes().end());
    };
    if (old.content == content.size() && holds_content(old_file)) return {old_file.begin(), old_file.end()};
    Bytes made = codec.pack(content, old_file.first(static_cast<std::size_t>(old.packed)));
    if (!holds_content(made))
        throw Error(ErrorCode::wrong_target, "what was packed does not unpack to what was given")
            .hint("this is a fault of the program: please report it with both files");
    pad_like(codec, made, old_file, old.packed);
    return made;
}

bool has_console_header(ByteView head, unsigned codec) noexcept {
    if (text_of(head).starts_with(wrapper)) head = head.subspan(wrapper.size());
    // No content: nothing was packed. A size of 0 in the 24 bits has the real one behind it.
    return head.size() >= 5 && u8(head, 0) == codec &&
           ((u32le(head, 0) >> 8) != 0 || (head.size() >= 8 && u32le(head, 4) != 0));
}

ConsoleHeader console_header(ByteView packed, std::string_view name) {
    ConsoleHeader header;
    if (text_of(packed).starts_with(wrapper)) header.begin = wrapper.size();
    header.data = header.begin + 4;
    if (packed.size() < header.data) payload_truncated(name, packed.size(), "header");
    header.content = u32le(packed, header.begin) >> 8;
    if (header.content != 0) return header;
    header.data += 4;
    if (packed.size() < header.data) payload_truncated(name, packed.size(), "header");
    header.content = u32le(packed, header.begin + 4);
    return header;
}

Bytes console_header_like(ByteView like, std::uint64_t content) {
    if (content > UINT32_MAX) throw Error(ErrorCode::limit, "a payload of this codec holds at most 4 GiB");
    Bytes out;
    const ConsoleHeader header = console_header(like, "old");
    out.assign(like.begin(), like.begin() + static_cast<std::ptrdiff_t>(header.begin) + 1);
    const bool is_long = content == 0 || content >= (1U << 24);
    for (unsigned i = 0; i < 3; ++i) out.push_back(is_long ? std::byte{} : static_cast<std::byte>(content >> (8 * i)));
    for (unsigned i = 0; is_long && i < 4; ++i) out.push_back(static_cast<std::byte>(content >> (8 * i)));
    return out;
}

void payload_truncated(std::string_view name, std::uint64_t at, std::string_view field) {
    throw Error(ErrorCode::truncated, fmt::format("the {} payload ends inside its {}", name, field))
        .at(at)
        .in(std::string(field))
        .hint("it was cut short, or something else only begins like it");
}

void payload_damaged(std::string_view name, std::uint64_t at, std::string_view field, const std::string& wanted,
                     const std::string& found) {
    throw Error(ErrorCode::damaged, fmt::format("the {} payload is damaged: its {} is out of range", name, field))
        .at(at)
        .in(std::string(field))
        .wanted(wanted)
        .found(found)
        .hint("it was changed or cut, or something else only begins like it");
}

Bytes pack_content(std::string_view name, ByteView content) {
    const Codec* const codec = codec_by_name(name);
    if (codec == nullptr)
        throw Error(ErrorCode::usage, "there is no codec of this name").found(std::string(name)).wanted(codec_names());
    if (name != "xz")
        throw Error(ErrorCode::unsupported,
                    fmt::format("{} is packed like an older file of its kind, and there is none", name));
    return codec->pack(content, {});
}

}  // namespace hotstitch
