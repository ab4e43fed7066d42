// SPDX-License-Identifier: MIT
// Steps as JSON: each type's members by one list (each_member), so that what is written is what is read.
// Tested by tests/job/recipe_test.cc.
#include "hotstitch/step.h"

#include <algorithm>

#include "record/json_members.h"
#include "record/steps.h"

namespace hotstitch {

std::string_view name_of(const StepAction& does) noexcept {
    return row_of(does).name;
}

const std::string* file_of(const StepAction& does) noexcept {
    return std::visit(
        [](const auto& action) -> const std::string* {
            if constexpr (requires { action.file; })
                return action.file.empty() ? nullptr : &action.file;
            else
                return nullptr;
        },
        does);
}

void set_file(StepAction& does, std::string file) noexcept {
    std::visit(
        [&](auto& action) {
            if constexpr (requires { action.file; }) action.file = std::move(file);
        },
        does);
}

namespace {

constexpr std::array<std::string_view, 4> rooms{"any", "place", "append", "rebuild"};

}  // namespace

std::string_view code_of(Room room) noexcept {
    return rooms[static_cast<std::size_t>(room)];
}

std::optional<Room> room_from(std::string_view code) noexcept {
    const auto found = std::find(rooms.begin(), rooms.end(), code);
    return found == rooms.end() ? std::nullopt : std::optional(static_cast<Room>(found - rooms.begin()));
}

OrderedJson to_json(const Step& step) {
    OrderedJson out = {{"do", name_of(step.does)}};
    JsonWriter write(out);
    write("at", step.at);
    std::visit([&](const auto& action) { each_member(action, write); }, step.does);
    write("only", step.only);
    write("note", step.note);
    return out;
}

Step step_from(const OrderedJson& object, std::string_view document, std::initializer_list<std::string_view> more) {
    JsonReader read(object, document, "steps");
    for (const std::string_view name : more) read.knows(name);
    std::string name;
    read("do", name);
    const auto row = std::find_if(step_rows.begin(), step_rows.end(), [&](const StepRow& r) { return r.name == name; });
    if (row == step_rows.end()) broken_document(document, "do", "no step goes by this name");
    Step step{.does = action_of(static_cast<std::size_t>(row - step_rows.begin()))};
    read("at", step.at);
    std::visit([&](auto& action) { each_member(action, read); }, step.does);
    read("only", step.only);
    read("note", step.note);
    read.finish();
    return step;
}

}  // namespace hotstitch
