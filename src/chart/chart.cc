// SPDX-License-Identifier: MIT
// Changed stretches come in order and are counted as they come: nothing is kept of them but the first few, so that a
// hundred thousand take no more memory than one. Tested by tests/field/chart_test.cc.
#include "hotstitch/chart.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "chart/regions.h"
#include "edit/ordered_copies.h"
#include "edit/target_builder.h"
#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "source/stretch.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Which of so many cells of a whole a place falls into.
std::size_t cell_of(std::uint64_t at, std::uint64_t whole, std::size_t cells) {
    const auto share = static_cast<double>(at) / static_cast<double>(whole);
    return std::min(static_cast<std::size_t>(share * static_cast<double>(cells)), cells - 1);
}

/// Adds a stretch of a whole to its cells.
void spread(std::vector<std::uint64_t>& cells, std::uint64_t whole, std::uint64_t begin, std::uint64_t length) {
    const std::uint64_t end = begin + length;
    while (begin < end) {
        const std::size_t cell = cell_of(begin, whole, cells.size());
        const auto cell_end = static_cast<std::uint64_t>(static_cast<double>(cell + 1) * static_cast<double>(whole) /
                                                         static_cast<double>(cells.size()));
        const std::uint64_t stop = cell + 1 == cells.size() ? end : std::clamp(cell_end, begin + 1, end);
        cells[cell] += stop - begin;
        begin = stop;
    }
}

class Counter {
public:
    Counter(const ByteSource& source, const ChartOptions& options)
        : source_(source), options_(options), regions_(source, options.limits) {
        chart_.source_size = source.size();
        chart_.cells.resize(std::max<std::size_t>(options.cells, 1));
    }

    /// A stretch of the source and what comes in its place; in order.
    void add(const ByteRange& source, const ByteRange& target) {
        if (std::max(source.length, target.length) == 0) return;
        const std::uint64_t bytes = source.length;
        ++chart_.places;
        chart_.changed += bytes;
        chart_.grown += target.length - std::min(source.length, target.length);
        if (bytes == 0 && source.offset == source_.size()) {  // behind the end, where no region is
            if (chart_.first.size() < options_.places) chart_.first.push_back({source, target, "behind the end"});
            return;
        }
        // What only comes in belongs to what stands before it.
        const std::uint64_t last = source_.size() == 0 ? 0 : source_.size() - 1;
        const std::uint64_t begin = std::min(source.offset - (source.length == 0 && source.offset != 0 ? 1 : 0), last);
        const std::uint64_t inside =
            std::clamp<std::uint64_t>(source.length, 1, std::max<std::uint64_t>(source_.size() - begin, 1));
        if (bytes != 0) spread(chart_.cells, std::max<std::uint64_t>(source_.size(), 1), begin, inside);
        if (is_free(begin, inside)) chart_.in_free_space += bytes;
        const std::size_t region = to_regions(begin, inside, bytes == 0);
        if (chart_.first.size() < options_.places)
            chart_.first.push_back({source, target, regions_.all()[region].name});
    }

    Chart finish(std::uint64_t target_size) {
        chart_.target_size = target_size;
        std::map<std::string_view, std::uint64_t> contents;
        for (const ChartRegion& region : regions_.all())
            if (region.changed != 0 && region.holds != KindId::data) contents[name_of(region.holds)] += region.changed;
        chart_.by_content.assign(contents.begin(), contents.end());
        std::stable_sort(chart_.by_content.begin(), chart_.by_content.end(),
                         [](const auto& a, const auto& b) { return a.second > b.second; });
        for (const ChartRegion& region : regions_.all()) chart_.changed_regions += region.changed != 0 ? 1 : 0;
        chart_.regions = std::move(regions_.all());
        std::erase_if(chart_.regions, [](const ChartRegion& r) { return r.size == 0; });
        std::stable_sort(chart_.regions.begin(), chart_.regions.end(),
                         [](const auto& a, const auto& b) { return a.offset < b.offset; });
        return std::move(chart_);
    }

private:
    /// Whether it was one run of 00 or FF, long enough to be no data.
    bool is_free(std::uint64_t begin, std::uint64_t length) {
        constexpr std::uint64_t least = 16;
        if (length < least || begin + length > source_.size()) return false;
        const std::byte first = stretch_of(source_, begin, 1).front();
        return (first == std::byte{0} || first == std::byte{0xFF}) && is_filled(source_, begin, length, first);
    }

