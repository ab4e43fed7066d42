// SPDX-License-Identifier: MIT
// Puts the result of a recipe into its place: a new file, the file itself, or a patch of the change. By one set of
// rules: nothing is replaced unasked, and there is a way back. Patches alone go right into the output; a large file is
// changed where it lies, and what that overwrites is kept in a journal. Tested by tests/part/mend_test.cc,
// tests/cli/cli_cartridge_test.cc and, killed at every step, tests/faults/faults_test.cc.
#include <fmt/format.h>

#include "base/meter.h"
#include "digest/digesting_sink.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "hotstitch/version.h"
#include "job/job_state.h"
#include "job/receipts.h"
#include "source/chunks.h"

namespace hotstitch {

namespace fs = std::filesystem;

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

constexpr std::size_t most_stretches = 200'000;
constexpr std::uint64_t least_gap = 64;     ///< bytes that stay between two stretches, or they are one
constexpr std::uint64_t largest_share = 4;  ///< of which one may differ

/// The stretches in which the file becomes another; nothing: so much that a copy is the better way.
std::optional<ChangeList> stretches_of(const ByteSource& file, const SharedSource& made) {
    std::vector<ByteRange> all;
    std::uint64_t bytes = 0;
    each_difference(file, *made, [&](const ByteRange& range) {
        if (all.size() > most_stretches) return;
        bytes += range.length;
        if (!all.empty() && range.offset - (all.back().offset + all.back().length) < least_gap)
            all.back().length = range.offset + range.length - all.back().offset;
        else
            all.push_back(range);
    });
    if (all.size() > most_stretches || bytes > file.size() / largest_share) return std::nullopt;
    ChangeList change(file.size());
    for (const ByteRange& range : all) {
        const auto within = [&](std::uint64_t size) {
            return std::min(range.length, size - std::min(size, range.offset));
        };
        change.put_from(range.offset, within(file.size()), made, range.offset, within(made->size()));
    }
    return change;
}

/// One step as a code, for the record of a change in the file's own place.
std::string code_of(const Step& step, const std::string& at) {
    if (const auto* const set = step.as<step::Set>()) {
        std::string all;
        for (const FieldSetting& field : set->fields)
            all += fmt::format("{}{}={}", all.empty() ? "" : ", ", field.selector, field.value);
        return "set " + all;
    }
    if (const auto* const mend = step.as<step::Mend>()) return fmt::format("{}", fmt::join(mend->mends, ", "));
    if (const auto* const patch = step.as<step::Patch>(); patch != nullptr && step.at.empty())
        return "patch " + fs::path(patch->file).filename().string();
    return at.empty() ? std::string(name_of(step.does)) : fmt::format("{} {}", name_of(step.does), at);
}

}  // namespace

bool Job::State::goes_by_journal() const {
    const Destination& place = recipe.to;
    return place.in_place && place.patch.empty() && place.header.empty() && !place.reverse && !renews &&
           file().size() > largest_copied && file().stamp() && !file().is_unpacked() &&
           other_names_of(file().path()) == 0;
}

/// What was taken off, of whichever step did so last.
Bytes Job::State::header_taken_off() const {
    for (auto report = outcome.steps.rbegin(); report != outcome.steps.rend(); ++report)
        if (const auto* const strip = std::get_if<StripPlan>(&report->did)) return strip->header;
    return {};
}

/// What else was read is no place for an output.
void Job::State::refuse_read(const fs::path& output) const {
    for (const ApplyStage& stage : stages)
        if (stage.found) refuse_inputs(output, std::vector<fs::path>{stage.found->path});
    for (const auto& [name, opened] : host->files) refuse_inputs(output, std::vector<fs::path>{address_of(name).file});
    refuse_inputs(output, work.read);
}

Receipt Job::State::receipt_for(const fs::path& folder) const {
    Receipt receipt{.sources = std::vector<ReceiptSource>(1), .outputs = std::vector<ReceiptOutput>(1)};
    if (!recipe.to.receipt) return receipt;
    ReceiptSource& base = receipt.sources.front();
    const auto in_folder = [&](const InputFile& opened) {
        return receipt_file(opened, folder, recipe.to.digests, work.progress);
    };
    for (std::size_t i = 0; i < recipe.steps.size() && !laid_out; ++i) {  // a folder is no source to begin from again
        ReceiptStep done{.step = recipe.steps[i], .read = {}};
        if (auto* const mend = done.step.as<step::Mend>())
            for (std::string& text : mend->mends)
                rename_file(text, [&](const std::string& name) { return path_for_receipt(name, folder); });
        const std::string* const file = file_of(done.step.does);
        const auto opened = file == nullptr ? host->files.end() : host->files.find(*file);
        if (i < stages.size())
            done.read = in_folder(stages[i].file);
        else if (opened != host->files.end())
            done.read = in_folder(*opened->second);
        if (done.read)
            set_file(done.step.does, done.read->path);
        else if (file != nullptr)  // a folder, whose files went in one by one
            set_file(done.step.does, path_for_receipt(*file, folder));
        receipt.steps.push_back(std::move(done));
    }
    receipt.part = inside;
    receipt.mend = recipe.mend;
    if (stages.empty()) return receipt;
    base.reading = stages.front().representation;
    receipt.keeps_representation = keeps_form && base.reading.has_value();
    if (around) return receipt;
    if (!base.reading) base.file.digests = stages.front().made.fit.source;
    if (!outcome.output && is_patches_alone()) receipt.target().file.digests = outcome.patched;
    return receipt;
}

