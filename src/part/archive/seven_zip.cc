// SPDX-License-Identifier: MIT
// Reads the property list of a 7z header as far as the folders: each property is a byte and what belongs to it, numbers
// are of 1 to 9 bytes (the leading ones of the first byte say how many follow). A packed header is unpacked by liblzma.
// Tested by tests/part/archive_test.cc.
#include "part/archive/seven_zip.h"

#include "base/cursor.h"

#if HOTSTITCH_WITH_LZMA
#include <lzma.h>

#include <cstdlib>
#include <memory>
#endif

namespace hotstitch {
namespace {

constexpr std::uint64_t most_header = 16 << 20, most_entries = 100'000;
constexpr int most_packed = 4;  ///< headers packed in headers

enum Property : unsigned {
    end = 0x00,
    header = 0x01,
    main_streams = 0x04,
    files = 0x05,
    pack_info = 0x06,
    unpack_info = 0x07,
    substreams = 0x08,
    sizes = 0x09,
    digests = 0x0A,
    folder = 0x0B,
    unpack_sizes = 0x0C,
    stream_counts = 0x0D,
    packed_header = 0x17,
};

struct Coder {
    std::uint64_t method = 0;
    ByteView properties;
};

struct Folder {
    Coder only;  ///< where there is one coder
    std::uint64_t coders = 0, outputs = 0;
    std::uint64_t size = 0, largest = 0;  ///< unpacked, of the last output and of the largest
    FolderOf7z known{.files = 1, .crc32 = {}};
};

struct Streams {
    std::uint64_t position = 0;  ///< of the packed bytes
    std::vector<std::uint64_t> packed_sizes;
    std::vector<Folder> folders;
};

Error not_understood(const Cursor& from) {
    return Error(ErrorCode::damaged, "the archive's list of files is broken, encrypted, or in a form that is not read")
        .at(from.position())
        .hint("get the archive again, or unpack it with the program that made it");
}

class HeaderReader {
public:
    explicit HeaderReader(ByteView bytes) : in_(bytes) {}

    unsigned byte() { return std::to_integer<unsigned>(in_.take(1, "7z header")[0]); }
    void skip(std::uint64_t length) {
        if (length > in_.left()) throw not_understood(in_);
        in_.take(static_cast<std::size_t>(length), "7z header");
    }
    std::uint64_t number() {
        const unsigned first = byte();
        std::uint64_t value = 0;
        unsigned mask = 0x80;
        for (unsigned i = 0; i < 8; ++i, mask >>= 1) {
            if ((first & mask) == 0) return value | std::uint64_t{first & (mask - 1)} << (8 * i);
            value |= std::uint64_t{byte()} << (8 * i);
        }
        return value;
    }
    std::uint64_t count() {
        const std::uint64_t value = number();
        if (value > most_entries) throw not_understood(in_);
        return value;
    }

    Streams streams() {
        Streams all;
        unsigned property = byte();
        if (property == pack_info) read_pack_info(all), property = byte();
        if (property == unpack_info) read_unpack_info(all), property = byte();
        if (property == substreams) read_substreams(all), property = byte();
        if (property != end) throw not_understood(in_);
        return all;
    }

private:
    /// Which of `total` are there, and their values.
    std::vector<std::optional<Crc32>> checksums(std::uint64_t total) {
        std::vector<std::optional<Crc32>> all(static_cast<std::size_t>(total));
        const bool every = byte() != 0;
        std::vector<bool> present(all.size(), every);
        unsigned bits = 0;
        for (std::size_t i = 0; !every && i < all.size(); ++i) {
            if (i % 8 == 0) bits = byte();
            present[i] = (bits & (0x80U >> (i % 8))) != 0;
        }
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (!present[i]) continue;
            std::uint32_t value = 0;
            for (int shift = 0; shift < 32; shift += 8) value |= byte() << shift;
            all[i] = Crc32{value};
        }
        return all;
    }

