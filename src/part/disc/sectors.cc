// SPDX-License-Identifier: MIT
// Tracks are read some dozens of sectors at a time. Sectors of 2336 bytes are whole ones without their first 16: in
// mode 2 neither EDC nor ECC cover those. Tested by tests/part/disc_test.cc.
#include "part/disc/sectors.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/meter.h"
#include "hotstitch/error.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t batch = 64;  ///< sectors read in one go
constexpr std::size_t headless = 16;
constexpr std::uint64_t volume_sector = 16;

ByteView view_of(const ByteSource& source, std::uint64_t offset, std::size_t length, Bytes& storage) {
    if (const auto whole = source.whole()) return whole->subspan(static_cast<std::size_t>(offset), length);
    storage.resize(std::max(storage.size(), length));
    return source.read(offset, length, storage);
}

bool is_headless(const SectorLayout& layout) {
    return layout.stride == raw_size - headless;
}

/// The mode of a sector as the track holds it, and where its user data begins there.
struct Place {
    SectorMode mode;
    std::size_t user;
};
Place place_of(ByteView sector, const SectorLayout& layout) {
    if (!is_headless(layout)) {
        const SectorMode mode = mode_of(sector);
        return {mode, user_offset(mode)};
    }
    if (!std::equal(sector.begin(), sector.begin() + 4, sector.begin() + 4)) return {SectorMode::formless, 8};
    return {(sector[2] & std::byte{0x20}) != std::byte{0} ? SectorMode::form2 : SectorMode::form1, 8};
}

/// The 2352 bytes around a sector of the track.
std::array<std::byte, raw_size> framed(ByteView sector, const SectorLayout& layout) {
    std::array<std::byte, raw_size> frame{};
    const std::size_t skip = is_headless(layout) ? headless : 0;
    std::copy_n(sector.begin(), raw_size - skip, frame.begin() + static_cast<std::ptrdiff_t>(skip));
    return frame;
}

void unframed(const std::array<std::byte, raw_size>& frame, const SectorLayout& layout, std::byte* sector) {
    const std::size_t skip = is_headless(layout) ? headless : 0;
    std::copy(frame.begin() + static_cast<std::ptrdiff_t>(skip), frame.end(), sector);
}

SectorLayout layout_with(const ByteSource& track, std::uint32_t stride) {
    return {.stride = stride, .sectors = track.size() / stride, .rest = track.size() % stride};
}

/// Whole sectors with other user data, computed as they are read. `moved`: nothing of the old sector with the same
/// number stays, because the data before it grew or shrank.
class Encoded final : public ByteSource {
public:
    Encoded(SharedSource track, const SectorLayout& layout, SharedSource user, std::uint64_t moved_from)
        : track_(std::move(track)), layout_(layout), user_(std::move(user)), moved_from_(moved_from) {}

    std::uint64_t size() const noexcept override { return user_->size() / user_size * layout_.stride; }
    void check_intact() const override { track_->check_intact(), user_->check_intact(); }

    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        Bytes sector(layout_.stride);
        for (std::size_t done = 0; done < length;) {
            const std::uint64_t number = (offset + done) / layout_.stride;
            const auto skip = static_cast<std::size_t>((offset + done) % layout_.stride);
            const std::size_t part = std::min<std::size_t>(length - done, layout_.stride - skip);
            make(number, sector);
            std::copy_n(sector.begin() + static_cast<std::ptrdiff_t>(skip), part,
                        scratch.begin() + static_cast<std::ptrdiff_t>(done));
            done += part;
        }
        return scratch.first(length);
    }

private:
    void make(std::uint64_t number, Bytes& sector) const {
        Bytes user_storage(user_size);
        const ByteView user = user_->read(number * user_size, user_size, user_storage);
        std::array<std::byte, raw_size> frame;
        if (number < moved_from_) {
            const ByteView old = track_->read(number * layout_.stride, layout_.stride, sector);
            if (old.data() != sector.data()) std::copy(old.begin(), old.end(), sector.begin());
            const Place place = place_of(sector, layout_);
            frame = framed(sector, layout_);
            std::copy(user.begin(), user.end(),
                      frame.begin() + static_cast<std::ptrdiff_t>(place.user + (is_headless(layout_) ? headless : 0)));
            protect(frame, place.mode);
        } else {
            std::fill(sector.begin(), sector.end(), std::byte{0});
            encode(frame, user, layout_.first + number, layout_.mode);
        }
        unframed(frame, layout_, sector.data());
    }

    SharedSource track_;
    SectorLayout layout_;
    SharedSource user_;
    std::uint64_t moved_from_;  ///< number of the first sector that is made anew altogether
};