/// What is weak is not taken off unasked.
void Job::State::refuse_unsure() const {
    for (const StepReport& report : outcome.steps)
        if (const auto* const strip = std::get_if<StripPlan>(&report.did);
            strip != nullptr && strip->answer == StripPlan::Answer::not_sure)
            throw Error(ErrorCode::refused, "what speaks for a front header is weak, so none was taken off")
                .in("size")
                .found(counted(strip->present.size, "byte", "bytes"))
                .hint("if these bytes are a front header, name its size");
}

void Job::State::deliver() {
    const Destination& place = recipe.to;
    if (planned && !plan()) return;
    if (stages.empty()) {
        plan();
        refuse_unsure();
        const ChangeList* const change = working.file->known_change();
        const bool nowhere = place.file.empty() && place.as.empty() && !place.in_place && place.patch.empty();
        if (change != nullptr && change->empty()) outcome.answer = Answer::unchanged;
        if (outcome.answer == Answer::unchanged && (nowhere || place.in_place || !place.patch.empty())) return;
        check_destination();
    }
    if (!place.patch.empty()) return deliver_patch();
    if (!stages.empty() && place.in_place && file().is_unpacked() && !around)
        throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
            .as(ErrorId::archived_in_place)
            .hint("leave out the request to replace it: the output then lies beside the archive");
    if (!stages.empty() && !planned) refuse_implausible();
    const fs::path path = output_path();
    if (!place.in_place) {
        std::vector<const InputFile*> inputs{&file()};
        for (const ApplyStage& stage : stages) inputs.push_back(&stage.file);
        refuse_inputs(path, inputs, "name another output, or replace the file in place (it is kept as a backup)",
                      ErrorId::output_is_input);
        refuse_packed_name(path, file());
    }
    if (is_patches_alone() && !around && !planned && !goes_by_journal()) return deliver_patched(path);
    if (!plan()) return;
    refuse_unsure();
    refuse_read(path);
    if (!sheet_out.sheet.empty()) refuse_read(sheet_out.sheet);
    deliver_working(path);
    if (outcome.delivered.stood_already) outcome.answer = Answer::made_already;
}

/// The target of the last patch is made right into the output.
void Job::State::deliver_patched(const fs::path& path) {
    refuse_read(path);
    Delivery delivery(*source, path,
                      {.replace = recipe.to.replace,
                       .in_place = recipe.to.in_place,
                       .receipt = recipe.to.receipt,
                       .reverse = recipe.to.reverse,
                       .digests = recipe.to.digests,
                       .renews = renews ? &*renews : nullptr},
                      work);
    receipt_digests = delivery.wanted_of(source->size());
    make(delivery.output());
    if (!stages.back().made.made) {
        outcome.answer = Answer::already_patched;
        return;
    }
    finish_content(delivery.output());
    const std::optional<fs::path> sheet = add_sheet(delivery);
    outcome.delivered = delivery.finish(receipt_for(delivery.output().path().parent_path()));
    outcome.delivered.sheet = sheet;
    if (outcome.delivered.stood_already) outcome.answer = Answer::made_already;
    outcome.companions = companions_of(outcome.delivered.output);
    name_left_out();
    if (!recipe.to.in_place && !outcome.delivered.sheet &&
        outcome.delivered.output.filename() != source->path().filename())
        outcome.cue_sheets = cue_sheets_naming(source->path());
}

/// The steps' result. Where nothing changes, a named output is written all the same, so that a chain of calls goes on.
void Job::State::deliver_working(const fs::path& path) {
    const Destination& place = recipe.to;
    const ChangeList* const change = working.file->known_change();
    if (goes_by_journal() && deliver_by_journal(path)) return;
    Delivery delivery(file(), path,
                      {.replace = place.replace,
                       .in_place = place.in_place,
                       .receipt = place.receipt,
                       .reverse = place.reverse,
                       .digests = place.digests,
                       .renews = renews ? &*renews : nullptr},
                      work);
    const Bytes header = header_taken_off();
    if (!place.header.empty() && !header.empty()) {
        refuse_inputs(place.header, {&file()}, "name another file for the header");
        delivery.add_kept(place.header, {.replace = place.replace_header}).write(header);
    }
    DigestingSink output(delivery.output(), delivery.wanted_of(working.file->size(work)));
    Receipt receipt = receipt_for(really_absolute(path).parent_path());
    if (change != nullptr)
        receipt.sources.front().file.digests = write_changed(file(), ChangedSource(file(), *change),
                                                             delivery.wanted_of(file().size()), output, work.progress);
    else
        working.file->write(output, work);
    const std::optional<fs::path> sheet = add_sheet(delivery);
    outcome.output = output.finish();
    receipt.target().file.digests = *outcome.output;
    outcome.delivered = delivery.finish(std::move(receipt));
    outcome.delivered.sheet = sheet;
}

