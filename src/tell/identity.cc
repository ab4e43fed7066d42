// SPDX-License-Identifier: MIT
// What cartridge images and executables are, as facts. Tested by tests/cli/cli_cartridge_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "hotstitch/cartridge.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/place.h"
#include "hotstitch/tell.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

constexpr std::size_t free_shown = 24, segments_shown = 24;
constexpr std::uint64_t bytes_shown = 16;

void text_fact(Report& report, const char* key, const char* label, const std::string& text) {
    if (!text.empty()) report.fact(key, label, text, text);
}

void check_facts(Report& report, const Identity& image) {
    Json list = Json::array();
    for (const InternalCheck& check : image.checks)
        list.push_back({{"name", check.name},
                        {"state", code_of(check.state)},
                        {"wanted", check.wanted},
                        {"found", check.found},
                        {"mendable", check.mendable},
                        {"note", check.note}});
    report.detail("checks", list);
    for (const InternalCheck& check : image.checks)
        report.fact("checks", std::string(check.name), words_for(check), list);
}

void size_facts(Report& report, const Identity& image) {
    if (image.declared_size) {
        const bool agrees = *image.declared_size == image.size;
        report.fact(
            "declared_size", "by its header",
            fmt::format(
                "{}{}",
                *image.declared_size == UINT64_MAX ? "more than 64 bits can say" : size_text(*image.declared_size),
                agrees ? (image.front_header == 0 ? ", as it is" : ", as it is without its front header")
                       : fmt::format("; it is {}", size_text(image.size))),
            *image.declared_size);
    }
    report.detail("rom_size", image.size);
    if (image.front_header != 0)
        report.fact("front_header", "front header",
                    fmt::format("{}, {}", counted(image.front_header, "byte", "bytes"),
                                image.header_describes ? "which say how to read the rest" : "left by a copier"),
                    image.front_header);
    else
        report.fact("front_header", "front header", "none", 0);
    if (!image.order.empty()) report.fact("byte_order", "byte order", image.order, image.order);
    if (image.reading) report.detail("reading", reading_json(*image.reading));
}

}  // namespace

void identity_facts(Report& report, const Identity& image) {
    report.detail("platform", image.platform);
    if (!image.platform_title.empty())
        report.fact("platform_title", image.is(KindId::executable) ? "format" : "platform",
                    std::string(image.platform_title), image.platform_title);
    text_fact(report, "region", "region", image.region);
    if (image.revision) report.fact("revision", "revision", fmt::format("{}", *image.revision), *image.revision);
    text_fact(report, "title", "title", image.title);
    text_fact(report, "serial", "serial", image.serial);
    text_fact(report, "mapping", "mapping", image.mapping);
}

namespace {

void fact_facts(Report& report, const Identity& identity) {
    for (const IdentityFact& detail : identity.facts)
        report.fact(std::string(detail.key), std::string(detail.label), escaped(detail.text), as_utf8(detail.text));
}

}  // namespace

void executable_facts(Report& report, const Identity& identity) {
    fact_facts(report, identity);
    if (identity.entry) {
        std::string where;
        for (const MemorySegment& s : identity.segments)
            if (s.loaded && *identity.entry >= s.address && *identity.entry - s.address < s.memory)
                where = ", in " + s.name;
        report.fact("entry", "entry", fmt::format("{:#x}{}", *identity.entry, escaped(where)), *identity.entry);
    }
    report.detail("looks_packed", identity.looks_packed);
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const MemorySegment& s : identity.segments) {
        list.push_back(
            {{"name", as_utf8(s.name)},
             {"offset", s.offset},
             {"size", s.size},
             {"address", s.address},
             {"memory", s.memory},
             {"loaded", s.loaded},
             {"rights", fmt::format("{}{}{}", s.readable ? "r" : "", s.writable ? "w" : "", s.executable ? "x" : "")},
             {"entropy", s.entropy ? Json(std::round(*s.entropy * 100) / 100) : Json(nullptr)}});
        lines.push_back(fmt::format("{:<10} {}", escaped(s.name), words_for(s)));
    }
    report.list("segments", "holds", lines, segments_shown, list);
    check_facts(report, identity);
    for (const std::string& warning : identity.warnings) report.warn(escaped(warning));
}

