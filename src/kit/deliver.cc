// SPDX-License-Identifier: MIT
// Outputs of kits into their places: beside the bases, all together, with a receipt; or a base changed in place, with a
// way back. An output that is still what the same kit made before is made anew without asking.
// Tested by tests/kit/cli_kit_test.cc and, killed at every step, tests/faults/kit_faults_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "digest/digesting_sink.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/transaction.h"
#include "hotstitch/version.h"
#include "job/as_made.h"
#include "job/receipts.h"
#include "kit/state.h"
#include "source/chunks.h"

namespace hotstitch {

namespace fs = std::filesystem;

void check_output(KitJob::State& state, const KitOutputPlan& planned, const Digests& found, KitMade& told) {
    told.digests = found;
    const auto wrong = compare(planned.wanted, found);
    told.checked = planned.wanted.has_checksum() && wrong.empty();
    if (wrong.empty()) return;
    if (state.request.allow_target) {
        state.result.overridden.insert(state.result.overridden.end(), wrong.begin(), wrong.end());
        return;
    }
    throw Error(ErrorCode::wrong_target, fmt::format("{} is not what the kit says comes out", planned.name))
        .in(wrong.front().name)
        .wanted(wrong.front().wanted)
        .found(wrong.front().found)
        .as(ErrorId::not_as_kit_says)
        .hint("this is a mistake in the kit, or in this program; tell its maker");
}

Receipt receipt_for(const KitJob::State& state, const fs::path& first) {
    Receipt receipt;
    const fs::path folder = really_absolute(first).parent_path();
    receipt.time = time_now(), receipt.tool = version();
    receipt.root = path_for_receipt(state.root.empty() ? fs::path(".") : state.root, folder);
    for (std::size_t i = 0; i < state.kits.size(); ++i) {
        const KitInput& kit = state.kits[i];
        receipt.kits.push_back(
            {kit.kit().name, kit.kit().version, {path_for_receipt(kit.path(), folder), kit.digests()}});
        for (const KitBaseFound& found : state.bases[i]) {
            if (!found) continue;
            ReceiptSource base{.folder = found.base->folder, .id = found.base->id, .edition = found.edition};
            const WorkingBase& working = *state.ways[i].bases.at(found.base->id);
            // An archive stands for what lies in it: its own place is the first part of the address. A sheet stands
            // for the file that it names.
            base.file.path =
                found.file && !found.file->sheet().empty()
                    ? path_for_receipt(found.file->path(), folder)
                    : path_for_receipt(place_of(found), folder) + found.address.substr(place_of(found).string().size());
            base.file.digests = working.is_folder() ? digests_of(working.original) : found.digests;
            if (!base.file.digests.crc32)
                base.file.digests = joined(base.file.digests, digest(*working.input, {}, state.work.progress));
            base.file.digests.size = base.file.digests.size.value_or(0);
            base.reading = found.reading, base.as_read = found.as_read;
            const bool known = std::any_of(receipt.sources.begin(), receipt.sources.end(),
                                           [&](const auto& other) { return other.file.path == base.file.path; });
            if (!known) receipt.sources.push_back(std::move(base));
        }
    }
    // What is changed in its own place is the source that the way back leads to.
    const std::string own = path_for_receipt(first, folder);
    std::stable_partition(receipt.sources.begin(), receipt.sources.end(),
                          [&](const ReceiptSource& source) { return source.file.path == own; });
    return receipt;
}

namespace {

class Delivering {
public:
    explicit Delivering(KitJob::State& state) : state_(state), outputs_(state.work.progress) {}

    void run() {
        for (KitOutputPlan& planned : state_.plan->outputs) {
            const auto& way = state_.ways[planned.kit];
            const Address from = address_in_base(way.kit.kit(), planned.output->from);
            WorkingBase* const base = from.file.empty() ? nullptr : way.bases.at(from.file).get();
            if (state_.request.in_place) return change_base(state_, planned, *base);
            if (planned.folder)
                make_folder(planned, *base);
            else
                make_file(planned, from.names_part() ? nullptr : base);
        }
        put_into_place();
    }

private:
    struct Made {
        KitMade told;
        ReceiptOutput receipt;
        OutputFile* file = nullptr;
        OutputFolder* folder = nullptr;
    };

