// SPDX-License-Identifier: MIT
// BPS, docs/formats/bps.md:
//
//     "BPS1"  vlv source-size  vlv target-size  vlv metadata-size  metadata
//     action*  u32le crc32 of source, of target, of the patch
//     action = vlv word: kind = word & 3, length = (word >> 2) + 1
//              0 source-read | 1 target-read, bytes | 2 source-copy, signed move | 3 target-copy, signed move
//
// Tested by tests/format/ups_bps_test.cc against the reference in tests/lib/.
#include "format/bps/bps_reader.h"

#include "base/vlv.h"
#include "format/bps/bps_format.h"
#include "format/footer.h"
#include "hotstitch/text.h"

namespace hotstitch::bps {
namespace {

[[noreturn]] void outside(std::string_view what, std::uint64_t at, std::uint64_t number, std::uint64_t offset,
                          std::uint64_t length, std::uint64_t end) {
    throw Error(ErrorCode::damaged, fmt::format("action {} reads outside the {}", number, what))
        .at(at)
        .in(fmt::format("action {}", number))
        .wanted(fmt::format("at most offset {}", end))
        .found(fmt::format("{} from offset {}", counted(length, "byte", "bytes"), offset));
}

/// Moves a cursor by a signed move. Throws Error(damaged) when it would leave 0…2^64-1.
void move(std::uint64_t& cursor, std::uint64_t word, std::uint64_t at, std::uint64_t number) {
    const std::uint64_t distance = word >> 1;
    const bool back = (word & 1) != 0;
    if (back ? distance > cursor : distance > UINT64_MAX - cursor)
        throw Error(ErrorCode::damaged, fmt::format("action {} moves its cursor out of the file", number))
            .at(at)
            .in(fmt::format("action {}", number))
            .found(
                fmt::format("{} {} from offset {}", counted(distance, "byte", "bytes"), back ? "back" : "on", cursor));
    cursor = back ? cursor - distance : cursor + distance;
}

}  // namespace

template <class Use>
Flow Reader::walk(Use&& use) const {
    const std::uint64_t source_size = *facts_.source.size, target_size = *facts_.target.size;
    std::uint64_t made = 0, source_at = 0, target_at = 0, number = 0;
    Cursor cursor(actions_, begin_);
    while (cursor.left() != 0) {
        const std::uint64_t at = cursor.position();
        ++number;
        const std::uint64_t word = take_vlv(cursor, "action");
        const std::uint64_t length = (word >> 2) + 1;
        if (length > target_size - made)
            throw Error(ErrorCode::damaged, fmt::format("action {} makes more than the target's size", number))
                .at(at)
                .in(fmt::format("action {}", number))
                .wanted(fmt::format("at most {}", counted(target_size - made, "byte", "bytes")))
                .found(counted(length, "byte", "bytes"));
        Edit edit{};
        switch (static_cast<Action>(word & 3)) {
            case Action::source_read:
                if (made > source_size || length > source_size - made)
                    outside("source", at, number, made, length, source_size);
                edit = Edit::copy_source(made, length);
                break;
            case Action::target_read: edit = Edit::literal(cursor.take(length, "literal bytes")); break;
            case Action::source_copy:
                move(source_at, take_vlv(cursor, "source move"), at, number);
                if (source_at > source_size || length > source_size - source_at)
                    outside("source", at, number, source_at, length, source_size);
                edit = Edit::copy_source(source_at, length);
                source_at += length;
                break;
            case Action::target_copy:
                move(target_at, take_vlv(cursor, "target move"), at, number);
                if (target_at >= made) outside("target made so far", at, number, target_at, length, made);
                edit = Edit::copy_target(target_at, length);
                target_at += length;
                break;
        }
        made += length;
        if (use(edit) == Flow::stop) return Flow::stop;
    }
    if (made != target_size)
        throw Error(ErrorCode::damaged, "the actions make less than the target's size")
            .at(cursor.position())
            .in("actions")
            .wanted(counted(target_size, "byte", "bytes"))
            .found(counted(made, "byte", "bytes"));
    return Flow::go_on;
}

Reader::Reader(ByteView patch, const Limits& limits) {
    const Footer footer = checked_footer(patch, magic.size() + 3);
    actions_ = patch.first(patch.size() - footer_size);
    Cursor cursor(actions_, magic.size());
    facts_.format = PatchFormat::bps;
    facts_.patch_size = patch.size();
    facts_.source = {.size = take_vlv(cursor, "source size"), .crc32 = footer.source};
    facts_.target = {.size = take_vlv(cursor, "target size"), .crc32 = footer.target};
    const ByteView metadata = cursor.take(take_vlv(cursor, "metadata size"), "metadata");
    facts_.metadata_size = metadata.size();
    facts_.metadata = text_of(metadata).substr(0, limits.metadata);
    begin_ = cursor.position();
    walk([&](const Edit&) {
        ++facts_.records;
        return Flow::go_on;
    });
}

Flow Reader::read(std::uint64_t, EditSink& sink) const {
    return walk([&](const Edit& edit) { return sink.put(edit); });
}

}  // namespace hotstitch::bps
