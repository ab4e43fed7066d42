// SPDX-License-Identifier: MIT
// Each encoding says how to read one character and how to write one; the walk over a text is the same for all. Tested
// by tests/field/map_test.cc.
#include "field/text_codec.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <optional>

#if __has_include(<iconv.h>)
#include <iconv.h>
#endif

#include "base/hex.h"
#include "base/utf8.h"
#include "hotstitch/error.h"

namespace hotstitch {
namespace {

/// The first character of a text in UTF-8, 0 bytes long where it is none.
struct Character {
    char32_t code = 0;
    std::size_t length = 0;
};

Character first_character(std::string_view text) {
    Character first;
    if (!text.empty()) first.length = decode_utf8(text, first.code);
    return first;
}

class WalkingCodec : public TextCodec {
public:
    std::string decode(ByteView bytes) const final {
        std::string out;
        while (!bytes.empty()) {
            std::string shown;
            std::size_t taken = read_one(bytes, shown);
            if (taken == 0)
                shown = fmt::format("\\x{:02x}", std::to_integer<unsigned>(bytes[taken++]));
            else if (shown == "\\")
                shown = "\\\\";
            out += shown;
            bytes = bytes.subspan(taken);
        }
        return out;
    }

    Bytes encode(std::string_view text) const final {
        Bytes out;
        while (!text.empty()) {
            if (text.starts_with("\\x")) {
                if (const auto value = byte_from_hex(text.substr(2))) {
                    out.push_back(*value);
                    text.remove_prefix(4);
                    continue;
                }
            }
            const bool twice = text.starts_with("\\\\");
            const std::size_t taken = write_one(twice ? text.substr(1) : text, out);
            if (taken == 0) cannot_hold(text);
            text.remove_prefix(twice ? 1 + taken : taken);
        }
        return out;
    }

protected:
    /// Appends what the first bytes show and returns how many they are; 0: nothing that can be shown.
    virtual std::size_t read_one(ByteView bytes, std::string& out) const = 0;
    /// The other way round.
    virtual std::size_t write_one(std::string_view text, Bytes& out) const = 0;

private:
    [[noreturn]] static void cannot_hold(std::string_view text) {
        const std::size_t length = std::max<std::size_t>(first_character(text).length, 1);
        throw Error(ErrorCode::usage, "this text has a character that its encoding does not have")
            .found(std::string(text.substr(0, length)));
    }
};

/// ASCII and Latin-1: a byte a character.
class ByteCodec final : public WalkingCodec {
public:
    explicit ByteCodec(char32_t most) : most_(most) {}

private:
    bool shows(char32_t code) const noexcept {
        return code >= 0x20 && code <= most_ && code != 0x7F && !(code >= 0x80 && code < 0xA0);
    }
    std::size_t read_one(ByteView bytes, std::string& out) const override {
        const auto code = std::to_integer<std::uint32_t>(bytes[0]);
        if (!shows(code)) return 0;
        append_utf8(out, code);
        return 1;
    }
    std::size_t write_one(std::string_view text, Bytes& out) const override {
        const Character c = first_character(text);
        if (c.length == 0 || !shows(c.code)) return 0;
        out.push_back(static_cast<std::byte>(c.code));
        return c.length;
    }
    char32_t most_;
};

class Utf8Codec final : public WalkingCodec {
    std::size_t read_one(ByteView bytes, std::string& out) const override {
        const std::string_view text = text_of(bytes);
        const Character c = first_character(text);
        if (c.length == 0 || c.code < 0x20 || c.code == 0x7F) return 0;
        out += text.substr(0, c.length);
        return c.length;
    }
    std::size_t write_one(std::string_view text, Bytes& out) const override {
        const Character c = first_character(text);
        const ByteView bytes = bytes_of(text.substr(0, c.length));
        out.insert(out.end(), bytes.begin(), bytes.end());
        return c.length;
    }
};

class Utf16Codec final : public WalkingCodec {
public:
    explicit Utf16Codec(bool big) : big_(big) {}
    std::size_t unit() const noexcept override { return 2; }

private:
    char32_t unit_at(ByteView bytes, std::size_t at) const {
        const auto first = std::to_integer<std::uint32_t>(bytes[at]),
                   second = std::to_integer<std::uint32_t>(bytes[at + 1]);
        return big_ ? first << 8 | second : second << 8 | first;
    }
    void put_unit(Bytes& out, char32_t unit) const {
        const auto high = static_cast<std::byte>(unit >> 8), low = static_cast<std::byte>(unit & 0xFF);
        out.push_back(big_ ? high : low), out.push_back(big_ ? low : high);
    }
    std::size_t read_one(ByteView bytes, std::string& out) const override {
        if (bytes.size() < 2) return 0;
        char32_t code = unit_at(bytes, 0);
        std::size_t taken = 2;
        if (code >= 0xD800 && code < 0xE000) {
            const char32_t low = bytes.size() < 4 ? 0 : unit_at(bytes, 2);
            if (code >= 0xDC00 || low < 0xDC00 || low >= 0xE000) return 0;
            code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
            taken = 4;
        }
        if (code < 0x20 || (code >= 0x7F && code < 0xA0)) return 0;
        append_utf8(out, code);
        return taken;
    }
    std::size_t write_one(std::string_view text, Bytes& out) const override {
        const Character c = first_character(text);
        if (c.length == 0) return 0;
        if (c.code < 0x10000) return put_unit(out, c.code), c.length;
        put_unit(out, 0xD800 + ((c.code - 0x10000) >> 10));
        put_unit(out, 0xDC00 + ((c.code - 0x10000) & 0x3FF));
        return c.length;
    }
    bool big_;
};

#if __has_include(<iconv.h>)
/// Shift-JIS by the system's tables, made once.
class ShiftJisCodec final : public WalkingCodec {
public:
    ShiftJisCodec() {
        iconv_t plain = iconv_open("UTF-8", "CP932");  // with what consoles and computers added
        if (plain == reinterpret_cast<iconv_t>(-1)) plain = iconv_open("UTF-8", "SHIFT_JIS");
        if (plain == reinterpret_cast<iconv_t>(-1)) return;
        for (unsigned code = 0x20; code < 0x10000; ++code) {
            const bool lead = code >= 0x100;
            if (!lead && ((code >= 0x7F && code < 0xA1) || code > 0xDF)) continue;
            if (lead && ((code >> 8) < 0x81 || ((code >> 8) > 0x9F && (code >> 8) < 0xE0) || (code & 0xFF) < 0x40))
                continue;
            char in[2] = {static_cast<char>(lead ? code >> 8 : code), static_cast<char>(code & 0xFF)}, out[16];
            char *from = in, *to = out;
            std::size_t left = lead ? 2 : 1, room = sizeof out;
            iconv(plain, nullptr, nullptr, nullptr, nullptr);
            if (iconv(plain, &from, &left, &to, &room) == static_cast<std::size_t>(-1) || left != 0) continue;
            std::string text(out, sizeof out - room);
            if (!lead && code < 0x7F) text = static_cast<char>(code);  // no yen sign: files mean ASCII
            codes_.emplace(text, code);
            texts_.emplace(code, std::move(text));
        }
        iconv_close(plain);
    }
    bool works() const noexcept { return !texts_.empty(); }

private:
    std::size_t read_one(ByteView bytes, std::string& out) const override {
        unsigned code = std::to_integer<unsigned>(bytes[0]);
        std::size_t taken = 1;
        if (code != 0 && texts_.find(code) == texts_.end() && bytes.size() > 1) {
            code = code << 8 | std::to_integer<unsigned>(bytes[1]);
            taken = 2;
        }
        const auto found = texts_.find(code);
        if (found == texts_.end()) return 0;
        out += found->second;
        return taken;
    }
    std::size_t write_one(std::string_view text, Bytes& out) const override {
        const std::size_t length = first_character(text).length;
        const auto found = codes_.find(std::string(text.substr(0, length)));
        if (length == 0 || found == codes_.end()) return 0;
        if (found->second >= 0x100) out.push_back(static_cast<std::byte>(found->second >> 8));
        out.push_back(static_cast<std::byte>(found->second & 0xFF));
        return length;
    }
    std::map<unsigned, std::string> texts_;
    std::map<std::string, unsigned> codes_;
};
#endif

/// A game's own letters.
class TableCodec final : public WalkingCodec {
public:
    TableCodec(std::string_view text, const std::string& name) {
        constexpr std::size_t longest_file = 1 << 20;
        if (text.size() > longest_file)
            throw Error(ErrorCode::limit, fmt::format("{} is longer than a table of letters is", name));
        if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
        for (unsigned line = 1; !text.empty(); ++line) {
            std::string_view row = text.substr(0, text.find('\n'));
            text.remove_prefix(std::min(text.size(), row.size() + 1));
            if (row.ends_with('\r')) row.remove_suffix(1);
            if (!row.empty() && !row.starts_with('#')) add(row, name, line);
        }
        if (texts_.empty()) throw Error(ErrorCode::damaged, fmt::format("{} has no line of HEX=text", name));
    }

private:
    static Error error(const std::string& name, unsigned line, const std::string& why) {
        return Error(ErrorCode::damaged, fmt::format("{}, line {}: {}", name, line, why));
    }