void refuse_sector(std::uint64_t number, SectorMode mode) {
    throw Error(ErrorCode::unsupported, mode == SectorMode::form2
                                            ? "a sector with sound or film (mode 2, form 2) is not changed here"
                                            : "a sector that is no data sector would have to change")
        .in("sector")
        .found(fmt::format("sector {}", number))
        .hint("such a file can be taken out whole with its sectors, not put in");
}

void check_touched(const ByteSource& track, const SectorLayout& layout, std::uint64_t from, std::uint64_t to) {
    Bytes storage;
    for (std::uint64_t number = from; number < std::min(to, layout.sectors); ++number) {
        const Place place = place_of(view_of(track, number * layout.stride, layout.stride, storage), layout);
        if (place.mode != SectorMode::mode1 && place.mode != SectorMode::form1) refuse_sector(number, place.mode);
    }
}

}  // namespace

SectorLayout plain_layout_of(const ByteSource& track) {
    return layout_with(track, user_size);
}

std::optional<SectorLayout> raw_layout_of(const ByteSource& track) {
    Bytes storage(raw_size);
    const auto sector = [&](std::uint64_t at) { return track.read(at, raw_size, storage); };
    if (track.size() < raw_size) return std::nullopt;
    if (has_sync(sector(0))) {
        for (const std::uint32_t stride : {2352U, 2448U}) {
            if (track.size() >= std::uint64_t{stride} + raw_size && !has_sync(sector(stride))) continue;
            if (track.size() < std::uint64_t{stride} + raw_size && stride != raw_size) continue;
            SectorLayout layout = layout_with(track, stride);
            layout.first = address_of(sector(0));
            // The first sectors may be empty; what counts is where the volume begins.
            const std::uint64_t tell = layout.sectors > volume_sector ? volume_sector : 0;
            const SectorMode mode = mode_of(sector(tell * stride));
            layout.mode = mode == SectorMode::mode1 ? SectorMode::mode1 : SectorMode::form1;
            // Where sound follows, the data end with their sync patterns.
            const auto is_data = [&](std::uint64_t number) { return has_sync(sector(number * stride)); };
            if (layout.sectors > 1 && !is_data(layout.sectors - 1)) {
                std::uint64_t data = 0, none = layout.sectors - 1;
                while (none - data > 1) {
                    const std::uint64_t middle = data + (none - data) / 2;
                    (is_data(middle) ? data : none) = middle;
                }
                layout.behind = track.size() - none * stride;
                layout.sectors = none, layout.rest = 0;
            }
            return layout;
        }
        return std::nullopt;
    }
    constexpr std::uint32_t stride = raw_size - headless;
    const std::uint64_t volume = volume_sector * stride;
    if (track.size() < volume + stride) return std::nullopt;
    const ByteView found = sector(volume - headless);
    if (text_of(found.subspan(headless + 9, 5)) != "CD001" ||
        !std::equal(found.begin() + headless, found.begin() + headless + 4, found.begin() + headless + 4))
        return std::nullopt;
    SectorLayout layout = layout_with(track, stride);
    layout.mode = SectorMode::form1;
    return layout;
}

ByteView UserData::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    Bytes storage;
    for (std::size_t done = 0; done < length;) {
        const std::uint64_t first = (offset + done) / user_size;
        const std::uint64_t last = (offset + length - 1) / user_size, count = std::min(batch, last - first + 1);
        const ByteView raw =
            view_of(*track_, first * layout_.stride, static_cast<std::size_t>(count * layout_.stride), storage);
        for (std::uint64_t i = 0; i < count; ++i) {
            const ByteView sector = raw.subspan(static_cast<std::size_t>(i * layout_.stride), layout_.stride);
            const auto skip = static_cast<std::size_t>((offset + done) % user_size);
            const std::size_t part = std::min(length - done, user_size - skip);
            const ByteView user = sector.subspan(place_of(sector, layout_).user + skip, part);
            std::copy(user.begin(), user.end(), scratch.begin() + static_cast<std::ptrdiff_t>(done));
            done += part;
        }
    }
    return scratch.first(length);
}

