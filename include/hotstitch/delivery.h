// SPDX-License-Identifier: MIT
// Where output goes, and putting it there together with its receipt and its way back: all of them appear, or none.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/file_io.h"
#include "hotstitch/identity.h"
#include "hotstitch/inputs.h"
#include "hotstitch/receipt.h"
#include "hotstitch/transaction.h"

namespace hotstitch {

/// Joins what was typed with the default: nothing -> the default; a folder (or a path ending in /) -> the default's
/// name in it; anything else as typed.
HOTSTITCH_EXPORT std::filesystem::path output_path(const std::string& typed, const std::filesystem::path& fallback);

/// apply: beside a ROM or disc image, named after the patch; for executables and other data files in `patched/` beside
/// the source, with the source's own name, because programs look for exactly that name.
HOTSTITCH_EXPORT std::filesystem::path default_apply_output(const InputFile& source,
                                                            const std::filesystem::path& patch);

/// Throws Error(usage) with this id when the output is one of the inputs.
HOTSTITCH_EXPORT void refuse_inputs(const std::filesystem::path& output, const std::vector<const InputFile*>& inputs,
                                    std::string_view hint, ErrorId id = ErrorId::none);

/// The same for files by their paths, such as those that the caller has read (WorkOptions::read).
HOTSTITCH_EXPORT void refuse_inputs(const std::filesystem::path& output,
                                    const std::vector<std::filesystem::path>& inputs);

/// Throws Error(unsupported) when the output has the extension of the archive or compressed copy that the source came
/// out of, and would be none: these are only read.
HOTSTITCH_EXPORT void refuse_packed_name(const std::filesystem::path& output, const InputFile& source);

/// An output's name from a pattern such as "games/{title} [{serial}]/game.iso": {title}, {serial}, {region},
/// {revision}, {platform} as the file says of itself, {name} and {extension} of the output as it would be called
/// otherwise. Characters that a system refuses in a name become '_'; no value leads into another folder. Throws
/// Error(usage) for a word that is not known, or of which the file says nothing.
HOTSTITCH_EXPORT std::filesystem::path placed_as(const std::string& pattern, const Identity& identity,
                                                 const std::filesystem::path& otherwise);

/// Files that a game looks for under its own name: sound tracks, cue sheets, numbered tracks.
struct CompanionSet {
    std::string stem;               ///< what their names have in common, without a track's number
    std::filesystem::path example;  ///< one of them
    std::size_t files = 0;
};

/// Whether the extension is that of a sound track, a cue sheet or the like, in any case.
HOTSTITCH_EXPORT bool is_companion(const std::filesystem::path& file);

/// The name that goes with this companion: its stem without a track's number ("Night Tides-3.pcm" -> "Night Tides").
HOTSTITCH_EXPORT std::string companion_stem(const std::filesystem::path& file);

/// Sets of two companions or more in the folder, by stem. Looks at the first 10,000 entries.
HOTSTITCH_EXPORT std::vector<CompanionSet> companions_in(const std::filesystem::path& folder);

/// A cue sheet that names a file.
struct SheetBeside {
    std::filesystem::path path;
    std::string names;  ///< as its FILE line says
};
/// The cue sheets in the folder that name this file and so will not find what is made under another name. Looks at the
/// first 10,000 entries, and at 64 KiB of each sheet.
HOTSTITCH_EXPORT std::vector<SheetBeside> cue_sheets_naming(const std::filesystem::path& file);

/// "OUTPUT.receipt.json"
HOTSTITCH_EXPORT std::filesystem::path receipt_path(const std::filesystem::path& output);

/// The file that a receipt is of, for what a person names: of a cue sheet, the file that it stands for; absolute, links
/// followed.
HOTSTITCH_EXPORT std::filesystem::path file_of_receipt(const std::filesystem::path& named);

/// Throws Error(io) when there is none, Error(damaged, unsupported).
HOTSTITCH_EXPORT Receipt read_receipt(const std::filesystem::path& receipt);

/// `path` as a receipt in `folder` names it.
HOTSTITCH_EXPORT std::filesystem::path path_from_receipt(const std::string& path, const std::filesystem::path& folder);

/// What of `wanted` the file is not; one that cannot be read is one mismatch named "file".
HOTSTITCH_EXPORT std::vector<DigestMismatch> compare_file(const std::filesystem::path& path, const Digests& wanted,
                                                          const Progress& progress);

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
    std::optional<std::filesystem::path> journal{};  ///< the way back of a file that was changed in its own place
    std::optional<std::filesystem::path> sheet{};    ///< a cue sheet that was written for the output
    bool stood_already = false;                      ///< the very bytes were there: nothing was touched
    std::uint64_t other_names = 0;                   ///< of the file that was changed in place, which keep what it was
    bool has_way_back = true;                        ///< whether what was replaced can come back
};

/// An output on its way. Every name is settled before anything is made.
class HOTSTITCH_EXPORT Delivery {
public:
    /// `source` has to outlive it. Throws what OutputFile throws, and Error(exists) when something stands where the
    /// receipt goes that is no receipt of this output.
    Delivery(const InputFile& source, const std::filesystem::path& output, const DeliveryOptions& options,
             WorkOptions work);

    /// To be written, before finish().
    OutputFile& output() noexcept { return *output_; }
    /// A further file, which appears with the others and goes with them.
    OutputFile& add(const std::filesystem::path& path, const OutputOptions& options) {
        beside_.push_back(&set_.file(path, options));
        return *beside_.back();
    }

    /// One that stays when the output goes.
    OutputFile& add_kept(const std::filesystem::path& path, const OutputOptions& options) {
        return set_.file(path, options);
    }

    /// Which digests of source and target the receipt will want besides size and CRC-32, for those who see the bytes
    /// go by.
    DigestChoice wanted_of(std::uint64_t size) const noexcept;

    /// `receipt`: its patches, mends and representation, and the digests of source and target as far as they are known;
    /// the rest is filled in.
    Delivered finish(Receipt receipt);

private:
    void make_reverse(const ByteSource& made, Receipt& receipt, Delivered& delivered);
    void complete(Receipt& receipt, const ByteSource& made) const;
    std::vector<Receipt> earlier(const Receipt& receipt) const;
    bool is_made_again(const Receipt& receipt) const;

    const InputFile& source_;
    const DeliveryOptions options_;
    const WorkOptions work_;
    Transaction set_;
    OutputFile *output_ = nullptr, *receipt_ = nullptr, *reverse_ = nullptr;
    std::vector<OutputFile*> beside_;
    std::uint64_t other_names_ = 0;
    std::optional<Receipt> present_;  ///< what the receipt said until now
};

}  // namespace hotstitch
