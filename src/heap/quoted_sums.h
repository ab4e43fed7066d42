// SPDX-License-Identifier: MIT
// Checksums that a readme, a list or a name quotes.
#pragma once

#include <map>
#include <string>
#include <string_view>

#include "hotstitch/digest.h"

namespace hotstitch {

/// Hexadecimal words as long as a CRC-32, MD5, SHA-1 or SHA-256. That one is a file's own by chance is out of the
/// question; that none is says nothing.
class QuotedSums {
public:
    void add(std::string_view text, const std::string& where);
    bool empty() const noexcept { return where_.empty(); }
    /// Those of the digests that are quoted; `by`: where the first of them is, for people.
    Digests among(const Digests& of_file, std::string& by) const;

private:
    std::map<std::string, std::string> where_;
};

}  // namespace hotstitch