void disc_facts(Report& report, const Identity& identity) {
    fact_facts(report, identity);
    for (const std::string& warning : identity.warnings) report.warn(escaped(warning));
}

void image_facts(Report& report, const Identity& image) {
    fact_facts(report, image);
    size_facts(report, image);
    check_facts(report, image);
    const bool certain = image.certainty == Certainty::certain;
    report.detail("evidence", Json(image.evidence));
    report.fact("certainty", "how sure",
                fmt::format("{}: {}", certain ? "certain" : "likely", fmt::join(image.evidence, "; ")),
                certain ? "certain" : "likely");
    report.detail("also_like", Json(image.also_like));
    for (const std::string& warning : image.warnings) report.warn(warning);
    for (const std::string_view other : image.also_like) report.warn(fmt::format("it also looks like a {} ROM", other));
}

namespace {

std::string bytes_at(const ByteSource& file, std::uint64_t offset) {
    return bytes_text(head_of(SliceSource(borrowed(file), offset, file.size() - offset), bytes_shown));
}

std::string place_text(const Place& place, const std::string& asked) {
    const bool by_offset = asked.starts_with('+');
    std::string line = by_offset ? fmt::format("{} is {}", offset_text(place.file_offset),
                                               place.address.empty() ? "at no address" : place.address)
                                 : fmt::format("{} is {} in the file", escaped(asked), offset_text(place.file_offset));
    if (!by_offset && !place.address.empty() && place.address != asked)
        line += fmt::format(" (that is {})", place.address);
    if (place.rom_offset != place.file_offset)
        line += fmt::format(", {} without its front header", offset_text(place.rom_offset));
    return line;
}

}  // namespace

bool place_facts(Report& report, const Identity& image, const ByteSource& file,
                 const std::vector<std::string>& places) {
    Json list = Json::array();
    std::vector<std::string> lines;
    bool all_found = true;
    for (const std::string& text : places) try {
            const Place place = place_at(image, file, text);
            const std::string bytes = bytes_at(file, place.file_offset);
            list.push_back({{"asked", as_utf8(text)},
                            {"address", place.address.empty() ? Json(nullptr) : Json(place.address)},
                            {"file_offset", place.file_offset},
                            {"rom_offset", place.rom_offset},
                            {"bytes", bytes}});
            lines.push_back(place_text(place, text));
            lines.push_back("  " + bytes);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::usage && error.code() != ErrorCode::unsupported) throw;
            list.push_back({{"asked", as_utf8(text)}, {"error", as_utf8(error.what())}});
            lines.push_back(fmt::format("{}{}", escaped(error.what()),
                                        error.wanted().empty() ? "" : fmt::format("; wanted {}", error.wanted())));
            all_found = false;
        }
    report.list("places", "place", lines, lines.size(), list);
    return all_found;
}

void free_facts(Report& report, const Identity& image, const ByteSource& file) {
    const std::vector<FreeRun> runs = free_runs(image, file);
    const bool banked = bank_size(image) != 0;
    Json list = Json::array();
    std::vector<std::string> lines;
    std::uint64_t total = 0;
    for (const FreeRun& run : runs) {
        total += run.length;
        const std::string address = address_of(image, file, run.offset);
        const auto value = std::to_integer<unsigned>(run.value);
        list.push_back({{"offset", run.offset},
                        {"length", run.length},
                        {"value", value},
                        {"bank", banked ? Json(run.bank) : Json(nullptr)},
                        {"address", address}});
        lines.push_back(fmt::format("{}{}{:>10} bytes of {:02x} from {}",
                                    banked ? fmt::format("bank {:02X}  ", run.bank) : std::string(),
                                    address.empty() ? std::string() : address + "  ", grouped(run.length), value,
                                    offset_text(run.offset + image.front_header)));
    }
    report.fact("free", "free",
                fmt::format("{} in {} of one byte, 256 or more", size_text(total), counted(runs.size(), "run", "runs")),
                list);
    report.list("free", "free", lines, free_shown, list);
}

}  // namespace hotstitch::tell
