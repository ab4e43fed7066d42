// SPDX-License-Identifier: MIT
// Any bytes behind the first ones of an executable: described, opened, mended. Parts lie in the file, what is mended
// has nothing left to do, and what is added stands where it should. FUZZ_ENTRY: 0 PE, 1 ELF, 2 PS-X, 3 DOL.
#include <algorithm>
#include <cstdint>
#include <string>

#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "hotstitch/place.h"
#include "require.h"

using namespace hotstitch;

namespace {

Bytes file_from(ByteView input) {
    constexpr std::string_view words[] = {"MZ",
                                          "\x7F"
                                          "ELF",
                                          "PS-X EXE", ""};
    const ByteView word = bytes_of(words[FUZZ_ENTRY]);
    Bytes file(word.begin(), word.end());
    file.insert(file.end(), input.begin(), input.end());
    // Headers are long, and what they speak of may be anything.
    constexpr std::size_t sizes[] = {0, 4096, 2048, 256};
    if (file.size() < sizes[FUZZ_ENTRY]) file.resize(sizes[FUZZ_ENTRY]);
    return file;
}

void open_parts_of(ByteView file) {
    const MemorySource source(file);
    const auto container = open_container(source);
    if (container == nullptr) return;
    for (const Part& part : container->parts()) {
        if (!part.offset) continue;
        require(*part.offset <= file.size() && *part.size <= file.size() - *part.offset);
        const auto same = std::make_shared<SliceSource>(borrowed(source), *part.offset, *part.size);
        require(container->put(part, same, {.mend = true, .allow = {true, true}}).change.empty());
    }
}

void mend(ByteView file, const Identity& identity) {
    MendOptions options;
    options.allow = {true, true};
    options.content = [](const std::string&) { return Bytes(33, std::byte{0x90}); };
    for (const MendOffer& offer : mends_for(file, options)) {
        if (!offer.step || !offer.step->changes()) continue;
        const MendRequest request{std::string(offer.name), {}};
        const Bytes made = changed(file, plan_mends(file, {request}, options).change);
        require(!std::equal(file.begin(), file.end(), made.begin(), made.end()));
        if (identify(made).platform == identity.platform)
            may_be_refused([&] { require(!plan_mends(made, {request}, options).changes()); });
    }
    for (const char* const address : {"0x10000000", "0x80400000"})
        for (const char* const name : {"add-segment", "add-section"})
            may_be_refused([&] {
                const MendPlan plan = plan_mends(file, {{name, std::string("code@") + address}}, options);
                const Bytes made = changed(file, plan.change);
                const Place place = place_at(identify(made), made, address);
                require(made[static_cast<std::size_t>(place.file_offset)] == std::byte{0x90});
            });
    for (const MendRequest& request : {MendRequest{"entry", "0x401000"}, {"segment-flags", "0:rwx"}, {"nx", "off"}})
        may_be_refused([&] { plan_mends(file, {request}, options); });
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const Bytes file = file_from(std::as_bytes(std::span(data, size)));
    const Identity identity = identify(file);
    may_be_refused([&] { open_parts_of(file); });
    if (!identity.is(KindId::executable)) return 0;
    for (const MemorySegment& segment : identity.segments)
        require(segment.offset <= file.size() && segment.size <= file.size() - segment.offset);
    for (const char* const place : {"0x401000", "+10", "0x80003100"})
        may_be_refused([&] { require(place_at(identity, file, place).file_offset < file.size()); });
    mend(file, identity);
    return 0;
}
