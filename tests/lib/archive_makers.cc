// SPDX-License-Identifier: MIT
#include "lib/archive_makers.h"

#include <bzlib.h>
#include <fmt/format.h>
#include <lzma.h>
#include <zlib.h>

#include <algorithm>
#include <stdexcept>

#include "hotstitch/digest.h"
#include "lib/patch_makers.h"

namespace makers {
namespace {

void put_at(std::string& header, std::size_t at, std::string_view text) {
    std::copy(text.begin(), text.end(), header.begin() + static_cast<std::ptrdiff_t>(at));
}

void put_checksum(std::string& header) {
    put_at(header, 148, "        ");
    unsigned sum = 0;
    for (const char c : header) sum += static_cast<unsigned char>(c);
    put_at(header, 148, fmt::format("{:06o}", sum) + std::string("\0 ", 2));
}

std::string little_endian(std::uint64_t value, std::size_t width) {
    std::string text = big_endian(value, width);
    std::reverse(text.begin(), text.end());
    return text;
}

}  // namespace

std::string tar_header(std::string_view name, std::uint64_t size, char kind) {
    std::string header(512, '\0');
    put_at(header, 0, name.substr(0, 99));
    put_at(header, 100, "0000644");
    put_at(header, 124, fmt::format("{:011o}", size));
    put_at(header, 136, "00000000000");
    header[156] = kind;
    put_at(header, 257, "ustar  ");
    put_checksum(header);
    return header;
}

std::string tar_blocks(std::string content) {
    content.resize((content.size() + 511) / 512 * 512);
    return content;
}

std::string tar_end() {
    return std::string(1024, '\0');
}

std::string sparse_tar(std::uint64_t size) {
    std::string header = tar_header("sparse", 512, 'S');
    put_at(header, 386, fmt::format("{:011o}", size - 512));  // the one stretch that is there
    put_at(header, 398, fmt::format("{:011o}", 512));
    put_at(header, 483, fmt::format("{:011o}", size));
    put_checksum(header);
    return header + std::string(512, 'x') + tar_end();
}

std::string gzipped(std::string_view content) {
    z_stream stream{};
    deflateInit2(&stream, 9, Z_DEFLATED, 15 + 16, 9, Z_DEFAULT_STRATEGY);
    std::string out(deflateBound(&stream, static_cast<uLong>(content.size())) + 32, '\0');
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(content.data()));
    stream.avail_in = static_cast<uInt>(content.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = static_cast<uInt>(out.size());
    if (deflate(&stream, Z_FINISH) != Z_STREAM_END) throw std::runtime_error("deflate");
    out.resize(stream.total_out);
    deflateEnd(&stream);
    return out;
}

std::string bzipped(std::string_view content) {
    std::string out(content.size() + content.size() / 100 + 600, '\0');
    auto size = static_cast<unsigned>(out.size());
    if (BZ2_bzBuffToBuffCompress(out.data(), &size, const_cast<char*>(content.data()),
                                 static_cast<unsigned>(content.size()), 9, 0, 0) != BZ_OK)
        throw std::runtime_error("bzip2");
    out.resize(size);
    return out;
}

std::string xzed(std::string_view content) {
    std::string out(lzma_stream_buffer_bound(content.size()), '\0');
    std::size_t size = 0;
    if (lzma_easy_buffer_encode(1, LZMA_CHECK_CRC64, nullptr, reinterpret_cast<const std::uint8_t*>(content.data()),
                                content.size(), reinterpret_cast<std::uint8_t*>(out.data()), &size,
                                out.size()) != LZMA_OK)
        throw std::runtime_error("xz");
    out.resize(size);
    return out;
}

hotstitch::Bytes with_folder_checksum(hotstitch::ByteView seven_zip, std::uint32_t crc32) {
    std::string text(hotstitch::text_of(seven_zip));
    constexpr std::size_t begin = 32;
    std::uint64_t offset = 0;
    for (std::size_t i = 8; i-- > 0;) offset = offset << 8 | static_cast<unsigned char>(text[12 + i]);
    std::string header = text.substr(begin + offset);
    // The end of the folders, the beginning of what is said of files, their checksums: all of them there.
    const std::size_t at = header.find(std::string("\0\x08\x0A\x01", 4));
    if (at == std::string::npos) throw std::runtime_error("no checksum where it is looked for");
    header.replace(at, 9, std::string("\x0A\x01", 2) + little_endian(crc32, 4) + std::string("\0\x08\0", 3));
    const std::string start = little_endian(offset, 8) + little_endian(header.size(), 8) +
                              little_endian(hotstitch::crc32(hotstitch::bytes_of(header)).value, 4);
    text = text.substr(0, 8) + little_endian(hotstitch::crc32(hotstitch::bytes_of(start)).value, 4) + start +
           text.substr(begin, offset) + header;
    return bytes(text);
}

}  // namespace makers
