// SPDX-License-Identifier: MIT
#include "rewrite.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/version.h"
#include "placement.h"
#include "receipts.h"
#include "render/quantities.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void output_fact(Report& report, const Digests& made, const std::string& path) {
    Json value = json_of(made);
    value["path"] = as_utf8(path);
    report.fact("output", "output", fmt::format("{}, crc32 {}", size_text(*made.size), made.crc32->hex()),
                std::move(value));
}

}  // namespace

void check_rewrite(const RewriteArguments& arguments, const std::string& file, const InputFile& source) {
    const bool named = !arguments.output.path.empty();
    if (!named && !arguments.in_place)
        throw Error(ErrorCode::usage, "it is not said where the result goes")
            .hint("name an output with -o, or replace the file itself with --in-place (it is kept as a backup)");
    if (named && arguments.in_place) throw Error(ErrorCode::usage, "--in-place and --output contradict each other");
    if (!arguments.in_place) return;
    if (file == "-") throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
    if (source.is_unpacked())
        throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
            .hint("name an output with -o");
}

std::string write_rewritten(const InputFile& source, std::span<const ByteView> parts,
                            const std::vector<std::string>& what, const RewriteArguments& arguments,
                            const Context& context, Report& report) {
    const auto write = [&](ByteSink& sink) {
        std::uint64_t size = 0;
        for (const ByteView part : parts) size += part.size();
        sink.reserve(size);
        for (const ByteView part : parts) sink.write(part);
        source.check_intact();
    };
    if (arguments.output.path == "-") {
        ScratchFile scratch;
        write(scratch);
        scratch.copy_to(STDOUT_FILENO, context.progress);
        output_fact(report, digest(MemorySource(*scratch.written()), {}), "-");
        return "standard output";
    }
    const fs::path path =
        arguments.in_place ? source.path() : output_path(arguments.output.path, source.path().filename());
    if (!arguments.in_place)
        refuse_inputs(path, {&source}, "name another output, or use --in-place (the file is kept as a backup)");
    Replace replace = replace_mode(arguments.output);
    if (arguments.in_place) replace = arguments.output.no_backup ? Replace::without_backup : Replace::keep_backup;
    OutputFile out(path, {replace, source.path()});
    write(out);
    const fs::path folder = out.path().parent_path();
    const MemorySource made(*out.written());
    Receipt receipt;
    receipt.time = time_now();
    receipt.tool = version();
    if (!arguments.no_receipt) receipt.source = receipt_file(source, folder, arguments.digests, context.progress);
    receipt.target = {as_utf8(out.path().filename().string()),
                      arguments.no_receipt ? digest(made, {}, context.progress)
                                           : receipt_digests(made, arguments.digests, context.progress)};
    for (const std::string& done : what) receipt.mends.push_back(as_utf8(done));
    receipt.in_place = arguments.in_place;
    const auto backup = out.commit(context.progress);
    output_fact(report, receipt.target.digests, out.path().string());
    if (backup) report.fact("backup", "backup", shown(*backup), as_utf8(backup->string()));
    if (arguments.in_place && backup) receipt.backup = backup->filename().string();
    if (!arguments.no_receipt) write_receipt(receipt, out.path(), report);
    return shown(out.path());
}

}  // namespace hotstitch::cli
