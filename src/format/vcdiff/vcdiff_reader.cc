// SPDX-License-Identifier: MIT
// VCDIFF, RFC 3284 and its extensions in the field, docs/formats/vcdiff.md:
//
//     D6 C3 C4 00  u8 flags  [u8 compressor]  [int length, code table]  [int length, application header]  window*
//     window = u8 flags  [int segment-size, int segment-position]  int delta-length  int target-size  u8 delta-flags
//              int data-size  int instructions-size  int addresses-size  [u32be adler32]  data instructions addresses
//
// Tested by tests/format/vcdiff_test.cc against the reference in tests/lib/.
#include "format/vcdiff/vcdiff_reader.h"

#include <vector>

#include "format/vcdiff/compress/decompressor.h"
#include "format/vcdiff/window_decoder.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

unsigned take_flags(Cursor& cursor, unsigned known, std::string_view field) {
    const std::uint64_t at = cursor.position();
    const auto flags = std::to_integer<unsigned>(cursor.take(1, field)[0]);
    if ((flags & ~known) != 0)
        throw Error(ErrorCode::unsupported, fmt::format("the {} have bits of an unknown meaning", field))
            .at(at)
            .in(std::string(field))
            .found(fmt::format("{:02x}", flags))
            .wanted(fmt::format("bits of {:02x} only", known))
            .hint("the patch was made by a newer or other kind of program; ask its author for a plain VCDIFF patch");
    return flags;
}

Error compressor_unsupported(unsigned id, std::uint64_t at) {
    const bool adaptive = id == static_cast<unsigned>(Compressor::adaptive_huffman);
    return Error(ErrorCode::unsupported,
                 adaptive ? "the patch is compressed by adaptive Huffman codes (compressor 16), which are not read"
                          : fmt::format("the patch is compressed in an unknown way (compressor {})", id))
        .at(at)
        .in("compressor")
        .hint("ask the patch's author for one without secondary compression, or with LZMA");
}

/// What one section may unpack to: no instruction needs more bytes of it for each byte it makes; the rest is room for
/// odd encoders.
std::uint64_t unpacked_budget(std::uint64_t window, std::uint64_t packed) {
    return 4096 + 16 * window + 64 * packed;
}

/// What all instructions of a patch may unpack to: a few bytes can become very many instructions of one byte each,
/// legal, and slow without end.
std::uint64_t instruction_budget(std::uint64_t patch_size) {
    return (std::uint64_t{16} << 20) + 64 * patch_size;
}

/// The same error, with the number of its window.
Error in_window(const Error& error, std::uint64_t number) {
    Error told(error.code(), fmt::format("window {}: {}", number, error.what()));
    if (error.offset()) told = std::move(told).at(*error.offset());
    return std::move(told)
        .in(error.field().empty() ? fmt::format("window {}", number)
                                  : fmt::format("window {}, {}", number, error.field()))
        .wanted(error.wanted())
        .found(error.found())
        .hint(error.hint());
}

/// "target-name/tag/source-name/tag", the form that programs in the field give the application header.
void take_names(PatchFacts& facts) {
    std::vector<std::string> fields{{}};
    for (const char c : facts.metadata) {
        if (c == '/')
            fields.emplace_back();
        else
            fields.back() += c;
    }
    if (fields.size() != 4) return;
    const auto without_folders = [](const std::string& name) { return name.substr(name.rfind('\\') + 1); };
    facts.named_target = without_folders(fields[0]);
    facts.named_source = without_folders(fields[2]);
    facts.source_was_packed = !fields[3].empty();
}

}  // namespace

/// A window and where its sections stand in the patch.
struct Reader::OpenWindow : Window {
    std::array<std::uint64_t, section_count> section_offsets{};
};

Reader::Reader(ByteView patch, const Limits& limits, Nested nested) : patch_(patch), limits_(limits) {
    Cursor cursor(patch_, 0);
    facts_.format = PatchFormat::vcdiff;
    facts_.patch_size = patch.size();
    read_header(cursor, nested);
    first_window_ = cursor.position();
    std::uint64_t made = 0;
    walk([&](const OpenWindow& window) {
        ++facts_.windows;
        facts_.checked_windows += window.adler32 ? 1 : 0;
        facts_.largest_window = std::max(facts_.largest_window, window.length);
        facts_.reads_target |= window.segment == Segment::target;
        if (window.segment == Segment::source && window.segment_length != 0)
            facts_.source_reach = std::max(facts_.source_reach, window.segment_offset + window.segment_length);
        for (const bool compressed : window.section_compressed)
            if (compressed) facts_.compressor = compressor_ == unsigned(Compressor::lzma) ? "LZMA" : "Huffman";
        made = window.offset + window.length;
        return Flow::go_on;
    });
    facts_.records = facts_.windows;
    facts_.target.size = made;
}

