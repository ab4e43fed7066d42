// SPDX-License-Identifier: MIT
// Kits in the place of patches: apply, verify and renew ask here first.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "commands/commands.h"
#include "hotstitch/kit_jobs.h"

namespace hotstitch::cli {

/// What was named, sorted: each is looked at once.
struct NamedKits {
    std::vector<std::string> kits, others;
};
NamedKits kits_among(const std::vector<std::string>& names, const Context& context);
void apply_kits(const NamedKits& named, const ApplyArguments& arguments, const Context& context, Report& report);
void run_kits(KitRequest request, bool only_plan, const Context& context, Report& report);
void verify_kits(const NamedKits& named, const Context& context, Report& report);
void renew_kits(const RenewArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
