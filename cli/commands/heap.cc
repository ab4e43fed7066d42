// SPDX-License-Identifier: MIT
// Files without a command: sorted, planned, asked about in a terminal, done. Tested by tests/heap/heap_test.cc.
#include <fmt/format.h>
#include <unistd.h>

#include "advice.h"
#include "commands/common.h"
#include "commands/kit.h"
#include "hotstitch/error.h"
#include "hotstitch/heap.h"
#include "hotstitch/job.h"
#include "hotstitch/text.h"
#include "render/print.h"
#include "render/style.h"
#include "render/text.h"
#include "signals.h"

namespace hotstitch::cli {
namespace {

/// The call that does it.
std::string call_of(const HeapChoice& choice) {
    std::string call = "hotstitch apply";
    const auto add = [&](const std::string& name) { call += " " + shell_file(name); };
    if (choice.kits) {
        for (const std::string& base : choice.kits->given) add(base);
        for (const std::string& kit : choice.kits->kits) add(kit);
    } else {
        add(choice.recipe->base);
        for (const Step& step : choice.recipe->steps)
            if (const std::string* const file = file_of(step.does)) add(*file);
    }
    if (choice.recipe && choice.recipe->expected.crc32)
        call += " --expect crc32:" + choice.recipe->expected.crc32->hex();
    else if (choice.recipe && choice.recipe->expected.sha1)
        call += " --expect sha1:" + choice.recipe->expected.sha1->hex();
    else if (choice.recipe && choice.recipe->expected.md5)
        call += " --expect md5:" + choice.recipe->expected.md5->hex();
    const std::string& output = choice.kits ? choice.kits->output : choice.recipe->to.file;
    if (!output.empty()) call += " -o " + shell_file(output);
    if ((choice.kits ? choice.kits->replace : choice.recipe->to.replace) != Replace::never) call += " --replace";
    return call;
}

/// Shows the plan and waits: an empty line does it.
bool agreed(const Heap& heap, const Context& context) {
    Report plan("heap");
    heap_facts(plan, heap);
    plan.good("planned", heap.plan->by.empty() ? "This can be done; no check can tell whether they belong together."
                                               : "This can be done.");
    (void)put(stdout, rendered_text(plan, {wants_colour(context.common.colour, STDOUT_FILENO), false, false,
                                           width_of(STDOUT_FILENO)}));
    (void)put(stdout, "\nEnter does it; n and Enter leaves all as it is. ");
    char answer = 0, next = 0;
    for (bool first = true; read(STDIN_FILENO, &next, 1) == 1; first = false) {
        if (first) answer = next;
        if (next == '\n') break;
    }
    (void)put(stdout, "\n");
    if (stop_signal() != 0) throw Error(ErrorCode::cancelled, "stopped on request");
    return answer == '\n' || answer == 'y' || answer == 'Y';
}

void refuse(const Heap& heap, Report& report) {
    if (!heap.open.empty()) {
        for (const HeapQuestion& question : heap.open)
            for (const HeapChoice& choice : question.choices) report.next(escaped(choice.words), call_of(choice));
        const std::string why = heap.misfits.empty()
                                    ? ""
                                    : fmt::format("{} was not made for {}. ", escaped(heap.misfits.front().patch),
                                                  escaped(heap.misfits.front().game));
        return report.unsure("open", fmt::format("{}Nothing was done yet. {}", why, heap.open.front().question),
                             ExitCode::no);
    }
    if (!heap.patched_already.empty())
        return report.good("already-patched", fmt::format("{} is patched already: there is nothing to do.",
                                                          escaped(heap.patched_already)));
    if (heap.refusal) throw Error(*heap.refusal);
    if (!heap.misfits.empty()) {
        const HeapMisfit& nearest = heap.misfits.front();
        reason_facts(report, nearest.diagnosis);
        report.next(escaped(words_for_next(nearest.diagnosis)));
        return report.bad("wrong-source", fmt::format("{} was not made for {}. Nothing was written.",
                                                      escaped(nearest.patch), escaped(nearest.game)));
    }
    report.next("name the game as well, or the folder that it lies in");
    report.bad("no-game", "There is a patch here, and no game that it may be for.");
}

void do_it(const HeapChoice& plan, const HeapArguments& arguments, const Context& context, Report& report) {
    if (plan.kits) return run_kits(*plan.kits, false, context, report);
    ApplyArguments apply;
    apply.recipe = *plan.recipe;
    apply.flags = arguments.flags;
    for (const Step& step : plan.recipe->steps)
        if (const std::string* const file = file_of(step.does)) apply.patches.push_back(*file);
    Job job(*plan.recipe, context);
    run_apply(job, plan.recipe->to.file == "-", apply, context, report);
}

}  // namespace

void run(const HeapArguments& arguments, const Context& context, Report& report) {
    Destination to = arguments.to;
    to.replace = arguments.flags.mode();
    const Heap heap = sort_heap(arguments.files, to, context);
    Context inside = context;
    inside.limits = heap.work.limits;
    inside.read = heap.work.read;
    const bool nothing_to_do =
        !heap.plan && heap.open.empty() && heap.misfits.empty() && !heap.refusal && heap.patched_already.empty();
    const auto has = [&](HeapRole role) {
        return std::any_of(heap.files.begin(), heap.files.end(), [&](const HeapFile& f) { return f.role == role; });
    };
    if (nothing_to_do && !has(HeapRole::patch)) {
        // Files alone: what they are.
        report = Report("describe");
        std::vector<std::string> files = heap.games();
        if (files.empty()) files = arguments.files;
        DescribeRequest request{.files = std::move(files)};
        request.conclude = [](Report& part, const Error& error) { conclude(part, error); };
        describe(request, report, inside);
        return report.next("to patch it, name the patch as well, in any order",
                           fmt::format("hotstitch {} PATCH", shell_file(arguments.files.front())));
    }
    const bool ask = heap.plan && !arguments.yes && !arguments.plan && !context.common.json &&
                     isatty(STDIN_FILENO) == 1 && isatty(STDOUT_FILENO) == 1;
    if (!ask) heap_facts(report, heap);
    report.detail("made", false);
    if (!heap.plan) return refuse(heap, report);
    if (arguments.plan)
        return report.good("planned", fmt::format("{} can be done. Nothing was written.", escaped(heap.plan->words)));
    if (ask && !agreed(heap, context))
        return report.unsure("not-done", "Left as it is. Nothing was written.", ExitCode::no);
    Report done("apply");
    try {
        do_it(*heap.plan, arguments, inside, done);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        conclude(done, error,
                 error.done().empty() ? " Nothing was written." : fmt::format(" {}.", escaped(error.done())));
    }
    report.detail("made", done.exit_code() == ExitCode::yes);
    report.output_is(done.output());
    report.conclude(done.mood(), done.answer(), done.sentence(), done.exit_code());
    report.part("done", std::move(done));
}

}  // namespace hotstitch::cli
