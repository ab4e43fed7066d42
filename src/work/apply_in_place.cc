// SPDX-License-Identifier: MIT
// A large file that is patched in its own place: what the patches make is held against it, and where little differs,
// only that is written; what it overwrites is kept in a journal. Tested by tests/cli_disc_test.cc and, killed at every
// step, tests/faults_test.cc.
#include "hotstitch/version.h"
#include "source/whole.h"
#include "work/apply_state.h"
#include "work/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

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

}  // namespace

bool ApplyJob::State::goes_by_journal() const {
    return request.in_place && !around && source->size() > largest_copied && source->stamp() &&
           !source->is_unpacked() && !request.reverse && !request.renews && other_names_of(source->path()) == 0;
}

void ApplyJob::State::deliver_by_journal() {
    const fs::path path = really_absolute(source->path());
    const std::optional<Receipt> present = request.receipt ? receipt_beside(path) : std::nullopt;
    receipt_digests = receipt_choice(source->size(), request.digests);
    const std::shared_ptr<ByteSink> sink = std::make_shared<ScratchFile>(path.parent_path());
    make(*sink);
    if (!stages.back().made.made) {
        result.outcome = ApplyOutcome::already_patched;
        return;
    }
    finish_content(*sink);
    const SharedSource made = held(sink);
    const auto change = stretches_of(*source, made);
    if (!change) return deliver_copy([&](ByteSink& out) { write_source(*made, out); });
    result.delivered.output = path;
    if (change->empty()) {
        result.delivered.stood_already = true;
        result.outcome = ApplyOutcome::made_already;
        return;
    }
    Receipt receipt = receipt_for(path.parent_path());
    receipt.time = time_now(), receipt.tool = version();
    receipt.source = receipt_file(*source, path.parent_path(), request.digests, work.progress, receipt.source.digests);
    receipt.target = {path.filename().string(), hotstitch::receipt_digests(*made, request.digests, work.progress,
                                                                           result.output.value_or(result.patched))};
    receipt.in_place = true;
    receipt.before = earlier_receipts(present, receipt);
    std::vector<std::string> what;
    for (const ApplyStage& stage : stages) what.push_back("patch " + stage.file.path().filename().string());
    result.delivered.journal =
        change_in_place(*source, *change, what, request.replace != Replace::without_backup, work.progress);
    result.delivered.has_way_back = result.delivered.journal.has_value();
    if (!request.receipt) return;
    // Stopped before this, the journal alone is the way back.
    if (result.delivered.journal) receipt.journal = result.delivered.journal->filename().string();
    receipt.target_identity = identity_of(*stamp_of(path));
    OutputFile file(receipt_path(path), {.replace = Replace::without_backup});
    file.write(bytes_of(receipt_to_json(receipt)));
    file.commit(work.progress);
    result.delivered.receipt = file.path();
}

}  // namespace hotstitch
