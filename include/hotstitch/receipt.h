// SPDX-License-Identifier: MIT
// What was made of what, kept beside the output as OUTPUT.receipt.json, so that there is a way back
// (docs/formats/receipt.md).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/digest.h"
#include "hotstitch/export.h"
#include "hotstitch/source.h"
#include "hotstitch/step.h"

namespace hotstitch {

struct ReceiptFile {
    std::string path;  ///< relative to the receipt's folder, where it can be; empty: it came through a pipe
    Digests digests;   ///< size and CRC-32 always; SHA-256 of files up to 1 MiB
};

/// By what a file on the same volume is known again. A copy of it, or another file of that name, is not the same.
struct FileIdentity {
    std::uint64_t inode = 0;
    std::int64_t modified = 0;  ///< nanoseconds since 1970, UTC
    bool operator==(const FileIdentity&) const = default;
};

/// What something was made of: the base of a recipe, or one of the bases of kits.
struct ReceiptSource {
    ReceiptFile file{};  ///< of a folder: the size and checksum are those of a list of its files
    bool folder = false;
    std::string id{}, edition{};              ///< in a kit
    std::optional<Representation> reading{};  ///< of the file, where it was not taken as it is
    Digests as_read{};                        ///< of it so read, where a kit knows the base by them
};

/// What was made.
struct ReceiptOutput {
    ReceiptFile file{};  ///< of a folder, as above
    bool folder = false;
    bool beside = false;                     ///< written together with another that it belongs to: a cue sheet
    std::vector<ReceiptFile> files{};        ///< of a folder
    std::optional<FileIdentity> identity{};  ///< as it was put into place; of a folder, itself
    /// What stood in its place and was replaced by it, as the backup beside it: the way back leads there.
    std::optional<ReceiptFile> replaced{};
};

struct ReceiptKit {
    std::string name, version;
    ReceiptFile file{};
};

/// A step that was done.
struct ReceiptStep {
    Step step;                          ///< its file as `read` has it; of a folder, relative to the receipt's
    std::optional<ReceiptFile> read{};  ///< the patch, or what was put in
};

struct Receipt {
    std::string time{};                    ///< UTC, "2026-11-23T09:41:00Z"
    std::string tool{};                    ///< the version that wrote it
    std::vector<ReceiptSource> sources{};  ///< the base first; none where a kit has no bases
    std::vector<ReceiptOutput> outputs{};  ///< at least one; the receipt lies beside the first
    std::vector<ReceiptKit> kits{};        ///< where kits made it
    std::vector<ReceiptStep> steps{};      ///< in the order done; none where kits made it
    std::string part{};                    ///< of the source, that the steps are about: its address; empty: all of it
    std::optional<bool> mend{};            ///< as in Recipe
    bool keeps_representation = false;     ///< the output was put back into the source's
    bool in_place = false;                 ///< the output replaced the source
    std::string backup{};                  ///< the replaced source, relative; empty: none
    std::string journal{};  ///< the way back of a file that was changed where it lies, relative; empty: none
    std::string reverse{};  ///< a BPS patch from target to source, relative; empty: none
    std::optional<FileIdentity> reverse_identity{};  ///< as it was put into place
    std::string root{};  ///< the folder that the outputs' names are below, relative to the receipt's; kits only
    std::vector<std::string> folders{};  ///< that were made for the outputs, relative; the outermost first
    /// Of what stood at this place before, the newest first: the way back goes on with them. Theirs are empty.
    std::vector<Receipt> before{};

    const ReceiptSource& source() const { return sources.front(); }
    const ReceiptOutput& target() const { return outputs.front(); }
    ReceiptOutput& target() { return outputs.front(); }
};

/// The JSON text of a receipt, ending with a newline; names that are not UTF-8 stand in it as as_utf8() spells them.
HOTSTITCH_EXPORT std::string receipt_to_json(const Receipt& receipt);

/// Throws Error(damaged), Error(unsupported) for a newer version.
HOTSTITCH_EXPORT Receipt receipt_from_json(std::string_view text);

}  // namespace hotstitch
