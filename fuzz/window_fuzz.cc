// SPDX-License-Identifier: MIT
// VCDIFF from the inside: the input becomes the sections of windows whose lengths are right, so that instructions,
// Huffman codes (FUZZ_ENTRY 1) and LZMA streams (FUZZ_ENTRY 2) are reached at once.
#include <algorithm>

#include "agreement.h"
#include "input.h"
#include "lib/vcdiff_makers.h"

using namespace hotstitch;

namespace {

constexpr std::string_view source = "Harbour master, the moon is up and the spring tide comes.";

std::string add(std::size_t size) {
    std::string code(1, '\1');
    return code += makers::integer(size);
}

std::string of_instructions(Input& input) {
    makers::VcdiffWindow first{.size = 16, .data = "Ferries at noon.", .instructions = add(16)};
    makers::VcdiffWindow window;
    const unsigned segment = input.byte() % 4;
    if (segment == 1) window.source = {input.byte() % 58, input.byte() % 8};
    if (segment == 2) window.target = {input.byte() % 17, input.byte() % 4};
    window.size = input.byte() * 16 + input.byte() % 16;
    window.data = input.piece(input.byte());
    window.addresses = input.piece(input.byte());
    window.instructions = input.rest();
    return makers::vcdiff_header() + first.text() + window.text();
}

std::string of_huffman_codes(Input& input) {
    const std::size_t size = input.byte() * 8 + input.byte() % 8;
    makers::VcdiffWindow window{.size = size, .instructions = add(size), .delta_flags = 1};
    window.data = makers::integer(size) + input.rest();
    return makers::vcdiff_header(1, "\1") + window.text();
}

/// Two windows of one stream, in which some bytes are changed: raw bytes would never get past the container.
std::string of_lzma_streams(Input& input) {
    makers::LzmaSections stream;
    const unsigned options = input.byte();
    std::string changes = input.piece(3 * (options % 4));
    const std::string first = input.piece(input.byte()), second = input.rest();
    std::string packed[2] = {stream.feed(first), stream.feed(second, (options & 8) != 0)};
    for (std::size_t i = 0; i + 2 < changes.size(); i += 3) {
        std::string& section = packed[static_cast<unsigned char>(changes[i]) & 1];
        section[static_cast<unsigned char>(changes[i + 1]) % section.size()] ^= changes[i + 2];
    }
    std::string patch = makers::vcdiff_header(1, "\2");
    patch +=
        makers::VcdiffWindow{
            .size = first.size(), .data = packed[0], .instructions = add(first.size()), .delta_flags = 1}
            .text();
    patch +=
        makers::VcdiffWindow{
            .size = second.size(), .data = packed[1], .instructions = add(second.size()), .delta_flags = 1}
            .text();
    return patch;
}

constexpr std::string (*entries[])(Input&) = {of_instructions, of_huffman_codes, of_lzma_streams};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    Input input(text_of(std::as_bytes(std::span(data, size))));
    const std::string patch = entries[FUZZ_ENTRY](input);
    agreement::check(bytes_of(patch), bytes_of(source));
    return 0;
}
