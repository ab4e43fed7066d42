// SPDX-License-Identifier: MIT
// Tested by tests/job/receipt_test.cc and, killed and failing at every step, tests/faults/faults_test.cc.
#include "hotstitch/delivery.h"

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/version.h"
#include "job/as_made.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

Delivery::Delivery(const InputFile& source, const fs::path& output, const DeliveryOptions& options, WorkOptions work)
    : source_(source), options_(options), work_(std::move(work)), set_(work_.progress) {
    const bool replaces_source = options.in_place && options.renews == nullptr;
    output_ = &set_.file(output, {.replace = options.replace,
                                  .executable_like = source.path(),
                                  .read_as = replaces_source ? source.stamp() : std::nullopt});
    if (options.in_place) other_names_ = other_names_of(output_->path());
    if (options.receipt) {
        present_ = receipt_beside(output_->path());
        receipt_ =
            &set_.file(receipt_path(output_->path()), {.replace = present_ ? Replace::without_backup : Replace::never});
    }
    if (options.reverse && !stamp_of(reverse_path(output_->path())))
        reverse_ = &set_.file(reverse_path(output_->path()));
}

/// A reverse patch that stands there already is taken when it is the same, and never replaced: it may be the way back
/// of an earlier change.
void Delivery::make_reverse(const ByteSource& made, Receipt& receipt, Delivered& delivered) {
    const auto make = [&](auto& file) {
        create(made, source_, file, {.limits = work_.limits, .progress = work_.progress});
        delivered.reverse = file.path();
        receipt.reverse = file.path().filename().string();
        receipt.reverse_identity = identity_of(file.settle());
    };
    if (reverse_ != nullptr) return make(*reverse_);
    for (int number = 1;; ++number) {
        const fs::path path = reverse_path(output_->path(), number);
        const auto present = stamp_of(path);
        if (!present) return make(set_.file(path));
        Transaction compared(work_.progress);  // which is not committed
        auto& again = compared.file(path);
        make(again);
        receipt.reverse_identity = identity_of(*present);
        if (again.stands_already()) return;
    }
}

/// Whether the very bytes that a receipt tells of are made once more: the way back then leads past them.
bool Delivery::is_made_again(const Receipt& receipt) const {
    const ReceiptOutput& made = receipt.target();
    return present_ && made.replaced && compare(present_->target().file.digests, made.file.digests).empty() &&
           compare(made.replaced->digests, made.file.digests).empty();
}

/// What the way back goes on with after this change.
std::vector<Receipt> Delivery::earlier(const Receipt& receipt) const {
    if (!present_ || (!options_.in_place && !receipt.target().replaced)) return {};
    std::vector<Receipt> all = present_->before;
    if (is_made_again(receipt)) return all;
    if (options_.renews == nullptr && options_.in_place) return earlier_receipts(present_, receipt);
    all.insert(all.begin(), *present_);
    all.front().before.clear();
    return all;
}

void Delivery::complete(Receipt& receipt, const ByteSource& made) const {
    const fs::path& output = output_->path();
    receipt.time = time_now();
    receipt.tool = version();
    ReceiptFile& source = receipt.sources.front().file;
    source = receipt_file(source_, output.parent_path(), options_.digests, work_.progress, source.digests);
    ReceiptOutput& target = receipt.target();
    target.file = {output.filename().string(),
                   receipt_digests(made, options_.digests, work_.progress, target.file.digests)};
    target.identity = identity_of(output_->settle());
    receipt.in_place = options_.in_place || (options_.renews != nullptr && options_.renews->in_place);
    const fs::path folder = really_absolute(output.parent_path());
    for (auto* const file : beside_) {
        const fs::path path = file->path().lexically_relative(folder);
        if (file->stands_already()) continue;
        receipt.outputs.push_back({.file = {(path.empty() ? file->path() : path).string(),
                                            receipt_digests(WrittenSource(*file), options_.digests, work_.progress)},
                                   .beside = true,
                                   .identity = identity_of(file->settle())});
    }
    receipt.before = earlier(receipt);
    if (is_made_again(receipt)) receipt.target().replaced = present_->target().replaced;
}

DigestChoice Delivery::wanted_of(std::uint64_t size) const noexcept {
    return options_.receipt ? receipt_choice(size, options_.digests) : DigestChoice{};
}

Delivered Delivery::finish(Receipt receipt) {
    Delivered delivered{.output = output_->path(), .backup = {}, .reverse = {}, .receipt = {}};
    if (output_->stands_already()) {
        // What was added to it may still be missing.
        delivered.stood_already = true;
        if (receipt_ != nullptr) set_.withdraw(*receipt_);
        if (reverse_ != nullptr) set_.withdraw(*reverse_);
        set_.commit();
        return delivered;
    }
    const WrittenSource made(*output_);
    delivered.backup = output_->keep_backup();
    if (delivered.backup && receipt_ != nullptr && (!options_.in_place || options_.renews != nullptr))
        receipt.target().replaced =
            replaced_in_receipt(*delivered.backup, *delivered.backup, options_.digests, work_.progress);
    if (options_.renews != nullptr)
        receipt.backup = options_.renews->backup;
    else if (options_.in_place && delivered.backup)
        receipt.backup = delivered.backup->filename().string();
    if (options_.reverse) make_reverse(made, receipt, delivered);
    if (receipt_ != nullptr) {
        complete(receipt, made);
        receipt_->write(bytes_of(receipt_to_json(receipt)));
        delivered.receipt = receipt_->path();
    }
    set_.commit();
    delivered.other_names = other_names_;
    delivered.has_way_back = !options_.in_place || !receipt.backup.empty() || !receipt.reverse.empty();
    return delivered;
}

}  // namespace hotstitch