    /// Counts it in the regions that it touches; `only_in`: nothing of the source changes. Returns the first.
    std::size_t to_regions(std::uint64_t begin, std::uint64_t length, bool only_in) {
        const auto& pieces = regions_.pieces();
        if (pieces.empty()) return 0;
        std::uint64_t at = regions_.place_of(begin);
        const std::uint64_t end = std::max(regions_.place_of(begin + length - 1) + 1, at + 1);
        while (piece_ + 1 < pieces.size() && pieces[piece_].end <= at) ++piece_;
        if (pieces[piece_].begin > at)
            piece_ =
                static_cast<std::size_t>(std::upper_bound(pieces.begin(), pieces.end(), at,
                                                          [](std::uint64_t o, const auto& p) { return o < p.begin; }) -
                                         pieces.begin()) -
                1;
        const std::size_t first = pieces[piece_].region;
        ++regions_.all()[first].places;
        for (std::size_t i = piece_; i < pieces.size() && at < end; ++i) {
            const std::uint64_t stop = std::min(end, pieces[i].end);
            if (stop <= at) continue;
            ChartRegion& region = regions_.all()[pieces[i].region];
            if (!only_in) region.changed += stop - at;
            if (region.cells.empty()) region.cells.resize(std::max<std::size_t>(options_.region_cells, 1));
            if (!only_in) spread(region.cells, region.size, pieces[i].before + at - pieces[i].begin, stop - at);
            name(region, at, stop);
            at = stop;
        }
        return first;
    }

    void name(ChartRegion& region, std::uint64_t at, std::uint64_t end) {
        if (region.kind != PartKind::table && region.kind != PartKind::gap) return;
        while (at < end && !region.more_names) {
            std::uint64_t length = end - at;
            const std::string found = regions_.name_at(at, length);
            if (!found.empty() && (region.names.empty() || region.names.back() != found)) {
                region.more_names = region.names.size() == options_.names;
                if (!region.more_names) region.names.push_back(found);
            }
            at += std::max<std::uint64_t>(length, 1);
        }
    }

    const ByteSource& source_;
    const ChartOptions& options_;
    Regions regions_;
    Chart chart_;
    std::size_t piece_ = 0;
};

/// A disc's files by their names, where each stands in one piece.
std::map<std::string, ByteRange> files_of(const ByteSource& disc, const Limits& limits) {
    std::map<std::string, ByteRange> files;
    const Listing container(borrowed(disc), limits);
    if (!container || container->kind() != KindId::disc) return files;
    container->visit([&](const Part& part, const ExtractPart&) {
        if (part.kind == PartKind::file && part.offset && part.size && *part.offset + *part.size <= disc.size())
            files.emplace(part.name, ByteRange{*part.offset, *part.size});
        return Flow::go_on;
    });
    return files;
}

/// Two discs of one game whose files have moved: nothing where they stand at the same places, or are no discs.
std::optional<Chart> by_files(const ByteSource& source, const ByteSource& target, const ChartOptions& options) {
    const SharedSource here = user_data_of(borrowed(source)), there = user_data_of(borrowed(target));
    std::map<std::string, ByteRange> files, others;
    try {
        files = files_of(*here, options.limits);
        if (!files.empty()) others = files_of(*there, options.limits);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
        return std::nullopt;  // a broken disc is compared as it is
    }
    const bool moved = std::any_of(files.begin(), files.end(), [&](const auto& file) {
        const auto other = others.find(file.first);
        return other != others.end() && other->second.offset != file.second.offset;
    });
    if (!moved) return std::nullopt;
    std::vector<std::pair<ByteRange, const ByteRange*>> in_order;
    for (const auto& [name, range] : files) {
        const auto other = others.find(name);
        in_order.emplace_back(range, other == others.end() ? nullptr : &other->second);
    }
    std::sort(in_order.begin(), in_order.end(),
              [](const auto& a, const auto& b) { return a.first.offset < b.first.offset; });
    Counter counter(*here, options);
    for (const auto& pair : in_order) {
        const ByteRange range = pair.first;
        const ByteRange* const other = pair.second;
        if (other == nullptr) {
            counter.add(range, {});
            continue;
        }
        const SliceSource before(here, range.offset, range.length), after(there, other->offset, other->length);
        each_difference(before, after, [&](const ByteRange& d) {
            const std::uint64_t at = std::min(d.offset, range.length), made = std::min(d.offset, other->length);
            counter.add({range.offset + at, std::min(d.length, range.length - at)},
                        {other->offset + made, std::min(d.length, other->length - made)});
        });
    }
    Chart chart = counter.finish(there->size());
    chart.by_files = true;
    for (const auto& [name, range] : others)
        if (!files.contains(name)) chart.added.emplace_back(name, range.length);
    return chart;
}

}  // namespace