    void read_pack_info(Streams& all) {
        all.position = number();
        const std::uint64_t total = count();
        for (unsigned property = byte(); property != end; property = byte()) {
            if (property == sizes)
                for (std::uint64_t i = 0; i < total; ++i) all.packed_sizes.push_back(number());
            else if (property == digests)
                checksums(total);
            else
                throw not_understood(in_);
        }
    }

    Folder read_folder() {
        Folder one;
        one.coders = count();
        std::uint64_t inputs = 0;
        for (std::uint64_t i = 0; i < one.coders; ++i) {
            const unsigned flags = byte();
            one.only = {};
            for (unsigned n = flags & 0x0F; n != 0; --n) one.only.method = one.only.method << 8 | byte();
            const bool complex = (flags & 0x10) != 0;
            inputs += complex ? count() : 1;
            one.outputs += complex ? count() : 1;
            if ((flags & 0x20) != 0) one.only.properties = in_.take(static_cast<std::size_t>(count()), "7z coder");
        }
        if (one.outputs == 0 || inputs + 1 < one.outputs) throw not_understood(in_);
        for (std::uint64_t i = 0; i + 1 < one.outputs; ++i) number(), number();  // which output feeds which input
        if (const std::uint64_t packed = inputs + 1 - one.outputs; packed > 1)
            for (std::uint64_t i = 0; i < packed; ++i) number();
        return one;
    }

    void read_unpack_info(Streams& all) {
        if (byte() != folder) throw not_understood(in_);
        const std::uint64_t total = count();
        if (byte() != 0) throw not_understood(in_);  // described elsewhere
        for (std::uint64_t i = 0; i < total; ++i) all.folders.push_back(read_folder());
        for (unsigned property = byte(); property != end; property = byte()) {
            if (property == unpack_sizes) {
                for (Folder& one : all.folders)
                    for (std::uint64_t i = 0; i < one.outputs; ++i)
                        one.size = number(), one.largest = std::max(one.largest, one.size);
            } else if (property == digests) {
                const auto sums = checksums(total);
                for (std::size_t i = 0; i < all.folders.size(); ++i) all.folders[i].known.crc32 = sums[i];
            } else {
                throw not_understood(in_);
            }
        }
    }

    /// How many files each folder holds; their sizes and checksums are libarchive's to check.
    void read_substreams(Streams& all) {
        unsigned property = byte();
        if (property == stream_counts) {
            for (Folder& one : all.folders) one.known.files = count();
            property = byte();
        }
        std::uint64_t unchecked = 0;
        for (const Folder& one : all.folders)
            unchecked += one.known.files == 1 && one.known.crc32 ? 0 : one.known.files;
        if (unchecked > most_entries) throw not_understood(in_);
        for (; property != end; property = byte()) {
            if (property == sizes) {
                for (const Folder& one : all.folders)
                    for (std::uint64_t i = 1; i < one.known.files; ++i) number();
            } else if (property == digests) {
                checksums(unchecked);
            } else {
                throw not_understood(in_);
            }
        }
    }