    /// How an output that stands there is replaced: without asking where it is what this very kit made before.
    Replace replace_for(const fs::path& path) {
        if (state_.request.replace != Replace::never) return state_.request.replace;
        std::error_code code;
        if (!fs::exists(path, code)) return Replace::never;
        if (state_.request.renews) return replace_renewed(path);
        if (!present_looked_for_) {
            present_looked_for_ = true;
            const fs::path first = state_.plan->outputs.front().path;
            if (fs::exists(receipt_path(first), code)) try {
                    present_ = read_receipt(receipt_path(first));
                } catch (const Error&) {  // somebody else's
                }
        }
        const KitOutputPlan& planned = state_.plan->outputs.front();
        if (!present_ || present_->kits.size() != 1 || state_.kits.size() != 1 ||
            present_->kits.front().name != state_.kits.front().kit().name)
            return Replace::never;
        for (const ReceiptOutput& output : present_->outputs)
            if (path_from_receipt(output.file.path, really_absolute(planned.path).parent_path()) ==
                    really_absolute(path) &&
                (seen_ = output.folder ? std::optional(stamps_below(path)) : std::nullopt,
                 differing(output, really_absolute(path), state_.work).empty())) {
                ours_.emplace(really_absolute(path), output.file.digests);
                return Replace::without_backup;
            }
        return Replace::never;
    }

    /// What the older kit made goes, and is kept where it was changed since; anything else is somebody's own.
    Replace replace_renewed(const fs::path& path) {
        for (const ReceiptOutput& output : state_.request.renews->outputs) {
            if (path_from_receipt(output.file.path, really_absolute(state_.request.renews_in)) != really_absolute(path))
                continue;
            seen_ = output.folder ? std::optional(stamps_below(path)) : std::nullopt;
            const bool is_as_made = differing(output, really_absolute(path), state_.work).empty();
            return is_as_made ? Replace::without_backup : Replace::keep_backup;
        }
        return Replace::never;
    }

    /// Whether what stands there is what was made now, too.
    bool is_the_same(const fs::path& path, const Digests& digests) const {
        const auto before = ours_.find(path);
        return before != ours_.end() && compare(before->second, digests).empty();
    }

    void make_file(const KitOutputPlan& planned, WorkingBase* base) {
        const WorkOptions work = state_.for_output(planned);
        KitOnItsWay& way = state_.ways[planned.kit];
        OutputOptions options{.replace = replace_for(planned.path)};
        if (base != nullptr) options.executable_like = base->input->path();
        made_.push_back({.told = {.path = planned.path}, .receipt = {}});
        made_.back().told.from_base = base != nullptr;
        Made& made = made_.back();
        made.file = &outputs_.file(planned.path, options);
        DigestingSink out(*made.file, either(DigestChoice{}, choice_for(planned.wanted)));
        if (base != nullptr) {
            base->file->write(out, work);
        } else {
            WorkingFile(content_at(way, planned.output->from, false, work)).write(out, work);
        }
        check_output(state_, planned, out.finish(), made.told);
    }

    void make_folder(const KitOutputPlan& planned, WorkingBase& base) {
        const WorkOptions work = state_.for_output(planned);
        made_.push_back(
            {.told = {.path = planned.path, .folder = true, .from_base = true}, .receipt = {.folder = true}});
        Made& made = made_.back();
        seen_.reset();
        const Replace replace = replace_for(planned.path);
        made.folder = &outputs_.folder(planned.path, replace, std::move(seen_));
        std::vector<TreeRow> rows;
        for (auto& [name, entry] : base.tree) {
            rows.push_back({name, entry.kind, entry.executable, {}, entry.to});
            if (entry.kind == TreeEntry::Kind::folder) made.folder->add_folder(name);
            if (entry.kind == TreeEntry::Kind::link) made.folder->add_link(name, entry.to);
            if (entry.kind != TreeEntry::Kind::file) continue;
            made.folder->add_file(name, entry.executable, [&, &entry = entry](ByteSink& sink) {
                DigestingSink digesting(sink, {});
                WorkingFile untouched(entry.working ? entry.working->original() : entry.open());
                (entry.working ? *entry.working : untouched).write(digesting, work);
                rows.back().digests = digesting.finish();
            });
            made.receipt.files.push_back({name, rows.back().digests});
        }
        made.told.files = made.receipt.files.size();
        check_output(state_, planned, digests_of(rows), made.told);
    }

