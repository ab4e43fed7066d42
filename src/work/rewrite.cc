// SPDX-License-Identifier: MIT
// Putting a changed file, or a patch of the change, into its place, by the same rules as what apply makes: nothing is
// replaced unasked, and there is a way back. Tested by tests/mend_test.cc and tests/cli_cartridge_test.cc.

#include "base/chunks.h"
#include "base/meter.h"
#include "hotstitch/error.h"
#include "hotstitch/jobs.h"
#include "source/digesting_sink.h"
#include "work/receipts.h"
#include "work/sheets.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// What else was read is no place for an output.
void refuse_others(const fs::path& output, const RewriteRequest& request, const WorkOptions& work) {
    refuse_inputs(output, work.read);
    refuse_inputs(output, request.read);
}

/// What was taken off appears together with what is made.
template <class Set>
void keep_aside(const InputFile& source, const RewriteRequest& request, Set& set) {
    if (request.aside.empty()) return;
    refuse_inputs(request.aside, {&source}, "name another file for the header");
    const OutputOptions options{.replace = request.aside_replace};
    if constexpr (requires { set.add_kept(request.aside, options); })
        set.add_kept(request.aside, options).write(request.aside_bytes);
    else
        set.add(request.aside, options).write(request.aside_bytes);
}

/// Nothing is matched.
RewriteResult write_patch(const InputFile& source, const ChangeList& change, const RewriteRequest& request,
                          const WorkOptions& work) {
    const auto by_name = format_by_extension(request.patch.extension().string());
    if (!request.format && !by_name)
        throw Error(ErrorCode::usage, "the patch's format is not named")
            .as(ErrorId::no_format_named)
            .hint("name it, or give the patch a name with its extension");
    refuse_inputs(request.patch, {&source}, "name another file for the patch");
    refuse_others(request.patch, request, work);
    OutputSet set;
    OutputFile& out = set.add(request.patch, {.replace = request.replace});
    keep_aside(source, request, set);
    const CreateReport made = create(
        source, change, out,
        {.format = request.format ? *request.format : *by_name, .limits = work.limits, .progress = work.progress});
    RewriteResult result;
    result.patch = made.facts;
    result.delivered.output = out.path();
    result.delivered.stood_already = out.stands_already();
    set.commit(work.progress);
    result.delivered.backup = out.keep_backup();
    return result;
}

}  // namespace

void check_rewrite(const InputFile& source, const RewriteRequest& request) {
    const int ways = (request.output.empty() ? 0 : 1) + (request.as.empty() ? 0 : 1) + (request.in_place ? 1 : 0) +
                     (request.patch.empty() ? 0 : 1);
    if (ways == 0)
        throw Error(ErrorCode::usage, "it is not said where the result goes")
            .as(ErrorId::no_place_named)
            .hint("name an output, replace the file itself (it is kept as a backup), or write the change as a patch");
    if (ways > 1)
        throw Error(ErrorCode::usage, "more than one place is named for the result")
            .as(ErrorId::several_places_named)
            .hint("keep one of them");
    if (request.format && request.patch.empty())
        throw Error(ErrorCode::usage, "a format is for the patch of the change")
            .as(ErrorId::format_of_no_patch)
            .hint("name the patch, or leave out the format");
    if (!request.in_place) return;
    clear_leftovers(receipt_path(source.path()));
    if (!source.stamp())
        throw Error(ErrorCode::usage, "what came through a pipe cannot be replaced in place").hint("name an output");
    if (source.is_unpacked())
        throw Error(ErrorCode::usage, "a part of another file cannot be replaced in place")
            .as(ErrorId::cannot_be_in_place)
            .hint("name another output");
}

namespace {

/// Writes the changed file. The source's bytes are looked at while they are at hand for that.
Digests write_changed(const InputFile& source, const ChangedSource& made, DigestChoice choice, ByteSink& output,
                      const Progress& progress) {
    Meter meter(progress, Phase::writing, made.size());
    constexpr std::uint64_t chunk = 1 << 20;
    Digester of_source(choice);
    Bytes scratch(static_cast<std::size_t>(chunk));
    std::uint64_t at = 0;
    const auto look_at_next = [&] {
        const auto part = static_cast<std::size_t>(std::min(chunk, source.size() - at));
        of_source.update(source.read(at, part, scratch));
        at += part;
    };
    output.reserve(made.size());
    each_chunk(made, chunk, [&](ByteView bytes) {
        if (at < source.size()) look_at_next();
        output.write(bytes);
        meter.advance(bytes.size());
    });
    while (at < source.size()) look_at_next();
    meter.finish();
    made.check_intact();
    return of_source.finish();
}

RewriteResult rewrite_in_place(const InputFile& source, const ChangeList& change, const RewriteRequest& request,
                               const WorkOptions& work) {
    RewriteResult result;
    result.output.size = change.result_size();
    result.delivered.output = really_absolute(source.path());
    result.delivered.journal =
        change_in_place(source, change, request.what, request.replace != Replace::without_backup, work.progress);
    result.delivered.has_way_back = result.delivered.journal.has_value();
    return result;
}

}  // namespace

RewriteResult rewrite(const InputFile& source, const ChangeList& change, const RewriteRequest& request,
                      const WorkOptions& work) {
    check_rewrite(source, request);
    if (!request.patch.empty()) return write_patch(source, change, request, work);
    if (request.in_place && source.size() > largest_copied && request.aside.empty() && fits_in_place(change) &&
        other_names_of(source.path()) == 0)
        return rewrite_in_place(source, change, request, work);
    const SheetOutput sheet = request.in_place ? SheetOutput{} : sheet_output(source, request.output);
    const fs::path path = request.in_place       ? source.path()
                          : !request.as.empty()  ? placed_as(request.as, identify(source), source.path().filename())
                          : !sheet.sheet.empty() ? sheet.file
                                                 : output_path(request.output, source.path().filename());
    if (!request.in_place)
        refuse_inputs(path, {&source}, "name another output, or replace the file in place (it is kept as a backup)",
                      ErrorId::output_is_input);
    if (!request.in_place) refuse_packed_name(path, source);
    refuse_others(path, request, work);
    if (!sheet.sheet.empty()) refuse_others(sheet.sheet, request, work);
    Delivery delivery(source, path,
                      {.replace = request.replace,
                       .in_place = request.in_place,
                       .receipt = request.receipt,
                       .digests = request.digests,
                       .renews = request.renews ? &*request.renews : nullptr},
                      work);
    keep_aside(source, request, delivery);
    RewriteResult result;
    DigestingSink output(delivery.output(), delivery.wanted_of(change.result_size()));
    Receipt receipt = request.patched.value_or(Receipt{});
    if (!request.patched) receipt.mends = request.what;
    receipt.source.digests =
        write_changed(source, ChangedSource(source, change), delivery.wanted_of(source.size()), output, work.progress);
    write_sheet(source, sheet, request.replace, delivery);
    result.output = output.finish();
    receipt.target.digests = result.output;
    result.delivered = delivery.finish(std::move(receipt));
    if (!sheet.sheet.empty()) result.delivered.sheet = sheet.sheet;
    return result;
}

RewriteResult rewrite(const InputFile& source, const ChangeList& change, const RewriteRequest& request, ByteSink& sink,
                      const WorkOptions& work) {
    OutputSet set;
    keep_aside(source, request, set);
    RewriteResult result;
    write_source(ChangedSource(source, change), sink);
    result.output = digest(WrittenSource(sink), {}, work.progress);
    set.commit(work.progress);
    return result;
}

}  // namespace hotstitch
