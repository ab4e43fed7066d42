// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_disc_test.cc.
#include "io/journal_format.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/digest.h"
#include "hotstitch/error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view magic = "HS-JRNL1";
constexpr std::size_t fixed_size = 48, range_size = 32;
constexpr std::uint64_t most_ranges = 1 << 24, most_text = 64 << 10;

std::uint64_t number(ByteView bytes, std::size_t at, unsigned width) {
    std::uint64_t value = 0;
    for (unsigned i = width; i-- > 0;) value = value << 8 | std::to_integer<std::uint64_t>(bytes[at + i]);
    return value;
}

[[noreturn]] void damaged(const fs::path& path) {
    throw Error(ErrorCode::damaged, fmt::format("{} is no journal, or a damaged one", path.string()))
        .hint("nothing was touched; if the file it belongs to is whole, remove the journal");
}

}  // namespace

void put_journal_number(Bytes& out, std::uint64_t value, unsigned width) {
    for (unsigned i = 0; i < width; ++i) out.push_back(static_cast<std::byte>(value >> (8 * i)));
}

Bytes journal_header(const JournalContent& content) {
    std::string text;
    for (const std::string& one : content.journal.what) text += one + "\n";
    text.resize(std::min<std::size_t>(text.size(), most_text));
    const ByteView start = bytes_of(magic);
    Bytes out(start.begin(), start.end());
    put_journal_number(out, content.device, 8), put_journal_number(out, content.inode, 8);
    put_journal_number(out, content.journal.size_before, 8), put_journal_number(out, content.journal.size_after, 8);
    put_journal_number(out, content.ranges.size(), 4), put_journal_number(out, text.size(), 4);
    const ByteView letters = bytes_of(text);
    out.insert(out.end(), letters.begin(), letters.end());
    for (const JournalRange& range : content.ranges) {
        put_journal_number(out, range.offset, 8), put_journal_number(out, range.old_length, 8),
            put_journal_number(out, range.new_length, 8);
        put_journal_number(out, range.old_crc, 4), put_journal_number(out, range.new_crc, 4);
    }
    return out;
}

JournalContent read_journal(const InputFile& file) {
    if (file.size() < fixed_size + 4) damaged(file.path());
    const auto bytes_at = [&](std::uint64_t offset, std::uint64_t length) {
        Bytes scratch(static_cast<std::size_t>(length));
        const ByteView read = file.read(offset, scratch.size(), scratch);
        return Bytes(read.begin(), read.end());
    };
    Bytes bytes = bytes_at(0, fixed_size);
    if (text_of(ByteView(bytes).first(8)) != magic) damaged(file.path());
    const std::uint64_t end = file.size() - 4;
    if (digest(SliceSource(borrowed(file), 0, end), {.crc32 = true}).crc32->value != number(bytes_at(end, 4), 0, 4))
        damaged(file.path());
    JournalContent content;
    content.device = number(bytes, 8, 8), content.inode = number(bytes, 16, 8);
    content.journal.path = file.path();
    content.journal.size_before = number(bytes, 24, 8), content.journal.size_after = number(bytes, 32, 8);
    const std::uint64_t count = number(bytes, 40, 4), letters = number(bytes, 44, 4);
    if (count > most_ranges || letters > most_text || fixed_size + letters + count * range_size > end)
        damaged(file.path());
    bytes = bytes_at(0, fixed_size + letters + count * range_size);
    std::string_view text = text_of(ByteView(bytes).subspan(fixed_size, static_cast<std::size_t>(letters)));
    for (std::size_t line; (line = text.find('\n')) != std::string_view::npos; text.remove_prefix(line + 1))
        content.journal.what.emplace_back(text.substr(0, line));
    std::size_t at = fixed_size + static_cast<std::size_t>(letters);
    for (std::uint64_t i = 0; i < count; ++i, at += range_size) {
        JournalRange range{number(bytes, at, 8), number(bytes, at + 8, 8), number(bytes, at + 16, 8),
                           static_cast<std::uint32_t>(number(bytes, at + 24, 4)),
                           static_cast<std::uint32_t>(number(bytes, at + 28, 4))};
        if (range.offset > content.journal.size_before ||
            range.old_length > content.journal.size_before - range.offset ||
            range.new_length > content.journal.size_after - std::min(range.offset, content.journal.size_after))
            damaged(file.path());
        content.journal.changed += range.old_length;
        content.ranges.push_back(range);
    }
    content.old_bytes = at;
    if (at + content.journal.changed != end) damaged(file.path());
    return content;
}

}  // namespace hotstitch
