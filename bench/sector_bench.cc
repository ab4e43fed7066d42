// SPDX-License-Identifier: MIT
// sector_bench: user data read through whole sectors, their EDC and ECC checked and computed, beside CRC-32 and a plain
// copy of the same bytes in the same run. 64 MiB, one core, best of 5.
#include <chrono>
#include <cstdio>
#include <cstring>
#include <functional>
#include <string>

#include "hotstitch/digest.h"
#include "hotstitch/disc.h"
#include "part/disc/sector.h"

namespace {

using namespace hotstitch;

constexpr std::size_t count = (64U << 20) / disc::raw_size;

double best_rate(std::size_t bytes, const std::function<void()>& work) {
    double best = 1e9;
    for (int i = 0; i < 5; ++i) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    }
    return static_cast<double>(bytes) / best / 1e6;
}

/// Takes what is written, as a file would.
class Taken final : public ByteSink {
public:
    explicit Taken(MutableByteView into) : into_(into) {}
    void write(ByteView bytes) override {
        std::memcpy(into_.data() + at_, bytes.data(), bytes.size());
        at_ += bytes.size();
    }

private:
    MutableByteView into_;
    std::size_t at_ = 0;
};

}  // namespace

int main() {
    Bytes image(count * disc::raw_size), user(disc::user_size), taken(image.size());
    std::uint32_t random = 1;
    for (std::size_t i = 0; i < count; ++i) {
        for (std::byte& b : user) random = random * 1664525 + 1013904223, b = static_cast<std::byte>(random >> 24);
        disc::encode(MutableByteView(image).subspan(i * disc::raw_size, disc::raw_size), user, i,
                     i % 2 == 0 ? disc::SectorMode::mode1 : disc::SectorMode::form1);
    }
    const auto track = std::make_shared<MemorySource>(image);
    const auto each = [&](const std::function<void(MutableByteView, disc::SectorMode)>& work) {
        for (std::size_t i = 0; i < count; ++i) {
            const MutableByteView sector = MutableByteView(image).subspan(i * disc::raw_size, disc::raw_size);
            work(sector, disc::mode_of(sector));
        }
    };
    std::uint64_t wrong = 0;
    const double copy = best_rate(image.size(), [&] { std::memcpy(taken.data(), image.data(), image.size()); });
    const double crc = best_rate(image.size(), [&] { wrong += crc32(image).value == 0; });
    const struct {
        const char* what;
        double rate;
    } rows[] = {
        {"a copy", copy},
        {"CRC-32", crc},
        {"user data read through the sectors", best_rate(image.size(),
                                                         [&] {
                                                             Taken sink(taken);
                                                             write_source(*user_data_of(track), sink);
                                                         })},
        {"EDC and ECC checked",
         best_rate(image.size(),
                   [&] { each([&](MutableByteView s, disc::SectorMode m) { wrong += !disc::is_protected(s, m); }); })},
        {"EDC and ECC computed",
         best_rate(image.size(), [&] { each([](MutableByteView s, disc::SectorMode m) { disc::protect(s, m); }); })},
    };
    for (const auto& row : rows) std::printf("%-36s %8.0f MB/s  %6.3f of CRC-32\n", row.what, row.rate, row.rate / crc);
    std::printf("%llu sectors wrong\n", static_cast<unsigned long long>(wrong));
    return wrong == 0 ? 0 : 1;
}
