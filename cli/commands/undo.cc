// SPDX-License-Identifier: MIT
// The way back. Nothing is removed or replaced before what comes back has been checked.
#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "receipts.h"
#include "render/quantities.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void remove_file(const fs::path& path) {
    std::error_code code;
    fs::remove(path, code);
    if (code) throw Error(ErrorCode::io, fmt::format("cannot remove {}: {}", path.string(), code.message()));
}

void put_backup_back(const fs::path& backup, const fs::path& file) {
    std::error_code code;
    fs::rename(backup, file, code);
    if (code) throw Error(ErrorCode::io, fmt::format("cannot put {} back: {}", backup.string(), code.message()));
}

void rebuild(const fs::path& file, const InputFile& patch, const Digests& wanted, const Context& context) {
    const InputFile made(file);
    OutputFile out(file, {Replace::without_backup, {}});
    ApplyOptions options;
    options.checks.target = wanted;
    options.limits = context.limits;
    options.progress = context.progress;
    apply(patch, made, out, options);
    out.commit(context.progress);
}

void undo_by_receipt(const fs::path& file, const Context& context, Report& report) {
    const fs::path receipt_file = receipt_path(file), folder = file.parent_path();
    report.fact("receipt", "receipt", shown(receipt_file), as_utf8(receipt_file.string()));
    const Receipt receipt = read_receipt(receipt_file);
    must_be(file, receipt.target.digests, ErrorCode::wrong_target,
            "the file is no longer what the receipt says was made",
            "it was changed since; nothing was touched. Put it aside yourself if it may go", context.progress);
    if (!receipt.in_place) {
        const fs::path source = path_from_receipt(receipt.source.path, folder);
        must_be(source, receipt.source.digests, ErrorCode::wrong_source,
                "the source is not there as it was, so the output is not removed",
                fmt::format("find the source again ({}), then remove the output yourself",
                            receipt.source.digests.crc32->hex()),
                context.progress);
        remove_file(file);
        remove_file(receipt_file);
        report.fact("source", "source", shown(source), as_utf8(source.string()));
        return report.conclude(
            Mood::good, "removed",
            fmt::format("Undone: {} and its receipt are removed; the source is untouched.", shown(file)),
            ExitCode::yes);
    }
    if (!receipt.backup.empty()) {
        const fs::path backup = path_beside(receipt.backup, folder);
        must_be(backup, receipt.source.digests, ErrorCode::wrong_source, "the backup is not what the receipt says",
                "nothing was touched; look for another copy of the original", context.progress);
        put_backup_back(backup, file);
    } else if (!receipt.reverse.empty()) {
        const fs::path reverse = path_beside(receipt.reverse, folder);
        rebuild(file, InputFile(reverse), receipt.source.digests, context);
        remove_file(reverse);
    } else {
        throw Error(ErrorCode::usage, "the receipt names neither a backup nor a reverse patch")
            .hint("the original has to come from elsewhere");
    }
    remove_file(receipt_file);
    report.conclude(Mood::good, "restored", fmt::format("Undone: {} is the original again, checked.", shown(file)),
                    ExitCode::yes);
}

void undo_by_patch(const fs::path& file, const std::string& patch_name, const Context& context, Report& report) {
    const InputFile patch = open_input(patch_name, context);
    const auto reader = open_patch(patch.bytes(), context.limits);
    file_fact(report, "patch", patch.path(), {.size = patch.size()}, patch_text(reader->facts()));
    if (!traits_of(reader->facts().format).reversible)
        throw Error(ErrorCode::usage,
                    fmt::format("{} patches do not work backwards", traits_of(reader->facts().format).title))
            .hint("only UPS does; otherwise the receipt or the original is needed");
    const InputFile made(file);
    const Fit answer = fit(*reader, made, {}, context.progress);
    if (!answer.reversed)
        throw Error(ErrorCode::wrong_target, "the file is not what this patch makes")
            .hint("it was changed since, or made by another patch");
    rebuild(file, patch, reader->facts().source, context);
    report.conclude(Mood::good, "restored", fmt::format("Undone: {} is the original again, checked.", shown(file)),
                    ExitCode::yes);
}

}  // namespace

void run(const UndoArguments& arguments, const Context& context, Report& report) {
    const fs::path file = fs::weakly_canonical(fs::absolute(arguments.file));
    report.fact("file", "file", shown(file), as_utf8(file.string()));
    if (!fs::is_regular_file(file)) throw Error(ErrorCode::io, fmt::format("there is no file {}", file.string()));
    if (arguments.patch.empty() || fs::exists(receipt_path(file))) return undo_by_receipt(file, context, report);
    undo_by_patch(file, arguments.patch, context, report);
}

}  // namespace hotstitch::cli
