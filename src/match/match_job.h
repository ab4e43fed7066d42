// SPDX-License-Identifier: MIT
// What the parsers of all stretches of one target share: the files, the depth, and the indexes of both.
#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <optional>

#include "match/match.h"
#include "match/place_index.h"

namespace hotstitch {

/// Told of progress by whoever works; throws Error(cancelled) to stop the work.
class Ticker {
public:
    virtual ~Ticker();
    virtual void indexed(std::uint64_t bytes) = 0;  ///< so many bytes of the source, in all
    virtual void parsed(std::uint64_t bytes) = 0;   ///< so many more of the target
    virtual void went_on() = 0;                     ///< with something that has no measure
};

/// What the depths differ in.
struct Depth {
    static constexpr int never = 17;

    std::size_t window = 8;          ///< bytes that a new place has to share
    std::uint64_t step = 1;          ///< every so manieth place of the source is in the index
    std::uint64_t target_step = 1;   ///< and of the target's stretch so far
    std::uint64_t far_step = 32;     ///< and of all the target
    unsigned places = 4;             ///< places looked at of the same bytes; a power of two
    std::uint64_t plenty = 48;       ///< a match as long as this is taken at once, and grows backwards
    std::uint64_t unindexed = 16;    ///< places without a match that are borne before the source is indexed
    int same_of_16 = never;          ///< no new places where so many of 16 bytes are the same at the last distance
    std::uint64_t patience = 1024;   ///< after so many places without a match, fewer are looked up
    std::uint64_t longest_step = 7;  ///< but every so manieth; odd
    std::uint64_t stretches = 2;     ///< that are worth a thread

    // Of the cheapest parser only.
    std::uint64_t covered = 20;      ///< inside a match as long as this, no new places are looked for
    std::uint64_t overlap = 8;       ///< but in its last bytes, so many
    std::size_t recent = 4;          ///< distances of copies before the last ones that are tried
    std::uint64_t work = 16;         ///< lengths of matches tried for each byte, in the mean of a stretch
    std::uint64_t every_length = 0;  ///< up to this length, a match may also be cut short anywhere
};

struct MatchJob {
    /// The target is parsed in stretches of so many bytes.
    static constexpr std::uint64_t stretch = std::uint64_t{1} << 20;
    MatchJob(ByteView source, ByteView target, const MatchOptions& options, Ticker& ticker);

    /// The index of the source, made when it is first asked for: many mods change bytes in their places and never need
    /// it. Safe to call from several threads.
    const PlaceIndex& source_index(Ticker& ticker);

    /// A thin index of the whole target, for what stands in it twice and far apart. Safe to call from several threads.
    const PlaceIndex& target_index(Ticker& ticker);

    MatchFacts facts() const;
    /// Whether so little differs from what stands at the same place, counted from the begin or from the end, that an
    /// index of so large a source is not worth its time.
    bool near_equal() const noexcept { return near_equal_; }

    ByteView source, target;
    MatchOptions options;  ///< with the number of threads settled
    Depth depth;

private:
    bool differs_little(Ticker& ticker) const;
    void fill(PlaceIndex& index, std::uint64_t size, const std::function<void(std::uint64_t)>& report) const;
    bool near_equal_ = false;
    std::once_flag once_, target_once_;
    std::optional<PlaceIndex> index_, target_index_;
};

}  // namespace hotstitch
