// SPDX-License-Identifier: MIT
// Tested by tests/format/recast_test.cc.
#include "hotstitch/recast.h"

#include "hotstitch/error.h"
#include "patch/replay.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Collects the stretches that are not the source at the same place.
class RangeCollector final : public EditSink {
public:
    explicit RangeCollector(std::uint64_t memory) : most_(memory / sizeof(ByteRange)) {}

    Flow put(const Edit& edit) override {
        const std::uint64_t begin = at_;
        at_ += edit.length;
        if (edit.kind == EditKind::copy_source && edit.offset == begin) return Flow::go_on;
        if (!ranges_.empty() && ranges_.back().offset + ranges_.back().length == begin) {
            ranges_.back().length += edit.length;
            return Flow::go_on;
        }
        if (ranges_.size() >= most_)
            throw Error(ErrorCode::limit, "the patch writes to more places than the memory budget holds");
        ranges_.push_back({begin, edit.length});
        return Flow::go_on;
    }
    std::vector<ByteRange> take() { return std::move(ranges_); }

private:
    std::uint64_t most_, at_ = 0;
    std::vector<ByteRange> ranges_;
};

bool same_bytes(const ByteSource& a, const ByteSource& b, std::uint64_t offset, std::uint64_t length) {
    constexpr std::size_t chunk = 64 << 10;
    if (offset + length > a.size() || offset + length > b.size()) return false;
    Bytes scratch_a(chunk), scratch_b(chunk);
    while (length != 0) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(chunk, length));
        if (common_prefix(a.read(offset, part, scratch_a), b.read(offset, part, scratch_b)) != part) return false;
        offset += part, length -= part;
    }
    return true;
}

}  // namespace

RecastReport recast(const ByteSource& patch, const ByteSource& source, PatchFormat format, ByteSink& recast,
                    const ApplyOptions& options) {
    return blaming_inputs({&patch, &source}, [&] {
        const std::unique_ptr<ByteSink> made = scratch_of(options.limits);
        RecastReport report;
        report.applied = apply(patch, source, *made, options);
        if (!report.applied.made)
            throw Error(ErrorCode::wrong_source, "the file given is what the patch makes, not its source")
                .hint("name the file from before the patch");
        Limits limits = options.limits;
        limits.metadata = UINT64_MAX;  // what is carried over is carried over whole
        const auto reader = open_patch(patch, limits);
        CreateOptions create_options{.format = format, .limits = options.limits, .progress = options.progress};
        const bool has_place = traits_of(format).has_metadata;
        if (has_place) create_options.metadata = bytes_of(reader->facts().metadata);
        report.metadata_kept = reader->facts().metadata_size == 0 || has_place;
        report.created = replay(*PatchForSource(*reader, source), source, WrittenSource(*made), recast, create_options);
        return report;
    });
}

std::vector<ByteRange> written_ranges(const PatchReader& patch, std::uint64_t source_size, const Limits& limits) {
    RangeCollector collector(limits.memory);
    patch.read(source_size, collector);
    return collector.take();
}

Overlap overlap(const std::vector<ByteRange>& a, const ByteSource& target_a, const std::vector<ByteRange>& b,
                const ByteSource& target_b, std::uint64_t source_size, std::size_t most) {
    Overlap result;
    std::vector<OverlapRange> agreeing;
    for (std::size_t i = 0, j = 0; i < a.size() && j < b.size();) {
        const std::uint64_t end_a = a[i].offset + a[i].length, end_b = b[j].offset + b[j].length;
        const std::uint64_t begin = std::max(a[i].offset, b[j].offset), end = std::min(end_a, end_b);
        if (begin < end) {
            const OverlapRange range{begin, end - begin, same_bytes(target_a, target_b, begin, end - begin)};
            ++result.ranges;
            result.bytes += range.length;
            result.differing_ranges += range.agree ? 0 : 1;
            std::vector<OverlapRange>& list = range.agree ? agreeing : result.first;
            if (list.size() < most) list.push_back(range);
        }
        end_a <= end_b ? ++i : ++j;
    }
    for (std::size_t i = 0; i < agreeing.size() && result.first.size() < most; ++i) result.first.push_back(agreeing[i]);
    const std::uint64_t size_a = target_a.size(), size_b = target_b.size();
    result.sizes_differ = size_a != size_b && size_a != source_size && size_b != source_size;
    return result;
}

}  // namespace hotstitch
