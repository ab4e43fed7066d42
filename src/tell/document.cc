// SPDX-License-Identifier: MIT
// Reports as JSON. Tested by tests/cli_json_test.cc.
#include <algorithm>

#include "hotstitch/tell.h"
#include "hotstitch/words.h"
#include "record/digests_json.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

/// An object as its text. Values stay the texts that they are: of a table with many records, a tree would take longer
/// than reading the file.
class Object {
public:
    /// A key that was set before gets the new value, in its old place.
    void set(const std::string& key, std::string value) {
        const auto there =
            std::find_if(members_.begin(), members_.end(), [&](const auto& m) { return m.first == key; });
        if (there == members_.end())
            members_.emplace_back(key, std::move(value));
        else
            there->second = std::move(value);
    }
    void set(const std::string& key, const Json& value) {
        set(key, value.dump(-1, ' ', false, Json::error_handler_t::replace));
    }
    bool has(std::string_view key) const {
        return std::any_of(members_.begin(), members_.end(), [&](const auto& m) { return m.first == key; });
    }
    std::string text() const {
        std::string out = "{";
        for (const auto& [key, value] : members_) {
            if (out.size() != 1) out += ',';
            out += Json(key).dump() + ':';
            out += value;
        }
        return out + "}";
    }

private:
    std::vector<std::pair<std::string, std::string>> members_;
};

/// Valid JSON with line ends and two blanks a level.
std::string indented(std::string_view text) {
    std::string out;
    out.reserve(text.size() * 2);
    std::size_t level = 0;
    bool in_text = false;
    const auto new_line = [&] { out.append(1, '\n').append(2 * level, ' '); };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (in_text) {
            out += c;
            if (c == '\\')
                out += text[++i];
            else if (c == '"')
                in_text = false;
            continue;
        }
        const bool empty = (c == '{' || c == '[') && i + 1 < text.size() && (text[i + 1] == '}' || text[i + 1] == ']');
        if (c == ' ' || c == '\n') continue;
        if (empty) {
            out.append(1, c).append(1, text[++i]);
        } else if (c == '{' || c == '[') {
            out += c, ++level;
            new_line();
        } else if (c == '}' || c == ']') {
            --level;
            new_line();
            out += c;
        } else if (c == ',') {
            out += c;
            new_line();
        } else {
            in_text = c == '"';
            out += c;
            if (c == ':') out += ' ';
        }
    }
    return out;
}

Object body_of(const Report& report, Object body) {
    body.set("answer", Json(report.answer()));
    body.set("message", Json(as_utf8(report.sentence())));
    body.set("exit", Json(static_cast<int>(report.exit_code())));
    for (const Fact& fact : report.facts()) body.set(fact.key, fact.value.text());
    // Whoever asks a command that makes something always learns whether it did.
    constexpr std::string_view makers[] = {"apply", "create", "recast", "renew", "mend", "header",
                                           "take",  "put",    "fields", "kit",   "shelf"};
    if (!body.has("made") && std::find(std::begin(makers), std::end(makers), report.command()) != std::end(makers))
        body.set("made", Json(report.exit_code() == ExitCode::yes));
    const auto list = [&](const char* key, const std::vector<std::string>& texts) {
        if (texts.empty()) return;
        Json all = Json::array();
        for (const std::string& text : texts) all.push_back(as_utf8(text));
        body.set(key, all);
    };
    list("warnings", report.warnings());
    list("notes", report.notes());
    list("not_checked", report.unchecked());
    std::vector<std::string> next;
    for (const Advice& step : report.next())
        next.push_back(step.command.empty() ? step.text : step.text + ": " + step.command);
    list("next", next);
    std::string parts;
    for (const Report& part : report.parts()) parts += (parts.empty() ? "[" : ",") + body_of(part, {}).text();
    if (!parts.empty()) body.set(report.parts_key(), parts + "]");
    return body;
}

}  // namespace

JsonValue json_of(const Digests& digests) {
    return digests_to_json(digests);
}

JsonValue reading_json(const Representation& reading) {
    return Json{{"code", code_of(reading)}, {"text", words_for(reading)}};
}

JsonValue json_of(const ByteRange& range) {
    return Json{{"offset", range.offset}, {"length", range.length}};
}

JsonValue json_of(const std::vector<ByteRange>& ranges) {
    Json list = Json::array();
    for (const ByteRange& range : ranges) list.push_back(json_of(range));
    return list;
}

std::string json_text(const Report& report) {
    Object document;
    document.set("schema", Json{{"name", "hotstitch/" + report.command()}, {"version", schema_version}});
    return json_for_terminals(indented(body_of(report, std::move(document)).text())) + "\n";
}

}  // namespace hotstitch::tell
