// SPDX-License-Identifier: MIT
// Any bytes as a cartridge image: recognised or not, and whatever mend is offered can be done, changes only what it
// says, and has nothing left to do the second time.
#include <algorithm>
#include <array>

#include "hotstitch/cartridge.h"
#include "hotstitch/checks.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/place.h"
#include "require.h"

using namespace hotstitch;

namespace {

void try_mend(ByteView file, const Identity& image, const MendOffer& offer) {
    if (!offer.step) return;
    const MendRequest request{std::string(offer.name), {}};
    const MendPlan plan = plan_mends(file, {request});
    require(plan.changes() == offer.step->changes());
    const Bytes made = changed(file, plan.change);
    require(plan.changes() == !std::equal(file.begin(), file.end(), made.begin(), made.end()));
    const auto after = recognise_cartridge(made);
    // What is mended may look like another platform's image; then other mends apply.
    if (!after || after->platform != image.platform || after->reading.has_value() != image.reading.has_value() ||
        after->mapping != image.mapping)
        return;
    require(!plan_mends(made, {request}).changes());
}

/// Headers lie far apart, so the input names pieces of a larger file: a size, a byte to fill it with, then pieces of an
/// offset of three bytes, a length, and so many bytes. With size 0, what follows is the file itself.
Bytes file_from(ByteView input) {
    constexpr std::array<std::size_t, 10> sizes{0,       0x150,   0x8000,  0x8200,   0x10000,
                                                0x10200, 0x1FFDC, 0x20000, 0x101000, 0x418000};
    const std::size_t size = sizes[std::to_integer<std::size_t>(input[0]) % sizes.size()];
    const std::byte fill = input[1];
    input = input.subspan(2);
    if (size == 0) return {input.begin(), input.end()};
    Bytes file(size, fill);
    while (input.size() >= 4) {
        std::size_t at = 0;
        for (std::size_t i = 0; i < 3; ++i) at = at << 8 | std::to_integer<std::size_t>(input[i]);
        std::size_t length = std::to_integer<std::size_t>(input[3]);
        input = input.subspan(4);
        length = std::min(length, input.size());
        if (at < size)
            std::copy_n(input.begin(), std::min(length, size - at), file.begin() + static_cast<std::ptrdiff_t>(at));
        input = input.subspan(length);
    }
    return file;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    may_be_refused([&] { KnownFiles::parse(text_of(input)); });
    may_be_refused([&] { nes_front_header(text_of(input)); });
    if (size < 2) return 0;
    const Bytes file = file_from(input);
    front_header_of(file);
    const auto image = recognise_cartridge(file);
    if (!image) {
        require(mends_for(file).empty());
        return 0;
    }
    require(image->front_header <= file.size());
    require(image->front_header + image->size == file.size());
    free_runs(*image, file);
    for (const char* place : {"00:8000", "C0:1234", "FFC0", "4000", "08000040", "+0", "+7fc0"})
        may_be_refused([&] {
            const Place found = place_at(*image, file, place);
            require(found.file_offset < file.size());
        });
    // Under the sanitizers, all mends of a megabyte take seconds.
    constexpr std::size_t small = 192 << 10;
    if (file.size() > small) {
        may_be_refused([&] { plan_mends(file, {{"checksum", {}}}); });
        return 0;
    }
    for (const MendOffer& offer : mends_for(file)) try_mend(file, *image, offer);
    for (const MendRequest& request : {MendRequest{"region", "Europe"}, {"title", "KELP"}, {"expand", "1M"}})
        may_be_refused([&] { plan_mends(file, {request}); });
    return 0;
}
