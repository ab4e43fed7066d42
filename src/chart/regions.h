// SPDX-License-Identifier: MIT
// A file cut into the stretches that have a name.
#pragma once

#include <memory>
#include <vector>

#include "hotstitch/chart.h"
#include "hotstitch/fields.h"

namespace hotstitch {

class Regions {
public:
    /// What parts and maps name, the smallest first where they overlap. Throws what opening parts throws.
    Regions(const ByteSource& source, const Limits& limits);

    /// What the source is cut into, in order, to its end: a stretch and the region in all() that it belongs to.
    struct Piece {
        std::uint64_t begin = 0, end = 0;
        std::size_t region = 0;
        std::uint64_t before = 0;  ///< bytes of the region in pieces before this one
    };
    const std::vector<Piece>& pieces() const noexcept { return pieces_; }
    std::vector<ChartRegion>& all() noexcept { return all_; }

    /// What maps call the byte at an offset of the source; empty: nothing. `length` as of Fields::name_at().
    std::string name_at(std::uint64_t offset, std::uint64_t& length) const;

    /// Where a byte of the file lies in what the pieces are cut from: of a disc in whole sectors, its user data.
    std::uint64_t place_of(std::uint64_t offset) const noexcept;
    std::uint64_t size() const noexcept { return size_; }

private:
    void add(const std::string& name, PartKind kind, KindId holds, const ByteRange& range);
    void add_parts(const ByteSource& file, const Limits& limits);
    void add_tables(const Limits& limits);
    void cut();

    struct Named {
        ByteRange range;
        std::size_t region;
    };
    SharedSource content_;  ///< what the pieces are cut from
    std::uint64_t size_ = 0, sector_ = 0;
    std::vector<ChartRegion> all_;
    std::vector<Named> named_;
    std::vector<Piece> pieces_;
    std::unique_ptr<FileFields> fields_;
    std::vector<std::uint64_t> field_offsets_;  ///< where the part of each unit of fields begins; UINT64_MAX: nowhere
};

}  // namespace hotstitch
