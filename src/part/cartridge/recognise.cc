// SPDX-License-Identifier: MIT
// Asks every platform, and takes the one for which most speaks. Tested by tests/image_test.cc.
#include <fmt/format.h>

#include "hotstitch/error.h"
#include "part/cartridge/fields.h"
#include "part/cartridge/platform.h"
#include "source/whole.h"

namespace hotstitch {

namespace cartridge {

std::optional<Cartridge> with_or_without_header(ByteView file, std::uint64_t multiple, std::uint64_t header,
                                                std::optional<Cartridge> (*recognise_plain)(ByteView)) {
    std::optional<Cartridge> without;
    if (file.size() > header && file.size() % multiple == header % multiple) {
        without = recognise_plain(file.subspan(static_cast<std::size_t>(header)));
        if (without) {
            without->front_header = header;
            without->reading = Representation{RepresentationKind::without_front_header, header};
            Evidence(*without).add(true, 4, fmt::format("its size leaves {} bytes over for a front header", header));
        }
    }
    std::optional<Cartridge> as_is = recognise_plain(file);
    return without && (!as_is || without->evidence_bits > as_is->evidence_bits) ? without : as_is;
}

InternalCheck check_of(std::string_view name, std::uint64_t wanted, std::uint64_t found, int digits) {
    return {name, wanted == found ? CheckState::right : CheckState::wrong, hex_text(wanted, digits),
            hex_text(found, digits)};
}

InternalCheck unknown_check(std::string_view name, std::string note) {
    return {name, CheckState::unknown, {}, {}, std::move(note), false};
}

const Platform& platform_of(const Cartridge& image) {
    for (const Platform* const platform : platforms())
        if (platform->name == image.platform) return *platform;
    throw Error(ErrorCode::usage, "the image names no known platform").found(std::string(image.platform));
}

}  // namespace cartridge

std::optional<Cartridge> recognise_cartridge(const ByteSource& file) {
    if (file.size() > largest_cartridge) return std::nullopt;
    return recognise_cartridge(WholeView(file).bytes());
}

std::optional<Cartridge> recognise_cartridge(ByteView file) {
    if (file.size() > largest_cartridge) return std::nullopt;  // a disc would be read for nothing
    std::optional<Cartridge> best;
    std::vector<Cartridge> others;
    for (const cartridge::Platform* const platform : cartridge::platforms()) {
        std::optional<Cartridge> image = platform->recognise(file);
        if (!image || image->evidence_bits < cartridge::least_bits) continue;
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
    for (const Cartridge& other : others)
        if (other.certainty >= best->certainty) best->also_like.push_back(other.platform_title);
    return best;
}

std::string edition_of(const Cartridge& image) {
    std::string text = image.title.empty() ? std::string(image.platform_title) : image.title;
    if (!image.region.empty()) text += ", " + image.region;
    if (image.revision) text += fmt::format(", revision {}", *image.revision);
    return text;
}

bool all_checks_right(const Cartridge& image) noexcept {
    bool any = false;
    for (const InternalCheck& check : image.checks) {
        if (!check.mendable || check.state == CheckState::unknown) continue;
        if (check.state == CheckState::wrong) return false;
        any = true;
    }
    return any;
}

}  // namespace hotstitch
