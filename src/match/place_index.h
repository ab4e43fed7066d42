// SPDX-License-Identifier: MIT
// Where do these few bytes stand? A hash table of buckets as large as a cache line, so that a question costs one wait
// for memory however many places it names. A slot holds the number of a sampled place and, in the bits left over, a
// tag of the hash, so that hardly any place is looked at for nothing. A full bucket forgets; bytes that stand
// everywhere keep a few places only and leave the rest of their bucket to others.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <utility>

#ifdef __SSE2__
#include <emmintrin.h>
#endif

#include "base/zeroed_memory.h"
#include "hotstitch/bytes.h"

namespace hotstitch {

class PlaceIndex {
public:
    struct Shape {
        std::size_t window = 8;  ///< bytes that a place is known by, 4 to 8
        std::uint64_t step = 1;  ///< every so manieth place is in the index, or fewer to stay within `memory`
        unsigned keep = 4;       ///< places kept of the same bytes: 1, 2, 4, 8 or 16
        std::uint64_t memory = UINT64_MAX;
    };

    /// Of the places from `begin` on; keeps a view of `bytes`. Empty at first. The table takes memory as it fills.
    PlaceIndex(ByteView bytes, std::uint64_t begin, const Shape& shape)
        : bytes_(bytes), begin_(begin), mask_(UINT64_MAX >> (64 - 8 * shape.window)), keep_(shape.keep) {
        const std::uint64_t places = bytes.size() - begin,
                            most = std::clamp<std::uint64_t>(shape.memory / bytes_per_entry, 1 << 10, most_entries);
        step_ = std::max(shape.step, places / most + 1);
        const std::uint64_t entries = places / step_ + 1;
        number_bits_ = static_cast<int>(std::bit_width(entries + 1));
        buckets_ = static_cast<std::uint32_t>(entries * bytes_per_entry / sizeof(Bucket) + 1);
        table_ = zeroed_memory<Bucket>(buckets_);
    }

    /// Forgets all places, and begins anew with those from `begin` on, which may be as many as before.
    void begin_again(ByteView bytes, std::uint64_t begin) noexcept {
        bytes_ = bytes;
        begin_ = begin;
        if (std::exchange(used_, false)) std::memset(table_.get(), 0, buckets_ * sizeof(Bucket));
    }

    std::uint64_t step() const noexcept { return step_; }
    std::uint64_t memory() const noexcept { return buckets_ * sizeof(Bucket); }
    /// Windows are looked at eight bytes at a time: none begins later.
    bool has_window(std::uint64_t place) const noexcept { return place + word <= bytes_.size(); }

    /// Adds `place` if it is one of the sampled ones. REQUIRES place >= begin.
    void add(std::uint64_t place) noexcept {
        const std::uint64_t from = place - begin_;
        if ((step_ != 1 && from % step_ != 0) || !has_window(place)) return;
        const std::uint64_t hash = hash_of(load(bytes_.data() + place));
        insert(table_[bucket_of(hash)], hash, from / step_);
        used_ = true;
    }

    /// Adds the places whose bucket lies in share `share` of `shares`: each of several threads can fill its own.
    /// `report` is called with the place now and then, and says whether to go on.
    template <class Report>
    void add_all(unsigned share, unsigned shares, Report&& report) {
        constexpr std::uint64_t often = 1 << 16;
        const auto first = static_cast<std::uint32_t>(std::uint64_t{buckets_} * share / shares),
                   mine = static_cast<std::uint32_t>(std::uint64_t{buckets_} * (share + 1) / shares) - first;
        std::array<Batch, 2> batches;  // one is fetched from memory while the other is inserted
        Batch* batch = &batches[0];
        std::uint64_t number = 0, last = 0;
        for (std::uint64_t at = begin_; has_window(at); at += step_, ++number) {
            if (number % often == 0 && !report(at)) return;
            const std::uint64_t window = load(bytes_.data() + at);
            // In a run, or where the step is a multiple of the period, the first place stands for all.
            const bool repeated = std::exchange(last, window) == window && number != 0;
            const std::uint64_t hash = hash_of(window);
            batch->places[batch->count] = {hash, number};
            // No branch: whose a place is cannot be foretold.
            batch->count += static_cast<unsigned>(!repeated) & static_cast<unsigned>(bucket_of(hash) - first < mine);
            if (batch->count != Batch::most) continue;
            for (const Place& place : batch->places) __builtin_prefetch(&table_[bucket_of(place.hash)], 1);
            batch = batch == &batches[0] ? &batches[1] : &batches[0];
            insert(*batch);
        }
        for (Batch* rest : {batch == &batches[0] ? &batches[1] : &batches[0], batch}) insert(*rest);
    }

    void prefetch(const std::byte* at) const noexcept { __builtin_prefetch(&table_[bucket_of(hash_of(load(at)))]); }

