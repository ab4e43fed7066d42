// SPDX-License-Identifier: MIT
// Budgets for work on input from strangers. Checked before allocating or reserving anything.
#pragma once

#include <algorithm>
#include <cstdint>
#include <functional>
#include <memory>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

class ByteSink;
class KnownParts;
struct Keys;

struct Limits {
    /// Largest output in bytes. 0: the larger of 1 GiB and 64 x (source + patch), at most 1 TiB.
    std::uint64_t output = 0;
    /// Working memory in bytes that one operation may take for its tables.
    std::uint64_t memory = std::uint64_t{1} << 30;
    /// Bytes of metadata that are kept for showing; longer metadata is read over.
    std::uint64_t metadata = std::uint64_t{64} << 10;

    /// VCDIFF: largest window in bytes of target, and memory of one LZMA stream in bytes.
    std::uint64_t window = std::uint64_t{64} << 20;
    std::uint64_t lzma_memory = std::uint64_t{128} << 20;

    /// Lends temporary storage that can give back what was written, for what may not fit into memory; empty: memory.
    std::function<std::unique_ptr<ByteSink>()> scratch{};

    /// The user's own keys, for discs that are encrypted; null: none.
    std::shared_ptr<const Keys> keys{};

    /// What the user knows of files: Maps (map.h) or, where parts are only opened, a caller's own; jobs on files take
    /// Maps alone. Members and packed stretches that they describe become parts. Null: nothing.
    std::shared_ptr<const KnownParts> maps{};

    /// Bytes that are read from a pipe or device, which may have no end; they are kept in memory.
    std::uint64_t stream = std::uint64_t{2} << 30;

    /// Archives. One budget for all that is looked at in one archive: files, bytes of their names, bytes unpacked and
    /// how many times its packed size that may be.
    std::uint64_t archive_members = 50'000;
    std::uint64_t archive_names = std::uint64_t{4} << 20;
    std::uint64_t archive_ratio = 1000;
    /// 0: the larger of 256 MiB and 64 x the archive's size, at most 64 GiB. When it is given, the ratio is not looked
    /// at.
    std::uint64_t archive_unpacked = 0;
    /// Milliseconds that one walk over an archive unpacks; what is done with the bytes is not counted. 0: 1.5 seconds
    /// and one more for each MiB of the archive or, when archive_unpacked is given, for each MiB of that.
    std::uint64_t archive_time = 0;

    /// The budget of bytes unpacked from an archive of this size, in bytes.
    std::uint64_t unpacked_for(std::uint64_t archive_size) const noexcept {
        constexpr std::uint64_t least = std::uint64_t{256} << 20, most = std::uint64_t{64} << 30;
        if (archive_unpacked != 0) return archive_unpacked;
        return std::clamp(std::min(archive_size, most) * 64, least, most);
    }

    /// The time for an archive of this size, in milliseconds.
    std::uint64_t archive_time_for(std::uint64_t archive_size) const noexcept {
        if (archive_time != 0) return archive_time;
        return 1500 + (std::max(archive_size, std::min(archive_unpacked, std::uint64_t{1} << 40)) >> 20) * 1000;
    }

    /// The output budget for these input sizes, in bytes.
    std::uint64_t output_for(std::uint64_t source_size, std::uint64_t patch_size) const noexcept {
        constexpr std::uint64_t least = std::uint64_t{1} << 30, most = std::uint64_t{1} << 40;
        if (output != 0) return output;
        const std::uint64_t inputs = std::min(source_size, most) + std::min(patch_size, most);
        return std::clamp(inputs * 64, least, most);
    }
};

/// What a caller goes on with although a mend or a part put in would break or not help something.
struct Allowed {
    bool signature = false;  ///< the file is signed, and the signature will not hold
    bool packed = false;     ///< the executable looks packed or encrypted, and checks or unpacks itself
};

// Progress of long work, and the way to stop it.

enum class Phase { reading, checking_source, comparing, writing, checking_result, flushing, indexing };

/// For people: "checking the source", "writing", …
HOTSTITCH_EXPORT std::string_view name_of(Phase phase) noexcept;

struct ProgressState {
    Phase phase;
    std::uint64_t done;   ///< bytes done in this phase
    std::uint64_t total;  ///< bytes of this phase; 0 when not known
    /// Of work in several steps: which one, for people; lives as long as the call.
    std::string_view step{};
};

/// Called about once a mebibyte on the calling thread. Returns whether to go on; on false the operation
/// throws Error with code cancelled and leaves nothing behind. An empty function never stops anything.
using Progress = std::function<bool(const ProgressState&)>;

}  // namespace hotstitch
