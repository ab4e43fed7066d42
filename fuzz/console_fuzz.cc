// SPDX-License-Identifier: MIT
// File systems of consoles and what goes around in their place. FUZZ_ENTRY: 0 console: a disc with a table of files
// that the input breaks and then changes; unbroken, what is put in comes out again. 1 partition: the same of an
// encrypted partition. 2 cartridge: the same of a cartridge with files. 3 copy: any bytes as a compressed copy, or a
// right one that is broken. 4 chunk: any bytes as a file of chunks, and puts into it. 5 keys: any text as a file of
// keys.
#include <algorithm>
#include <cstdint>
#include <span>

#include "console_discs.h"
#include "contents.h"
#include "hotstitch/keys.h"
#include "hotstitch/mend.h"

namespace {

[[maybe_unused]] std::vector<demo::DiscFile> small_files() {
    return {{"data/a.bin", Bytes(300, std::byte{1})},
            {"data/empty", {}},
            {"data/b.str", Bytes(200, std::byte{2})},
            {"c.bin", Bytes(50, std::byte{3})}};
}

/// Sets bytes between two places. Returns whether any was.
[[maybe_unused]] bool poke(Bytes& image, Input& input, std::size_t from, std::size_t size) {
    const unsigned pokes = input.byte() % 24;
    for (unsigned i = 0; i < pokes; ++i) {
        const std::size_t at = from + (input.byte() << 8 | input.byte()) % size;
        if (at < image.size()) image[at] = static_cast<std::byte>(input.byte());
    }
    return pokes != 0;
}

[[maybe_unused]] void broken_console(Input input) {
    static const Bytes right = demo::table_disc(small_files(), {.total = 80'000, .gap = 40});
    Bytes image = right;
    const bool header = input.byte() % 2 == 0;
    const bool broken = header ? poke(image, input, 0x400, 0x60) : poke(image, input, 0x2F00, 0x80);
    const MemorySource file(image);
    identify(file);
    may_be_refused([&] { copy_state(file); });
    may_be_refused([&] { plan_mends(file, {{"region", "Japan"}, {"title", "Kelp"}}); });
    may_be_refused([&] { change(image, input, !broken, "files/data/new.bin"); });
}

[[maybe_unused]] void broken_partition(Input input) {
    static const Bytes right =
        demo::partition_disc(demo::table_disc(small_files(), {.later = true, .total = 3 * 0x7C00}));
    static const Limits limits = [] {
        Limits with;
        with.keys = std::make_shared<const Keys>(read_keys(demo::key_file()));
        return with;
    }();
    Bytes image = right;
    switch (input.byte() % 3) {
        case 0: poke(image, input, 0x40000, 0x40); break;
        case 1: poke(image, input, 0x50000 + 0x1B0, 0x120); break;
        default: poke(image, input, 0x70000, 0x8000); break;
    }
    identify(MemorySource(image));
    may_be_refused([&] { change(image, input, false, "partition 0/files/new", limits); });
}

[[maybe_unused]] void broken_cartridge(Input input) {
    static const Bytes right = demo::file_cartridge(small_files(), false);
    Bytes image = right;
    if (input.byte() % 2 == 0)
        poke(image, input, 0x20, 0x70);
    else
        poke(image, input, 0x5000, 0x1000);
    may_be_refused([&] { change(image, input, false, "new"); });
}

/// Looks at the begin, the middle and the end.
[[maybe_unused]] void look_at_plain(const ByteSource& plain) {
    Bytes scratch(5000);
    for (const std::uint64_t at :
         {std::uint64_t{0}, plain.size() / 2, plain.size() - std::min<std::uint64_t>(plain.size(), 5000)})
        may_be_refused([&] {
            const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), plain.size() - at));
            require(plain.read(at, length, scratch).size() == length);
        });
}

[[maybe_unused]] void any_copy(Input input) {
    static const Bytes disc = demo::table_disc(small_files(), {.total = 20'000});
    static const Bytes copies[] = {demo::deflate_copy(disc, 2048), demo::drive_copy(disc, 15),
                                   demo::block_map_copy(disc, 0x8000)};
    static const std::string_view words[] = {
        {"CISO\x18\0\0\0", 8}, {"ZISO\0\0\0\0", 8}, {"\x01\xC0\x0B\xB1", 4}, "WBFS"};
    const unsigned kind = input.byte() % 7;
    Bytes image;
    if (kind < 3) {
        image = copies[kind];
        poke(image, input, 0, kind == 1 ? 0x400 : 0x80);
    } else {
        const std::string all = std::string(words[kind - 3]) + input.rest();
        image.assign(bytes_of(all).begin(), bytes_of(all).end());
        if (kind == 6) image.resize(image.size() + 0x10000);
    }
    const MemorySource file(image);
    identify(file);
    may_be_refused([&] {
        if (const auto plain = plain_copy(borrowed(file))) look_at_plain(*plain);
    });
    may_be_refused([&] { contents_of(file); });
}

[[maybe_unused]] void any_chunks(Input input) {
    static const Bytes right = demo::chunk("RIFF", demo::wave(Bytes(77, std::byte{5})), false);
    Bytes image = right;
    if (input.byte() % 2 == 0) {
        poke(image, input, 0, image.size());
    } else {
        static const std::string_view words[] = {"RIFF", "RIFX", "FORM"};
        const std::string_view word = words[input.byte() % 3];
        // The size is right more often than chance would have it.
        const bool big = input.byte() % 2 == 0;
        const std::string rest = input.rest();
        image = demo::chunk(word, bytes_of(rest), big);
    }
    const MemorySource file(image);
    identify(file);
    if (identify(file).kind.id != KindId::chunk_file) return;
    const auto container = open_container(file);
    require(container != nullptr);
    const Contents before = contents_of(file);
    require(!before.empty());
    for (const Part& part : container->parts())
        for (const std::size_t size : {std::size_t{0}, static_cast<std::size_t>(*part.size), std::size_t{33}})
            may_be_refused([&] {
                const Bytes content(size, std::byte{7});
                const PutResult result = container->put(part, std::make_shared<MemorySource>(content), {});
                const Contents after = contents_of(ChangedSource(file, result.change));
                // Other contents stay, unless what comes in reads like chunks of its own.
                require(after.size() == before.size() || size != *part.size);
            });
}

[[maybe_unused]] void any_keys(ByteView input) {
    may_be_refused([&] { require(!read_keys(text_of(input)).by_name.empty()); });
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    if (FUZZ_ENTRY == 0) broken_console(Input(text_of(input)));
    if (FUZZ_ENTRY == 1) broken_partition(Input(text_of(input)));
    if (FUZZ_ENTRY == 2) broken_cartridge(Input(text_of(input)));
    if (FUZZ_ENTRY == 3) any_copy(Input(text_of(input)));
    if (FUZZ_ENTRY == 4) any_chunks(Input(text_of(input)));
    if (FUZZ_ENTRY == 5) any_keys(input);
    return 0;
}
