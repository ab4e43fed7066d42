// SPDX-License-Identifier: MIT
// One source, one or several patches in the order given, one target. What the patches before the last one make
// is kept in unnamed temporary files only.
#include "hotstitch/apply.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/apply_report.h"
#include "companions.h"
#include "delivery.h"
#include "header_sinks.h"
#include "hotstitch/error.h"
#include "hotstitch/header_opinion.h"
#include "hotstitch/image.h"
#include "hotstitch/mend.h"
#include "hotstitch/recognise.h"
#include "known.h"
#include "other_patches.h"
#include "placement.h"
#include "receipts.h"
#include "render/escape.h"
#include "render/quantities.h"
#include "unpacking.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void refuse_contradictions(const ApplyArguments& arguments) {
    const auto dashes =
        std::count(arguments.patches.begin(), arguments.patches.end(), "-") + (arguments.source == "-" ? 1 : 0);
    if (dashes > 1) throw Error(ErrorCode::usage, "only one of source and patches can come from standard input");
    if (arguments.in_place && !arguments.output.path.empty())
        throw Error(ErrorCode::usage, "--in-place and --output contradict each other");
    if (arguments.in_place && arguments.source == "-")
        throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
    if (dashes != 0 && arguments.output.path.empty())
        throw Error(ErrorCode::usage, "with standard input as an input, the output has to be named")
            .hint("add -o PATH, or -o - for standard output");
}

class Application {
public:
    /// `renews`: the receipt of the output that is made anew, of which the way back is kept.
    Application(const ApplyArguments& arguments, const Context& context, Report& report, const Receipt* renews)
        : arguments_(arguments),
          context_(context),
          report_(report),
          renews_(renews),
          source_(open_or_unpack(arguments.source, context)) {
        for (const std::string& name : arguments.patches)
            stages_.push_back({open_patch_file(name, context, report), nullptr, {}, {}});
        swap_if_unmistakable();
        for (Stage& stage : stages_) open_stage(stage);
        if (!arguments.as_is)
            source_ = source_for(std::move(source_), *stages_.front().reader, options_for(stages_.front()).checks,
                                 context, report);
        file_fact(report, "source", source_.path(), {.size = source_.size()});
        for (const Stage& stage : stages_) patch_facts(stage);
    }

    void run() {
        if (arguments_.in_place && source_.is_unpacked())
            throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
                .hint("leave out --in-place: the output then lies beside the archive");
        if (arguments_.output.path == "-") {
            ScratchFile scratch;
            make(scratch);
            finish_content(scratch);
            scratch.copy_to(STDOUT_FILENO, context_.progress);
            return state("standard output", "-");
        }
        fs::path place = default_apply_output(source_, stages_.back().patch.path());
        if (!arguments_.name_like.empty())
            place.replace_filename(companion_stem(arguments_.name_like) + source_.path().extension().string());
        const fs::path path = arguments_.in_place ? source_.path() : output_path(arguments_.output.path, place);
        try {
            if (!arguments_.in_place)
                refuse_inputs(path, inputs(),
                              "name another output, or use --in-place (the source is kept as a backup)");
            Delivery delivery(source_, path,
                              {.replace = replace_mode(arguments_.output, arguments_.in_place),
                               .in_place = arguments_.in_place,
                               .receipt = !arguments_.no_receipt,
                               .reverse = arguments_.keep_reverse,
                               .digests = arguments_.digests,
                               .renews = renews_},
                              context_);
            make(delivery.output());
            if (!stages_.back().made.made) return state_already_patched(report_);
            finish_content(delivery.output());
            finish(delivery);
            point_out_companions(delivery.output().path());
        } catch (const Error& error) {
            // Often the place is taken by the result of the same patch: then that is what to say.
            const bool taken = error.code() == ErrorCode::usage || error.code() == ErrorCode::exists;
            if (!taken || !is_already_patched()) throw;
            return state_already_patched(report_);
        }
        if (!arguments_.in_place && arguments_.output.path.empty() && path.parent_path().filename() == "patched")
            report_.next("to use it, put it where the program looks, or run", in_place_call());
    }

private:
    /// Content decides which is which: a patch where the source should be, and none where the patch should be.
    void swap_if_unmistakable() {
        InputFile& patch = stages_.front().patch;
        if (source_.is_same_file(patch.path())) throw Error(ErrorCode::usage, "source and patch are the same file");
        if (stages_.size() != 1 || !recognise_patch(source_.bytes()) || recognise_patch(patch.bytes())) return;
        std::swap(source_, patch);
        report_.warn("source and patch were given in swapped places; their content says which is which");
    }

    /// All patches are read before the first is applied, so that a damaged one stops at once.
    void open_stage(Stage& stage) {
        try {
            stage.reader = open_patch(stage.patch.bytes(), context_.limits);
        } catch (const Error&) {
            file_fact(report_, "patch", stage.patch.path(), {.size = stage.patch.size()});
            throw;
        }
        stage.found = find_checks(stage.patch);
    }

