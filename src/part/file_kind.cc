// SPDX-License-Identifier: MIT
// Kinds of file that people hand in, by their first bytes. A new kind is one row.
#include "hotstitch/part.h"

#include <algorithm>
#include <array>
#include <cctype>

#include "hotstitch/patch.h"
#include "part/archive/tar_header.h"
#include "part/copy/copy.h"

namespace hotstitch {
namespace {

using namespace std::string_view_literals;

struct Signature {
    std::string_view bytes;
    FileKind kind;
};

constexpr std::array signatures{
    Signature{"PK\3\4"sv, {KindId::archive, "a zip archive"}},
    Signature{"PK\5\6"sv, {KindId::archive, "an empty zip archive"}},
    Signature{"7z\xBC\xAF\x27\x1C"sv, {KindId::archive, "a 7z archive"}},
    Signature{"Rar!\x1A\7"sv, {KindId::archive, "a rar archive"}},
    Signature{"\x1F\x8B"sv, {KindId::archive, "a gzip-compressed file"}},
    Signature{"\xFD"
              "7zXZ\0"sv,
              {KindId::archive, "an xz-compressed file"}},
    Signature{"BZh"sv, {KindId::archive, "a bzip2-compressed file"}},
    Signature{"\x28\xB5\x2F\xFD"sv, {KindId::archive, "a zstd-compressed file"}},
    Signature{"Yaz0"sv, {KindId::payload, "a Yaz0-packed file"}},
    Signature{"\x04\x22\x4D\x18"sv, {KindId::payload, "an LZ4-compressed file"}},
    Signature{"PS-X EXE"sv, {KindId::executable, "a PS-X executable"}},
    Signature{"\x7F"
              "ELF"sv,
              {KindId::executable, "an ELF executable or library"}},
    Signature{"MZ"sv, {KindId::executable, "a Windows or DOS executable"}},
    Signature{"\x89PNG\r\n"sv, {KindId::picture, "a PNG picture"}},
    Signature{"\xFF\xD8\xFF"sv, {KindId::picture, "a JPEG picture"}},
    Signature{"%PDF-"sv, {KindId::document, "a PDF document"}},
};

bool starts_like_web_page(std::string_view text) {
    text.remove_prefix(std::min(text.find_first_not_of("\xEF\xBB\xBF \t\r\n"), text.size()));
    const auto starts = [&](std::string_view tag) {
        return text.size() >= tag.size() && std::equal(tag.begin(), tag.end(), text.begin(), [](char a, char b) {
                   return a == std::tolower(static_cast<unsigned char>(b));
               });
    };
    return starts("<!doctype html") || starts("<html") || starts("<head") || starts("<body");
}

/// A few lines that a version-control store leaves where it keeps the file elsewhere.
bool is_pointer(std::string_view text) {
    return text.starts_with("version ") && text.find("\noid sha256:") != std::string_view::npos &&
           text.find("\nsize ") != std::string_view::npos;
}

/// A magic word that says of itself what it is, in front of bytes that are no text.
bool says_patch(std::string_view text) {
    std::array<char, 16> lower{};
    std::size_t length = 0;
    for (const char c : text.substr(0, lower.size())) {
        if (!std::isalnum(static_cast<unsigned char>(c))) break;
        lower[length++] = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    }
    const std::string_view word(lower.data(), length);
    return word.find("patch") != word.npos || word.find("diff") != word.npos || word.find("delta") != word.npos;
}

bool looks_like_text(std::string_view text) {
    return std::all_of(text.begin(), text.end(), [](char c) {
        const auto u = static_cast<unsigned char>(c);
        return u >= 0x20 ? u != 0x7F : (u == '\t' || u == '\n' || u == '\r' || u == '\f' || u == 0x1B);
    });
}

}  // namespace

FileKind recognise_file(ByteView head) noexcept {
    const std::string_view text = text_of(head.first(std::min<std::size_t>(head.size(), 512)));
    if (text.empty()) return {KindId::empty, "an empty file"};
    if (const auto format = recognise_patch(head)) return {KindId::patch, traits_of(*format).title};
    for (const Signature& row : signatures)
        if (text.starts_with(row.bytes)) return row.kind;
    if (const copy::CopyForm* const form = copy::form_of(head)) return {KindId::disc_copy, form->title};
    if (is_tar(head)) return {KindId::archive, "a tar archive"};
    if (starts_like_web_page(text)) return {KindId::web_page, "a web page (HTML)"};
    if (is_pointer(text)) return {KindId::pointer, "a pointer to a file that a version-control store keeps elsewhere"};
    if (looks_like_text(text)) return {KindId::text, "a text file"};
    if (says_patch(text)) return {KindId::other_patch, "a patch in a format that is not read here"};
    return {KindId::data, "data of no known kind"};
}

}  // namespace hotstitch
