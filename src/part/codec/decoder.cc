// SPDX-License-Identifier: MIT
// Tested by tests/part/archive_test.cc.
#include "part/codec/decoder.h"

#include <fmt/format.h>

#include "hotstitch/error.h"

namespace hotstitch {

using namespace std::string_view_literals;

std::unique_ptr<Decoder> open_decoder(ByteView packed, const Limits& limits) {
    const std::string_view text = text_of(packed.first(std::min<std::size_t>(packed.size(), 6)));
    if (text.starts_with("\x1F\x8B"sv)) return open_gzip(packed);
    if (text.starts_with("BZh"sv)) return open_bzip2(packed);
    if (text.starts_with("\xFD\x37\x7A\x58\x5A\0"sv)) return open_xz(packed, limits);
    if (text.starts_with("\x28\xB5\x2F\xFD"sv)) return open_zstd(packed);
    return nullptr;
}

void decoder_damaged(std::string_view name, std::uint64_t at, std::string_view why) {
    throw Error(ErrorCode::damaged, fmt::format("the {} data is damaged: {}", name, why))
        .at(at)
        .hint("get the file again; it was damaged on its way, or packed by a broken program");
}

void decoder_truncated(std::string_view name, std::uint64_t at) {
    throw Error(ErrorCode::truncated, fmt::format("the {} data ends too early", name))
        .at(at)
        .hint("get the file again; it was cut short on its way");
}

void decoder_unsupported(std::string_view name) {
    throw Error(ErrorCode::unsupported, fmt::format("this build does not unpack {}", name))
        .hint("unpack the file first");
}

}  // namespace hotstitch