    void patch_facts(const Stage& stage) const {
        file_fact(report_, "patch", stage.patch.path(), {.size = stage.patch.size()},
                  patch_text(stage.reader->facts()));
        checks_fact(report_, stage.found);
    }

    ApplyOptions options_for(const Stage& stage) const {
        const bool first = &stage == &stages_.front();
        ApplyOptions options;
        options.checks = joined_checks(stage.found, first ? arguments_.expect : Digests{});
        options.allow_source = context_.common.allow.source;
        options.allow_target = context_.common.allow.target;
        options.allow_patch = context_.common.allow.patch;
        options.make_when_already_patched = stages_.size() > 1 || !arguments_.output.path.empty();
        options.limits = context_.limits;
        options.progress = context_.progress;
        return options;
    }

    void make(ByteSink& target) {
        std::optional<ScratchFile> before;
        for (Stage& stage : stages_) {
            const bool last = &stage == &stages_.back();
            const MemorySource made_before(before ? *before->written() : ByteView());
            const ByteSource& source = before ? static_cast<const ByteSource&>(made_before) : source_;
            std::optional<ScratchFile> scratch;
            if (!last) scratch.emplace();
            try {
                make_stage(stage, source, last ? target : *scratch);
            } catch (const Error&) {
                const auto number = static_cast<std::size_t>(&stage - stages_.data()) + 1;
                if (stages_.size() > 1)
                    report_.fact("stage", "stopped at",
                                 fmt::format("patch {} of {}, {}", number, stages_.size(), shown(stage.patch.path())),
                                 number);
                throw;
            }
            before = std::move(scratch);
        }
    }

