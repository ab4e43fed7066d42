// SPDX-License-Identifier: MIT
#include "rewriting.h"

#include <unistd.h>

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"

namespace hotstitch::cli {
namespace {

void state_patch(const RewriteResult& result, Report& report) {
    const Delivered& delivered = result.delivered;
    file_fact(report, "patch", delivered.output, {.size = result.patch->patch_size}, words_for(*result.patch));
    warn_of_extension(report, delivered.output, result.patch->format);
    path_fact(report, "backup", "backup", delivered.backup);
    report.fact("checked", "checked", "applied to the file, it makes the change, byte for byte",
                Json::array({"result"}));
    if (delivered.stood_already) report.note("the patch stood there already, the same bytes");
}

}  // namespace

RewriteRequest rewrite_request(const RewriteArguments& arguments, const InputFile& source) {
    RewriteRequest request = arguments.request;
    request.replace = arguments.flags.mode(request.in_place);
    request.aside_replace = arguments.flags.mode();
    check_rewrite(source, request);
    return request;
}

std::optional<std::string> write_rewritten(const InputFile& source, const ChangeList& change,
                                           const RewriteRequest& request, const Context& context, Report& report) {
    if (request.output == "-") {
        ScratchFile scratch;
        output_fact(report, rewrite(source, change, request, scratch, context).output, "-");
        scratch.copy_to(STDOUT_FILENO, context.progress);
        return "standard output";
    }
    const RewriteResult result = rewrite(source, change, request, context);
    if (result.patch) return state_patch(result, report), shown(result.delivered.output);
    output_fact(report, result.output, result.delivered.output);
    if (result.delivered.stood_already) return conclude_made_already(result.delivered.output, report), std::nullopt;
    state_way_back(result.delivered, report);
    if (result.delivered.other_names != 0) report.warn(words_for_other_names(result.delivered.other_names));
    return shown(result.delivered.output);
}

void pass_on_unchanged(const InputFile& source, const std::string& answer, const std::string& why,
                       const RewriteArguments& arguments, const Context& context, Report& report) {
    report.detail("made", false);
    std::string where = "Nothing was written.";
    if (!arguments.request.output.empty()) {
        const auto place =
            write_rewritten(source, ChangeList(source.size()), rewrite_request(arguments, source), context, report);
        where =
            place ? fmt::format("It was written to {} as it is.", *place) : "It stands there already, the same bytes.";
    }
    report.good(answer, why + " " + where);
}

}  // namespace hotstitch::cli
