// SPDX-License-Identifier: MIT
// What files are and hold, and what mends change, for people. Tested by tests/cli/cli_cartridge_test.cc and
// tests/cli/cli_streams_test.cc.
#include <fmt/format.h>

#include "hotstitch/cartridge.h"
#include "hotstitch/identity.h"
#include "hotstitch/mend.h"
#include "hotstitch/text.h"

namespace hotstitch {

std::string words_for(const Identity& identity) {
    const std::string edition = edition_of(identity);
    if (identity.is(KindId::disc)) {
        const std::string kind = identity.platform_title.empty() ? std::string(identity.kind.title)
                                                                 : fmt::format("a {} disc", identity.platform_title);
        const std::string of = identity.serial.empty() ? edition : fmt::format("{}, {}", edition, identity.serial);
        return identity.title.empty() && identity.serial.empty() ? kind : fmt::format("{}: {}", kind, of);
    }
    if (identity.platform_title.empty()) return std::string(identity.kind.title);
    if (identity.is(KindId::executable)) {
        std::string kind = fmt::format("{} {}", identity.platform_title.find_first_of("AE") == 0 ? "an" : "a",
                                       identity.platform_title);
        if (const auto machine = fact_of(identity, "machine"); !machine.empty())
            kind += fmt::format(" for {}", machine);
        return identity.title.empty() && fact_of(identity, "version").empty() ? kind
                                                                              : fmt::format("{}: {}", kind, edition);
    }
    const std::string kind = fmt::format("{} {} {}", identity.platform_title.front() == 'A' ? "an" : "a",
                                         identity.platform_title, identity.platform == "nes-disk" ? "image" : "ROM");
    return edition == identity.platform_title ? kind : fmt::format("{}: {}", kind, edition);
}

std::string words_for(const MemorySegment& segment) {
    std::string text;
    if (segment.loaded && segment.memory != 0)
        text = fmt::format("{:#x} to {:#x}, {}{}{}", segment.address, segment.address + (segment.memory - 1),
                           segment.readable ? 'r' : '-', segment.writable ? 'w' : '-', segment.executable ? 'x' : '-');
    else
        text = "not loaded";
    if (segment.size == 0) return text + ", nothing in the file";
    text += fmt::format(", {} at {}", counted(segment.size, "byte", "bytes"), offset_text(segment.offset));
    return segment.entropy ? text + fmt::format(", {:.2f} bits a byte", *segment.entropy) : text;
}

std::vector<std::string> words_for(const FrontHeader& header) {
    if (header.size == 0 || !header.evidence.empty()) return header.evidence;
    return {fmt::format("its size leaves {} over", counted(header.size, "byte", "bytes")),
            "nothing behind them is a known platform's image"};
}

std::string words_for(const InternalCheck& check) {
    std::string text;
    if (check.state == CheckState::right)
        text = fmt::format("right ({})", check.found);
    else if (check.state == CheckState::wrong)
        text = fmt::format("{}: {} stands there, {} {}", check.mendable ? "wrong" : "not genuine", check.found,
                           check.wanted, check.mendable ? "is right" : "is the genuine one");
    else
        text = "cannot be checked";
    return check.note.empty() ? text : fmt::format("{}; {}", text, check.note);
}

std::string words_for_change(const MendedField& field) {
    if (field.before == field.after) return fmt::format("is {} already", field.after);
    return field.before == "-" ? field.after : fmt::format("from {} to {}", field.before, field.after);
}

std::string words_for(const MendedField& field) {
    return fmt::format("{} {}", field.name, words_for_change(field));
}

std::string words_for(const MendStep& step) {
    std::uint64_t bytes = 0;
    for (const ByteRange& range : step.ranges) bytes += range.length;
    if (step.ranges.size() == 1)
        return fmt::format("{} at {}", counted(bytes, "byte", "bytes"), offset_text(step.ranges.front().offset));
    return fmt::format("{} in {} places, from {} on", counted(bytes, "byte", "bytes"), grouped(step.ranges.size()),
                       offset_text(step.ranges.front().offset));
}

std::string words_for(const MendOffer& offer) {
    if (offer.needs_value)
        return offer.present.empty() ? fmt::format("{}; takes {}", offer.what, offer.value)
                                     : fmt::format("is {}; takes {}", offer.present, offer.value);
    if (!offer.step) return fmt::format("{}; cannot be done: {}", offer.what, offer.cannot);
    if (!offer.step->reason.empty()) return fmt::format("nothing to do: {}", offer.step->reason);
    std::string text = offer.needed ? "needed: " : "";
    for (const MendedField& field : offer.step->fields)
        text += fmt::format("{}{}", &field == &offer.step->fields.front() ? "" : ", ", words_for(field));
    return text;
}

}  // namespace hotstitch
