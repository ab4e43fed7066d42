// SPDX-License-Identifier: MIT
// Several kits on one base: what each of them changes, by part and field, and where two want different things.
// Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "hotstitch/edit_list.h"
#include "hotstitch/error.h"
#include "kit/state.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// One thing that a step changes.
struct Touch {
    std::size_t kit = 0;
    const WorkingBase* base = nullptr;
    std::string at;                    ///< the part's address in the base; empty: all of it
    std::string field{};               ///< one field of it
    std::string value{};               ///< that it gets
    std::optional<ByteRange> range{};  ///< bytes of it, of an edit at an offset
    bool mend = false;                 ///< done again by whoever comes last
    const Step* step = nullptr;
    Digests content{};  ///< of what is put
};

void add_edits(const Touch& model, const ByteSource& list, std::vector<Touch>& touches) {
    for (const ListedEdit& edit : read_edit_list(text_of(WholeView(list).bytes())).edits) {
        Touch touch = model;
        touch.at = joined_address(model.at, edit.part);
        if (edit.by == ListedEdit::By::field)
            touch.field = edit.field, touch.value = edit.new_value;
        else if (edit.by == ListedEdit::By::offset)
            touch.range = ByteRange{edit.at, std::max<std::uint64_t>(edit.removed(), 1)};
        touches.push_back(std::move(touch));
    }
}

std::vector<Touch> touches_of(std::vector<KitOnItsWay>& ways, const std::vector<KitStepPlan>& steps,
                              const WorkOptions& work) {
    std::vector<Touch> touches;
    std::map<std::pair<std::size_t, std::string>, Digests> known;  // the same file may be put in many places
    for (const KitStepPlan& planned : steps) {
        KitOnItsWay& way = ways[planned.kit];
        const Step& step = *planned.step;
        const Address at = address_in_base(way.kit.kit(), step.at);
        Touch touch{.kit = planned.kit, .base = way.bases.at(at.file).get(), .at = at.inside(), .step = &step};
        const auto* const put = step.as<step::Put>();
        if (const auto* const set = step.as<step::Set>()) {
            for (const FieldSetting& setting : set->fields) {
                touch.field = setting.selector, touch.value = setting.value;
                touches.push_back(touch);
            }
        } else if (const auto* const mending = step.as<step::Mend>()) {
            touch.mend = true;
            for (const std::string& mend : mending->mends) {
                touch.field = mend.substr(0, mend.find('=')), touch.value = mend;
                touches.push_back(touch);
            }
        } else if (const auto* const edit = step.as<step::Edit>()) {
            add_edits(touch, *way.kit.open(way.text(edit->file)), touches);
        } else {
            if (put != nullptr && address_in_base(way.kit.kit(), put->file).file.empty()) {
                Digests& content = known[{planned.kit, put->file}];
                if (!content.crc32) content = digest(*content_at(way, put->file, true, work), {}, work.progress);
                touch.content = content;
            }
            touches.push_back(std::move(touch));
        }
    }
    return touches;
}

/// Whether one part is the other, or lies in it.
bool meet(const std::string& a, const std::string& b) {
    if (a == b || a.empty() || b.empty()) return true;
    const std::string& shorter = a.size() < b.size() ? a : b;
    const std::string& longer = a.size() < b.size() ? b : a;
    return longer.starts_with(shorter) && (longer[shorter.size()] == ':' || longer[shorter.size()] == '/');
}

bool is_part_of_it(const Touch& touch) {
    return !touch.field.empty() || touch.range;
}

bool contradict(const Touch& a, const Touch& b) {
    if (a.base != b.base || !meet(a.at, b.at)) return false;
    if (is_part_of_it(a) && is_part_of_it(b)) {
        if (a.at != b.at || a.mend != b.mend) return false;
        if (!a.field.empty() && !b.field.empty()) return a.field == b.field && a.value != b.value;
        if (!a.range || !b.range) return false;
        return a.range->offset < b.range->offset + b.range->length &&
               b.range->offset < a.range->offset + a.range->length;
    }
    // Checks are computed once more over whatever was changed.
    if (a.mend || b.mend) return false;
    const bool one_is_folder = a.step->is<step::Folder>(), other_is_folder = b.step->is<step::Folder>();
    if (one_is_folder && other_is_folder) return false;
    if (a.at != b.at && (one_is_folder || other_is_folder)) return false;
    if (a.step->is<step::Remove>() && b.step->is<step::Remove>() && a.at == b.at) return false;
    if (a.content.crc32 && b.content.crc32 && a.at == b.at)
        return a.content.size != b.content.size || a.content.crc32 != b.content.crc32;
    return true;
}