    /// Calls `use(place)` for the places whose window is the same as the one at `at`, while
    /// it says so.
    template <class Use>
    void look_up(const std::byte* at, Use&& use) const {
        const std::uint64_t wanted = load(at), hash = hash_of(wanted);
        const Bucket& bucket = table_[bucket_of(hash)];
        unsigned found = slots_with(bucket, ~number_mask(), tag_of(hash)) & slots_in_use(bucket);
        if ((found & (found - 1)) != 0)
            for (unsigned rest = found; rest != 0; rest &= rest - 1)
                __builtin_prefetch(bytes_.data() + place_in(bucket.slots[std::countr_zero(rest)]));
        while (found != 0) {
            const int slot = static_cast<int>(std::bit_width(found)) - 1;
            found ^= 1U << slot;
            const std::uint64_t place = place_in(bucket.slots[slot]);
            if (load(bytes_.data() + place) == wanted && !use(place)) return;
        }
    }

private:
    static constexpr unsigned slot_count = 16;
    struct alignas(64) Bucket {
        std::uint32_t slots[slot_count];  ///< 0: empty; they fill from the first on
    };
    struct Place {
        std::uint64_t hash, number;
    };
    struct Batch {
        static constexpr unsigned most = 64;
        std::array<Place, most> places{};
        unsigned count = 0;
    };
    static constexpr std::size_t word = 8;
    /// Three quarters of the slots are in use at most, or the full buckets are too many.
    static constexpr std::uint64_t bytes_per_entry = 6;
    /// Leaves five bits of tag.
    static constexpr std::uint64_t most_entries = (1U << 27) - 2;

    std::uint64_t load(const std::byte* at) const noexcept {
        std::uint64_t value;
        std::memcpy(&value, at, word);
        if constexpr (std::endian::native == std::endian::big)
            value = __builtin_bswap64(value);  // same patch everywhere
        return value & mask_;
    }
    static std::uint64_t hash_of(std::uint64_t value) noexcept {
        value *= 0x9E3779B97F4A7C15;
        return (value ^ value >> 29) * 0xBF58476D1CE4E5B9;
    }
    std::uint32_t bucket_of(std::uint64_t hash) const noexcept {
        return static_cast<std::uint32_t>((hash >> 32) * buckets_ >> 32);
    }
    std::uint32_t number_mask() const noexcept { return (1U << number_bits_) - 1; }
    std::uint32_t tag_of(std::uint64_t hash) const noexcept {
        return static_cast<std::uint32_t>(hash) & ~number_mask();
    }
    std::uint64_t place_in(std::uint32_t slot) const noexcept { return begin_ + ((slot & number_mask()) - 1) * step_; }
    /// A bit for each slot that is `wanted` under `mask`.
    static unsigned slots_with(const Bucket& bucket, std::uint32_t mask, std::uint32_t wanted) noexcept {
#ifdef __SSE2__
        const auto* four = reinterpret_cast<const __m128i*>(bucket.slots);
        const __m128i masks = _mm_set1_epi32(static_cast<int>(mask)), all = _mm_set1_epi32(static_cast<int>(wanted));
        const auto found = [&](int i) { return _mm_cmpeq_epi32(_mm_and_si128(_mm_load_si128(four + i), masks), all); };
        return static_cast<unsigned>(_mm_movemask_epi8(
            _mm_packs_epi16(_mm_packs_epi32(found(0), found(1)), _mm_packs_epi32(found(2), found(3)))));
#else
        unsigned found = 0;
        for (unsigned i = 0; i < slot_count; ++i) found |= ((bucket.slots[i] & mask) == wanted ? 1U : 0U) << i;
        return found;
#endif
    }
    static unsigned slots_in_use(const Bucket& bucket) noexcept {
        return ~slots_with(bucket, UINT32_MAX, 0);
    }

    void insert(Batch& batch) noexcept {
        for (unsigned i = 0; i < batch.count; ++i)
            insert(table_[bucket_of(batch.places[i].hash)], batch.places[i].hash, batch.places[i].number);
        batch.count = 0;
    }
    void insert(Bucket& bucket, std::uint64_t hash, std::uint64_t number) noexcept {
        const std::uint32_t tag = tag_of(hash), slot = tag | static_cast<std::uint32_t>(number + 1);
        const unsigned empty = slots_with(bucket, UINT32_MAX, 0);
        unsigned same = slots_with(bucket, ~number_mask(), tag) & ~empty, beyond_kept = same;
        for (unsigned kept = keep_; kept != 1 && beyond_kept != 0; --kept) beyond_kept &= beyond_kept - 1;
        if (beyond_kept == 0 && empty != 0) {
            bucket.slots[std::countr_zero(empty)] = slot;
        } else if (same != 0) {
            for (std::uint64_t skip = number & (keep_ - 1); skip != 0 && (same & (same - 1)) != 0; --skip)
                same &= same - 1;
            bucket.slots[std::countr_zero(same)] = slot;
        } else {
            bucket.slots[dispensable_slot(bucket, number)] = slot;
        }
    }

    /// In a full bucket: one of several places of the same bytes rather than the only one of others.
    std::uint64_t dispensable_slot(const Bucket& bucket, std::uint64_t number) const noexcept {
        for (std::uint64_t tried = 0; tried < 4; ++tried) {
            const std::uint64_t slot = (number + 5 * tried) % slot_count;
            const unsigned same = slots_with(bucket, ~number_mask(), bucket.slots[slot] & ~number_mask());
            if ((same & (same - 1)) != 0) return slot;
        }
        return number % slot_count;
    }

    ByteView bytes_;
    std::uint64_t begin_, mask_, step_ = 1;
    unsigned keep_;
    int number_bits_ = 1;
    std::uint32_t buckets_ = 1;
    bool used_ = false;
    ZeroedMemory<Bucket> table_;
};

}  // namespace hotstitch
