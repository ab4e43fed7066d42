// SPDX-License-Identifier: MIT
#include "rewrite.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "delivery.h"
#include "hotstitch/error.h"
#include "placement.h"
#include "receipts.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

void check_rewrite(const RewriteArguments& arguments, const std::string& file, const InputFile& source) {
    const bool named = !arguments.output.path.empty();
    if (!named && !arguments.in_place)
        throw Error(ErrorCode::usage, "it is not said where the result goes")
            .hint("name an output with -o, or replace the file itself with --in-place (it is kept as a backup)");
    if (named && arguments.in_place) throw Error(ErrorCode::usage, "--in-place and --output contradict each other");
    if (!arguments.in_place) return;
    clear_leftovers(receipt_path(source.path()));
    if (file == "-") throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
    if (source.is_unpacked())
        throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
            .hint("name an output with -o");
}

std::optional<std::string> write_rewritten(const InputFile& source, std::span<const ByteView> parts, const Rewrite& rewrite,
                            const RewriteArguments& arguments, const Context& context, Report& report) {
    const auto write = [&](ByteSink& sink) {
        std::uint64_t size = 0;
        for (const ByteView part : parts) size += part.size();
        sink.reserve(size);
        for (const ByteView part : parts) sink.write(part);
        source.check_intact();
        return digest(MemorySource(*sink.written()), {}, context.progress);
    };
    if (arguments.output.path == "-") {
        ScratchFile scratch;
        output_fact(report, write(scratch), "-");
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
    const Digests made = write(delivery.output());
    Receipt receipt;
    for (const std::string& done : rewrite.what) receipt.mends.push_back(as_utf8(done));
    const Delivered delivered = delivery.finish(std::move(receipt));
    output_fact(report, made, delivered.output);
    if (delivered.stood_already) return conclude_made_already(delivered.output, report), std::nullopt;
    state_way_back(delivered, report);
    return shown(delivered.output);
}

}  // namespace hotstitch::cli
