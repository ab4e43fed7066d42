// SPDX-License-Identifier: MIT
// One source, one or several patches in the order given, one target. What the patches before the last one make
// is kept in unnamed temporary files only.
#include "hotstitch/apply.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/apply_report.h"
#include "companions.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/recognise.h"
#include "hotstitch/version.h"
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

/// Puts a front header before what is written.
class HeaderKeeper final : public ByteSink {
public:
    HeaderKeeper(ByteSink& below, ByteView header) : below_(below), header_(header) {}
    void reserve(std::uint64_t size) override {
        below_.reserve(size + header_.size());
        if (!header_.empty()) below_.write(header_);
    }
    void write(ByteView bytes) override { below_.write(bytes); }
    void read_back(std::uint64_t offset, MutableByteView into) const override {
        below_.read_back(offset + header_.size(), into);
    }

private:
    ByteSink& below_;
    ByteView header_;
};

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
            stages_.push_back({open_patch_file(name, context, report), nullptr, {}, {}, {}});
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
            scratch.copy_to(STDOUT_FILENO, context_.progress);
            return state("standard output", "-", {});
        }
        fs::path place = default_apply_output(source_, stages_.back().patch.path());
        if (!arguments_.name_like.empty())
            place.replace_filename(companion_stem(arguments_.name_like) + source_.path().extension().string());
        const fs::path path = arguments_.in_place ? source_.path() : output_path(arguments_.output.path, place);
        try {
            if (!arguments_.in_place)
                refuse_inputs(path, inputs(),
                              "name another output, or use --in-place (the source is kept as a backup)");
            OutputFile file(path, {replace(), source_.path()});
            make(file);
            if (!stages_.back().made.made) return state_already_patched(report_);
            finish(file);
            point_out_companions(file.path());
        } catch (const Error& error) {
            // Often the place is taken by the result of the same patch: then that is what to say.
            if (error.code() != ErrorCode::usage || !is_already_patched()) throw;
            return state_already_patched(report_);
        }
        if (!arguments_.in_place && arguments_.output.path.empty() && path.parent_path().filename() == "patched")
            report_.next(in_place_call());
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
                throw Error(error.code(), error.what())
                    .in(error.field())
                    .wanted(error.wanted())
                    .found(error.found())
                    .hint(stage.reading && stage.reading->harmless()
                              ? "leave out --as-is: read so, the file is the right one"
                              : diagnosis.next);
            }
            const auto read = read_as(file, *stage.reading);
            target.clear();
            HeaderKeeper with_header(target, file.first(header_to_keep(stage)));
            stage.made = apply(stage.patch, *read, with_header, options);
        }
    }

    std::size_t header_to_keep(const Stage& stage) const {
        const bool keep = arguments_.keep_header && stage.reading->kind == ReadingKind::without_front_header;
        return keep ? static_cast<std::size_t>(stage.reading->bytes) : 0;
    }

    /// Puts everything into place: first what the way back needs, then the output, then its receipt.
    void finish(OutputFile& file) {
        const MemorySource made(*file.written());
        Receipt receipt = receipt_for(file.path(), made);
        if (arguments_.keep_reverse) {
            OutputFile reverse(reverse_path(file.path()), {Replace::keep_backup, {}});
            create(made, source_, reverse,
                   {.format = PatchFormat::bps, .limits = context_.limits, .progress = context_.progress});
            reverse.commit(context_.progress);
            receipt.reverse = reverse.path().filename().string();
            report_.fact("reverse", "reverse", shown(reverse.path()), as_utf8(reverse.path().string()));
        }
        std::optional<fs::path> backup;
        try {
            backup = file.commit(context_.progress);
        } catch (const Error&) {
            std::error_code ignored;
            if (!receipt.reverse.empty()) fs::remove(reverse_path(file.path()), ignored);
            throw;
        }
        state(shown(file.path()), file.path(), backup);
        if (receipt.in_place && renews_ == nullptr && backup) receipt.backup = backup->filename().string();
        if (!arguments_.no_receipt) write_receipt(receipt, receipt_path(file.path()));
    }

    /// The output is in its place by now: a receipt that cannot be written is a warning and no failure.
    void write_receipt(const Receipt& receipt, const fs::path& path) {
        try {
            OutputFile out(path, {is_receipt(path) ? Replace::without_backup : Replace::keep_backup, {}});
            out.write(bytes_of(receipt_to_json(receipt)));
            out.commit();
            report_.fact("receipt", "receipt", shown(path), as_utf8(path.string()));
        } catch (const Error& error) {
            report_.warn(fmt::format("the output is made, but not its receipt, so undo will not know it: {}",
                                     escaped(error.what())));
        }
    }

    Receipt receipt_for(const fs::path& output, const ByteSource& made) const {
        Receipt receipt;
        if (arguments_.no_receipt) return receipt;
        const fs::path folder = output.parent_path();
        const auto record = [&](const InputFile& file) {
            return ReceiptFile{as_utf8(path_in_receipt(file.origin(), folder)),
                               receipt_digests(file, arguments_.digests, context_.progress)};
        };
        receipt.time = time_now();
        receipt.tool = version();
        receipt.source = record(source_);
        for (const Stage& stage : stages_) receipt.patches.push_back(record(stage.patch));
        receipt.target = {as_utf8(output.filename().string()),
                          receipt_digests(made, arguments_.digests, context_.progress)};
        if (stages_.front().reading) receipt.reading = words_for(*stages_.front().reading);
        receipt.in_place = arguments_.in_place || (renews_ != nullptr && renews_->in_place);
        if (renews_ != nullptr) receipt.backup = renews_->backup;
        return receipt;
    }

    static bool is_receipt(const fs::path& path) {
        try {
            read_receipt(path);
            return true;
        } catch (const Error&) {
            return false;
        }
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
                    report_.next(
                        fmt::format("{} go by the name \"{}\"; if they belong to this game, give the output that name "
                                    "with --name-like \"{}\"",
                                    counted(set.files, "file", "files"), escaped(set.stem), shown(set.example)));
    }

    bool is_already_patched() const {
        if (stages_.size() != 1 || !arguments_.output.path.empty()) return false;
        const Stage& stage = stages_.front();
        return fit(*stage.reader, source_, options_for(stage).checks, context_.progress, context_.limits).answer ==
               FitAnswer::already_patched;
    }

    void state(const std::string& place, const fs::path& path, const std::optional<fs::path>& backup) {
        const Digests& made = stages_.back().made.target;
        Json target = json_of(made);
        target["path"] = as_utf8(path.string());
        report_.fact("output", "output", fmt::format("{}, crc32 {}", size_text(*made.size), made.crc32->hex()),
                     std::move(target));
        if (backup) report_.fact("backup", "backup", shown(*backup), as_utf8(backup->string()));
        for (const Stage& stage : stages_)
            state_stage(stage, &stage == &stages_.front(), &stage == &stages_.back(), report_);
        conclude_made(stages_, place, report_);
    }

    Replace replace() const {
        if (!arguments_.in_place) return replace_mode(arguments_.output);
        return arguments_.output.no_backup ? Replace::without_backup : Replace::keep_backup;
    }

    std::vector<const InputFile*> inputs() const {
        std::vector<const InputFile*> all{&source_};
        for (const Stage& stage : stages_) all.push_back(&stage.patch);
        return all;
    }

    /// How the same call would replace the source, for programs that only start from their own place.
    std::string in_place_call() const {
        std::string call = "to use it, put it where the program looks, or run: hotstitch apply --in-place " +
                           escaped(arguments_.source);
        for (const std::string& patch : arguments_.patches) call += fmt::format(" {}", escaped(patch));
        return call;
    }

    const ApplyArguments& arguments_;
    const Context& context_;
    Report& report_;
    const Receipt* renews_;
    InputFile source_;
    std::vector<Stage> stages_;
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
