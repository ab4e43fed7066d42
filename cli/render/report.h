// SPDX-License-Identifier: MIT
// What a command has to say, once: printed as text for people or as JSON for programs.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "exit_code.h"
#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/source.h"

namespace hotstitch::cli {

using Json = nlohmann::ordered_json;

enum class Mood { good, unsure, bad };

struct Fact {
    std::string key;    ///< in JSON
    std::string label;  ///< for people; empty: only in JSON
    std::string text;
    Json value;
};

struct NextStep {
    std::string text, command;
    bool operator==(const NextStep&) const = default;
};

class Report {
public:
    explicit Report(std::string command) : command_(std::move(command)) {}

    /// The verdict: `answer` is for programs and stable, `sentence` for people.
    void conclude(Mood mood, std::string answer, std::string sentence, ExitCode code);
    void good(std::string_view answer, std::string_view sentence);
    void unsure(std::string_view answer, std::string_view sentence, ExitCode code);
    void bad(std::string_view answer, std::string_view sentence, ExitCode code = ExitCode::no);
    /// The verdict of an error, with its facts and next step; `reassurance` is said after its message.
    void conclude(const Error& error, std::string_view reassurance = {});
    /// The verdict of what no command could foresee.
    void fail(std::string answer, std::string sentence);

    void fact(std::string key, std::string label, std::string text, Json value);
    /// A fact of several lines, of which people see `most`; `total`: how many there are, where not all are at hand.
    void list(const std::string& key, const std::string& label, const std::vector<std::string>& lines, std::size_t most,
              const Json& value, std::uint64_t total = 0);
    /// In JSON only.
    void detail(std::string_view key, Json value);
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
    const std::vector<NextStep>& next() const noexcept { return next_; }
    const std::vector<Report>& parts() const noexcept { return parts_; }
    const std::string& parts_key() const noexcept { return parts_key_; }

private:
    std::string command_, answer_, sentence_, parts_key_, output_;
    Mood mood_ = Mood::good;
    bool is_error_ = false;
    ExitCode code_ = ExitCode::yes;
    std::vector<Fact> facts_;
    std::vector<std::string> warnings_, notes_, unchecked_;
    std::vector<NextStep> next_;
    std::vector<Report> parts_;
};

Json json_of(const Digests& digests);
Json reading_json(const Representation& reading);
Json json_of(const ByteRange& range);
Json json_of(const std::vector<ByteRange>& ranges);
Json json_of(const Report& report);
/// The JSON document of a report, with a newline at its end, safe for terminals and always valid.
std::string json_text(const Report& report);

struct TextStyle {
    bool colour = false, quiet = false, verbose = false;
    std::size_t width = 0;  ///< columns of the terminal; 0: lines are not broken
};

/// Ends with a newline. Quiet: the verdict's sentence only.
std::string rendered_text(const Report& report, const TextStyle& style);

}  // namespace hotstitch::cli