void Reader::read_header(Cursor& cursor, Nested nested) {
    const ByteView head = cursor.take(magic.size(), "magic");
    if (text_of(head) != magic) throw Error(ErrorCode::not_this_format, "this is no VCDIFF stream").at(0).in("magic");
    const auto found = std::to_integer<unsigned>(cursor.take(1, "version")[0]);
    if (found != version)
        throw Error(ErrorCode::unsupported, "the patch is in a version of VCDIFF that is not read")
            .at(magic.size())
            .in("version")
            .found(fmt::format("{:02x}", found))
            .wanted("00, as RFC 3284 has it")
            .hint("ask the patch's author for one in the version of RFC 3284");
    const unsigned flags = take_flags(cursor, header_flag::all, "header flags");
    if ((flags & header_flag::compressor) != 0)
        compressor_ = std::to_integer<unsigned>(cursor.take(1, "compressor")[0]);
    if ((flags & header_flag::code_table) != 0) {
        if (nested == Nested::yes)
            throw Error(ErrorCode::damaged, "a code table's own stream has a code table").at(cursor.position());
        const std::uint64_t length = take_integer(cursor, "code table's length"), at = cursor.position();
        table_ = read_code_table(cursor.take(length, "code table"), at);
        facts_.own_code_table = true;
    } else {
        table_ = default_code_table();
    }
    if ((flags & header_flag::application) != 0) {
        const std::uint64_t length = take_integer(cursor, "application header's length");
        const ByteView text = cursor.take(length, "application header");
        facts_.metadata_size = text.size();
        facts_.metadata = text_of(text).substr(0, limits_.metadata);
        take_names(facts_);
    }
}

template <class Use>
Flow Reader::walk(Use&& use) const {
    Cursor cursor(patch_, first_window_);
    OpenWindow window;
    while (cursor.left() != 0) {
        try {
            window = take_window(cursor, window);
        } catch (const Error& error) {
            throw in_window(error, window.number + 1);
        }
        if (use(window) == Flow::stop) return Flow::stop;
    }
    return Flow::go_on;
}

namespace {

void take_segment(Cursor& cursor, unsigned flags, Window& window) {
    const std::uint64_t at = cursor.position();
    if ((flags & window_flag::source) != 0 && (flags & window_flag::target) != 0)
        throw Error(ErrorCode::damaged, "it has a segment of the source and one of the target at once")
            .at(at)
            .in("window flags");
    if ((flags & (window_flag::source | window_flag::target)) == 0) return;
    window.segment = (flags & window_flag::source) != 0 ? Segment::source : Segment::target;
    window.segment_length = take_integer(cursor, "segment size");
    window.segment_offset = take_integer(cursor, "segment position");
    window.source_read |= window.segment == Segment::source && window.segment_length != 0;
    const std::uint64_t most = window.segment == Segment::target ? window.offset : UINT64_MAX;
    if (window.segment_offset > most || window.segment_length > most - window.segment_offset)
        throw Error(ErrorCode::damaged, window.segment == Segment::target
                                            ? "its segment runs past the target made so far"
                                            : "its segment runs past 64 bits")
            .at(at)
            .in("segment")
            .wanted(fmt::format("at most offset {}", most))
            .found(fmt::format("{} from offset {}", counted(window.segment_length, "byte", "bytes"),
                               window.segment_offset));
}

}  // namespace

