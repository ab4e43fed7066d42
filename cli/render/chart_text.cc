// SPDX-License-Identifier: MIT
// Shades say how much of a piece is changed; colour only helps to find them.
#include "render/chart_text.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/text.h"
#include "render/text.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t most_rows = 30, least_strip = 12;
constexpr std::string_view plain = "\x1b[0m", bright = "\x1b[1;33m", dim = "\x1b[2m";

std::string painted(std::string_view colour, std::string_view text, bool on) {
    return on ? fmt::format("{}{}{}", colour, text, plain) : std::string(text);
}

/// So many cells as one character each.
std::string strip_of(const std::vector<std::uint64_t>& cells, std::uint64_t whole, std::size_t width, bool colour) {
    const double per_cell = static_cast<double>(whole) / static_cast<double>(width);
    std::string out, run;
    bool changed = false;
    const auto flush = [&] {
        out += run.empty() ? std::string() : painted(changed ? bright : dim, run, colour);
        run.clear();
    };
    for (std::size_t i = 0; i < width; ++i) {
        // Cells are pieces of equal length: those that fall into this column together.
        const std::size_t from = i * cells.size() / width, to = std::max((i + 1) * cells.size() / width, from + 1);
        std::uint64_t bytes = 0;
        for (std::size_t c = from; c < std::min(to, cells.size()); ++c) bytes += cells[c];
        const double share =
            static_cast<double>(bytes) /
            std::max(per_cell * std::max(1.0, static_cast<double>(to - from) * static_cast<double>(width) /
                                                  static_cast<double>(std::max<std::size_t>(cells.size(), 1))),
                     1.0);
        const bool is_changed = bytes != 0;
        if (is_changed != changed) flush();
        changed = is_changed;
        run += !is_changed ? "·" : share < 0.05 ? "░" : share < 0.3 ? "▒" : share < 0.9 ? "▓" : "█";
    }
    flush();
    return out;
}

std::string fitted(std::string text, std::size_t width) {
    while (columns(text) > width) {
        // The end of a path says more than its begin.
        std::size_t first = 1;
        while (first < text.size() && (text[first] & 0xC0) == 0x80) ++first;
        text = text.substr(first);
        if (columns(text) < width) return "…" + text;
    }
    return text;
}

}  // namespace

std::string text_of_chart(const Chart& chart, std::size_t width, bool colour) {
    width = std::clamp<std::size_t>(width, 60, 400);
    const std::size_t strip = width - 4;
    std::string out = "The whole file:\n  " + strip_of(chart.cells, chart.source_size, strip, colour) + "\n";
    const std::string end = offset_text(chart.source_size);
    const std::string middle = strip > 70 ? "· unchanged  ░ a little  ▒ ▓ more  █ all" : "░ little  ▒ ▓  █ all";
    const std::size_t gap = (strip - std::min(strip, columns(middle))) / 2;
    std::string scale = offset_text(0);
    scale.resize(std::max(gap, scale.size() + 1), ' ');
    scale += middle;
    out += "  " + scale;
    out.append(strip - std::min(strip, columns(scale) + end.size()), ' ');
    out += end + "\n\nWhere in each part, from its begin to its end:\n";
    const auto rows = changed_regions(chart, most_rows);
    std::size_t names = 4, counts = 0;
    std::vector<std::string> told;
    for (const ChartRegion* const region : rows) {
        names = std::max(names, columns(escaped(words_for(*region))));
        told.push_back(fmt::format("{} in {}", counted(region->changed, "byte", "bytes"),
                                   counted(region->places, "place", "places")));
        counts = std::max(counts, told.back().size());
    }
    names = std::min(names, (width - counts) / 2);
    const std::size_t used = 2 + names + 2 + 2 + counts + 2;
    const std::size_t cells = std::min<std::size_t>(width > used + least_strip ? width - used : least_strip, 48);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const std::string name = fitted(escaped(words_for(*rows[i])), names);
        out += "  " + name;
        out.append(names - columns(name) + 2, ' ');
        out += strip_of(rows[i]->cells, rows[i]->size, cells, colour) + "  " + told[i] + "\n";
        if (rows[i]->names.empty()) continue;
        std::string list = escaped(fmt::format("{}", fmt::join(rows[i]->names, "; ")));
        const bool cut = columns(list) > width - names - 4 || rows[i]->more_names;
        while (columns(list) > width - names - 6) list.pop_back();
        while (!list.empty() && (list.back() & 0xC0) == 0x80) list.pop_back();  // no piece of a character
        out.append(names + 4, ' ');
        out += painted(dim, list + (cut ? " …" : ""), colour) + "\n";
    }
    const std::size_t all = chart.changed_regions;
    if (all > rows.size()) out += fmt::format("  and {} more, with fewer changes each\n", grouped(all - rows.size()));
    return out;
}

namespace {

Bytes bytes_at(const ByteSource& file, std::uint64_t begin, std::uint64_t length) {
    Bytes bytes(static_cast<std::size_t>(length));
    const ByteView view = file.read(begin, bytes.size(), bytes);
    return {view.begin(), view.end()};
}

/// "0x0040  a9 0d[8d]20": what lies in `marked` is set apart.
std::string hex_line(const ByteSource& file, std::uint64_t begin, std::uint64_t end, const ByteRange& marked,
                     bool colour) {
    std::string line = offset_text(begin) + " ";
    const Bytes bytes = bytes_at(file, begin, end - begin);
    std::string letters;
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        const std::uint64_t at = begin + i;
        const bool in = at >= marked.offset && at < marked.offset + marked.length;
        const bool opens = in && at == marked.offset, closes = in && at + 1 == marked.offset + marked.length;
        const std::string two = fmt::format("{:02x}", std::to_integer<unsigned>(bytes[i]));
        const bool after = !in && at == marked.offset + marked.length && marked.length != 0 && i != 0;
        if (!after) line += colour || !opens ? " " : "[";
        line += in ? painted(bright, two, colour) : two;
        if (closes) line += colour ? " " : "]";
        const auto c = static_cast<char>(bytes[i]);
        letters += c >= 0x20 && c < 0x7F ? c : '.';
    }
    return line + "  " + letters;
}

}  // namespace

std::string text_of_places(const Chart& chart, const ByteSource& source, const ByteSource& target, bool colour) {
    constexpr std::uint64_t around = 16;
    std::string out;
    for (const ChartPlace& place : chart.first) {
        out += fmt::format("\n{} at {}: {}\n", place.region.empty() ? "change" : escaped(place.region),
                           offset_text(place.source.offset),
                           place.source.length == place.target.length
                               ? counted(place.source.length, "byte", "bytes")
                               : fmt::format("{} become {}", counted(place.source.length, "byte", "bytes"),
                                             grouped(place.target.length)),
                           "");
        const auto line = [&](const char* label, const ByteSource& file, const ByteRange& range) {
            const std::uint64_t begin = range.offset / around * around;
            const std::uint64_t end = std::min(
                {file.size(), std::max(begin + around, (range.offset + range.length + around - 1) / around * around),
                 begin + 2 * around});
            for (std::uint64_t at = std::min(begin, file.size()); at < end; at += around)
                out += fmt::format("  {}  {}\n", label, hex_line(file, at, std::min(at + around, end), range, colour));
        };
        line("old", source, place.source);
        line("new", target, place.target);
    }
    return out;
}

}  // namespace hotstitch::cli
