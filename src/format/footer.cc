// SPDX-License-Identifier: MIT
#include "format/footer.h"

#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr std::size_t spill_from = 256 << 10;

std::uint32_t little_endian(ByteView bytes) {
    std::uint32_t value = 0;
    for (std::size_t i = 4; i-- > 0;) value = value << 8 | std::to_integer<std::uint32_t>(bytes[i]);
    return value;
}

void put_little_endian(Bytes& out, std::uint32_t value) {
    for (int i = 0; i < 4; ++i) out.push_back(static_cast<std::byte>(value >> (8 * i)));
}

}  // namespace

Footer checked_footer(ByteView patch, std::size_t header_size) {
    if (patch.size() < header_size + footer_size)
        throw Error(ErrorCode::truncated, "the patch is too short to be whole")
            .at(patch.size())
            .in("footer")
            .wanted(fmt::format("at least {}", counted(header_size + footer_size, "byte", "bytes")))
            .found(counted(patch.size(), "byte", "bytes"))
            .hint("the download was likely cut short; get the patch again");
    const ByteView footer = patch.last(footer_size);
    const Crc32 wanted{little_endian(footer.last(4))}, found = crc32(patch.first(patch.size() - 4));
    if (wanted != found)
        throw Error(ErrorCode::damaged, "the patch does not match its own checksum")
            .at(patch.size() - 4)
            .in("crc32 of the patch")
            .wanted(wanted.hex())
            .found(found.hex())
            .hint("the patch was damaged on its way; get it again, as a binary file");
    return {{little_endian(footer.first(4))}, {little_endian(footer.subspan(4, 4))}};
}

void PatchOutput::append(ByteView bytes) {
    spill();
    if (bytes.size() < spill_from) {
        buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
        return;
    }
    flush();
    crc_ = crc32(bytes, crc_);
    sink_.write(bytes);
}

void PatchOutput::spill() {
    if (buffer_.size() >= spill_from) flush();
}

void PatchOutput::flush() {
    crc_ = crc32(buffer_, crc_);
    sink_.write(buffer_);
    buffer_.clear();
}

void PatchOutput::finish_with_footer(const Footer& footer) {
    put_little_endian(buffer_, footer.source.value);
    put_little_endian(buffer_, footer.target.value);
    flush();
    put_little_endian(buffer_, crc_.value);
    sink_.write(buffer_);
    buffer_.clear();
}

}  // namespace hotstitch
