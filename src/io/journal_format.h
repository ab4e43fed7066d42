// SPDX-License-Identifier: MIT
// What a journal of a change in place holds. docs/formats/journal.md.
#pragma once

#include "hotstitch/bytes.h"
#include "hotstitch/file_io.h"

namespace hotstitch {

struct JournalRange {
    std::uint64_t offset = 0, old_length = 0, new_length = 0;
    std::uint32_t old_crc = 0, new_crc = 0;
};

struct JournalContent {
    std::uint64_t device = 0, inode = 0;
    Journal journal;
    std::vector<JournalRange> ranges;
    std::uint64_t old_bytes = 0;  ///< where they begin in the journal
};

/// Little-endian.
void put_journal_number(Bytes& out, std::uint64_t value, unsigned width);

/// Everything before the bytes that stood there.
Bytes journal_header(const JournalContent& content);

/// Throws Error(damaged) for what is none, or does not hold together.
JournalContent read_journal(const InputFile& file);

}  // namespace hotstitch
