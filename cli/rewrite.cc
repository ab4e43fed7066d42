// SPDX-License-Identifier: MIT
#include "rewrite.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "delivery.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "placement.h"
#include "receipts.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

/// The change as a patch. Nothing is matched.
std::string write_patch(const InputFile& source, const ChangeList& change, const RewriteArguments& arguments,
                        const Context& context, Report& report) {
    const auto by_name = format_by_extension(fs::path(arguments.patch).extension().string());
    if (!arguments.format && !by_name)
        throw Error(ErrorCode::usage, "the patch's format is not named")
            .hint("add --format, or a name with its extension");
    refuse_inputs(arguments.patch, {&source}, "name another file for the patch");
    OutputFile out(arguments.patch, {.replace = replace_mode(arguments.output)});
    const CreateReport made = create(source, change, out,
                                     {.format = arguments.format ? *arguments.format : *by_name,
                                      .limits = context.limits,
                                      .progress = context.progress});
    const bool stood_already = out.stands_already();
    const auto backup = out.commit(context.progress);
    file_fact(report, "patch", out.path(), {.size = made.facts.patch_size}, patch_text(made.facts));
    if (backup) report.fact("backup", "backup", shown(*backup), as_utf8(backup->string()));
    report.fact("checked", "checked", "applied to the file, it makes the change, byte for byte",
                Json::array({"result"}));
    if (stood_already) report.note("the patch stood there already, the same bytes");
    return shown(out.path());
}

Digests write_changed(const InputFile& source, const ChangeList& change, ByteSink& sink, const Context& context) {
    write_source(ChangedSource(source, change), sink);
    return digest(MemorySource(*sink.written()), {}, context.progress);
}

}  // namespace

void check_rewrite(const RewriteArguments& arguments, const std::string& file, const InputFile& source) {
    const int ways =
        (arguments.output.path.empty() ? 0 : 1) + (arguments.in_place ? 1 : 0) + (arguments.patch.empty() ? 0 : 1);
    if (ways == 0)
        throw Error(ErrorCode::usage, "it is not said where the result goes")
            .hint(
                "name an output with -o, replace the file itself with --in-place (it is kept as a backup), or write "
                "the "
                "change as a patch with --patch");
    if (ways > 1)
        throw Error(ErrorCode::usage, "--output, --in-place and --patch contradict each other")
            .hint("keep one of them");
    if (arguments.format && arguments.patch.empty())
        throw Error(ErrorCode::usage, "--format is for the patch of the change")
            .hint("add --patch PATH, or leave out --format");
    if (!arguments.in_place) return;
    clear_leftovers(receipt_path(source.path()));
    if (file == "-") throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
    if (source.is_unpacked())
        throw Error(ErrorCode::usage, "a part of another file cannot be replaced in place")
            .hint("name an output with -o");
}

std::optional<std::string> write_rewritten(const InputFile& source, const ChangeList& change, const Rewrite& rewrite,
                                           const RewriteArguments& arguments, const Context& context, Report& report) {
    if (!arguments.patch.empty()) return write_patch(source, change, arguments, context, report);
    if (arguments.output.path == "-") {
        ScratchFile scratch;
        output_fact(report, write_changed(source, change, scratch, context), "-");
        scratch.copy_to(STDOUT_FILENO, context.progress);
        return "standard output";
    }
    const fs::path path =
        arguments.in_place ? source.path() : output_path(arguments.output.path, source.path().filename());
    if (!arguments.in_place)
        refuse_inputs(path, {&source}, "name another output, or use --in-place (the file is kept as a backup)");
    Delivery delivery(source, path,
                      {.replace = replace_mode(arguments.output, arguments.in_place),
                       .in_place = arguments.in_place,
                       .receipt = !arguments.no_receipt,
                       .digests = arguments.digests},
                      context);
    if (!rewrite.aside.empty()) {
        refuse_inputs(rewrite.aside, {&source}, "name another file for the header");
        delivery.add(rewrite.aside, replace_mode(arguments.output)).write(rewrite.aside_bytes);
    }
    const Digests made = write_changed(source, change, delivery.output(), context);
    Receipt receipt;
    for (const std::string& done : rewrite.what) receipt.mends.push_back(as_utf8(done));
    const Delivered delivered = delivery.finish(std::move(receipt));
    output_fact(report, made, delivered.output);
    if (delivered.stood_already) return conclude_made_already(delivered.output, report), std::nullopt;
    state_way_back(delivered, report);
    return shown(delivered.output);
}

void pass_on_unchanged(const InputFile& source, const std::string& answer, const std::string& why,
                       const RewriteArguments& arguments, const Context& context, Report& report) {
    report.detail("made", false);
    std::string where = "Nothing was written.";
    if (!arguments.output.path.empty()) {
        const auto place = write_rewritten(source, ChangeList(source.size()), {}, arguments, context, report);
        where =
            place ? fmt::format("It was written to {} as it is.", *place) : "It stands there already, the same bytes.";
    }
    report.conclude(Mood::good, answer, why + " " + where, ExitCode::yes);
}

}  // namespace hotstitch::cli
