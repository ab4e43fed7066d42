// SPDX-License-Identifier: MIT
// A data track as its file holds it, in sectors of 2048 bytes or in whole ones, and as the user data in them.
// docs/formats/discs.md "Sectors".
#pragma once

#include <optional>

#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"
#include "part/disc/sector.h"

namespace hotstitch::disc {

struct SectorLayout {
    std::uint32_t stride = user_size;     ///< bytes a sector takes: 2048, 2336 (without sync and header), 2352 or 2448
    std::uint64_t sectors = 0;            ///< whole ones
    std::uint64_t rest = 0;               ///< bytes of a last one that is cut off
    std::uint64_t behind = 0;             ///< bytes of other tracks that follow in the same file
    SectorMode mode = SectorMode::mode1;  ///< of the first sector, for those that are added
    std::uint64_t first = 0;              ///< address of the first sector, as its header says

    bool is_raw() const noexcept { return stride != user_size; }
    std::uint64_t user_bytes() const noexcept { return sectors * user_size; }
};

/// Of a track that lies in whole sectors, by their sync patterns, and for 2336 by the subheaders and what stands at
/// sector 16; nothing: it does not. Throws Error(io).
std::optional<SectorLayout> raw_layout_of(const ByteSource& track);
/// The same of 2048-byte sectors: any file is.
SectorLayout plain_layout_of(const ByteSource& track);

/// The user data of raw sectors, 2048 bytes of each, without their being written anywhere.
class UserData final : public ByteSource {
public:
    UserData(SharedSource track, const SectorLayout& layout) noexcept : track_(std::move(track)), layout_(layout) {}
    std::uint64_t size() const noexcept override { return layout_.user_bytes(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    void check_intact() const override { track_->check_intact(); }

private:
    SharedSource track_;
    SectorLayout layout_;
};

/// What a change of the user data comes to in the sectors: those that it touches get EDC and ECC anew, no others.
/// Throws Error(unsupported) where it touches a sector without a form of its own, form 2, or moves what has form 2.
ChangeList raw_change(const SharedSource& track, const SectorLayout& layout, const ChangeList& user);

/// Plain user data as a raw track of this mode, mode1 or form1, computed as it is read. REQUIRES a whole number of
/// sectors.
std::unique_ptr<ByteSource> raw_from_plain(SharedSource plain, SectorMode mode);

/// One pass over a raw track. Throws Error(io, cancelled).
SectorCheck count_sectors(const ByteSource& track, const SectorLayout& layout, const Progress& progress);

/// EDC and ECC put right in every sector where they are wrong. Throws Error(io, cancelled).
ChangeList protect_sectors(const ByteSource& track, const SectorLayout& layout, const Progress& progress,
                           std::uint64_t& mended);

/// Whether one of these sectors has form 2, and so more to it than its user data here. Throws Error(io).
bool has_form2(const ByteSource& track, const SectorLayout& layout, std::uint64_t sector, std::uint64_t count);

}  // namespace hotstitch::disc
