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

/// What kits made of which bases (kit.h); the receipt's target is then the first output, its source the first base.
struct ReceiptKits {
    struct Kit {
        std::string name, version;
        ReceiptFile file{};
    };
    struct Base {
        std::string id, edition;
        bool folder = false;
        ReceiptFile file;  ///< of a folder: the size and checksum are those of a list of its files
        std::optional<Representation> reading{};  ///< of the file, where it was not taken as it is
        Digests as_read{};                        ///< of it so read
    };
    struct Output {
        bool folder = false;
        ReceiptFile file{};                      ///< of a folder, as above
        std::vector<ReceiptFile> files{};        ///< of a folder
        std::optional<FileIdentity> identity{};  ///< as it was put into place; of a folder, without a time
    };
    std::vector<Kit> kits;
    std::vector<Base> bases;
    std::vector<Output> outputs;
    std::string root;                    ///< the folder that the outputs' names are below, relative to the receipt's
    std::vector<std::string> folders{};  ///< that were made for the outputs, relative; the outermost first
};

/// A step that was done.
struct ReceiptStep {
    Step step;                          ///< its file as `read` has it; of a folder, relative to the receipt's
    std::optional<ReceiptFile> read{};  ///< the patch, or what was put in
};

struct Receipt {
    std::string time;  ///< UTC, "2026-11-23T09:41:00Z"
    std::string tool;  ///< the version that wrote it
    ReceiptFile source, target;
    std::vector<ReceiptStep> steps;  ///< in the order done; none where kits made it
    std::string part{};              ///< of the source, that the steps are about: its address; empty: all of it
    std::optional<bool> mend{};      ///< as in Recipe
    std::optional<Representation> representation;  ///< of the source, where it was not taken as it is
    bool keeps_representation = false;             ///< the output was put back into it
    bool in_place = false;                         ///< the output replaced the source
    std::string backup;                            ///< the replaced source, relative; empty: none
    /// What stood in the output's place and was replaced by it, as the backup beside it: the way back leads there.
    std::optional<ReceiptFile> replaced{};
    /// Written together with the output: a cue sheet, other files that it names.
    struct Beside {
        ReceiptFile file;
        std::optional<FileIdentity> identity{};
    };
    std::vector<Beside> beside{};
    std::string journal{};  ///< the way back of a file that was changed where it lies, relative; empty: none
    std::string reverse;    ///< a BPS patch from target to source, relative; empty: none
    /// Of the output and of the reverse patch, as they were put into place.
    std::optional<FileIdentity> target_identity, reverse_identity;
    std::optional<ReceiptKits> kits{};  ///< where kits made it
    /// Of what stood at this place before, the newest first: the way back goes on with them. Theirs are empty.
    std::vector<Receipt> before;
};

/// The JSON text of a receipt, ending with a newline; names that are not UTF-8 stand in it as as_utf8() spells them.
HOTSTITCH_EXPORT std::string receipt_to_json(const Receipt& receipt);

/// Throws Error(damaged), Error(unsupported) for a newer version.
HOTSTITCH_EXPORT Receipt receipt_from_json(std::string_view text);

}  // namespace hotstitch
