// SPDX-License-Identifier: MIT
// Asks every platform, and takes the one for which most speaks. Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"
#include "source/whole.h"

namespace hotstitch {

namespace cartridge {

void Evidence::add(bool fits, unsigned bits, std::string_view words) {
    if (!fits) return;
    identity_.evidence_bits += bits;
    identity_.evidence.emplace_back(words);
}

std::optional<Identity> with_or_without_header(ByteView file, std::optional<Identity> (*recognise_plain)(ByteView),
                                               std::uint64_t multiple) {
    constexpr std::size_t header = 512;
    std::optional<Identity> without;
    if (file.size() > header && file.size() % multiple == header) {
        without = recognise_plain(file.subspan(header));
        if (without) {
            without->front_header = header;
            without->reading = Representation{RepresentationKind::without_front_header, header};
            Evidence(*without).add(
                true, 4, fmt::format("its size leaves {} over for a front header", counted(header, "byte", "bytes")));
        }
    }
    std::optional<Identity> as_is = recognise_plain(file);
    return without && (!as_is || without->evidence_bits > as_is->evidence_bits) ? without : as_is;
}

Identity behind_front_header(ByteView file, std::uint64_t front_header, unsigned bits) {
    Identity identity;
    identity.front_header = front_header;
    identity.header_describes = true;
    identity.size = file.size() - front_header;
    Evidence(identity).add(true, bits, "it begins with the platform's magic number");
    return identity;
}

InternalCheck check_of(std::string_view name, std::uint64_t wanted, std::uint64_t found, int digits,
                       std::string_view covers) {
    InternalCheck check{name, wanted == found ? CheckState::right : CheckState::wrong, hex_text(wanted, digits),
                        hex_text(found, digits)};
    check.covers = covers;
    return check;
}

InternalCheck unknown_check(std::string_view name, std::string note) {
    return {name, CheckState::unknown, {}, {}, std::move(note), false};
}

InternalCheck logo_check(std::string_view kind, std::uint64_t genuine, std::uint64_t found, int digits) {
    InternalCheck check = check_of("logo", genuine, found, digits);
    check.note = fmt::format("{} of its area{}", kind,
                             genuine == found ? "" : "; a console starts nothing else, most emulators do");
    check.mendable = false;
    return check;
}

const Platform& platform_of(const Identity& image) {
    for (const Platform* const platform : platforms())
        if (platform->name == image.platform) return *platform;
    throw Error(ErrorCode::usage, "the image names no known platform").found(std::string(image.platform));
}

}  // namespace cartridge

std::optional<Identity> recognise_cartridge(const ByteSource& file) {
    if (file.size() > largest_cartridge) return std::nullopt;
    return recognise_cartridge(WholeView(file).bytes());
}

std::optional<Identity> recognise_cartridge(ByteView file) {
    if (file.size() > largest_cartridge) return std::nullopt;  // a disc would be read for nothing
    std::optional<Identity> best;
    std::vector<Identity> others;
    for (const cartridge::Platform* const platform : cartridge::platforms()) {
        std::optional<Identity> image = platform->recognise(file);
        if (!image || image->evidence_bits < cartridge::least_bits) continue;
        image->kind = {KindId::cartridge, "a cartridge ROM"};
        image->platform = platform->name;
        image->platform_title = platform->title;
        image->certainty = image->evidence_bits >= cartridge::certain_bits ? Certainty::certain : Certainty::likely;
        if (best && best->evidence_bits >= image->evidence_bits) {
            others.push_back(std::move(*image));
        } else {
            if (best) others.push_back(std::move(*best));
            best = std::move(image);
        }
    }
    // What is likely only is no rival of what is certain.
    for (const Identity& other : others)
        if (other.certainty >= best->certainty) best->also_like.push_back(other.platform_title);
    return best;
}

}  // namespace hotstitch