    void add(std::string_view row, const std::string& name, unsigned line) {
        const std::size_t equals = row.find('=');
        Bytes code;
        for (std::size_t i = 0; equals != std::string_view::npos && i < equals; i += 2) {
            const auto value = i + 1 < equals ? byte_from_hex(row.substr(i)) : std::nullopt;
            if (!value || code.size() == longest) {
                code.clear();
                break;
            }
            code.push_back(*value);
        }
        if (code.empty())
            throw error(name, line, "this is no line of a table of letters")
                .wanted(fmt::format("HEX=text, for example 41=A, at most {} bytes", longest))
                .found(std::string(row.substr(0, 40)));
        const std::string text(row.substr(equals + 1));
        if (text.empty()) throw error(name, line, "a code without a text").found(std::string(row));
        for (std::string_view rest = text; !rest.empty(); rest.remove_prefix(first_character(rest).length))
            if (first_character(rest).length == 0) throw error(name, line, "this text is no UTF-8");
        const auto [there, is_new] = texts_.emplace(std::string(text_of(code)), text);
        if (!is_new)
            throw error(name, line, fmt::format("the code {} has two texts", row.substr(0, equals)))
                .found(fmt::format("\"{}\" and \"{}\"", there->second, text));
        codes_.emplace(text, code);  // of several codes for one text, the first is written
        longest_text_ = std::max(longest_text_, text.size());
    }

