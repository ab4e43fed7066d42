// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_json_test.cc and, through the tool, by all others that read its output.
#include "hotstitch/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {

JsonValue::JsonValue(double number) : JsonValue(Json(number)) {}
JsonValue::JsonValue(std::string_view text) : JsonValue(Json(text)) {}

ExitCode exit_code_for(ErrorCode code) noexcept {
    switch (code) {
        case ErrorCode::exists:
        case ErrorCode::usage: return ExitCode::wrong_call;
        case ErrorCode::io: return ExitCode::system;
        case ErrorCode::refused:
        case ErrorCode::wrong_source:
        case ErrorCode::wrong_target: return ExitCode::no;
        case ErrorCode::cancelled: return ExitCode::interrupted;
        case ErrorCode::not_this_format:
        case ErrorCode::damaged:
        case ErrorCode::truncated:
        case ErrorCode::unsupported:
        case ErrorCode::limit: break;
    }
    return ExitCode::bad_input;
}

void Report::conclude(Mood mood, std::string answer, std::string sentence, ExitCode code) {
    mood_ = mood;
    answer_ = std::move(answer);
    sentence_ = std::move(sentence);
    code_ = code;
}

void Report::conclude(const Error& error, std::string_view reassurance) {
    conclude(error, reassurance, error.hint());
}

void Report::conclude(const Error& error, std::string_view reassurance, std::string_view advice) {
    conclude(Mood::bad, std::string(name_of(error.code())),
             "Stopped: " + escaped(error.what()) + "." + std::string(reassurance), exit_code_for(error.code()));
    is_error_ = true;
    const bool by_check = error.code() == ErrorCode::wrong_source || error.code() == ErrorCode::wrong_target;
    if (error.id() != ErrorId::none) detail("error_id", name_of(error.id()));
    if (!error.field().empty())
        fact("field", by_check ? "check" : "where", escaped(error.field()), as_utf8(error.field()));
    if (error.offset()) fact("offset", "at offset", offset_text(*error.offset()), *error.offset());
    if (!error.wanted().empty()) fact("wanted", "wanted", escaped(error.wanted()), as_utf8(error.wanted()));
    if (!error.found().empty()) {
        std::vector<std::string> lines;
        std::istringstream text(error.found());
        for (std::string line; std::getline(text, line);) lines.push_back(as_utf8(line));
        for (const std::string& line : lines) fact("found", "found", escaped(line), Json(lines));
    }
    if (!advice.empty()) next(escaped(advice));
}

void Report::fail(std::string answer, std::string sentence) {
    conclude(Mood::bad, std::move(answer), std::move(sentence), ExitCode::system);
    is_error_ = true;
}

void Report::good(std::string_view answer, std::string_view sentence) {
    conclude(Mood::good, std::string(answer), std::string(sentence), ExitCode::yes);
}
void Report::unsure(std::string_view answer, std::string_view sentence, ExitCode code) {
    conclude(Mood::unsure, std::string(answer), std::string(sentence), code);
}
void Report::bad(std::string_view answer, std::string_view sentence, ExitCode code) {
    conclude(Mood::bad, std::string(answer), std::string(sentence), code);
}
void Report::detail(std::string_view key, JsonValue value) {
    fact(std::string(key), {}, {}, std::move(value));
}
void Report::warn(std::string_view text) {
    // The steps of one change may all have met the same.
    if (std::find(warnings_.begin(), warnings_.end(), text) == warnings_.end()) warnings_.emplace_back(text);
}
void Report::note(std::string_view text) {
    notes_.emplace_back(text);
}
void Report::unchecked(std::string_view text) {
    unchecked_.emplace_back(text);
}
void Report::next(std::string_view text, std::string_view command) {
    next_.push_back({std::string(text), std::string(command)});
}

void Report::fact(std::string key, std::string label, std::string text, JsonValue value) {
    facts_.push_back({std::move(key), std::move(label), std::move(text), std::move(value)});
}

void Report::list(const std::string& key, const std::string& label, const std::vector<std::string>& lines,
                  std::size_t most, const JsonValue& value, std::uint64_t total) {
    const std::size_t shown = std::min(most, lines.size());
    for (std::size_t i = 0; i < shown; ++i) fact(key, label, lines[i], value);
    total = std::max<std::uint64_t>(total, lines.size());
    if (total > shown) fact(key, label, fmt::format("and {} more", grouped(total - shown)), value);
}

Report Report::merged_with_only_part() const {
    Report merged = parts_.front();
    merged.command_ = command_;
    const auto prepend = [](auto& into, const auto& from) { into.insert(into.begin(), from.begin(), from.end()); };
    prepend(merged.facts_, facts_);
    prepend(merged.block_, block_);
    prepend(merged.warnings_, warnings_);
    prepend(merged.notes_, notes_);
    prepend(merged.unchecked_, unchecked_);
    prepend(merged.next_, next_);
    return merged;
}

void Report::part(std::string key, Report part) {
    parts_key_ = std::move(key);
    parts_.push_back(std::move(part));
}

}  // namespace hotstitch::tell