    Cursor in_;
};

/// libarchive takes memory for whatever sizes and numbers a header claims.
void refuse_past(std::uint64_t claimed, std::uint64_t most, const char* field) {
    if (claimed > most)
        throw Error(ErrorCode::limit, "the archive claims to hold more than is allowed")
            .in(field)
            .wanted(fmt::format("at most {}", most))
            .found(fmt::format("{}", claimed));
}

#if HOTSTITCH_WITH_LZMA
/// The packed header: one coder, LZMA or LZMA2.
Bytes unpacked_header(ByteView archive, const Streams& streams) {
    constexpr std::uint64_t stored = 0, lzma1 = 0x030101, lzma2 = 0x21, after_signature = 32;
    if (streams.folders.size() != 1 || streams.packed_sizes.size() != 1) return {};
    const Folder& folder = streams.folders.front();
    const std::uint64_t begin = after_signature + streams.position, length = streams.packed_sizes.front();
    if (folder.coders != 1 || folder.size > most_header || begin > archive.size() || length > archive.size() - begin)
        return {};
    if (folder.only.method == stored) {
        const ByteView bytes = archive.subspan(static_cast<std::size_t>(begin), static_cast<std::size_t>(length));
        return {bytes.begin(), bytes.end()};
    }
    if (folder.only.method != lzma1 && folder.only.method != lzma2) return {};
    lzma_filter filters[] = {{folder.only.method == lzma1 ? LZMA_FILTER_LZMA1 : LZMA_FILTER_LZMA2, nullptr},
                             {LZMA_VLI_UNKNOWN, nullptr}};
    const ByteView properties = folder.only.properties;
    if (lzma_properties_decode(filters, nullptr, reinterpret_cast<const std::uint8_t*>(properties.data()),
                               properties.size()) != LZMA_OK)
        return {};
    const std::unique_ptr<void, void (*)(void*)> options(filters[0].options, std::free);
    if (lzma_raw_decoder_memusage(filters) > 4 * most_header) return {};
    Bytes out(static_cast<std::size_t>(folder.size));
    // Without a mark of its end: it is done when the stated size is there.
    lzma_stream stream = LZMA_STREAM_INIT;
    if (lzma_raw_decoder(&stream, filters) != LZMA_OK) return {};
    stream.next_in = reinterpret_cast<const std::uint8_t*>(archive.data() + begin);
    stream.avail_in = static_cast<std::size_t>(length);
    stream.next_out = reinterpret_cast<std::uint8_t*>(out.data());
    stream.avail_out = out.size();
    lzma_ret result = LZMA_OK;
    while (result == LZMA_OK && stream.avail_out != 0) result = lzma_code(&stream, LZMA_RUN);
    const bool whole = stream.avail_out == 0;
    lzma_end(&stream);
    if (!whole) return {};
    return out;
}
#else
Bytes unpacked_header(ByteView, const Streams&) {
    return {};
}
#endif

}  // namespace

std::vector<FolderOf7z> folders_of_7z(ByteView archive, const Limits& limits) try {
    constexpr std::size_t begin = 32;
    Cursor start(archive);
    start.take(12, "7z signature");
    const std::uint64_t offset = start.little_endian(8, "7z header offset"),
                        size = start.little_endian(8, "7z header size");
    start.take(4, "7z header checksum");
    const std::uint64_t room = archive.size() - begin, most_unpacked = limits.unpacked_for(archive.size());
    if (offset > room || size > room - offset) throw not_understood(start);
    if (size == 0) return {};  // nothing in it
    ByteView bytes = archive.subspan(static_cast<std::size_t>(begin + offset), static_cast<std::size_t>(size));
    Bytes storage;
    for (int packed = 0; packed <= most_packed; ++packed) {
        HeaderReader reader(bytes);
        const unsigned kind = reader.byte();
        if (kind == packed_header && !HOTSTITCH_WITH_LZMA) return {};
        if (kind == packed_header) {
            const Streams streams = reader.streams();
            for (const Folder& folder : streams.folders) refuse_past(folder.largest, most_header, "7z header");
            storage = unpacked_header(archive, streams);
            if (storage.empty()) break;
            bytes = storage;
            continue;
        }
        if (kind != header) break;
        unsigned property = reader.byte();
        std::vector<FolderOf7z> folders;
        if (property == main_streams) {
            for (const Folder& folder : reader.streams().folders) {
                refuse_past(folder.largest, most_unpacked, "archive unpacked");
                folders.push_back(folder.known);
            }
            property = reader.byte();
        }
        if (property == files)
            refuse_past(reader.number(), limits.archive_members, "archive members");
        else if (property != end)
            break;
        return folders;
    }
    throw not_understood(start);
} catch (const Error& error) {
    if (error.code() != ErrorCode::truncated) throw;
    throw Error(ErrorCode::damaged, "the archive's list of files ends too early")
        .at(error.offset().value_or(0))
        .hint("get the archive again; it was likely damaged or cut short");
}

}  // namespace hotstitch
