// SPDX-License-Identifier: MIT
// Where a change lies: in which parts of a file, by the names that its kind, its container and maps have for them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/kind.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// A stretch of the source that has a name, or several that share it.
struct ChartRegion {
    std::string name;  ///< "header", "DATA/TITLE.BIN", "berth"; empty: what no part and no map names
    PartKind kind = PartKind::gap;
    KindId holds = KindId::data;         ///< what it is, where that is known
    std::uint64_t offset = 0;            ///< of its first byte, in the source
    std::uint64_t size = 0;              ///< bytes, all its stretches together
    std::uint64_t changed = 0;           ///< bytes
    std::uint64_t places = 0;            ///< changed stretches that begin in it
    std::vector<std::uint64_t> cells{};  ///< changed bytes of each piece of it, all of one length; empty: none
    std::vector<std::string> names{};    ///< of what is changed in it: "berth[Old Pier]: depth"; the first few
    bool more_names = false;
};

/// A stretch that is changed: what stands there in the source, and what in the target.
struct ChartPlace {
    ByteRange source{}, target{};
    std::string region{};  ///< the name of the one that it begins in
};

struct Chart {
    std::uint64_t source_size = 0, target_size = 0;
    std::uint64_t changed = 0, places = 0;  ///< bytes of the source that differ or go, and stretches
    std::uint64_t grown = 0;                ///< bytes that come in beside those, behind the end for example
    std::size_t changed_regions = 0;        ///< how many of the regions are changed
    std::uint64_t in_free_space = 0;        ///< of the bytes, those that were one long run of 00 or FF
    std::vector<std::uint64_t> cells{};     ///< changed bytes of each piece of the source, as those of a region
    std::vector<ChartRegion> regions{};     ///< in the order of the source; what is unchanged is among them
    std::vector<ChartPlace> first{};        ///< the first places, as many as were asked for
    /// Whether two discs were compared file by file, because their files do not stand at the same places; then what is
    /// between the files is not counted. Files that only the target has, with their sizes.
    bool by_files = false;
    std::vector<std::pair<std::string, std::uint64_t>> added{};
    /// How many changed bytes of each kind of content, the largest first, where it is known.
    std::vector<std::pair<std::string_view, std::uint64_t>> by_content{};
};

struct ChartOptions {
    std::size_t cells = 1024, region_cells = 48;  ///< pieces of the source, and of a region
    std::size_t places = 0;                       ///< how many of the first places are kept
    std::size_t names = 8;                        ///< how many names a region keeps
    Limits limits{};
    Progress progress{};
};

/// Compared at the same places, in one pass; discs whose files stand elsewhere, file by file. Throws Error(io,
/// cancelled), and what opening the source's parts throws.
HOTSTITCH_EXPORT Chart chart_of(const ByteSource& source, const ByteSource& target, const ChartOptions& options = {});

/// From the patch alone: nothing is made. Bytes that a patch writes although they are there count as changed. Throws
/// also what reading the patch throws.
HOTSTITCH_EXPORT Chart chart_of(const ByteSource& source, const PatchReader& patch, const ChartOptions& options = {});

/// The chart as a picture, SVG 1.1 of 1200 pixels in width: the whole file above, a row a region below. `title`: for
/// people. Legible without colour.
HOTSTITCH_EXPORT std::string chart_svg(const Chart& chart, const std::string& title);

/// The regions that are changed, those with the most changed bytes at most so many, in the order of the source.
HOTSTITCH_EXPORT std::vector<const ChartRegion*> changed_regions(const Chart& chart, std::size_t most);

/// "header", "elsewhere": for people.
HOTSTITCH_EXPORT std::string words_for(const ChartRegion& region);

}  // namespace hotstitch