    void put_into_place() {
        const fs::path first =
            made_.front().file != nullptr ? made_.front().file->path() : made_.front().folder->path();
        bool all_stood = true;
        for (Made& made : made_) {
            made.told.path = made.file != nullptr ? made.file->path() : made.folder->path();
            made.told.stood_already =
                is_the_same(made.told.path, made.told.digests) ||
                (made.file != nullptr ? made.file->stands_already() : made.folder->stands_already());
            if (made.told.stood_already && made.file != nullptr) {
                made.receipt.identity = present_identity(made.told.path);
                outputs_.withdraw(*made.file), made.file = nullptr;
            } else {
                made.receipt.identity =
                    made.file != nullptr ? identity_of(made.file->settle()) : identity_of(made.folder->settle());
            }
            if (made.told.stood_already && made.folder != nullptr) {
                made.receipt.identity = identity_of_folder(made.told.path);
                outputs_.withdraw(*made.folder), made.folder = nullptr;
            }
            all_stood = all_stood && made.told.stood_already;
        }
        const fs::path receipt_file = receipt_path(first);
        std::error_code code;
        if (state_.request.receipt) {
            const auto there = receipt_beside(first);
            // Another version may make the same bytes: then that is said from now on.
            if (!all_stood || !there || !state_.is_ours(*there))
                write_receipt(
                    first, there,
                    outputs_.file(receipt_file, {.replace = there ? Replace::without_backup : Replace::never}));
        }
        if (state_.request.receipt) state_.result.receipt = receipt_file;
        outputs_.commit();
        if (state_.request.renews) {
            std::set<fs::path> now{receipt_file};
            for (const Made& made : made_) now.insert(made.told.path);
            remove_former(*state_.request.renews, state_.request.renews_in, now, state_.work);
        }
        for (Made& made : made_) {
            if (made.file != nullptr) made.told.backup = made.file->keep_backup();
            if (made.folder != nullptr) {
                const auto [backup, written_into] = outputs_.replaced_by(*made.folder);
                made.told.backup = backup;
                if (written_into && state_.request.replace == Replace::never)
                    state_.result.warnings.push_back(
                        fmt::format("something was written into {} meanwhile; the folder as it was is kept: {}",
                                    made.told.path.string(), backup->filename().string()));
            }
            state_.result.made.push_back(made.told);
        }
    }

    /// Folders that are there because of the outputs: made now, or by the kit before this one.
    std::vector<std::string> made_folders(const fs::path& folder) const {
        std::set<fs::path> all;
        const auto add = [&](const std::vector<fs::path>& made) { all.insert(made.begin(), made.end()); };
        for (const Made& made : made_) {
            if (made.file != nullptr) add(made.file->made_folders());
            if (made.folder != nullptr) add(made.folder->made_folders());
        }
        std::error_code code;
        const auto keep = [&](const std::optional<Receipt>& former, const fs::path& in) {
            if (!former) return;
            for (const std::string& name : former->folders)
                if (const fs::path path = path_from_receipt(name, in); fs::is_directory(path, code)) all.insert(path);
        };
        if (state_.request.renews) keep(state_.request.renews, really_absolute(state_.request.renews_in));
        keep(present_, folder);
        std::vector<std::string> names;
        names.reserve(all.size());
        for (const fs::path& path : all) names.push_back(path_for_receipt(path, folder));
        return names;
    }

    void write_receipt(const fs::path& first, const std::optional<Receipt>& present, OutputFile& out) {
        Receipt receipt = receipt_for(state_, first);
        const fs::path folder = first.parent_path();
        receipt.folders = made_folders(folder);
        for (Made& made : made_) {
            made.receipt.file = {path_for_receipt(made.told.path, folder), made.told.digests};
            const auto backup = made.file != nullptr     ? made.file->keep_backup()
                                : made.folder != nullptr ? made.folder->keep_backup()
                                                         : std::nullopt;
            if (backup)  // of a folder, that is its name from then on
                made.receipt.replaced = replaced_in_receipt(made.folder != nullptr ? made.told.path : *backup, *backup,
                                                            state_.request.digests, state_.work.progress);
            receipt.outputs.push_back(made.receipt);
        }
        if (state_.request.renews && really_absolute(state_.request.renews_in) == really_absolute(folder))
            go_on_from(receipt, *state_.request.renews);
        else if (present)
            go_on_from(receipt, *present);
        out.write(bytes_of(receipt_to_json(receipt)));
    }

    static std::optional<FileIdentity> present_identity(const fs::path& path) {
        const auto stamp = stamp_of(path);
        return stamp ? std::optional(identity_of(*stamp)) : std::nullopt;
    }

    KitJob::State& state_;
    Transaction outputs_;
    std::vector<Made> made_;
    std::optional<Receipt> present_;  ///< of the last time
    bool present_looked_for_ = false;
    std::optional<FolderStamps> seen_;  ///< a folder, as it was when it was found that it may go
    std::map<fs::path, Digests> ours_;  ///< outputs that stand there and were made by this kit
};

}  // namespace

void deliver(KitJob::State& state) {
    Delivering(state).run();
}

}  // namespace hotstitch
