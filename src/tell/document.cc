// SPDX-License-Identifier: MIT
// Reports as JSON. Tested by tests/cli/cli_json_test.cc.
#include <algorithm>
#include <functional>

#include "hotstitch/tell.h"
#include "hotstitch/text.h"
#include "record/digests_json.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

/// An object by its members. Values stay the texts that they are: of a table with many records, a tree would take
/// longer than reading the file.
class Object {
public:
    /// A key that was set before gets the new value, in its old place.
    void set(const std::string& key, JsonValue value) {
        const auto there =
            std::find_if(members_.begin(), members_.end(), [&](const auto& m) { return m.first == key; });
        if (there == members_.end())
            members_.emplace_back(key, std::move(value));
        else
            there->second = std::move(value);
    }
    bool has(std::string_view key) const {
        return std::any_of(members_.begin(), members_.end(), [&](const auto& m) { return m.first == key; });
    }
    /// Hands out the text piece by piece.
    template <class Use>
    void each_piece(const Use& use) const {
        std::string_view before = "{";
        for (const auto& [key, value] : members_) {
            use(before);
            use(Json(key).dump() + ':');
            use(value.text());
            before = ",";
        }
        use(members_.empty() ? "{}" : "}");
    }
    std::string text() const {
        std::string out;
        each_piece([&](std::string_view piece) { out += piece; });
        return out;
    }

private:
    std::vector<std::pair<std::string, JsonValue>> members_;
};

/// Valid JSON, given in pieces that do not cut a text, with line ends and two blanks a level.
class Indenter {
public:
    explicit Indenter(const std::function<void(std::string_view)>& write) : write_(write) {}

    void add(std::string_view text) {
        for (const char c : text) add(c);
    }
    void finish() {
        out_ += '\n';
        flush();
    }

private:
    void add(char c) {
        if (in_text_) {
            out_ += c;
            if (escaped_ || c == '\\')
                escaped_ = !escaped_;
            else if (c == '"')
                in_text_ = false;
            return;
        }
        if (c == ' ' || c == '\n') return;
        const bool closes = c == '}' || c == ']';
        if (opened_ && !closes) ++level_, new_line();
        if (!opened_ && closes) --level_, new_line();
        opened_ = c == '{' || c == '[';
        in_text_ = c == '"';
        out_ += c;
        if (c == ',') new_line();
        if (c == ':') out_ += ' ';
    }
    void new_line() {
        constexpr std::size_t much = 256 << 10;
        if (out_.size() > much) flush();
        out_.append(1, '\n').append(2 * level_, ' ');
    }
    void flush() {
        write_(json_for_terminals(out_));
        out_.clear();
    }

    const std::function<void(std::string_view)>& write_;
    std::string out_;
    std::size_t level_ = 0;
    bool in_text_ = false, escaped_ = false, opened_ = false;
};

Object body_of(const Report& report, Object body) {
    body.set("answer", Json(report.answer()));
    body.set("message", Json(as_utf8(report.sentence())));
    body.set("exit", Json(static_cast<int>(report.exit_code())));
    for (const Fact& fact : report.facts()) body.set(fact.key, fact.value);
    // Whoever asks a command that makes something always learns whether it did.
    constexpr std::string_view makers[] = {"heap",   "apply", "create", "recast", "renew", "mend",
                                           "header", "take",  "put",    "fields", "kit",   "shelf"};
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
    if (!parts.empty()) body.set(report.parts_key(), JsonValue::from_text(parts + "]"));
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

void write_json(const Report& report, const std::function<void(std::string_view)>& write) {
    Object document;
    document.set("schema", Json{{"name", "hotstitch/" + report.command()}, {"version", schema_version}});
    Indenter out(write);
    body_of(report, std::move(document)).each_piece([&](std::string_view piece) { out.add(piece); });
    out.finish();
}

std::string json_text(const Report& report) {
    std::string text;
    write_json(report, [&](std::string_view piece) { text += piece; });
    return text;
}

}  // namespace hotstitch::tell
