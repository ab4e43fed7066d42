// SPDX-License-Identifier: MIT
// Looks into zip, 7z, rar and tar archives and into gz, xz, bz2 and zst files. Nothing is ever written under a
// member's name. Every checksum that these formats carry is checked before a member counts as unpacked.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct ArchiveMember {
    /// As UTF-8 where the archive says in which characters it is, else as it stands there, unchecked; without "./"
    /// before it. "entry 3" for the third file where there is none that can be read; empty for what a gz, xz, bz2 or
    /// zst holds.
    std::string name;
    Bytes head;  ///< its first bytes, at most 512; none when it is encrypted
    bool encrypted = false;
    std::optional<std::uint64_t> size;  ///< as the archive states it, unchecked
    std::string link{};                 ///< where it leads, of a link; such a member has no content
};

/// Walks over the files in an archive, without folders, in the order in which they stand there: one pass, whatever is
/// unpacked on the way. All of it has one budget (Limits::archive_…): files, names, bytes, ratio and time.
class HOTSTITCH_EXPORT ArchiveReader {
public:
    /// `archive` has to outlive the reader. Throws Error(not_this_format) when it is none, Error(damaged),
    /// Error(unsupported) in a build without libarchive or without the library of this compression.
    explicit ArchiveReader(const ByteSource& archive, const Limits& limits = {}, const Progress& progress = {});
    explicit ArchiveReader(ByteView archive, const Limits& limits = {}, const Progress& progress = {});
    ~ArchiveReader();
    ArchiveReader(const ArchiveReader&) = delete;
    ArchiveReader& operator=(const ArchiveReader&) = delete;

    /// The next file, or null at the end; valid until the next call. `all`: links too, which are passed over else, and
    /// a file that is damaged, which extract() then says. Throws Error(damaged), Error(limit) past a budget,
    /// Error(cancelled).
    const ArchiveMember* next(bool all = false);

    /// Unpacks the file that next() returned; once. Throws Error(unsupported) when it is encrypted, Error(damaged) when
    /// its name is absolute or leads out of the archive, and as next() does.
    void extract(ByteSink& out);

    /// Reads on to the end, because some formats have their checksums there. Throws Error(damaged) and as next() does.
    void check_rest();

private:
    struct State;
    std::unique_ptr<class WholeView> view_;  ///< of a source
    std::unique_ptr<State> state_;
};

/// All files at once. Throws as ArchiveReader does.
HOTSTITCH_EXPORT std::vector<ArchiveMember> list_archive(const ByteSource& archive, const Limits& limits = {},
                                                         const Progress& progress = {});

inline std::vector<ArchiveMember> list_archive(ByteView archive, const Limits& limits = {},
                                               const Progress& progress = {}) {
    return list_archive(MemorySource(archive), limits, progress);
}

/// Unpacks the first member of this name into `out`. Throws Error(usage) when there is none, and as ArchiveReader does.
HOTSTITCH_EXPORT void extract_member(const ByteSource& archive, std::string_view name, ByteSink& out,
                                     const Limits& limits = {}, const Progress& progress = {});
inline void extract_member(ByteView archive, std::string_view name, ByteSink& out, const Limits& limits = {},
                           const Progress& progress = {}) {
    extract_member(MemorySource(archive), name, out, limits, progress);
}

/// Writes a zip file of these, in this order: the same bytes for the same content. Throws Error(io), Error(unsupported)
/// in a build without libarchive.
HOTSTITCH_EXPORT void write_zip(const std::vector<std::pair<std::string, SharedSource>>& files, ByteSink& out);

}  // namespace hotstitch
