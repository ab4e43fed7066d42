// SPDX-License-Identifier: MIT
// As much XML as these lists need: start tags with their attributes, the five entities; comments,
// declarations and the text between tags are passed over. No recursion, no entity of a document's own.
// Tested by tests/part/cartridge_test.cc.
#include "record/known_xml.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

constexpr std::string_view blanks = " \t\r\n";

class XmlReader {
public:
    explicit XmlReader(std::string_view text) : text_(text) {}

    std::vector<KnownFile> files() {
        std::vector<KnownFile> all;
        while (to_next_tag()) {
            if (text_.substr(at_).starts_with("<!--")) {
                skip_past("-->");
            } else if (text_.substr(at_).starts_with("<!") || text_.substr(at_).starts_with("<?")) {
                skip_past(">");
            } else if (name() == "rom") {
                if (KnownFile file = rom(); file.digests.has_checksum() && !file.name.empty())
                    all.push_back(std::move(file));
            } else {
                while (attribute()) {
                }
            }
        }
        return all;
    }

private:
    [[noreturn]] void broken(const char* why) const {
        const auto line = 1 + std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(at_), '\n');
        throw Error(ErrorCode::damaged, fmt::format("the list of known files is broken XML: {}", why))
            .at(static_cast<std::uint64_t>(line))
            .in(fmt::format("line {}", line));
    }

    bool to_next_tag() {
        at_ = std::min(text_.find('<', at_), text_.size());
        return at_ != text_.size();
    }
    void skip_past(std::string_view end) {
        const std::size_t found = text_.find(end, at_);
        if (found == std::string_view::npos) broken("something is not closed");
        at_ = found + end.size();
    }
    void skip_blanks() { at_ = std::min(text_.find_first_not_of(blanks, at_), text_.size()); }

    /// The name of the tag at hand, without a slash before it.
    std::string_view name() {
        ++at_;
        const std::size_t end = std::min(text_.find_first_of(" \t\r\n/>", at_ + 1), text_.size());
        const std::string_view found = text_.substr(at_, end - at_);
        at_ = end;
        return found;
    }

    /// Steps over the next attribute of the tag; false at its end.
    bool attribute() {
        skip_blanks();
        if (at_ == text_.size()) broken("a tag is not closed");
        if (text_[at_] == '/' || text_[at_] == '?') ++at_;
        if (at_ < text_.size() && text_[at_] == '>') return ++at_, false;
        const std::size_t equals = text_.find('=', at_);
        if (equals == std::string_view::npos) broken("an attribute has no value");
        key_ = text_.substr(at_, equals - at_);
        key_ = key_.substr(0, std::min(key_.find_first_of(blanks), key_.size()));
        at_ = equals + 1;
        skip_blanks();
        const char quote = at_ < text_.size() ? text_[at_] : '\0';
        const std::size_t end = quote == '"' || quote == '\'' ? text_.find(quote, at_ + 1) : std::string_view::npos;
        if (end == std::string_view::npos) broken("a value is not in quotes");
        value_ = text_.substr(at_ + 1, end - at_ - 1);
        at_ = end + 1;
        return true;
    }

    KnownFile rom() {
        constexpr std::string_view kinds[][2] = {
            {"size", "size"}, {"crc", "crc32"}, {"md5", "md5"}, {"sha1", "sha1"}, {"sha256", "sha256"}};
        KnownFile file;
        while (attribute()) {
            if (key_ == "name") file.name = plain(value_);
            for (const auto& [key, kind] : kinds)
                if (key_ == key && !value_.empty() && value_ != "-") try {
                        add_digest(file.digests, fmt::format("{}:{}", kind, value_));
                    } catch (const Error& error) {
                        broken(error.what());
                    }
        }
        return file;
    }

    static std::string plain(std::string_view value) {
        constexpr std::pair<std::string_view, char> entities[] = {
            {"&amp;", '&'}, {"&lt;", '<'}, {"&gt;", '>'}, {"&quot;", '"'}, {"&apos;", '\''}};
        std::string out;
        while (!value.empty()) {
            const auto* const entity = std::find_if(std::begin(entities), std::end(entities),
                                                    [&](const auto& row) { return value.starts_with(row.first); });
            if (entity != std::end(entities)) {
                out += entity->second;
                value.remove_prefix(entity->first.size());
            } else {
                out += value.front();
                value.remove_prefix(1);
            }
        }
        return out;
    }

    std::string_view text_, key_, value_;
    std::size_t at_ = 0;
};

}  // namespace

bool is_xml(std::string_view text) noexcept {
    text.remove_prefix(std::min(text.find_first_not_of(blanks), text.size()));
    return text.starts_with('<');
}

std::vector<KnownFile> files_in_xml(std::string_view text) {
    return XmlReader(text).files();
}

}  // namespace hotstitch
