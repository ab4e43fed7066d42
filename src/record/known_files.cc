// SPDX-License-Identifier: MIT
// Tested by tests/part/cartridge_test.cc.
#include "hotstitch/checks.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "record/known_xml.h"

namespace hotstitch {
namespace {

constexpr std::string_view hex_digits = "0123456789abcdefABCDEF";

[[noreturn]] void bad_line(std::size_t number, std::string_view line) {
    throw Error(ErrorCode::damaged, "the list of known files has a line that says nothing")
        .at(number)
        .in(fmt::format("line {}", number))
        .wanted("CHECKSUM  NAME by md5, sha1 or sha256, or crc32,size,name")
        .found(std::string(line.substr(0, 80)));
}

/// "HEX  NAME" or "HEX *NAME". A backslash before it says that the name is escaped, which is left as it is.
KnownFile from_sum_line(std::string_view line, std::size_t hex_length) {
    KnownFile file;
    add_digest(file.digests, line.substr(0, hex_length));  // the number of digits says which
    line.remove_prefix(hex_length + 1);
    if (line.starts_with(' ') || line.starts_with('*')) line.remove_prefix(1);
    file.name = line;
    return file;
}

/// "crc32,size,name"; the name may be in double quotes, doubled inside.
std::optional<KnownFile> from_csv_line(std::string_view line) {
    const std::size_t first = line.find(','), second = line.find(',', first + 1);
    if (first == std::string_view::npos || second == std::string_view::npos) return std::nullopt;
    KnownFile file;
    try {
        add_digest(file.digests, fmt::format("crc32:{}", line.substr(0, first)));
        add_digest(file.digests, fmt::format("size:{}", line.substr(first + 1, second - first - 1)));
    } catch (const Error&) {
        return std::nullopt;
    }
    std::string_view name = line.substr(second + 1);
    const bool quoted = name.size() >= 2 && name.front() == '"' && name.back() == '"';
    if (quoted) name = name.substr(1, name.size() - 2);
    for (std::size_t i = 0; i < name.size(); ++i) {
        file.name += name[i];
        if (quoted && name[i] == '"' && i + 1 < name.size() && name[i + 1] == '"') ++i;
    }
    return file;
}

}  // namespace

KnownFiles KnownFiles::parse(std::string_view text) {
    KnownFiles known;
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    if (is_xml(text)) return known.files_ = files_in_xml(text), known;
    for (std::size_t number = 1; !text.empty(); ++number) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        std::string_view line = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        if (line.ends_with('\r')) line.remove_suffix(1);
        if (line.empty() || line.starts_with('#')) continue;
        if (number == 1 && line == "crc32,size,name") continue;
        if (line.starts_with('\\')) line.remove_prefix(1);
        const std::size_t hex_length = std::min(line.find_first_not_of(hex_digits), line.size());
        const bool sum = (hex_length == 32 || hex_length == 40 || hex_length == 64) && line.size() > hex_length + 2 &&
                         line[hex_length] == ' ';
        if (sum) {
            known.files_.push_back(from_sum_line(line, hex_length));
            continue;
        }
        auto file = from_csv_line(line);
        if (!file || file->name.empty()) bad_line(number, line);
        known.files_.push_back(std::move(*file));
    }
    return known;
}

const KnownFile* KnownFiles::find(const Digests& digests) const {
    const auto same = [&](const KnownFile& file) {
        const Digests& known = file.digests;
        const bool shared = (known.crc32 && digests.crc32) || (known.md5 && digests.md5) ||
                            (known.sha1 && digests.sha1) || (known.sha256 && digests.sha256);
        return shared && compare(known, digests).empty();
    };
    const auto found = std::find_if(files_.begin(), files_.end(), same);
    return found == files_.end() ? nullptr : &*found;
}

DigestChoice KnownFiles::choice() const noexcept {
    DigestChoice all{.crc32 = false};
    for (const KnownFile& file : files_) {
        all.crc32 = all.crc32 || file.digests.crc32;
        all.md5 = all.md5 || file.digests.md5;
        all.sha1 = all.sha1 || file.digests.sha1;
        all.sha256 = all.sha256 || file.digests.sha256;
    }
    return all;
}

}  // namespace hotstitch