std::string words_of(const Touch& touch) {
    if (touch.mend) return fmt::format("mends {}", touch.value);
    if (!touch.field.empty()) return fmt::format("sets it to {}", touch.value);
    if (touch.range) return "edits bytes there";
    const StepAction& does = touch.step->does;
    if (std::holds_alternative<step::Patch>(does)) return "patches it";
    if (std::holds_alternative<step::Put>(does)) return "puts another there";
    if (std::holds_alternative<step::Edit>(does)) return "edits it";
    if (std::holds_alternative<step::Remove>(does)) return "removes it";
    if (std::holds_alternative<step::Folder>(does)) return "makes a folder of it";
    if (std::holds_alternative<step::Link>(does)) return "links it";
    return "changes it";
}

}  // namespace

std::vector<KitConflict> find_conflicts(std::vector<KitOnItsWay>& ways, const std::vector<KitStepPlan>& steps,
                                        const WorkOptions& work) {
    std::vector<KitConflict> conflicts;
    if (ways.size() < 2) return conflicts;
    constexpr std::size_t most_told = 100;
    const std::vector<Touch> touches = touches_of(ways, steps, work);
    // What is about a part meets what is about that part, or about one that it lies in.
    std::map<std::tuple<const WorkingBase*, std::string, std::string>, std::vector<const Touch*>> groups;
    std::set<std::tuple<std::size_t, const WorkingBase*, std::string, std::string, std::string, std::string>> seen;
    const auto compare_with = [&](const Touch& touch, const std::string& at, const std::string& field) {
        const auto group = groups.find({touch.base, at, field});
        if (group == groups.end()) return;
        for (const Touch* const other : group->second) {
            if (conflicts.size() == most_told) return;
            if (touch.kit == other->kit || !contradict(touch, *other)) continue;
            const Touch &a = touch.kit < other->kit ? touch : *other, &b = touch.kit < other->kit ? *other : touch;
            const std::string& longer = a.at.size() > b.at.size() ? a.at : b.at;
            const std::string id = address_in_base(ways[a.kit].kit.kit(), a.step->at).file;
            conflicts.push_back({a.kit, b.kit, joined_address(id, longer) + (a.field.empty() ? "" : " " + a.field),
                                 words_of(a), words_of(b)});
        }
    };
    std::vector<const Touch*> told_once;
    for (const Touch& touch : touches) {
        const std::string content = touch.content.crc32 ? touch.content.crc32->hex() : std::string();
        const std::string range = touch.range ? fmt::format("{} {}", touch.range->offset, touch.range->length) : "";
        if (seen.emplace(touch.kit, touch.base, touch.at, touch.field + "=" + touch.value, content + range,
                         std::string(name_of(touch.step->does)))
                .second)
            told_once.push_back(&touch);
    }
    // Those it lies in come before it, and what is about all of a part before what is about a field.
    std::stable_sort(told_once.begin(), told_once.end(), [](const Touch* a, const Touch* b) {
        return std::pair(a->at.size(), !a->field.empty()) < std::pair(b->at.size(), !b->field.empty());
    });
    for (const Touch* const touch : told_once) {
        for (std::size_t end = 0; end < touch->at.size(); ++end)
            if (end == 0 || touch->at[end] == ':' || touch->at[end] == '/')
                compare_with(*touch, touch->at.substr(0, end), {});
        compare_with(*touch, touch->at, touch->field);
        if (!touch->field.empty()) compare_with(*touch, touch->at, {});
        groups[{touch->base, touch->at, touch->field}].push_back(touch);
    }
    return conflicts;
}

Error conflict_error(const std::vector<KitConflict>& conflicts, const std::vector<KitInput>& kits) {
    std::string all;
    for (const KitConflict& one : conflicts)
        all += fmt::format("{}{}: {} {}, {} {}", all.empty() ? "" : "\n", one.at, kits[one.first].kit().name,
                           one.first_does, kits[one.second].kit().name, one.second_does);
    return Error(ErrorCode::refused, "the kits contradict each other, and nothing was made")
        .in("conflict")
        .found(all)
        .hint("use one of them, or ask their makers for a kit of both");
}

}  // namespace hotstitch