    void make_stage(Stage& stage, const ByteSource& source, ByteSink& target) {
        const ApplyOptions options = options_for(stage);
        if (&stage == &stages_.front() && go_by_opinion(stage, options))
            return make_as_read(stage, *source.whole(), target, options);
        try {
            stage.made = apply(stage.patch, source, target, options);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::wrong_source) throw;
            const ByteView file = *source.whole();
            OtherPatches others;
            for (const Stage& other : stages_)
                if (&other != &stage) others.add(other.patch, *other.reader);
            others.add_beside(stage.patch, context_);
            const Diagnosis diagnosis =
                diagnose(*stage.reader, file, {options.checks, others.list(), context_.limits, context_.progress});
            stage.reading = diagnosis.reading;
            const bool usable = stage.reading && stage.reading->harmless() && !arguments_.as_is;
            if (!usable) {
                reason_facts(report_, diagnosis);
                const auto known = read_known(arguments_.known, context_);
                known_fact(report_, known, source, context_);
                needed_fact(report_, known, joined(stage.reader->facts().source, options.checks.source));
                throw Error(error.code(), error.what())
                    .in(error.field())
                    .wanted(error.wanted())
                    .found(error.found())
                    .hint(stage.reading && stage.reading->harmless()
                              ? "leave out --as-is: read so, the file is the right one"
                              : diagnosis.next);
            }
            make_as_read(stage, file, target, options);
        }
    }

    void make_as_read(Stage& stage, ByteView file, ByteSink& target, const ApplyOptions& options) {
        const Reading& reading = *stage.reading;
        const auto read = read_as(file, reading);
        const auto bytes = static_cast<std::size_t>(arguments_.keep_header ? reading.bytes : 0);
        const bool added = reading.kind == ReadingKind::with_front_header;
        const bool taken = reading.kind == ReadingKind::without_front_header;
        target.clear();
        HeaderKeeper with_header(target, file.first(taken ? bytes : 0));
        HeaderDropper without_header(target, added ? bytes : 0);
        header_kept_ = bytes != 0 && (added || taken);
        stage.made = apply(stage.patch, *read, added ? static_cast<ByteSink&>(without_header) : with_header, options);
    }

    /// A patch without checks may all the same show that it was made for the file with, or without, a front header.
    bool go_by_opinion(Stage& stage, const ApplyOptions& options) {
        const PatchFacts& facts = stage.reader->facts();
        if (arguments_.as_is || !facts.source.empty() || !options.checks.source.empty() || facts.checked_windows != 0)
            return false;
        const auto opinion = opinion_on_header(*stage.reader, source_.bytes(), context_.limits);
        if (!opinion) return false;
        if (!opinion->sure) {
            report_.warn(fmt::format("the patch was perhaps made for the file {}: {}", words_for(opinion->reading),
                                     opinion->why));
            report_.next("if the result misbehaves, undo it, and apply the patch to what this makes",
                         fmt::format("hotstitch header {} {} -o OUTPUT",
                                     opinion->reading.kind == ReadingKind::without_front_header ? "strip" : "attach",
                                     shell_file(arguments_.source)));
            return false;
        }
        stage.reading = opinion->reading;
        stage.why = opinion->why;
        return true;
    }

    /// What is done to the whole content after the last patch.
    void finish_content(ByteSink& sink) {
        if (arguments_.mend) mend(sink);
        if (mended_ || header_kept_) output_ = digest(MemorySource(*sink.written()), {}, context_.progress);
    }

    std::optional<Image> image_as_read() const {
        const std::optional<Reading>& reading = stages_.front().reading;
        if (!reading) return recognise_image(source_.bytes());
        const auto read = read_as(source_.bytes(), *reading);
        Bytes storage(static_cast<std::size_t>(read->size()));
        return recognise_image(read->read(0, storage.size(), storage));
    }

    /// Internal checks that the patch left stale. Those that were wrong before are somebody's choice.
    void mend(ByteSink& sink) {
        const auto say = [&](const char* text) { report_.fact("internal_checks", "internal checks", text, text); };
        const auto before = image_as_read();
        if (!before) return say("none that are known in the source");
        if (!all_checks_right(*before)) return say("not all right before the patch, so left as they are");
        const auto after = recognise_image(*sink.written());
        if (!after) return say("none that are known in the result");
        if (all_checks_right(*after)) return say("right, before and after the patch");
        MendPlan plan;
        try {
            plan = plan_mends(*sink.written(), {{"checksum", {}}}, {{}, context_.limits});
        } catch (const Error& error) {  // no reason to keep what the patch made from the player
            return report_.warn(fmt::format("the internal checks could not be mended: {}", escaped(error.what())));
        }
        mended_ = plan.changes();
        const Bytes mended = changed(*sink.written(), plan.change);
        sink.clear();
        sink.reserve(mended.size());
        sink.write(mended);
        say("right before the patch, stale after it, mended: the output differs in them from what the patch makes");
    }

    void finish(Delivery& delivery) {
        Receipt receipt;
        const fs::path folder = delivery.output().path().parent_path();
        if (!arguments_.no_receipt)
            for (const Stage& stage : stages_)
                receipt.patches.push_back(receipt_file(stage.patch, folder, arguments_.digests, context_.progress));
        if (mended_) receipt.mends = {"checksum"};
        if (stages_.front().reading) receipt.reading = words_for(*stages_.front().reading);
        const Delivered delivered = delivery.finish(std::move(receipt));
        state(shown(delivered.output), delivered.output);
        state_way_back(delivered, report_);
        if (!delivered.stood_already) return;
        conclude_made_already(delivered.output, report_);
    }

    /// Sound tracks and the like that go by another name than the output would not be found by the game.
    void point_out_companions(const fs::path& output) {
        if (!arguments_.name_like.empty() || arguments_.in_place) return;
        std::vector<fs::path> folders{source_.path().parent_path()};
        if (const fs::path other = stages_.back().patch.path().parent_path(); other != folders.front())
            folders.push_back(other);
        for (const fs::path& folder : folders)
            for (const CompanionSet& set : companions_in(folder))
                if (set.stem != output.stem())
                    report_.next(fmt::format(
                        "{} go by the name \"{}\"; if they belong to this game, give the output that name "
                        "with --name-like {}",
                        counted(set.files, "file", "files"), escaped(set.stem), shell_word(set.example.string())));
    }

    bool is_already_patched() const {
        if (stages_.size() != 1 || !arguments_.output.path.empty()) return false;
        const Stage& stage = stages_.front();
        return fit(*stage.reader, source_, options_for(stage).checks, context_.progress, context_.limits).answer ==
               FitAnswer::already_patched;
    }

    void state(const std::string& place, const fs::path& path) {
        const Digests &patched = stages_.back().made.target, made = output_.value_or(patched);
        if (output_)
            report_.fact("patch_makes", "patch makes",
                         fmt::format("{}, crc32 {}", size_text(*patched.size), patched.crc32->hex()), json_of(patched));
        output_fact(report_, made, path);
        for (const Stage& stage : stages_)
            state_stage(stage, &stage == &stages_.front(), &stage == &stages_.back(), report_);
        conclude_made(stages_, place, mended_, report_);
    }

    std::vector<const InputFile*> inputs() const {
        std::vector<const InputFile*> all{&source_};
        for (const Stage& stage : stages_) all.push_back(&stage.patch);
        return all;
    }

    /// How the same call would replace the source, for programs that only start from their own place.
    std::string in_place_call() const {
        std::string call = fmt::format("hotstitch apply --in-place {}", shell_file(arguments_.source));
        for (const std::string& patch : arguments_.patches) call += fmt::format(" {}", shell_file(patch));
        return call;
    }

    const ApplyArguments& arguments_;
    const Context& context_;
    Report& report_;
    const Receipt* renews_;
    InputFile source_;
    std::vector<Stage> stages_;
    bool mended_ = false, header_kept_ = false;
    std::optional<Digests> output_;  ///< where it is not what the last patch makes
};

}  // namespace

void run_apply(const ApplyArguments& arguments, const Context& context, Report& report, const Receipt* renews) {
    refuse_contradictions(arguments);
    Application(arguments, context, report, renews).run();
}

void run(const ApplyArguments& arguments, const Context& context, Report& report) {
    run_apply(arguments, context, report, nullptr);
}

}  // namespace hotstitch::cli