Chart chart_of(const ByteSource& source, const ByteSource& target, const ChartOptions& options) {
    if (auto chart = by_files(source, target, options)) return *std::move(chart);
    Counter counter(source, options);
    each_difference(source, target, [&](const ByteRange& range) {
        if (range.offset >= source.size()) return counter.add({source.size(), 0}, range);
        const std::uint64_t there = range.offset >= target.size() ? 0 : range.length;
        counter.add(range, {std::min(range.offset, target.size()), there});
    });
    source.check_intact(), target.check_intact();
    return counter.finish(target.size());
}

namespace {

/// A stretch of the source and what takes its place.
struct Gap {
    ByteRange source{}, target{};
    bool same_size() const noexcept { return source.length == target.length; }
};

/// What lies between the stretches that are copied in order.
std::vector<Gap> gaps_of(const OrderedCopies& copies, std::uint64_t source_size) {
    std::vector<Gap> gaps;
    std::uint64_t from = 0, made = 0;
    // Of files of one size, what differs is what stands at the same place: whatever a patch copies from elsewhere.
    std::vector<SameStretch> same = copies.target_size() == source_size ? copies.in_place() : copies.heaviest_chain();
    same.push_back({source_size, copies.target_size(), 0});
    for (SameStretch stretch : same) {
        // A patch for a larger file copies from where this one has nothing.
        if (stretch.source > source_size) continue;
        stretch.length = std::min(stretch.length, source_size - stretch.source);
        if (stretch.source < from || stretch.target < made) continue;
        gaps.push_back({{from, stretch.source - from}, {made, stretch.target - made}});
        from = stretch.source + stretch.length, made = stretch.target + stretch.length;
    }
    return gaps;
}

/// Tells where the target differs from the source in gaps of one size, byte by byte; others as a whole. What a patch
/// writes and what changes is not the same: formats differ in how many unchanged bytes they write along.
class Differing final : public EditSink {
public:
    Differing(const ByteSource& source, const std::vector<Gap>& gaps, Counter& counter)
        : source_(source), gaps_(gaps), counter_(counter), storage_(chunk) {}

    Flow put(const Edit& edit) override {
        const std::uint64_t begin = at_;
        at_ += edit.length;
        while (gap_ < gaps_.size() && gaps_[gap_].target.offset < at_) {
            const Gap& gap = gaps_[gap_];
            const std::uint64_t end = gap.target.offset + gap.target.length;
            if (gap.same_size()) {
                const std::uint64_t from = std::max(begin, gap.target.offset), to = std::min(at_, end);
                if (from < to && !compare(edit, begin, from, to, gap)) return Flow::stop;
            }
            if (end > at_) break;
            next_gap();
        }
        return Flow::go_on;
    }

    void finish() {
        while (gap_ < gaps_.size()) next_gap();
        flush();
    }
    /// A copy from the target so far stands in a gap: only who has the target can tell.
    bool needs_target() const noexcept { return needs_target_; }

private:
    static constexpr std::size_t chunk = 64 << 10;

    void next_gap() {
        const Gap& gap = gaps_[gap_++];
        if (gap.same_size()) return;
        flush();
        counter_.add(gap.source, gap.target);
    }

