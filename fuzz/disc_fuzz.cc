// SPDX-License-Identifier: MIT
// Discs. FUZZ_ENTRY: 0 disc: a right image, in plain or whole sectors, that the input breaks byte by byte and then
// changes; unbroken, what is put in comes out again and nothing else changes. 1 volume: any bytes from sector 16 on.
// 2 udf: any bytes from sector 256 on, 512 of each sector. 3 cue: any text as a cue sheet.
#include <algorithm>
#include <cstdint>
#include <string>

#include "contents.h"
#include "disc.h"
#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "input.h"
#include "part/disc/udf.h"
#include "require.h"

using namespace hotstitch;

namespace {

Bytes base_image(unsigned kind) {
    static const Bytes plain = demo::disc({{"SYSTEM.CNF", Bytes(40, std::byte{'B'})},
                                           {"DATA/A.BIN", Bytes(5000, std::byte{1})},
                                           {"DATA/B.BIN", Bytes(2048, std::byte{2})},
                                           {"DATA/EMPTY.BIN", {}},
                                           {"C.BIN", Bytes(3, std::byte{3})}},
                                          {.padding = 2});
    static const Bytes images[] = {plain, demo::disc({{"A.BIN", Bytes(100, std::byte{1})}}, {.joliet = false}),
                                   demo::in_sectors(plain, 1), demo::in_sectors(plain, 2, 1)};
    return images[kind % 4];
}

[[maybe_unused]] void broken_disc(Input input) {
    Bytes image = base_image(input.byte());
    const unsigned pokes = input.byte() % 32;
    for (unsigned i = 0; i < pokes; ++i) {
        // Descriptors and folders are within the first sectors behind the system area.
        const std::size_t at = 16 * 2048 + (input.byte() << 8 | input.byte());
        if (at < image.size()) image[at] = static_cast<std::byte>(input.byte());
    }
    const MemorySource file(image);
    identify(file);
    for (const MendOffer& offer : mends_for(file)) static_cast<void>(offer);
    may_be_refused([&] { plan_mends(file, {{"volume-id", "KELP"}, {"sectors", ""}}); });
    may_be_refused([&] { change(image, input, pokes == 0, "DATA/NEW.BIN"); });
}

[[maybe_unused]] void any_volume(ByteView input) {
    Bytes image(16 * 2048);
    image.insert(image.end(), input.begin(), input.end());
    image.resize((image.size() + 2047) / 2048 * 2048);
    if (image.size() > 16 * 2048 + 6) {
        const ByteView word = bytes_of("CD001");
        std::copy(word.begin(), word.end(), image.begin() + 16 * 2048 + 1);
    }
    const MemorySource file(image);
    identify(file);
    may_be_refused([&] { contents_of(file); });
}

[[maybe_unused]] void any_udf(ByteView input) {
    // What counts stands in the first quarter of a sector.
    constexpr std::size_t piece = 512;
    Bytes image(256 * 2048);
    for (std::size_t at = 0; at < input.size(); at += piece) {
        const ByteView part = input.subspan(at, std::min(piece, input.size() - at));
        image.insert(image.end(), part.begin(), part.end());
        image.resize((image.size() + 2047) / 2048 * 2048);
    }
    // Sums of tags that are right let more through.
    for (std::size_t at = 256 * 2048; at < image.size(); at += 2048) {
        unsigned sum = 0;
        for (std::size_t i = 0; i < 16; ++i) sum += i == 4 ? 0 : std::to_integer<unsigned>(image[at + i]);
        image[at + 4] = static_cast<std::byte>(sum);
    }
    const MemorySource file(image);
    may_be_refused([&] {
        const auto found = disc::read_udf(file);
        if (!found) return;
        for (const auto& [extent, entry] : found->by_extent)
            disc::udf_entry_with(file, *found, entry, extent + 1, 5'000'000'000);
        for (const std::uint64_t sector : found->partition_descriptors) disc::udf_partition_with(file, sector, 7);
        disc::ends_with_anchor(file);
    });
}

[[maybe_unused]] void any_sheet(ByteView input) {
    const std::string_view text = text_of(input);
    is_cue_sheet(text);
    may_be_refused([&] {
        const CueSheet sheet = read_cue_sheet(text);
        for (const CueTrack& track : sheet.tracks) {
            require(track.file < sheet.files.size());
            may_be_refused([&] {
                const ByteRange range = range_of(sheet, track, 1 << 20, true);
                require(range.length != 0 && range.offset + range.length <= 1 << 20);
            });
        }
        for (std::size_t i = 0; i < sheet.files.size(); ++i) {
            const CueSheet renamed = read_cue_sheet(cue_sheet_with(text, i, "other.bin"));
            require(renamed.files.size() == sheet.files.size() && renamed.files[i] == "other.bin");
        }
    });
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    if (FUZZ_ENTRY == 0) broken_disc(Input(text_of(input)));
    if (FUZZ_ENTRY == 1) any_volume(input);
    if (FUZZ_ENTRY == 2) any_udf(input);
    if (FUZZ_ENTRY == 3) any_sheet(input);
    return 0;
}
