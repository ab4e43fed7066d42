// SPDX-License-Identifier: MIT
// The text of an edit list, both ways. docs/formats/edits.md. Tested by tests/format/edits_test.cc.
#include "hotstitch/edit_list.h"

#include <fmt/format.h>

#include <algorithm>

#include "format/edits/edits_writer.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "source/pattern.h"
#include "toml/document.h"
#include "toml/values.h"

namespace hotstitch {
namespace {

constexpr std::ptrdiff_t most_patterns = 256;

void read_place(ListedEdit& edit, TomlTable& in) {
    if (const TomlValue pattern = in.find("find")) {
        edit.by = ListedEdit::By::pattern;
        edit.pattern = pattern.string();
        if (!pattern_from(edit.pattern))
            throw pattern.error("this is no byte pattern").wanted("\"A9 0D ?? 8D\"").found(edit.pattern.substr(0, 60));
        if (const TomlValue plus = in.find("plus")) edit.plus = plus.integer();
        return;
    }
    const TomlValue at = in.find("at");
    if (!at) throw in.error("this edit has no place").wanted("at = OFFSET, find = \"PATTERN\", or field = \"NAME\"");
    if (at.is(TomlValue::Kind::string)) {
        edit.by = ListedEdit::By::address;
        edit.address = at.string();
    } else {
        edit.at = at.offset();
    }
}

ListedEdit read_edit(const TomlValue& value) {
    TomlTable in(value, "an edit");
    ListedEdit edit{.line = value.line()};
    edit.note = in.text("note");
    if (const TomlValue part = in.find("part")) {
        edit.part = part.string();
        split_address(edit.part);
    }
    const TomlValue field = in.find("field"), old = in.find("old"), now = in.need("new");
    edit.map = in.text("map");
    if (field) {
        edit.by = ListedEdit::By::field;
        edit.field = field.string();
        if (old) edit.old_value = value_text(old);
        edit.new_value = value_text(now);
    } else {
        read_place(edit, in);
        if (!edit.map.empty()) throw in.find("map").error("a map goes with a field");
        if (old) edit.old_bytes = hex_bytes(old);
        edit.new_bytes = hex_bytes(now);
        if (edit.new_bytes.empty() && edit.removed() == 0)
            throw now.error("this edit changes nothing: it has no bytes");
    }
    in.finish();
    return edit;
}

/// "a9 0d", or 16 bytes a line.
std::string hex_text(const Bytes& bytes) {
    constexpr std::size_t a_line = 16;
    std::string out = bytes.size() > a_line ? "\"\"\"\n" : "\"";
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        const char* const between = i == 0 ? "" : i % a_line == 0 ? "\n" : " ";
        fmt::format_to(std::back_inserter(out), "{}{:02x}", between, std::to_integer<unsigned>(bytes[i]));
    }
    return out + (bytes.size() > a_line ? "\"\"\"" : "\"");
}

void write_digests(std::string& out, const char* name, const Digests& digests) {
    if (digests.empty()) return;
    out += fmt::format("\n[{}]\n", name);
    out += digests_in_toml(digests, "\n") + "\n";
}

void write_edit(std::string& out, const ListedEdit& edit) {
    out += "\n[[edit]]\n";
    if (!edit.part.empty()) out += fmt::format("part = {}\n", in_quotes(edit.part));
    if (edit.by == ListedEdit::By::field) {
        if (!edit.map.empty()) out += fmt::format("map = {}\n", in_quotes(edit.map));
        out += fmt::format("field = {}\n", in_quotes(edit.field));
        if (edit.old_value) out += fmt::format("old = {}\n", value_in_toml(*edit.old_value));
        out += fmt::format("new = {}\n", value_in_toml(edit.new_value));
    } else {
        if (edit.by == ListedEdit::By::pattern) {
            out += fmt::format("find = {}\n", in_quotes(edit.pattern));
            if (edit.plus != 0) out += fmt::format("plus = {}\n", edit.plus);
        } else {
            out += edit.by == ListedEdit::By::address ? fmt::format("at = {}\n", in_quotes(edit.address))
                                                      : fmt::format("at = {:#x}\n", edit.at);
        }
        if (edit.old_bytes) out += fmt::format("old = {}\n", hex_text(*edit.old_bytes));
        out += fmt::format("new = {}\n", hex_text(edit.new_bytes));
    }
    if (!edit.note.empty()) out += fmt::format("note = {}\n", in_quotes(edit.note));
}

}  // namespace

EditList read_edit_list(std::string_view text, const std::string& name) {
    const TomlDocument document(text, name);
    TomlTable top(document.root(), "an edit list");
    if (top.need("hotstitch-edits").integer() != 1)
        throw top.find("hotstitch-edits").error("this version of edit lists is not known").wanted("1");
    EditList list;
    list.title = top.text("title");
    if (const TomlValue source = top.find("source")) list.source = digests_of(source, "[source]");
    if (const TomlValue target = top.find("target")) list.target = digests_of(target, "[target]");
    if (const TomlValue edits = top.find("edit"))
        for (const TomlValue& edit : edits.array()) list.edits.push_back(read_edit(edit));
    top.finish();
    const auto patterns = std::count_if(list.edits.begin(), list.edits.end(),
                                        [](const ListedEdit& e) { return e.by == ListedEdit::By::pattern; });
    if (patterns > most_patterns)  // each costs a look at all of the source
        throw Error(ErrorCode::limit, fmt::format("{} has more than {} patterns to look for", name, most_patterns));
    if (list.edits.size() > most_listed_edits)
        throw Error(ErrorCode::limit, fmt::format("{} has more than {} edits", name, most_listed_edits));
    return list;
}

std::string edit_list_text(const EditList& list) {
    std::size_t bytes = 0;
    for (const ListedEdit& edit : list.edits) bytes += edit.new_bytes.size();
    if (bytes > most_listed_bytes || list.edits.size() > most_listed_edits)
        throw edits::too_large(bytes, list.edits.size());
    std::string out = "hotstitch-edits = 1\n";
    if (!list.title.empty()) out += fmt::format("title = {}\n", in_quotes(list.title));
    write_digests(out, "source", list.source);
    write_digests(out, "target", list.target);
    for (const ListedEdit& edit : list.edits) write_edit(out, edit);
    return out;
}

}  // namespace hotstitch
