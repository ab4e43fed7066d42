// SPDX-License-Identifier: MIT
// Asks every platform, and takes the one for which most speaks. Tested by tests/image_test.cc.
#include <fmt/format.h>

#include "file/image/fields.h"
#include "file/image/platform.h"
#include "hotstitch/error.h"

namespace hotstitch {

namespace image {

std::optional<Image> with_or_without_header(ByteView file, std::uint64_t multiple, std::uint64_t header,
                                            std::optional<Image> (*recognise_plain)(ByteView)) {
    std::optional<Image> without;
    if (file.size() > header && file.size() % multiple == header % multiple) {
        without = recognise_plain(file.subspan(static_cast<std::size_t>(header)));
        if (without) {
            without->front_header = header;
            without->reading = Reading{ReadingKind::without_front_header, header};
            Evidence(*without).add(true, 4, fmt::format("its size leaves {} bytes over for a front header", header));
        }
    }
    std::optional<Image> as_is = recognise_plain(file);
    return without && (!as_is || without->evidence_bits > as_is->evidence_bits) ? without : as_is;
}

InternalCheck check_of(std::string_view name, std::uint64_t wanted, std::uint64_t found, int digits) {
    return {name, wanted == found ? CheckState::right : CheckState::wrong, hex_text(wanted, digits),
            hex_text(found, digits)};
}

InternalCheck unknown_check(std::string_view name, std::string note) {
    return {name, CheckState::unknown, {}, {}, std::move(note), false};
}

const Platform& platform_of(const Image& image) {
    for (const Platform* const platform : platforms())
        if (platform->name == image.platform) return *platform;
    throw Error(ErrorCode::usage, "the image names no known platform").found(std::string(image.platform));
}

}  // namespace image

std::optional<Image> recognise_image(ByteView file) {
    constexpr std::uint64_t largest = std::uint64_t{1} << 30;  // no cartridge is; a disc would be read for nothing
    if (file.size() > largest) return std::nullopt;
    std::optional<Image> best;
    std::vector<Image> others;
    for (const image::Platform* const platform : image::platforms()) {
        std::optional<Image> image = platform->recognise(file);
        if (!image || image->evidence_bits < image::least_bits) continue;
        image->platform = platform->name;
        image->platform_title = platform->title;
        image->certainty = image->evidence_bits >= image::certain_bits ? Certainty::certain : Certainty::likely;
        if (best && best->evidence_bits >= image->evidence_bits) {
            others.push_back(std::move(*image));
        } else {
            if (best) others.push_back(std::move(*best));
            best = std::move(image);
        }
    }
    // What is likely only is no rival of what is certain.
    for (const Image& other : others)
        if (other.certainty >= best->certainty) best->also_like.push_back(other.platform_title);
    return best;
}

std::string edition_of(const Image& image) {
    std::string text = image.title.empty() ? std::string(image.platform_title) : image.title;
    if (!image.region.empty()) text += ", " + image.region;
    if (image.revision) text += fmt::format(", revision {}", *image.revision);
    return text;
}

bool all_checks_right(const Image& image) noexcept {
    bool any = false;
    for (const InternalCheck& check : image.checks) {
        if (!check.mendable || check.state == CheckState::unknown) continue;
        if (check.state == CheckState::wrong) return false;
        any = true;
    }
    return any;
}

}  // namespace hotstitch
