// SPDX-License-Identifier: MIT
// Kits in the place of patches: apply, verify and renew ask here first.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "commands/commands.h"
#include "hotstitch/kit_jobs.h"

namespace hotstitch::cli {

bool names_a_kit(const std::vector<std::string>& names, const Context& context);
void apply_kits(const ApplyArguments& arguments, const Context& context, Report& report);
void run_kits(KitRequest request, bool only_plan, const Context& context, Report& report);
void verify_kit(const std::string& kit, const std::vector<std::string>& files, const Context& context, Report& report);
void verify_kit_receipt(const std::filesystem::path& file, const Receipt& receipt, const Context& context,
                        Report& report);
void renew_kits(const RenewArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
