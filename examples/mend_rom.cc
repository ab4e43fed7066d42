// SPDX-License-Identifier: MIT
// What is this cartridge ROM, what would a mend change, and what comes out: mend_rom, on a made-up image in memory.
// New here: cartridge.h and mend.h. Nothing is written before the program has seen every byte range.
#include <hotstitch/cartridge.h>
#include <hotstitch/error.h>
#include <hotstitch/mend.h>

#include <algorithm>
#include <cstdio>
#include <string_view>

namespace {

/// 32 KiB that begin as a Game Boy ROM does, its checks still empty.
hotstitch::Bytes unfinished_rom() {
    hotstitch::Bytes rom(32 << 10);
    const auto put = [&](std::size_t at, std::string_view text) {
        std::transform(text.begin(), text.end(), rom.begin() + static_cast<std::ptrdiff_t>(at),
                       [](char c) { return static_cast<std::byte>(c); });
    };
    put(0x100, std::string_view("\x00\xC3\x50\x01", 4));
    put(0x134, "FOG SIGNALS");
    put(0x150, "\x18\xFE");
    return rom;
}

}  // namespace

int main() try {
    const hotstitch::Bytes rom = unfinished_rom();
    const auto image = hotstitch::recognise_cartridge(rom);
    if (!image) return 1;
    std::printf("%s: %s\n", std::string(image->platform_title).c_str(), hotstitch::edition_of(*image).c_str());

    const hotstitch::MendPlan plan = hotstitch::plan_mends(rom, {{"checksum", {}}, {"region", "outside Japan"}});
    for (const hotstitch::MendStep& step : plan.steps)
        for (const hotstitch::ByteRange& range : step.ranges)
            std::printf("%s would change %d bytes at %#x\n", step.name.c_str(), static_cast<int>(range.length),
                        static_cast<unsigned>(range.offset));
    const auto mended = hotstitch::recognise_cartridge(hotstitch::changed(rom, plan.change));
    const bool right = mended && hotstitch::all_checks_right(*mended);
    std::printf("afterwards, its checks are %s\n", right ? "right" : "wrong");
    return right ? 0 : 1;
} catch (const hotstitch::Error& error) {
    std::fprintf(stderr, "mend_rom: %s\n", error.what());
    return 1;
}
