// SPDX-License-Identifier: MIT
// Reports as JSON. Tested by tests/cli_json_test.cc.
#include <algorithm>

#include "hotstitch/tell.h"
#include "hotstitch/words.h"
#include "record/digests_json.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

Json body_of(const Report& report) {
    Json body = Json::object();
    body["answer"] = report.answer();
    body["message"] = as_utf8(report.sentence());
    body["exit"] = static_cast<int>(report.exit_code());
    for (const Fact& fact : report.facts()) body[fact.key] = Json(fact.value);
    // Whoever asks a command that makes something always learns whether it did.
    constexpr std::string_view makers[] = {"apply", "create", "recast", "renew", "mend", "header", "take", "put"};
    if (!body.contains("made") && std::find(std::begin(makers), std::end(makers), report.command()) != std::end(makers))
        body["made"] = report.exit_code() == ExitCode::yes;
    const auto list = [&](const char* key, const std::vector<std::string>& texts) {
        if (texts.empty()) return;
        for (const std::string& text : texts) body[key].push_back(as_utf8(text));
    };
    list("warnings", report.warnings());
    list("notes", report.notes());
    list("not_checked", report.unchecked());
    for (const Advice& step : report.next())
        body["next"].push_back(as_utf8(step.command.empty() ? step.text : step.text + ": " + step.command));
    for (const Report& part : report.parts()) body[report.parts_key()].push_back(body_of(part));
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
    Json document;
    document["schema"] = {{"name", "hotstitch/" + report.command()}, {"version", schema_version}};
    document.update(body_of(report));
    return json_for_terminals(document.dump(2, ' ', false, Json::error_handler_t::replace)) + "\n";
}

}  // namespace hotstitch::tell
