// SPDX-License-Identifier: MIT
// What kits will do with what was given, before anything is done. Tested by tests/kit/kit_test.cc and
// tests/kit/cli_kit_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/letters.h"
#include "digest/digesting_sink.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "job/as_made.h"
#include "job/opened.h"
#include "job/receipts.h"
#include "kit/state.h"

namespace hotstitch {

namespace fs = std::filesystem;

KitJob::KitJob(KitRequest request, WorkOptions options) : state_(std::make_unique<State>()) {
    state_->request = std::move(request);
    state_->work = std::move(options);
}
KitJob::~KitJob() = default;

void KitJob::open() {
    state_->open();
}
const std::vector<KitInput>& KitJob::kits() const noexcept {
    return state_->kits;
}
const std::vector<std::vector<KitBaseFound>>& KitJob::bases() const noexcept {
    return state_->bases;
}
const KitResult& KitJob::result() const noexcept {
    return state_->result;
}
const KitPlan& KitJob::plan() {
    refuse_unopened(!state_->kits.empty());
    if (!state_->plan) state_->make_plan();
    return *state_->plan;
}
std::vector<KitConflict> KitJob::conflicts() const {
    return find_conflicts(state_->ways, opened(state_->plan).steps, state_->work);
}
void KitJob::refuse_conflicts() const {
    if (const auto found = conflicts(); !found.empty()) throw conflict_error(found, state_->kits);
}
void KitJob::try_steps() {
    plan();
    state_->run_steps();
    for (const auto& [address, base] : state_->working)
        for (const auto& [name, entry] : base->tree)
            if (entry.working && entry.working->changed()) entry.working->now(state_->work);
    state_->tried = true;
}
const KitResult& KitJob::run() {
    State& s = *state_;
    const auto make = [&] {
        plan();
        if (s.result.made.empty()) {  // else made before
            refuse_conflicts();
            s.check_room();
            if (!s.tried) s.run_steps();
            deliver(s);
        }
        if (s.undone) forget_renewal(s.request.given.front());
    };
    try {
        s.telling_what_was_undone(make);
    } catch (const Error& error) {
        const bool conflict = error.code() == ErrorCode::refused && error.field() == "conflict";
        if ((!conflict && error.code() != ErrorCode::wrong_source) || !error.done().empty()) throw;
        s.result.answer = conflict ? Answer::conflict : Answer::wrong_source;
        s.result.refusal = error;
        return s.result;
    }
    const bool stood =
        std::all_of(s.result.made.begin(), s.result.made.end(), [](const KitMade& made) { return made.stood_already; });
    s.result.answer = stood ? Answer::made_already : Answer::made;
    return s.result;
}
void KitJob::run(ByteSink& sink) {
    const KitOutputPlan& planned = plan().outputs.front();
    if (planned.folder) throw Error(ErrorCode::usage, "the kit makes a folder, and a file is needed").in("output");
    refuse_conflicts();
    state_->run_steps();
    const KitOnItsWay& way = state_->ways[planned.kit];
    const WorkingBase& base = *way.bases.at(address_in_base(way.kit.kit(), planned.output->from).file);
    const DigestChoice wanted = either(DigestChoice{}, choice_for(planned.wanted));
    KitMade made;
    if (const SharedSource back = state_->request.in_place ? in_own_form(base, state_->work) : nullptr) {
        check_output(*state_, planned, digest(*base.file->now(state_->work), wanted, state_->work.progress), made);
        return write_source(*back, sink);
    }
    DigestingSink out(sink, wanted);
    base.file->write(out, state_->work);
    check_output(*state_, planned, out.finish(), made);
}

fs::path place_of(const KitBaseFound& found) {
    return address_of(found.address).file;
}

/// A folder whose change in place was stopped is brought back first where it is to be changed in place again.
void KitJob::State::finish_stopped() {
    for (const std::string& given : request.given) {
        std::error_code code;
        if (!fs::is_directory(given, code)) continue;
        const auto way_back = way_back_of(given);
        if (!way_back || !way_back->stopped) continue;
        if (!request.in_place)
            throw Error(ErrorCode::damaged, fmt::format("a change of {} was stopped in the middle", given))
                .as(ErrorId::stopped_in_place, given)
                .hint("undo it");
        undo_folder(given, work.progress);
        result.warnings.push_back(
            fmt::format("a change of {} that had been stopped in the middle was undone first", given));
    }
}

/// What an older version changed in place goes first; but not before it is known that the newer one is for the same.
void KitJob::State::undo_former() {
    if (!request.renews || !request.in_place) return;
    for (const KitInput& kit : kits)
        for (const KitBase& base : kit.kit().bases)
            for (const ReceiptSource& was : request.renews->sources) {
                const auto is_it = [&](const KitEdition& edition) {
                    return compare(edition.digests, was.reading ? was.as_read : was.file.digests).empty();
                };
                if (was.folder || base.folder || std::any_of(base.any.begin(), base.any.end(), is_it)) continue;
                throw Error(ErrorCode::wrong_source,
                            fmt::format("{} is for another file than the one before", kit.path().string()))
                    .in("base")
                    .found(was.file.digests.crc32->hex())
                    .hint("nothing was touched; undo, and look for the edition that the newer kit is for");
            }
    const fs::path file = really_absolute(request.given.front());
    write_file(renewal_path(file), {.replace = Replace::without_backup}, receipt_to_json(*request.renews),
               work.progress);
    try {
        if (receipt_of(file)) undo_last(file, {}, work);
    } catch (...) {
        const std::exception_ptr why = std::current_exception();
        try {
            if (receipt_of(file)) forget_renewal(file);  // nothing was undone
        } catch (const Error&) {                         // then the next call finds it
        }
        std::rethrow_exception(why);
    }
    undone = true;
}

void KitJob::State::open() {
    finish_stopped();
    for (const std::string& name : request.kits) kits.emplace_back(name, work);
    for (const KitInput& kit : kits)
        if (const std::vector<std::string> wrong = check_kit(kit); !wrong.empty())
            throw Error(ErrorCode::damaged, fmt::format("{} is not right: {}", kit.path().string(), wrong.front()))
                .in("kit")
                .found(fmt::format("{}", fmt::join(wrong, "\n")))
                .hint("get the kit again, or tell its maker");
    undo_former();
    telling_what_was_undone([&] {
        for (const KitInput& kit : kits) bases.push_back(find_kit_bases(kit.kit(), request.given, work));
    });
}

const KitBaseFound* KitJob::State::first_base() const {
    for (const auto& of_kit : bases)
        for (const KitBaseFound& found : of_kit)
            if (found) return &found;
    return nullptr;
}

namespace {

std::string edition_words(const KitBase& base) {
    std::string all;
    for (const KitEdition& edition : base.any) {
        const Digests& d = edition.digests;
        std::string known = d.size ? counted(*d.size, "byte", "bytes") : std::string();
        if (d.crc32)
            known += fmt::format("{}crc32 {}", known.empty() ? "" : ", ", d.crc32->hex());
        else if (d.sha1)
            known += fmt::format("{}sha1 {}", known.empty() ? "" : ", ", hex(d.sha1->bytes));
        if (base.folder) known = fmt::format("a folder with {}", edition.files.front().first);
        all += fmt::format("{}{}{}", all.empty() ? "" : "; ", base.any.size() == 1 ? "" : edition.name + ": ", known);
    }
    return all;
}

/// What was given is what the kit makes already.
bool is_made_already(const Kit& kit, const KitNear& near) {
    return std::any_of(kit.outputs.begin(), kit.outputs.end(), [&](const KitOutput& output) {
        return std::any_of(output.check.begin(), output.check.end(), [&](const auto& row) {
            return row.second.has_checksum() && row.second.size.value_or(near.size) == near.size && row.second.crc32 &&
                   row.second.crc32 == near.digests.crc32;
        });
    });
}

}  // namespace

void KitJob::State::refuse_missing() const {
    for (std::size_t i = 0; i < kits.size(); ++i)
        for (const KitBaseFound& one : bases[i]) {
            const Kit& kit = kits[i].kit();
            const std::string title = one.base->title.empty() ? one.base->id : one.base->title;
            if (one && !one.others.empty())
                throw Error(ErrorCode::usage, fmt::format("several editions of {} are among what was given", title))
                    .in("base")
                    .found(fmt::format("{} ({}), {} ({})", one.address, one.edition, one.others.front().second,
                                       one.others.front().first))
                    .hint("name the one that is meant, not the folder");
            if (one || one.base->optional) continue;
            if (one.near.empty())
                throw Error(ErrorCode::wrong_source, fmt::format("{} is not among what was given", title))
                    .in("base")
                    .wanted(edition_words(*one.base))
                    .hint(fmt::format("{} needs it: name the file or folder, or the folder that it lies in", kit.name));
            const KitNear& near = one.near.front();
            const bool made = is_made_already(kit, near);
            if (near.reading && !made)
                throw Error(ErrorCode::wrong_source,
                            fmt::format("{} is {} in another form: read {}, it is the right one", near.address, title,
                                        words_for(*near.reading)))
                    .in("base")
                    .wanted(edition_words(*one.base))
                    .found(fmt::format("{}: {}", counted(near.size, "byte", "bytes"), near.what))
                    .hint("bring it in that form; describe tells more of this file");
            throw Error(ErrorCode::wrong_source,
                        made ? fmt::format("{} is what {} makes already, not {}", near.address, kit.name, title)
                             : fmt::format("{} is not {}, which {} is for", near.address, title, kit.name))
                .in("base")
                .wanted(edition_words(*one.base))
                .found(one.base->folder
                           ? near.what
                           : fmt::format("{}{}: {}", counted(near.size, "byte", "bytes"),
                                         near.digests.crc32 ? ", crc32 " + near.digests.crc32->hex() : "", near.what))
                .hint(made ? "use it as it is, or look for the original"
                           : "look for the edition that the kit is for; its readme may say more");
        }
}

/// Everything that was named has to be for something: else it would be left out without a word.
void KitJob::State::refuse_unused() const {
    for (const std::string& given : request.given) {
        const auto is_used = [&](const KitBaseFound& found) {
            const auto lies_there = [&](const std::string& address) {
                return address == given ||
                       (address.starts_with(given) &&
                        (given.ends_with('/') || address[given.size()] == '/' || address[given.size()] == ':'));
            };
            return found &&
                   (lies_there(found.address) || std::any_of(found.again.begin(), found.again.end(), lies_there));
        };
        if (std::any_of(bases.begin(), bases.end(),
                        [&](const auto& of_kit) { return std::any_of(of_kit.begin(), of_kit.end(), is_used); }))
            continue;
        std::error_code code;
        const bool folder = fs::is_directory(given, code);
        const bool patch = !folder && recognise_patch(head_of(open_file(given, work)));
        throw Error(ErrorCode::usage, fmt::format("{} is nothing that {} asks for", given,
                                                  kits.size() == 1 ? kits.front().kit().name : "one of the kits"))
            .in("base")
            .found(patch    ? "it is a patch"
                   : folder ? "none of its files is"
                            : "")
            .hint(patch ? "apply the kit first, then the patch to what it made" : "leave it out");
    }
}

bool KitJob::State::is_ours(const Receipt& receipt) const {
    if (receipt.kits.size() != kits.size()) return false;
    for (std::size_t i = 0; i < kits.size(); ++i)
        if (!compare(receipt.kits[i].file.digests, kits[i].digests()).empty()) return false;
    return true;
}

/// In place, the same kits changed the base before, and it is still what they made.
bool KitJob::State::is_made_in_place() const {
    if (!request.in_place || request.given.size() != 1) return false;
    const auto receipt = receipt_of(request.given.front());
    if (!receipt || !receipt->in_place || !is_ours(*receipt)) return false;
    return not_as_made(*receipt, really_absolute(request.given.front()), work).empty();
}

void KitJob::State::make_plan() {
    const KitBaseFound* const any = first_base();
    if (any == nullptr && is_made_in_place()) {
        std::error_code code;
        plan.emplace();
        result.made.push_back({.path = request.given.front(),
                               .folder = fs::is_directory(request.given.front(), code),
                               .stood_already = true});
        return;
    }
    refuse_missing();
    refuse_unused();
    plan.emplace();
    plan->bases = bases;
    for (std::size_t i = 0; i < kits.size(); ++i) {
        ways.push_back({kits[i], bases[i]});
        for (const KitBaseFound& found : bases[i]) {
            if (!found) continue;
            auto& base = working[fmt::format("{}\n{}", found.base->folder ? "folder" : "file", found.address)];
            if (!base) base = std::make_shared<WorkingBase>(working_base(found, work.limits));
            ways.back().bases.emplace(found.base->id, base);
        }
    }
    for (std::size_t i = 0; i < kits.size(); ++i)
        for (const Step& step : kits[i].kit().steps)
            if (is_done(ways[i], step)) plan->steps.push_back({i, &step});
    plan_outputs();
    settle_root();
    refuse_bad_places();
}

void KitJob::State::plan_outputs() {
    std::set<std::string> names;
    std::map<const WorkingBase*, std::size_t> made;  ///< by which of the kits
    for (std::size_t i = 0; i < kits.size(); ++i)
        for (const KitOutput& output : kits[i].kit().outputs) {
            const Address from = address_in_base(kits[i].kit(), output.from);
            const std::string& id = from.file;
            if ((!id.empty() && !ways[i].bases.contains(id)) || !ways[i].is_for(output.only, output.from)) continue;
            KitOutputPlan planned{.kit = i, .output = &output, .name = ways[i].text(output.name)};
            if (!id.empty()) {
                const WorkingBase& base = *ways[i].bases.at(id);
                // Several kits on one base: it is made once, where the first of them has it.
                if (!from.names_part() && made.emplace(&base, i).first->second != i) continue;
                planned.folder = base.is_folder() && !from.names_part();
                if (planned.folder)
                    for (const auto& [name, entry] : base.tree) planned.size += entry.size;
                else if (!base.is_folder())
                    planned.size = base.file->original()->size();
                for (const auto& [edition, check] : output.check)
                    if (edition == ways[i].edition_of(output.from)) planned.wanted = check;
            } else {
                planned.size = kits[i].open(address_in_kit(ways[i].text(output.from)).file)->size();
            }
            if (!names.insert(lower(planned.name)).second)
                throw Error(ErrorCode::usage, "two outputs have one name").in("output").found(planned.name);
            // With other kits' changes in it, it is something else.
            if (kits.size() > 1) planned.wanted = {};
            plan->room += planned.size;
            plan->outputs.push_back(std::move(planned));
        }
    if (plan->outputs.empty())
        throw Error(ErrorCode::wrong_source, "of what was given, the kit makes nothing").in("output");
}

void KitJob::State::settle_root() {
    const KitBaseFound* const base = first_base();
    std::error_code code;
    auto& outputs = plan->outputs;
    if (request.in_place) {
        if (!request.output.empty())
            throw Error(ErrorCode::usage, "in place and an output contradict each other").hint("keep one of them");
        std::vector<KitOutputPlan> kept;
        for (KitOutputPlan& output : outputs) {
            const Address from = address_in_base(kits[output.kit].kit(), output.output->from);
            if (from.file.empty() || from.names_part()) {
                result.warnings.push_back(
                    fmt::format("{} has no place of its own, and is not made in place", output.name));
                continue;
            }
            const auto& found = *std::find_if(bases[output.kit].begin(), bases[output.kit].end(),
                                              [&](const auto& one) { return one.base->id == from.file; });
            if (found.container || (found.file && found.file->is_unpacked()))
                throw Error(ErrorCode::usage,
                            fmt::format("{} lies in another file, and cannot be replaced in place", found.address))
                    .as(ErrorId::cannot_be_in_place)
                    .hint("name an output");
            output.path = found.file ? found.file->path() : found.folder;
            kept.push_back(std::move(output));
        }
        if (kept.size() != 1)
            throw Error(ErrorCode::usage, "in place, a kit changes one base")
                .as(ErrorId::cannot_be_in_place)
                .found(counted(kept.size(), "base", "bases"))
                .hint("name an output with -o");
        outputs = std::move(kept);
        root = outputs.front().path.parent_path();
        return;
    }
    const bool names_the_output = !request.output.empty() && outputs.size() == 1 && request.output.back() != '/' &&
                                  !(fs::is_directory(request.output, code) && !outputs.front().folder);
    if (names_the_output) {
        outputs.front().path = request.output;
        root = fs::path(request.output).parent_path();
        return;
    }
    if (fs::exists(request.output, code) && !fs::is_directory(request.output, code))
        throw Error(ErrorCode::usage, fmt::format("{} is a file, and the kit makes {}", request.output,
                                                  counted(outputs.size(), "output", "outputs")))
            .in("output")
            .hint("name a folder");
    root = !request.output.empty() ? fs::path(request.output)
           : base != nullptr       ? place_of(*base).parent_path()
                                   : fs::path();
    if (base != nullptr && request.output.empty() && fs::is_directory(place_of(*base), code))
        root = really_absolute(place_of(*base)).parent_path();
    for (KitOutputPlan& output : outputs) output.path = root / output.name;
}

void KitJob::State::refuse_bad_places() const {
    if (request.in_place) return;
    const auto lies_in = [](const fs::path& inner, const fs::path& outer) {
        const fs::path relative = inner.lexically_relative(outer);
        return !relative.empty() && *relative.begin() != "..";
    };
    for (const KitOutputPlan& output : plan->outputs) {
        const fs::path path = really_absolute(output.path);
        for (const auto& of_kit : bases)
            for (const KitBaseFound& found : of_kit) {
                if (!found) continue;
                const fs::path base = really_absolute(place_of(found));
                if (path == base || lies_in(base, path) || (!found.folder.empty() && lies_in(path, base)))
                    throw Error(ErrorCode::usage,
                                fmt::format("the output {} is in the place of {}", path.string(), base.string()))
                        .in("output")
                        .hint("name another output; to change the base itself: in place (there is a way back)");
            }
        for (const KitInput& kit : kits)
            if (const fs::path place = really_absolute(kit.path());
                path == place || lies_in(place, path) || (kit.is_folder() && lies_in(path, place)))
                throw Error(ErrorCode::usage, fmt::format("the output {} is in the place of the kit", path.string()))
                    .in("output")
                    .hint("name another output");
    }
}

void KitJob::State::check_room() const {
    std::error_code code;
    fs::path at = really_absolute(plan->outputs.front().path);
    while (!fs::exists(at, code) && at.has_relative_path()) at = at.parent_path();
    const fs::space_info space = fs::space(at, code);
    if (code || space.available >= plan->room) return;
    throw Error(ErrorCode::io, fmt::format("there is not enough room in {}", at.string()))
        .in("space")
        .wanted(size_text(plan->room))
        .found(size_text(space.available))
        .hint("make room, or name an output on another disk");
}

WorkOptions KitJob::State::for_step(std::string text) const {
    WorkOptions named = work;
    if (!work.progress) return named;
    named.progress = [outer = work.progress, text = std::move(text)](const ProgressState& state) {
        ProgressState with = state;
        with.step = text;
        return outer(with);
    };
    return named;
}

void KitJob::State::run_steps() {
    std::size_t number = 0;
    for (const KitStepPlan& planned : plan->steps)
        run_step(ways[planned.kit], *planned.step,
                 for_step(fmt::format("step {} of {}: {}", ++number, plan->steps.size(), words_for(*planned.step))));
    for (const auto& [address, base] : working) refuse_links_out(base->tree);  // several make one, together
}

}  // namespace hotstitch
