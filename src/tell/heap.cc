// SPDX-License-Identifier: MIT
// A heap of files, told: what each is there for, what will be done, what is open. Tested by tests/heap/heap_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/tell.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

constexpr std::size_t files_shown = 24;

Json choice_json(const HeapChoice& choice) {
    Json out = {{"text", as_utf8(choice.words)}};
    if (!choice.by.empty()) out["by"] = choice.by;
    if (!choice.output.empty()) out["output"] = Json::parse(file_json(choice.output).text());
    if (choice.recipe) out["recipe"] = Json::parse(json_of(*choice.recipe));
    if (choice.kits)
        for (const std::string& kit : choice.kits->kits) out["kits"].push_back(as_utf8(kit));
    return out;
}

std::string line_of(const HeapFile& file) {
    return fmt::format("{}: {}", escaped(file.path), escaped(file.is));
}

void files_fact(Report& report, const Heap& heap) {
    std::vector<std::string> lines;
    Json files = Json::array(), left = Json::array();
    for (const HeapFile& file : heap.files) {
        Json one = {{"path", as_utf8(file.path)}, {"role", name_of(file.role)}, {"is", as_utf8(file.is)}};
        if (!file.why.empty()) {
            one["why"] = as_utf8(file.why);
            left.push_back({{"path", as_utf8(file.path)}, {"why", as_utf8(file.why)}});
        }
        if (file.found) one["found"] = true;
        files.push_back(std::move(one));
        if (file.why.empty()) lines.push_back(line_of(file));
    }
    report.list("files", "given", lines, files_shown, files);
    if (left.empty()) return;
    lines.clear();
    for (const HeapFile& file : heap.files)
        if (!file.why.empty()) lines.push_back(fmt::format("{}: {}", escaped(file.path), escaped(file.why)));
    report.list("left", "left over", lines, files_shown, left);
}

}  // namespace

void heap_facts(Report& report, const Heap& heap) {
    if (heap.plan) {
        const HeapChoice& plan = *heap.plan;
        const Json json = choice_json(plan);
        report.fact("plan", "plan", escaped(plan.words), json);
        if (!plan.by.empty()) report.fact("plan", "because", plan.by, json);
        if (!plan.output.empty()) report.fact("plan", "makes", shown(plan.output), json);
    }
    files_fact(report, heap);
    Json open = Json::array();
    for (const HeapQuestion& question : heap.open) {
        Json choices = Json::array();
        for (const HeapChoice& choice : question.choices) choices.push_back(choice_json(choice));
        open.push_back({{"question", question.question}, {"choices", std::move(choices)}});
    }
    if (!open.empty()) report.detail("open", open);
    if (heap.cut_short) {
        report.detail("cut_short", true);
        report.warn("a folder holds more than was looked at; name the game's file to be sure");
    }
    if (heap.readme.empty()) return;
    path_fact(report, "readme", "readme", std::filesystem::path(heap.readme));
    std::string block;
    for (const std::string& line : heap.readme_lines) block += "    " + escaped(line) + "\n";
    report.block(block);
}

}  // namespace hotstitch::tell
