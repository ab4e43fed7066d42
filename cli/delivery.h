// SPDX-License-Identifier: MIT
// Putting an output into its place together with its receipt and its way back: all of them appear, or none. Every name
// is settled before anything is made.
#pragma once

#include <filesystem>
#include <optional>

#include "commands/commands.h"
#include "hotstitch/file_io.h"
#include "hotstitch/receipt.h"

namespace hotstitch::cli {

struct DeliveryOptions {
    Replace replace = Replace::never;
    bool in_place = false;  ///< the output replaces the source
    bool receipt = true, reverse = false;
    bool digests = false;             ///< SHA-256 of large files too
    const Receipt* renews = nullptr;  ///< of the output that is made anew, whose way back is kept
};

/// What stands in its place by now.
struct Delivered {
    std::filesystem::path output;
    std::optional<std::filesystem::path> backup, reverse, receipt;
    bool stood_already = false;  ///< the very bytes were there: nothing was touched
    bool has_way_back = true;    ///< whether what was replaced can come back
};

/// Backup, reverse patch and receipt as facts, and a warning when there is no way back.
void state_way_back(const Delivered& delivered, Report& report);

class Delivery {
public:
    /// Throws what OutputFile throws, and Error(exists) when something stands where the receipt goes that is no receipt
    /// of this output.
    Delivery(const InputFile& source, const std::filesystem::path& output, const DeliveryOptions& options,
             const Context& context);

    /// To be written, before finish().
    OutputFile& output() noexcept { return *output_; }
    /// A further file, which appears with the others.
    OutputFile& add(const std::filesystem::path& path, Replace replace) { return set_.add(path, {.replace = replace}); }

    /// `receipt`: its patches, mends and reading; the rest is filled in.
    Delivered finish(Receipt receipt);

private:
    void make_reverse(const ByteSource& made, Receipt& receipt, Delivered& delivered);
    void complete(Receipt& receipt, const ByteSource& made) const;
    std::vector<Receipt> earlier(const Receipt& receipt) const;

    const InputFile& source_;
    const DeliveryOptions options_;
    const Context& context_;
    OutputSet set_;
    OutputFile *output_ = nullptr, *receipt_ = nullptr, *reverse_ = nullptr;
    std::optional<Receipt> present_;  ///< what the receipt said until now
};

/// The verdict where the output stood there already.
void conclude_made_already(const std::filesystem::path& output, Report& report);

/// Size and CRC-32 of an output as a fact.
void output_fact(Report& report, const Digests& made, const std::filesystem::path& path);

}  // namespace hotstitch::cli
