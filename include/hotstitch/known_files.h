// SPDX-License-Identifier: MIT
// Lists that name files by their checksums: which one is this, which one is needed.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/digest.h"
#include "hotstitch/export.h"

namespace hotstitch {

struct KnownFile {
    Digests digests;
    std::string name;
};

class HOTSTITCH_EXPORT KnownFiles {
public:
    /// Lines of "SHA1  NAME" or "SHA256  NAME" as sha1sum and sha256sum print them, or of CSV "crc32,size,name"; kinds
    /// may be mixed. Empty lines and lines that begin with # are passed over, as is a CSV heading. Throws
    /// Error(damaged) with the number of the line in `offset`.
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
