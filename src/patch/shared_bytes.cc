// SPDX-License-Identifier: MIT
// Every 16-byte window of the literals goes into a table by its hash; the source is searched for them, and
// literals whose windows were met are counted.
//
// The source is searched in steps of 8: a stretch of 16 bytes holds a whole 8-byte word that starts at a
// multiple of 8. Only where such a word also stands somewhere in the literals (by a bit filter, about one
// word in fifty by chance) are the nine windows around it looked up.
// Tested by tests/format/shared_bytes_test.cc.
#include "hotstitch/summary.h"

#include <bit>
#include <cstring>

#include "base/meter.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t word = 8;

std::uint64_t load(const std::byte* at) noexcept {
    std::uint64_t value;
    std::memcpy(&value, at, word);
    return value;
}

std::uint64_t mixed(std::uint64_t h) noexcept {
    h *= 0x9E3779B97F4A7C15;
    return h ^ h >> 32;
}

std::uint64_t window_hash(const std::byte* at) noexcept {
    return mixed(mixed(load(at)) ^ std::rotl(load(at + word), 29) * 0xC2B2AE3D27D4EB4F);
}

/// Two bits of one 64-bit cell for each word.
class WordFilter {
public:
    explicit WordFilter(std::uint64_t words) : cells_(std::bit_ceil(words / 4 + 1)) {}
    static std::uint64_t memory(std::uint64_t words) { return std::bit_ceil(words / 4 + 1) * sizeof(std::uint64_t); }
    void add(std::uint64_t w) noexcept { cells_[cell(mixed(w))] |= bits(mixed(w)); }
    bool may_have(std::uint64_t w) const noexcept { return (~cells_[cell(mixed(w))] & bits(mixed(w))) == 0; }
    void prefetch(std::uint64_t w) const noexcept { __builtin_prefetch(&cells_[cell(mixed(w))]); }

private:
    std::size_t cell(std::uint64_t h) const noexcept { return h & (cells_.size() - 1); }
    static std::uint64_t bits(std::uint64_t h) noexcept {
        return std::uint64_t{1} << (h >> 58) | std::uint64_t{1} << (h >> 52 & 63);
    }
    std::vector<std::uint64_t> cells_;
};

/// A set of window hashes, each with a mark "met in the source" in its lowest bit. 0 is a free slot.
class WindowTable {
public:
    explicit WindowTable(std::uint64_t windows) : slots_(std::bit_ceil(windows * 3 / 2 + 2)) {}
    static std::uint64_t memory(std::uint64_t windows) {
        return std::bit_ceil(windows * 3 / 2 + 2) * sizeof(std::uint64_t);
    }
    void add(std::uint64_t hash) noexcept {
        if (std::uint64_t& s = slot(hash); s == 0) s = key(hash);
    }
    void mark(std::uint64_t hash) noexcept {
        if (std::uint64_t& s = slot(hash); s != 0) s |= 1;
    }
    bool marked(std::uint64_t hash) noexcept { return (slot(hash) & 1) != 0; }

private:
    static std::uint64_t key(std::uint64_t hash) noexcept { return (hash | 2) & ~std::uint64_t{1}; }
    std::uint64_t& slot(std::uint64_t hash) noexcept {
        std::size_t at = (hash >> 3) & (slots_.size() - 1);
        while (slots_[at] != 0 && (slots_[at] & ~std::uint64_t{1}) != key(hash)) at = (at + 1) & (slots_.size() - 1);
        return slots_[at];
    }
    std::vector<std::uint64_t> slots_;
};

/// Hands the bytes of each literal edit to a function.
template <class Use>
class LiteralSink final : public EditSink {
public:
    explicit LiteralSink(Use use) : use_(std::move(use)) {}
    Flow put(const Edit& edit) override {
        if (edit.kind == EditKind::literal) use_(edit.bytes);
        return Flow::go_on;
    }

private:
    Use use_;
};

template <class Use>
void each_literal(const PatchReader& patch, std::uint64_t source_size, Use use) {
    LiteralSink<Use> sink(std::move(use));
    patch.read(source_size, sink);
}

void mark_windows_around(ByteView bytes, std::size_t word_at, WindowTable& windows) {
    const std::size_t first = word_at < word ? 0 : word_at - word;
    for (std::size_t i = first; i <= word_at && i + shared_stretch <= bytes.size(); ++i)
        windows.mark(window_hash(&bytes[i]));
}

void search_source(const ByteSource& source, const WordFilter& words, WindowTable& windows, const Progress& progress) {
    // Pieces overlap by a window, so that no stretch is lost where two of them meet.
    constexpr std::size_t piece = 1 << 20;
    static_assert(piece % word == 0);
    Bytes scratch(source.whole() ? 0 : piece + 2 * shared_stretch);
    Meter meter(progress, Phase::comparing, source.size());
    for (std::uint64_t at = 0; at < source.size(); at += piece) {
        const std::uint64_t begin = at < shared_stretch ? 0 : at - shared_stretch;
        const auto length = static_cast<std::size_t>(
            std::min<std::uint64_t>(at - begin + piece + shared_stretch, source.size() - begin));
        const ByteView bytes = source.read(begin, length, scratch);
        // The filter is larger than the caches for large patches: its cells are asked for well ahead.
        constexpr std::size_t ahead = 64 * word;
        for (std::size_t i = 0; i + word <= length; i += word) {
            if (i + ahead + word <= length) words.prefetch(load(&bytes[i + ahead]));
            if (words.may_have(load(&bytes[i]))) mark_windows_around(bytes, i, windows);
        }
        meter.advance(piece);
    }
}

}  // namespace

SharedBytes count_shared(const PatchReader& any_patch, const ByteSource& source, const Limits& limits,
                         const Progress& progress) {
    return blaming_inputs({&source}, [&] {
        const PatchForSource bound(any_patch, source);
        const PatchReader& patch = *bound;
        SharedBytes result;
        each_literal(patch, source.size(), [&](ByteView bytes) { result.literal += bytes.size(); });
        if (result.literal < shared_stretch || source.size() < shared_stretch) return result;
        result.counted = WordFilter::memory(result.literal) + WindowTable::memory(result.literal) <= limits.memory;
        if (!result.counted) return result;

        WordFilter words(result.literal);
        WindowTable windows(result.literal);
        each_literal(patch, source.size(), [&](ByteView bytes) {
            for (std::size_t i = 0; i + word <= bytes.size(); ++i) words.add(load(&bytes[i]));
            for (std::size_t i = 0; i + shared_stretch <= bytes.size(); ++i) windows.add(window_hash(&bytes[i]));
        });
        search_source(source, words, windows, progress);
        each_literal(patch, source.size(), [&](ByteView bytes) {
            std::size_t counted = 0;  // literal bytes before this index are counted
            for (std::size_t i = 0; i + shared_stretch <= bytes.size(); ++i) {
                if (!windows.marked(window_hash(&bytes[i]))) continue;
                result.shared += i + shared_stretch - std::max(counted, i);
                counted = i + shared_stretch;
            }
        });
        return result;
    });
}

}  // namespace hotstitch
