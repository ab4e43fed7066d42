// SPDX-License-Identifier: MIT
// What a header and its table of files say is where, in plain data: an image of the earlier console, or a partition of
// the later one once it is decrypted. Changes are told of that data. docs/formats/discs.md, "Discs with a table of
// files".
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "hotstitch/part.h"
#include "part/table_disc/file_table.h"

namespace hotstitch::table_disc {

/// A stretch that is in use. Several may have the same place.
struct Used {
    std::uint64_t begin = 0, end = 0;
    std::size_t owner = 0;  ///< index of the file's entry, or one of the numbers below
};
inline constexpr std::size_t no_entry = static_cast<std::size_t>(-1), loader_owner = no_entry - 1,
                             program_owner = no_entry - 2, table_owner = no_entry - 3, header_owner = no_entry - 4,
                             /// what is no longer used after the change that is being made, and not used again by it
    former_owner = no_entry - 5, first_own_owner = no_entry - 5;

/// With which the names of files begin.
inline constexpr std::string_view in_files = "files/";

class TableVolume {
public:
    /// `shift`: of stored offsets. `most`: bytes the data may grow to. Throws Error(io), Error(damaged, limit) where
    /// nothing of the table can be read.
    TableVolume(SharedSource data, unsigned shift, std::uint64_t most);
    TableVolume(const TableVolume&) = delete;
    TableVolume& operator=(const TableVolume&) = delete;

    const SharedSource& data() const noexcept { return data_; }
    const std::vector<Entry>& entries() const noexcept { return table_.entries; }
    const std::vector<std::string>& warnings() const noexcept { return table_.warnings; }
    const std::vector<Used>& used() const noexcept { return used_; }  ///< sorted by place
    std::uint64_t used_end() const noexcept;

    /// "sys/…" and "files/…", in the order of the table, with `prefix` before their names.
    void each(const std::string& prefix, const std::function<Flow(Part, const SharedSource&)>& visitor) const;
    /// Null: it lies past the end. Names without a prefix. Throws Error(usage) where there is none.
    SharedSource open(std::string_view name) const;

    PutResult put(std::string_view name, const SharedSource& content, Room room) const;
    /// Content in its place or moved, files more and less, as one new layout. Throws as put() does, Error(wrong_target)
    /// where the result would not read back as it should.
    PartChanges change(const std::vector<PartChange>& changes, Room room) const;

private:
    struct Place {
        std::uint64_t offset = 0, size = 0;
        std::size_t owner = no_entry;
    };
    class Layout;

    void find_used();
    void bound_stated_sizes();
    Place place_of(std::string_view name) const;
    std::uint64_t next_used(const Place& place) const;
    SharedSource slice(std::uint64_t offset, std::uint64_t size) const;
    void refuse_broken() const;
    void check_result(const ChangeList& change, const std::vector<PartChange>& changes) const;
    PutResult move_behind(const Place& place, const SharedSource& content) const;

    SharedSource data_;
    unsigned shift_;
    std::uint64_t most_;
    Bytes header_;
    Bytes table_bytes_;
    FileTable table_;
    std::uint64_t table_at_ = 0, program_at_ = 0, program_size_ = 0, loader_size_ = 0;
    std::vector<Used> used_;
    std::unordered_map<std::string_view, std::size_t> by_path_;  ///< of files, their entries
};

/// A disc laid out anew from loose files: what a folder with "sys/" and "files/" holds. `total`: bytes of the disc; 0:
/// up to its last file. In "sys/", what each file is shows in its content. Throws Error(usage) where something is
/// missing or does not fit.
SharedSource laid_out(const std::vector<std::pair<std::string, SharedSource>>& files, std::uint64_t total);

/// Bytes of a `.dol`, by its header; 0: it is none.
std::uint64_t program_size(const ByteSource& data, std::uint64_t at);

/// Bytes of the loader, by its header.
std::uint64_t loader_size(const ByteSource& data, std::uint64_t at);

}  // namespace hotstitch::table_disc