/// Nothing is matched where the change is known piece by piece.
void Job::State::deliver_patch() {
    const Destination& place = recipe.to;
    const fs::path path = place.patch;
    const auto by_name = format_by_extension(path.extension().string());
    if (!place.format && !by_name)
        throw Error(ErrorCode::usage, "the patch's format is not named")
            .as(ErrorId::no_format_named)
            .hint("name it, or give the patch a name with its extension");
    refuse_inputs(path, {&file()}, "name another file for the patch");
    if (!plan()) return;
    refuse_unsure();
    refuse_read(path);
    const ChangeList* const change = working.file->known_change();
    Transaction outputs(work.progress);
    auto& out = outputs.file(path, {.replace = place.replace});
    if (const Bytes header = header_taken_off(); !place.header.empty() && !header.empty()) {
        refuse_inputs(place.header, {&file()}, "name another file for the header");
        outputs.file(place.header, {.replace = place.replace_header}).write(header);
    }
    const CreateOptions options{
        .format = place.format ? *place.format : *by_name, .limits = work.limits, .progress = work.progress};
    const CreateReport made = change != nullptr ? create(file(), *change, out, options)
                                                : create(file(), *working.file->now(work), out, options);
    outcome.patch = made.facts;
    outcome.delivered.output = out.path();
    outcome.delivered.stood_already = out.stands_already();
    outputs.commit();
    outcome.delivered.backup = out.keep_backup();
}

/// False: so much differs that a copy is the better way.
bool Job::State::deliver_by_journal(const fs::path& named) {
    const Destination& place = recipe.to;
    const fs::path path = really_absolute(named);
    const ChangeList* const known = working.file->known_change();
    std::optional<ChangeList> found;
    if (known == nullptr) found = stretches_of(file(), working.file->now(work));
    if (known != nullptr ? !fits_in_place(*known) : !found) return false;
    const ChangeList& change = known != nullptr ? *known : *found;
    outcome.delivered.output = path;
    if (change.empty()) {
        outcome.delivered.stood_already = true;
        return true;
    }
    // Of a change that is known, only what it touches is read: the journal alone is the record then.
    const bool with_receipt = place.receipt && known == nullptr;
    const std::optional<Receipt> present = with_receipt ? receipt_beside(path) : std::nullopt;
    Receipt receipt;
    if (with_receipt) {
        receipt = receipt_for(path.parent_path());
        receipt.time = time_now(), receipt.tool = version();
        ReceiptFile& base = receipt.sources.front().file;
        base = receipt_file(file(), path.parent_path(), place.digests, work.progress, base.digests);
        // What the patches make is known; what further steps make of it is not.
        const Digests made = is_patches_alone() ? outcome.output.value_or(outcome.patched) : Digests{};
        receipt.target().file = {
            path.filename().string(),
            hotstitch::receipt_digests(*working.file->now(work), place.digests, work.progress, made)};
        if (!is_patches_alone()) outcome.output = receipt.target().file.digests;
        receipt.in_place = true;
        receipt.before = earlier_receipts(present, receipt);
    }
    if (known != nullptr || (!with_receipt && !is_patches_alone()))
        outcome.output = Digests{.size = change.result_size()};
    std::vector<std::string> what;
    for (const ApplyStage& stage : stages)
        what.push_back("patch " + (around ? inside : stage.file.path().filename().string()));
    for (const Step& step : steps()) what.push_back(code_of(step, joined_address(inside, step.at)));
    outcome.delivered.journal =
        Transaction(work.progress).in_place(file(), change, what, place.replace != Replace::without_backup);
    outcome.delivered.has_way_back = outcome.delivered.journal.has_value();
    if (!with_receipt) return true;
    // Stopped before this, the journal alone is the way back.
    if (outcome.delivered.journal) receipt.journal = outcome.delivered.journal->filename().string();
    receipt.target().identity = identity_of(*stamp_of(path));
    outcome.delivered.receipt =
        write_file(receipt_path(path), {.replace = Replace::without_backup}, receipt_to_json(receipt), work.progress)
            .path;
    return true;
}

void Job::State::write_into(ByteSink& sink) {
    keeps_form = recipe.to.keep_representation;
    into_sink = true;
    if (is_patches_alone() && !around) {
        refuse_implausible();
        make(sink);
        return finish_content(sink);
    }
    if (!plan()) return;
    refuse_unsure();
    const ChangeList* const change = working.file->known_change();
    if (change != nullptr && change->empty() && stages.empty()) outcome.answer = Answer::unchanged;
    const Bytes header = header_taken_off();
    Transaction outputs(work.progress);
    if (!recipe.to.header.empty() && !header.empty()) {
        refuse_inputs(recipe.to.header, {&file()}, "name another file for the header");
        outputs.file(recipe.to.header, {.replace = recipe.to.replace_header}).write(header);
    }
    working.file->write(sink, work);
    outcome.output = digest(WrittenSource(sink), {}, work.progress);
    outputs.commit();
}

}  // namespace hotstitch
