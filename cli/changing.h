// SPDX-License-Identifier: MIT
// What mend, header, put and fields share: a recipe of their steps, done, and what is said of it.
#pragma once

#include <optional>
#include <string>

#include "commands/commands.h"
#include "hotstitch/job.h"
#include "hotstitch/tell.h"

namespace hotstitch::cli {

/// What a call comes to, where its result goes among it.
Recipe recipe_of(const ChangeArguments& arguments, std::string base, std::vector<Step> steps);

/// What mend, put and fields say of a step; the first two also list.
Json step_json(const MendStep& step);
Json change_json(const FieldChange& field);
std::string name_with_key(const FieldChange& field);

/// What the steps of a plan came to.
void state_steps(const std::vector<StepReport>& steps, Report& report);

/// What is said where nothing changes.
struct Unchanged {
    std::string answer, why;
};
/// Writes the file, or the patch, and states output, backup and receipt. Returns where it went, for people; nothing,
/// and the verdict is given, when the output stood there already or nothing changes.
std::optional<std::string> finish_change(Job& job, const Unchanged& unchanged, const Context& context, Report& report);

}  // namespace hotstitch::cli
