// SPDX-License-Identifier: MIT
// The base of a kit changed in its own place, with a way back. Tested by tests/kit/cli_kit_test.cc and, killed at many
// moments, tests/faults/kit_faults_test.cc.
#include <fmt/format.h>

#include "digest/digesting_sink.h"
#include "fit/readings.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/transaction.h"
#include "kit/state.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

std::vector<FolderChange> folder_changes(WorkingBase& base, const WorkOptions& work) {
    using What = FolderChange::What;
    using Kind = TreeEntry::Kind;
    std::vector<FolderChange> changes;
    const auto gone = [&](const std::string& name, const TreeEntry& entry) {
        changes.push_back({.what = entry.kind == Kind::folder ? What::remove_folder : What::remove, .name = name});
    };
    for (const auto& [name, entry] : base.original) {
        const auto now = base.tree.find(name);
        if (now == base.tree.end() || now->second.kind != entry.kind) gone(name, entry);
    }
    for (auto& [name, entry] : base.tree) {
        const auto before = base.original.find(name);
        const bool stays = before != base.original.end() && before->second.kind == entry.kind;
        if (entry.kind == Kind::folder) {
            if (!stays) changes.push_back({.what = What::add_folder, .name = name});
        } else if (entry.kind == Kind::link) {
            if (stays && before->second.to == entry.to) continue;
            if (stays) gone(name, before->second);
            changes.push_back({.what = What::add_link, .name = name, .to = entry.to});
        } else if (!stays || entry.executable != before->second.executable ||
                   (entry.working && entry.working->changed() &&
                    !are_same(*before->second.open(), *entry.working->now(work)))) {
            changes.push_back({.what = stays ? What::replace : What::add,
                               .name = name,
                               .executable = entry.executable,
                               .write = [&entry = entry, work](ByteSink& out) {
                                   if (entry.working) return entry.working->write(out, work);
                                   WorkingFile(entry.open()).write(out, work);
                               }});
        }
    }
    return changes;
}

Digests digests_after(WorkingBase& base, const WorkOptions& work) {
    std::vector<TreeRow> rows;
    for (auto& [name, entry] : base.tree) {
        rows.push_back({name, entry.kind, entry.executable, {}, entry.to});
        if (entry.kind != TreeEntry::Kind::file) continue;
        rows.back().digests = digest(entry.working ? *entry.working->now(work) : *entry.open(), {}, work.progress);
    }
    return digests_of(rows);
}

std::string kit_words(const KitJob::State& state) {
    std::string text;
    for (const KitInput& kit : state.kits)
        text += fmt::format("{}kit {}{}{}", text.empty() ? "" : ", ", kit.kit().name,
                            kit.kit().version.empty() ? "" : " ", kit.kit().version);
    return text;
}

/// The base itself; what is larger is changed where it lies.
void change_file(KitJob::State& state, const KitOutputPlan& planned, WorkingBase& base) {
    const WorkOptions work = state.for_output(planned);
    const InputFile& input = *base.input;
    KitMade made{.path = input.path(), .from_base = true};
    const bool keep = state.request.replace != Replace::without_backup;
    const ChangeList* const change = base.reading ? nullptr : base.file->known_change();
    if (change != nullptr && input.size() > largest_copied && fits_in_place(*change) &&
        other_names_of(input.path()) == 0) {
        check_output(state, planned,
                     digest(*base.file->now(work), either(DigestChoice{}, choice_for(planned.wanted)), work.progress),
                     made);
        state.result.way_back = Transaction(work.progress).in_place(input, *change, {kit_words(state)}, keep);
        state.result.made.push_back(made);
        return;
    }
    Delivery delivery(input, input.path(),
                      {.replace = keep ? Replace::keep_backup : Replace::without_backup,
                       .in_place = true,
                       .receipt = state.request.receipt,
                       .digests = state.request.digests},
                      work);
    DigestingSink out(delivery.output(), either(either(DigestChoice{}, choice_for(planned.wanted)),
                                                delivery.wanted_of(base.file->size(work))));
    Receipt receipt = receipt_for(state, input.path());
    if (const SharedSource back = in_own_form(base, work)) {
        const DigestChoice wanted = either(DigestChoice{}, choice_for(planned.wanted));
        check_output(state, planned, digest(*base.file->now(work), wanted, work.progress), made);
        write_source(*back, out);
        made.digests = out.finish();
    } else {
        base.file->write(out, work);
        check_output(state, planned, out.finish(), made);
    }
    receipt.outputs.push_back({.file = {input.path().filename().string(), made.digests}});
    const Delivered delivered = delivery.finish(std::move(receipt));
    made.stood_already = delivered.stood_already;
    made.backup = delivered.backup;
    if (delivered.other_names != 0) state.result.warnings.push_back(words_for_other_names(delivered.other_names));
    state.result.receipt = delivered.receipt;
    state.result.made.push_back(made);
}

void change_in_folder(KitJob::State& state, const KitOutputPlan& planned, WorkingBase& base) {
    const WorkOptions work = state.for_output(planned);
    KitMade made{.path = base.folder, .folder = true, .from_base = true};
    std::vector<FolderChange> changes = folder_changes(base, work);
    if (changes.empty()) {
        made.stood_already = true;
        state.result.made.push_back(made);
        return;
    }
    if (planned.wanted.has_checksum()) check_output(state, planned, digests_after(base, work), made);
    for (const FolderChange& change : changes)
        made.files += change.what == FolderChange::What::replace || change.what == FolderChange::What::add ||
                              change.what == FolderChange::What::remove
                          ? 1
                          : 0;
    const auto receipt = [&] {
        Receipt one = receipt_for(state, base.folder);
        one.in_place = true;
        one.outputs.push_back({.file = {base.folder.filename().string(), digests_of(base.tree)}, .folder = true});
        return receipt_to_json(one);
    };
    const fs::path way_back = Transaction(work.progress).in_place(base.folder, changes, receipt);
    if (state.request.replace == Replace::without_backup) {
        std::error_code code;
        fs::remove_all(way_back, code);
    } else {
        state.result.way_back = way_back;
    }
    state.result.made.push_back(made);
}

}  // namespace

SharedSource in_own_form(const WorkingBase& base, const WorkOptions& work) {
    if (!base.reading) return nullptr;
    return in_form_of(InputFile::shared(*base.input), *base.reading, base.file->now(work));
}

void change_base(KitJob::State& state, const KitOutputPlan& planned, WorkingBase& base) {
    base.is_folder() ? change_in_folder(state, planned, base) : change_file(state, planned, base);
}

}  // namespace hotstitch