    std::size_t read_one(ByteView bytes, std::string& out) const override {
        for (std::size_t length = std::min(bytes.size(), longest); length > 0; --length)
            if (const auto found = texts_.find(text_of(bytes.first(length))); found != texts_.end())
                return out += found->second, length;
        return 0;
    }
    std::size_t write_one(std::string_view text, Bytes& out) const override {
        for (std::size_t length = std::min(text.size(), longest_text_); length > 0; --length)
            if (const auto found = codes_.find(text.substr(0, length)); found != codes_.end())
                return out.insert(out.end(), found->second.begin(), found->second.end()), length;
        return 0;
    }

    static constexpr std::size_t longest = 8;
    std::map<std::string, std::string, std::less<>> texts_;
    std::map<std::string, Bytes, std::less<>> codes_;
    std::size_t longest_text_ = 0;
};

}  // namespace

std::shared_ptr<const TextCodec> text_codec(std::string_view name) {
    if (name == "ascii") return std::make_shared<ByteCodec>(0x7Eu);
    if (name == "latin-1") return std::make_shared<ByteCodec>(0xFFu);
    if (name == "utf-8") return std::make_shared<Utf8Codec>();
    if (name == "utf-16le") return std::make_shared<Utf16Codec>(false);
    if (name == "utf-16be") return std::make_shared<Utf16Codec>(true);
#if __has_include(<iconv.h>)
    if (name == "shift-jis") {
        static const auto codec = std::make_shared<const ShiftJisCodec>();
        if (codec->works()) return codec;
        throw Error(ErrorCode::unsupported, "this system has no tables of Shift-JIS");
    }
#endif
    return nullptr;
}

std::string text_codecs() {
    return "ascii, utf-8, utf-16le, utf-16be, shift-jis, latin-1";
}

std::shared_ptr<const TextCodec> table_codec(std::string_view text, const std::string& name) {
    return std::make_shared<TableCodec>(text, name);
}

}  // namespace hotstitch