Reader::OpenWindow Reader::take_window(Cursor& cursor, const Window& before) const {
    OpenWindow window;
    window.number = before.number + 1;
    window.offset = before.offset + before.length;
    window.source_read = before.source_read;
    window.patch_offset = cursor.position();
    const unsigned flags = take_flags(cursor, window_flag::all, "window flags");
    take_segment(cursor, flags, window);
    const std::uint64_t delta_length = take_integer(cursor, "delta length"), begin = cursor.position();
    if (delta_length > cursor.left())
        throw Error(ErrorCode::truncated, "the patch ends inside it")
            .at(begin)
            .in("delta length")
            .wanted(counted(delta_length, "byte", "bytes"))
            .found(counted(cursor.left(), "byte", "bytes"))
            .hint("the download was likely cut short; get the patch again");
    window.length = take_integer(cursor, "target window size");
    if (window.length > limits_.window)
        throw Error(ErrorCode::limit, "it makes more bytes at once than is allowed")
            .at(begin)
            .in("target window size")
            .wanted(fmt::format("at most {}", counted(limits_.window, "byte", "bytes")))
            .found(counted(window.length, "byte", "bytes"));
    if (window.length > UINT64_MAX - window.offset)
        throw Error(ErrorCode::damaged, "the target would pass 64 bits").at(begin).in("target window size");
    const std::uint64_t flags_at = cursor.position();
    const unsigned delta_flags = take_flags(cursor, all_delta_flags, "delta flags");
    if (delta_flags != 0 && !compressor_)
        throw Error(ErrorCode::damaged, "it has compressed sections, and the header names no compressor")
            .at(flags_at)
            .in("delta flags");
    if (delta_flags != 0 && !can_decompress(*compressor_)) throw compressor_unsupported(*compressor_, flags_at);
    for (unsigned s = 0; s < section_count; ++s) {
        window.section_sizes[s] = take_integer(cursor, "section sizes");
        window.section_compressed[s] = (delta_flags >> s & 1) != 0;
    }
    if ((flags & window_flag::adler32) != 0)
        window.adler32 = Adler32{static_cast<std::uint32_t>(cursor.big_endian(4, "adler32"))};
    for (unsigned s = 0; s < section_count; ++s) {
        window.section_offsets[s] = cursor.position();
        cursor.take(window.section_sizes[s], section_names[s]);
    }
    if (cursor.position() - begin != delta_length)
        throw Error(ErrorCode::damaged, "its sections do not fill its length")
            .at(begin)
            .in("delta length")
            .wanted(counted(cursor.position() - begin, "byte", "bytes"))
            .found(counted(delta_length, "byte", "bytes"));
    window.patch_length = cursor.position() - window.patch_offset;
    return window;
}

Flow Reader::windows(const std::function<Flow(const Window&)>& use) const {
    return walk([&](const OpenWindow& window) { return use(window); });
}

Flow Reader::read(std::uint64_t source_size, EditSink& sink) const {
    const auto decompressor = make_decompressor(compressor_, limits_);
    auto* const watcher = dynamic_cast<WindowSink*>(&sink);
    AddressCache cache(table_.near, table_.same);
    std::array<Bytes, section_count> unpacked;
    std::uint64_t instructions_left = instruction_budget(patch_.size());
    return walk([&](const OpenWindow& window) {
        if (window.segment == Segment::source && window.segment_length != 0 &&
            (window.segment_offset > source_size || window.segment_length > source_size - window.segment_offset))
            throw Error(ErrorCode::wrong_source, "the patch reads past the end of this source")
                .at(window.patch_offset)
                .in(fmt::format("window {}, segment", window.number))
                .wanted(
                    fmt::format("at least {}", counted(window.segment_offset + window.segment_length, "byte", "bytes")))
                .found(counted(source_size, "byte", "bytes"));
        if (watcher != nullptr && watcher->begin(window) == Flow::stop) return Flow::stop;
        try {
            std::array<Cursor, section_count> sections{Cursor({}), Cursor({}), Cursor({})};
            for (unsigned s = 0; s < section_count; ++s) {
                const std::uint64_t at = window.section_offsets[s], size = window.section_sizes[s];
                if (window.section_compressed[s]) {
                    const std::uint64_t budget = unpacked_budget(window.length, size);
                    decompress_section(*decompressor, s, patch_.subspan(at, size), at,
                                       s == instructions ? std::min(budget, instructions_left) : budget, unpacked[s]);
                    sections[s] = Cursor(unpacked[s]);
                    if (s == instructions) instructions_left -= unpacked[s].size();
                } else {
                    sections[s] = Cursor(patch_.first(at + size), at);
                }
            }
            cache.clear();
            if (WindowDecoder(table_, window, sections, cache, sink).run() == Flow::stop) return Flow::stop;
        } catch (const Error& error) {
            // What the sink says of the source or the system is its own business.
            if (error.code() != ErrorCode::damaged && error.code() != ErrorCode::truncated &&
                error.code() != ErrorCode::limit)
                throw;
            throw in_window(error, window.number);
        }
        return watcher != nullptr ? watcher->end(window) : Flow::go_on;
    });
}

}  // namespace hotstitch::vcdiff
