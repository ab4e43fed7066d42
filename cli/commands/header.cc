// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <filesystem>

#include "commands/common.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "image_facts.h"
#include "rewriting.h"

namespace hotstitch::cli {
namespace {

constexpr std::uint64_t most_header = 1 << 20;

void state_header(const FrontHeader& header, const InputFile& file, Report& report) {
    report.fact("front_header", "front header", header.size == 0 ? "none" : fmt::format("{} bytes", header.size),
                header.size);
    if (!header.platform.empty()) report.fact("platform_title", "platform", std::string(header.platform), header.platform);
    report.detail("sure", header.sure);
    const Json reasons = header.evidence;
    for (const std::string& reason : header.evidence) report.fact("reasons", "because", reason, reasons);
    if (header.size == 0) return;
    std::string first;
    for (const std::byte b : head_of(file, 16))
        first += fmt::format("{}{:02x}", first.empty() ? "" : " ", std::to_integer<unsigned>(b));
    report.fact("first_bytes", "begins", first, first);
}

void show(const FrontHeader& header, const InputFile& file, Report& report) {
    state_header(header, file, report);
    const std::string name = shown(file.path());
    if (header.size == 0)
        return report.conclude(
            Mood::good, "no-front-header",
            fmt::format("{} has no front header{}.", name, header.platform.empty() ? " that is known" : ""),
            ExitCode::yes);
    if (!header.sure) {
        report.next("to take it off all the same", fmt::format("hotstitch header strip {} --size {} -o OUTPUT",
                                                               shell_file(file.path().string()), header.size));
        return report.conclude(Mood::unsure, "perhaps",
                               fmt::format("{} may have a front header of {} bytes.", name, header.size),
                               ExitCode::yes);
    }
    report.conclude(Mood::good, "front-header", fmt::format("{} has a front header of {} bytes.", name, header.size),
                    ExitCode::yes);
}

void strip(const HeaderArguments& arguments, const InputFile& file, const Context& context, Report& report) {
    const FrontHeader header = front_header_of(file);
    std::uint64_t size = header.size;
    if (arguments.size != 0) {
        if (arguments.size >= file.size() || arguments.size > most_header)
            throw Error(ErrorCode::usage, "no front header is so large")
                .wanted(fmt::format("less than the file's {} bytes, and at most 1 MiB", file.size()))
                .found(fmt::format("{} bytes", arguments.size));
        if (size != 0 && header.sure && size != arguments.size)
            report.warn(fmt::format("by all that is known, the front header has {} bytes", size));
        size = arguments.size;
    } else if (size == 0) {
        return pass_on_unchanged(file, "no-front-header",
                                 fmt::format("{} has no front header{}.", shown(file.path()),
                                             header.platform.empty() ? " that is known" : ""),
                                 arguments.rewrite, context, report);
    } else if (!header.sure) {
        state_header(header, file, report);
        report.next(fmt::format("if you know that these bytes are a front header, say so: --size {}", size));
        return report.conclude(Mood::unsure, "not-sure",
                               "What speaks for a front header is weak, so none was taken off. Nothing was written.",
                               ExitCode::no);
    }
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    const Bytes front = head_of(file, static_cast<std::size_t>(size));
    if (arguments.keep.empty() && (!all_equal(front) || front[0] != std::byte{0}))
        report.note("the header is not all zero; --keep FILE would have kept it, to be attached again");
    if (const auto image = recognise_cartridge(file);
        image && image->reading && image->reading->kind == RepresentationKind::de_interleaved)
        report.warn("what is left is still interleaved; the mend de-interleave of the whole file takes both off");
    ChangeList change(file.size());
    change.put(0, size, {});
    request.what = {fmt::format("strip-header {}", size)};
    request.aside = arguments.keep;
    request.aside_bytes = front;
    const auto place = write_rewritten(file, change, request, context, report);
    if (!arguments.keep.empty()) report.fact("kept", "header kept", shown(arguments.keep), as_utf8(arguments.keep));
    if (place)
        report.conclude(Mood::good, "stripped",
                        fmt::format("Made {}: without its front header of {} bytes.", *place, size), ExitCode::yes);
}

/// The header to attach: kept, described, or the empty one of the platform.
Bytes header_to_attach(const HeaderArguments& arguments, const InputFile& file, const Context& context) {
    if (!arguments.from.empty()) {
        const InputFile from(arguments.from, context.limits, context.progress);
        if (from.size() == 0 || from.size() > most_header)
            throw Error(ErrorCode::usage, "this is no front header")
                .wanted("1 byte to 1 MiB, as header strip --keep wrote it")
                .found(size_text(from.size()));
        return {from.bytes().begin(), from.bytes().end()};
    }
    if (!arguments.nes.empty()) return nes_front_header(arguments.nes);
    if (arguments.size != 0) {
        if (arguments.size > most_header)
            throw Error(ErrorCode::usage, "no front header is so large").wanted("at most 1 MiB");
        return Bytes(static_cast<std::size_t>(arguments.size));
    }
    const auto image = recognise_cartridge(file);
    if (!image || image->certainty != Certainty::certain)
        throw Error(ErrorCode::usage, "it is not certain what platform this is, so no header can be made unasked")
            .hint("say which: --from FILE, --nes LIST, or --size 512 for an empty copier's header");
    if (!has_copier_headers(image->platform))
        throw Error(ErrorCode::usage, fmt::format("copiers left no headers on {} files", image->platform_title))
            .hint("if there is one all the same: --from FILE, or --size N for an empty one");
    return copier_front_header(image->platform);
}

void attach(const HeaderArguments& arguments, const InputFile& file, const Context& context, Report& report) {
    const int ways = (arguments.from.empty() ? 0 : 1) + (arguments.nes.empty() ? 0 : 1) + (arguments.size == 0 ? 0 : 1);
    if (ways > 1) throw Error(ErrorCode::usage, "--from, --nes and --size are three ways to say the same");
    const Bytes header = header_to_attach(arguments, file, context);
    const FrontHeader present = front_header_of(file);
    if (present.size != 0 && present.sure)
        throw Error(ErrorCode::usage, "the file has a front header already")
            .in("front header")
            .found(fmt::format("{} bytes", present.size))
            .hint(fmt::format("take it off first: hotstitch header strip {}", shell_file(arguments.file)));
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    ChangeList change(file.size());
    change.put(0, 0, header);
    request.what = {fmt::format("attach-header {}", header.size())};
    const auto place = write_rewritten(file, change, request, context, report);
    if (!arguments.nes.empty()) {
        if (const auto image = recognise_cartridge(ChangedSource(file, change)))
            for (const std::string& warning : image->warnings) report.warn(warning);
    }
    if (place)
        report.conclude(Mood::good, "attached",
                        fmt::format("Made {}: with a front header of {} bytes.", *place, header.size()), ExitCode::yes);
}

}  // namespace

void run(const HeaderArguments& arguments, const Context& context, Report& report) {
    const bool stripping = arguments.action == "strip", attaching = arguments.action == "attach";
    if (!stripping && !arguments.keep.empty()) throw Error(ErrorCode::usage, "--keep belongs to header strip");
    if (!attaching && (!arguments.from.empty() || !arguments.nes.empty()))
        throw Error(ErrorCode::usage, "--from and --nes belong to header attach");
    const InputFile file = open_file(arguments.file, context);
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (stripping) return strip(arguments, file, context, report);
    if (attaching) return attach(arguments, file, context, report);
    show(front_header_of(file), file, report);
}

}  // namespace hotstitch::cli
