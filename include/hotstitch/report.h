// SPDX-License-Identifier: MIT
// What a job has to say, once: facts, warnings, a verdict, the next step; for programs as a JSON document, for people
// as labels and texts that a front end shows as it likes. tell.h fills reports in.
#pragma once

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/export.h"

namespace hotstitch::tell {

/// A value of a JSON document, kept as its text.
class HOTSTITCH_EXPORT JsonValue {
public:
    JsonValue(std::nullptr_t) { set("null"); }
    JsonValue(double number);
    /// UTF-8, or what is not becomes replacement characters.
    JsonValue(std::string_view text);
    JsonValue(const std::string& text) : JsonValue(std::string_view(text)) {}
    JsonValue(const char* text) : JsonValue(std::string_view(text)) {}
    template <std::integral Number>
    JsonValue(Number number) {
        if constexpr (std::same_as<Number, bool>)
            set(number ? "true" : "false");
        else
            set(std::to_string(number));
    }
    /// A value of the JSON library that the caller uses, where it gives its text so.
    template <class Json>
    requires requires(const Json& value) { value.dump(-1, ' ', false, Json::error_handler_t::replace); }
    JsonValue(const Json& value) { set(value.dump(-1, ' ', false, Json::error_handler_t::replace)); }

    /// Of a text that is valid JSON already.
    static JsonValue from_text(std::string json) {
        JsonValue value(nullptr);
        value.set(std::move(json));
        return value;
    }

    const std::string& text() const noexcept { return *text_; }

private:
    void set(std::string text) { text_ = std::make_shared<const std::string>(std::move(text)); }
    std::shared_ptr<const std::string> text_;  ///< shared by all facts that show a line of it
};

/// What a process that did the job answers its caller. The numbers are part of the interface.
enum class ExitCode : int {
    yes = 0,         ///< done; fits; already patched
    no = 1,          ///< does not fit; cannot be known
    wrong_call = 2,  ///< the call is wrong
    bad_input = 3,   ///< damaged, truncated, unsupported, not a patch, past a limit
    system = 4,      ///< not found, no space, …
    hung_up = 129,
    interrupted = 130,
    terminated = 143,
};
HOTSTITCH_EXPORT ExitCode exit_code_for(ErrorCode code) noexcept;

enum class Mood { good, unsure, bad };

struct Fact {
    std::string key;    ///< in JSON
    std::string label;  ///< for people; empty: only in JSON
    std::string text;
    JsonValue value;
};

struct Advice {
    std::string text;
    std::string command;  ///< the call that does it, ready for a shell; empty: none
    bool operator==(const Advice&) const = default;
};

class HOTSTITCH_EXPORT Report {
public:
    explicit Report(std::string command) : command_(std::move(command)) {}

    /// The verdict: `answer` is for programs and stable, `sentence` for people.
    void conclude(Mood mood, std::string answer, std::string sentence, ExitCode code);
    void good(std::string_view answer, std::string_view sentence);
    void unsure(std::string_view answer, std::string_view sentence, ExitCode code);
    void bad(std::string_view answer, std::string_view sentence, ExitCode code = ExitCode::no);
    /// The verdict of an error, with its facts; `reassurance` is said after its message. `advice`: the next step, where
    /// that is another than the error's hint.
    void conclude(const Error& error, std::string_view reassurance = {});
    void conclude(const Error& error, std::string_view reassurance, std::string_view advice);
    /// The verdict of what no command could foresee.
    void fail(std::string answer, std::string sentence);

    void fact(std::string key, std::string label, std::string text, JsonValue value);
    /// A fact of several lines, of which people see `most`; `total`: how many there are, where not all are at hand.
    void list(const std::string& key, const std::string& label, const std::vector<std::string>& lines, std::size_t most,
              const JsonValue& value, std::uint64_t total = 0);
    /// Lines for people that are shown as they are, behind the facts: a table, a picture.
    void block(std::string_view text) { block_ += text; }
    const std::string& block() const noexcept { return block_; }
    /// In JSON only.
    void detail(std::string_view key, JsonValue value);
    void warn(std::string_view text);
    void note(std::string_view text);
    void unchecked(std::string_view text);
    /// What to do next; `command`: the call that does it, ready for a shell.
    void next(std::string_view text, std::string_view command = {});
    void forget_next() noexcept { next_.clear(); }
    /// The file that was made or stood there already; --then runs on it.
    void output_is(std::string path) { output_ = std::move(path); }
    const std::string& output() const noexcept { return output_; }
    /// A report about one of several files, shown in its own block under `key`.
    void part(std::string key, Report part);

    /// This report and its one part as a single one, for people. REQUIRES parts().size() == 1.
    Report merged_with_only_part() const;

    const std::string& command() const noexcept { return command_; }
    Mood mood() const noexcept { return mood_; }
    const std::string& answer() const noexcept { return answer_; }
    const std::string& sentence() const noexcept { return sentence_; }
    ExitCode exit_code() const noexcept { return code_; }
    bool is_error() const noexcept { return is_error_; }
    const std::vector<Fact>& facts() const noexcept { return facts_; }
    const std::vector<std::string>& warnings() const noexcept { return warnings_; }
    const std::vector<std::string>& notes() const noexcept { return notes_; }
    const std::vector<std::string>& unchecked() const noexcept { return unchecked_; }
    const std::vector<Advice>& next() const noexcept { return next_; }
    const std::vector<Report>& parts() const noexcept { return parts_; }
    const std::string& parts_key() const noexcept { return parts_key_; }

private:
    std::string command_, answer_, sentence_, parts_key_, output_, block_;
    Mood mood_ = Mood::good;
    bool is_error_ = false;
    ExitCode code_ = ExitCode::yes;
    std::vector<Fact> facts_;
    std::vector<std::string> warnings_, notes_, unchecked_;
    std::vector<Advice> next_;
    std::vector<Report> parts_;
};

/// The version of every document; it rises when a key changes its meaning or goes.
inline constexpr int schema_version = 2;

/// The JSON document of a report, with a newline at its end, safe for terminals and always valid.
HOTSTITCH_EXPORT std::string json_text(const Report& report);
/// The same in pieces, for documents with many records.
HOTSTITCH_EXPORT void write_json(const Report& report, const std::function<void(std::string_view)>& write);

/// What stands in the documents: one JSON Schema (2020-12) for each command's, by its name.
HOTSTITCH_EXPORT JsonValue json_schemas();

/// The commands whose documents there are, in the order of their help.
inline constexpr std::string_view command_names[] = {"heap",    "describe", "apply",  "create", "verify", "recast",
                                                     "overlap", "undo",     "renew",  "mend",   "header", "parts",
                                                     "take",    "put",      "fields", "chart",  "kit",    "shelf"};

}  // namespace hotstitch::tell
