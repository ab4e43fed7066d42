// SPDX-License-Identifier: MIT
// Every 16-byte window of the literals is hashed; windows of the source that meet one of those hashes are
// kept; literals whose windows were met are counted. A bit filter over the literal windows keeps the second
// pass from remembering more than what is really shared.
#include "hotstitch/shared_bytes.h"

#include <bit>
#include <cstring>
#include <unordered_set>

#include "bytes/meter.h"
#include "patch/inputs.h"

namespace hotstitch {
namespace {

std::uint64_t window_hash(const std::byte* at) noexcept {
    std::uint64_t a, b;
    std::memcpy(&a, at, 8);
    std::memcpy(&b, at + 8, 8);
    std::uint64_t h = a * 0x9E3779B97F4A7C15 ^ std::rotl(b, 29) * 0xC2B2AE3D27D4EB4F;
    h ^= h >> 32;
    h *= 0xD6E8FEB86659FD93;
    return h ^ h >> 29;
}

/// Calls `use(hash, index)` for each full window of the bytes.
template <class Use>
void each_window(ByteView bytes, Use&& use) {
    for (std::size_t i = 0; i + shared_stretch <= bytes.size(); ++i) use(window_hash(bytes.data() + i), i);
}

/// Hands each literal edit to a function.
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
void each_literal(const PatchReader& patch, std::uint64_t source_size, Use&& use) {
    LiteralSink sink(std::forward<Use>(use));
    patch.read(source_size, sink);
}

}  // namespace

SharedBytes count_shared(const PatchReader& patch, const ByteSource& source, const Limits& limits, const Progress& progress) {
    return blaming_inputs({&source}, [&] {
        SharedBytes result;
        each_literal(patch, source.size(), [&](ByteView bytes) { result.literal += bytes.size(); });
        if (result.literal < shared_stretch || source.size() < shared_stretch) return result;

        // About eight bits of filter a window: one window of the source in eight or fewer passes by chance.
        const std::uint64_t bits = std::bit_ceil(result.literal * 8);
        constexpr std::uint64_t bytes_per_entry = 32;
        if (bits / 8 > limits.memory / 2) return result.counted = false, result;
        std::vector<bool> filter(static_cast<std::size_t>(bits));
        each_literal(patch, source.size(), [&](ByteView bytes) {
            each_window(bytes, [&](std::uint64_t hash, std::size_t) { filter[hash & (bits - 1)] = true; });
        });

        std::unordered_set<std::uint64_t> met;
        constexpr std::size_t chunk = 1 << 20;
        Bytes scratch(source.whole() ? 0 : chunk + shared_stretch);
        Meter meter(progress, Phase::comparing, source.size());
        for (std::uint64_t at = 0; at < source.size(); at += chunk) {
            const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(chunk + shared_stretch - 1, source.size() - at));
            each_window(source.read(at, length, scratch), [&](std::uint64_t hash, std::size_t) {
                if (filter[hash & (bits - 1)]) met.insert(hash);
            });
            if (met.size() > limits.memory / 2 / bytes_per_entry) return result.counted = false, result;
            meter.advance(length);
        }

        each_literal(patch, source.size(), [&](ByteView bytes) {
            std::size_t covered = 0;  // literal bytes before this index are counted
            each_window(bytes, [&](std::uint64_t hash, std::size_t i) {
                if (!met.contains(hash)) return;
                result.shared += i + shared_stretch - std::max(covered, i);
                covered = i + shared_stretch;
            });
        });
        return result;
    });
}

}  // namespace hotstitch