    bool compare(const Edit& edit, std::uint64_t begin, std::uint64_t from, std::uint64_t to, const Gap& gap) {
        if (edit.kind == EditKind::copy_target) return needs_target_ = true, false;
        Bytes other;
        while (from < to) {
            const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(chunk, to - from));
            const std::uint64_t place = gap.source.offset + (from - gap.target.offset), skip = from - begin;
            const ByteView was = source_.read(place, length, storage_);
            ByteView now;
            if (edit.kind == EditKind::literal) now = edit.bytes.subspan(static_cast<std::size_t>(skip), length);
            if (edit.kind == EditKind::run) other.assign(length, edit.value), now = other;
            if (edit.kind == EditKind::copy_source || edit.kind == EditKind::xor_source) {
                other.assign(length, std::byte{0});
                const std::uint64_t at = edit.offset + skip;
                const std::uint64_t there =
                    at < source_.size() ? std::min<std::uint64_t>(length, source_.size() - at) : 0;
                if (there != 0) {
                    Bytes scratch(static_cast<std::size_t>(there));
                    const ByteView bytes = source_.read(at, scratch.size(), scratch);
                    std::copy(bytes.begin(), bytes.end(), other.begin());
                }
                if (edit.kind == EditKind::xor_source)
                    for (std::size_t i = 0; i < length; ++i) other[i] ^= edit.bytes[static_cast<std::size_t>(skip) + i];
                now = other;
            }
            tell(was, now, place, from);
            from += length;
        }
        return true;
    }

    void tell(ByteView was, ByteView now, std::uint64_t place, std::uint64_t made) {
        for (std::size_t i = 0; i < was.size();) {
            i += common_prefix(was.subspan(i), now.subspan(i));
            if (i == was.size()) break;
            const std::size_t first = i;
            while (i < was.size() && was[i] != now[i]) ++i;
            if (place + first != pending_.source.offset + pending_.source.length ||
                made + first != pending_.target.offset + pending_.target.length) {
                flush();
                pending_ = {{place + first, 0}, {made + first, 0}};
            }
            pending_.source.length += i - first, pending_.target.length += i - first;
        }
    }

    void flush() {
        counter_.add(pending_.source, pending_.target);
        pending_ = {};
    }

    const ByteSource& source_;
    const std::vector<Gap>& gaps_;
    Counter& counter_;
    Bytes storage_;
    std::size_t gap_ = 0;
    std::uint64_t at_ = 0;
    Gap pending_{};
    bool needs_target_ = false;
};

/// The same from the target itself.
void differences_in(const ByteSource& source, const ByteSource& target, const std::vector<Gap>& gaps,
                    Counter& counter) {
    for (const Gap& gap : gaps) {
        if (!gap.same_size()) {
            counter.add(gap.source, gap.target);
            continue;
        }
        const SliceSource was(borrowed(source), gap.source.offset, gap.source.length),
            now(borrowed(target), gap.target.offset, gap.target.length);
        each_difference(was, now, [&](const ByteRange& range) {
            counter.add({gap.source.offset + range.offset, range.length},
                        {gap.target.offset + range.offset, range.length});
        });
    }
}

}  // namespace

Chart chart_of(const ByteSource& source, const PatchReader& patch, const ChartOptions& options) {
    const PatchForSource bound(patch, source);
    // What is copied in order is unchanged, wherever it then stands; all else is looked at.
    OrderedCopies copies;
    bound->read(source.size(), copies);
    const std::vector<Gap> gaps = gaps_of(copies, source.size());
    {
        Counter counter(source, options);
        Differing differing(source, gaps, counter);
        bound->read(source.size(), differing);
        if (!differing.needs_target()) {
            differing.finish();
            source.check_intact();
            return counter.finish(copies.target_size());
        }
    }
    const std::unique_ptr<ByteSink> made = scratch_of(options.limits);
    TargetBuilder builder(source, *made, copies.target_size(), options.progress, Phase::comparing);
    builder.tolerate_wrong_windows();
    bound->read(source.size(), builder);
    builder.finish();
    Counter counter(source, options);
    differences_in(source, WrittenSource(*made), gaps, counter);
    source.check_intact();
    return counter.finish(copies.target_size());
}

std::vector<const ChartRegion*> changed_regions(const Chart& chart, std::size_t most) {
    std::vector<const ChartRegion*> changed;
    for (const ChartRegion& region : chart.regions)
        if (region.changed != 0) changed.push_back(&region);
    std::stable_sort(changed.begin(), changed.end(),
                     [](const auto* a, const auto* b) { return a->changed > b->changed; });
    changed.resize(std::min(changed.size(), most));
    std::stable_sort(changed.begin(), changed.end(),
                     [](const auto* a, const auto* b) { return a->offset < b->offset; });
    return changed;
}

std::string words_for(const ChartRegion& region) {
    return region.name.empty() ? "elsewhere" : region.name;
}

}  // namespace hotstitch