ChangeList raw_change(const SharedSource& track, const SectorLayout& layout, const ChangeList& user) {
    ChangeList list(track->size());
    if (user.empty()) return list;
    const auto plain = std::make_shared<UserData>(track, layout);
    const auto made = std::make_shared<ChangedSource>(plain, user);
    if (made->size() % user_size != 0)
        throw Error(ErrorCode::unsupported, "the changed track is no whole number of sectors");
    // From the first splice on that changes a length, all sectors come anew.
    std::uint64_t moved = layout.sectors;
    for (const Splice& splice : user.splices())
        if (splice.added() != splice.removed) {
            moved = splice.offset / user_size;
            break;
        }
    if (moved < layout.sectors || made->size() != plain->size()) {
        if (layout.stride == raw_size + 96)
            throw Error(ErrorCode::unsupported, "sectors with a subchannel can be changed, not added or moved");
        if (layout.rest != 0)
            throw Error(ErrorCode::unsupported, "the image ends in the middle of a sector, so nothing can be added")
                .hint("get a whole copy");
        if (layout.behind != 0)
            throw Error(ErrorCode::usage,
                        "other tracks follow in the same file, so the data track can neither grow nor shrink")
                .in("tracks")
                .hint("make the file as small as it was, or split the image into a file for each track");
        check_touched(*track, layout, moved, layout.sectors);
    }
    const auto encoded = std::make_shared<Encoded>(track, layout, made, moved);
    std::uint64_t done = 0;  // sectors
    for (const Splice& splice : user.splices()) {
        if (splice.offset / user_size >= moved || splice.removed == 0) break;
        const std::uint64_t from = std::max(done, splice.offset / user_size),
                            to = std::min(moved, (splice.offset + splice.removed - 1) / user_size + 1);
        if (from >= to) continue;
        check_touched(*track, layout, from, to);
        list.put_from(from * layout.stride, (to - from) * layout.stride, encoded, from * layout.stride,
                      (to - from) * layout.stride);
        done = to;
    }
    const std::uint64_t end = made->size() / user_size;
    if (moved < layout.sectors || end != layout.sectors)
        list.put_from(moved * layout.stride, (layout.sectors - moved) * layout.stride, encoded, moved * layout.stride,
                      (end - moved) * layout.stride);
    return list;
}

std::unique_ptr<ByteSource> raw_from_plain(SharedSource plain, SectorMode mode) {
    const SectorLayout layout{.stride = raw_size, .mode = mode};
    SharedSource none = plain;
    return std::make_unique<Encoded>(std::move(none), layout, std::move(plain), 0);
}

namespace {

template <class Visit>
void each_sector(const ByteSource& track, const SectorLayout& layout, const Progress& progress, Visit&& visit) {
    Meter meter(progress, Phase::checking_source, track.size());
    Bytes storage;
    for (std::uint64_t first = 0; first < layout.sectors; first += batch) {
        const std::uint64_t count = std::min(batch, layout.sectors - first);
        const ByteView raw =
            view_of(track, first * layout.stride, static_cast<std::size_t>(count * layout.stride), storage);
        for (std::uint64_t i = 0; i < count; ++i)
            visit(first + i, raw.subspan(static_cast<std::size_t>(i * layout.stride), layout.stride));
        meter.advance(raw.size());
    }
    meter.finish();
}

bool is_right(ByteView sector, const SectorLayout& layout, SectorMode mode) {
    return is_headless(layout) ? is_protected(framed(sector, layout), mode)
                               : is_protected(sector.first(raw_size), mode);
}

}  // namespace

SectorCheck count_sectors(const ByteSource& track, const SectorLayout& layout, const Progress& progress) {
    SectorCheck count;
    each_sector(track, layout, progress, [&](std::uint64_t number, ByteView sector) {
        const SectorMode mode = place_of(sector, layout).mode;
        ++(mode == SectorMode::mode1   ? count.mode1
           : mode == SectorMode::form1 ? count.form1
           : mode == SectorMode::form2 ? count.form2
                                       : count.other);
        if (is_right(sector, layout, mode)) return;
        if (count.wrong++ == 0) count.first_wrong = number;
    });
    track.check_intact();
    return count;
}

ChangeList protect_sectors(const ByteSource& track, const SectorLayout& layout, const Progress& progress,
                           std::uint64_t& mended) {
    ChangeList list(track.size());
    each_sector(track, layout, progress, [&](std::uint64_t number, ByteView sector) {
        const SectorMode mode = place_of(sector, layout).mode;
        if (is_right(sector, layout, mode)) return;
        auto frame = framed(sector, layout);
        protect(frame, mode);
        Bytes right(sector.begin(), sector.end());
        unframed(frame, layout, right.data());
        const ChangeList within = differences(sector, right);
        for (const Splice& splice : within.splices())
            list.put(number * layout.stride + splice.offset, splice.removed, Bytes(*splice.in.front().bytes));
        ++mended;
    });
    track.check_intact();
    return list;
}

bool has_form2(const ByteSource& track, const SectorLayout& layout, std::uint64_t sector, std::uint64_t count) {
    if (!layout.is_raw()) return false;
    Bytes storage;
    for (std::uint64_t number = sector; number < std::min(sector + count, layout.sectors); ++number)
        if (place_of(view_of(track, number * layout.stride, layout.stride, storage), layout).mode == SectorMode::form2)
            return true;
    return false;
}

}  // namespace hotstitch::disc
