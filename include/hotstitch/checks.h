// SPDX-License-Identifier: MIT
// Sizes and checksums kept beside a patch whose format carries none (docs/formats/checks.md).
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/digest.h"
#include "hotstitch/export.h"

namespace hotstitch {

struct Checks {
    Digests patch;   ///< size and CRC-32: does this file belong to that patch
    Digests source;  ///< what the source has to be
    Digests target;  ///< what comes out
};

/// The JSON text of a checks file, ending with a newline.
HOTSTITCH_EXPORT std::string checks_to_json(const Checks& checks);

/// Throws Error(damaged) when the text is no checks file, Error(unsupported) when it is a newer one.
HOTSTITCH_EXPORT Checks checks_from_json(std::string_view text);

// Lists that name files by their checksums: which one is this, which one is needed.

struct KnownFile {
    Digests digests;
    std::string name;
};

class HOTSTITCH_EXPORT KnownFiles {
public:
    /// Lines of "CHECKSUM  NAME" as md5sum, sha1sum and sha256sum print them, or of CSV "crc32,size,name"; kinds may be
    /// mixed. Empty lines and lines that begin with # are passed over, as is a CSV heading. Or the XML lists of
    /// preservation groups: elements `rom` in `game` or `machine`, with the attributes name, size, crc, md5, sha1 and
    /// sha256. Throws Error(damaged) with the number of the line in `offset`.
    static KnownFiles parse(std::string_view text);

    /// The first file of the list whose checksum these digests have, and all of whose values agree; null: none. A size
    /// alone names nothing.
    const KnownFile* find(const Digests& digests) const;

    /// What has to be computed of a file to find it.
    DigestChoice choice() const noexcept;
    const std::vector<KnownFile>& files() const noexcept { return files_; }

private:
    std::vector<KnownFile> files_;
};

}  // namespace hotstitch
