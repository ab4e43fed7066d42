// SPDX-License-Identifier: MIT
// One function a command. Each fills its report as it learns, so that an error is shown with the facts found
// before it, and throws Error.
#pragma once

#include "arguments.h"
#include "hotstitch/inputs.h"
#include "hotstitch/tell.h"
#include "json.h"

namespace hotstitch::cli {

using namespace tell;

/// What every command gets: the budgets, how progress is told, and "-" as a name.
struct Context : WorkOptions {
    Common common;
    std::vector<std::string> broken_maps;  ///< in the folder of maps
};

void run(const HeapArguments& arguments, const Context& context, Report& report);
void run(const tell::DescribeRequest& arguments, const Context& context, Report& report);
void run(const ApplyArguments& arguments, const Context& context, Report& report);
void run(const CreateArguments& arguments, const Context& context, Report& report);
void run(const RecastArguments& arguments, const Context& context, Report& report);
void run(const OverlapArguments& arguments, const Context& context, Report& report);
void run(const UndoArguments& arguments, const Context& context, Report& report);
void run(const RenewArguments& arguments, const Context& context, Report& report);
void run(const VerifyArguments& arguments, const Context& context, Report& report);
void run(const MendArguments& arguments, const Context& context, Report& report);
void run(const HeaderArguments& arguments, const Context& context, Report& report);
void run(const PartsArguments& arguments, const Context& context, Report& report);
void run(const TakeArguments& arguments, const Context& context, Report& report);
void run(const PutArguments& arguments, const Context& context, Report& report);
void run(const FieldsArguments& arguments, const Context& context, Report& report);
void run(const ChartArguments& arguments, const Context& context, Report& report);
void run(const KitArguments& arguments, const Context& context, Report& report);
void run(const ShelfArguments& arguments, const Context& context, Report& report);

/// A job of patches, told as "apply" tells it; its recipe is that of `arguments`.
void run_apply(Job& job, bool to_stream, const ApplyArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
