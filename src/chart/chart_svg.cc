// SPDX-License-Identifier: MIT
// Heights, not colours, say how much of a piece is changed, so that a print in grey says the same. Tested by
// tests/field/chart_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "hotstitch/chart.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr double width = 1200, margin = 40, strip_height = 90, row_height = 26, name_width = 330, count_width = 330;
constexpr std::size_t most_rows = 40, most_added = 10;

std::string xml(std::string_view text) {
    std::string out;
    for (const char c : escaped(text)) {
        switch (c) {
            case '&': out += "&amp;"; break;
            case '<': out += "&lt;"; break;
            case '>': out += "&gt;"; break;
            case '"': out += "&quot;"; break;
            default: out += c;
        }
    }
    return out;
}

std::string shortened(const std::string& text, std::size_t most) {
    std::size_t count = 0, end = 0;
    for (; end < text.size(); ++end)
        if ((text[end] & 0xC0) != 0x80 && ++count > most) break;
    return end == text.size() ? text : text.substr(0, end) + "…";
}

/// Bars from the ground up; what is changed at all is seen.
void bars(std::string& out, const std::vector<std::uint64_t>& cells, std::uint64_t whole, double x, double y, double w,
          double h) {
    out += fmt::format(
        "<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\" fill=\"#eef1f4\" stroke=\"#aab4be\"/>\n", x,
        y, w, h);
    if (cells.empty() || whole == 0) return;
    const double step = w / static_cast<double>(cells.size()),
                 per_cell = static_cast<double>(whole) / static_cast<double>(cells.size());
    out += "<path fill=\"#b5482a\" d=\"";
    for (std::size_t i = 0; i < cells.size(); ++i) {
        if (cells[i] == 0) continue;
        const double share = std::min(1.0, static_cast<double>(cells[i]) / std::max(per_cell, 1.0));
        const double height = std::max(h * 0.12, h * std::sqrt(share));
        out += fmt::format("M{:.2f} {:.2f}h{:.2f}v{:.2f}h-{:.2f}z", x + step * static_cast<double>(i), y + h - height,
                           std::max(step, 1.5), height, std::max(step, 1.5));
    }
    out += "\"/>\n";
}

void text(std::string& out, double x, double y, std::string_view style, const std::string& words) {
    out += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" {}>{}</text>\n", x, y, style, xml(words));
}

}  // namespace

std::string chart_svg(const Chart& chart, const std::string& title) {
    const std::vector<const ChartRegion*> rows = changed_regions(chart, most_rows);
    const std::size_t all = chart.changed_regions;
    const double strip_y = 96, rows_y = strip_y + strip_height + 74;
    const std::size_t more = (all > rows.size() ? 1 : 0) + std::min(chart.added.size(), most_added + 1);
    const double height = rows_y + row_height * static_cast<double>(rows.size() + more) + 30;
    std::string out = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{0:.0f}\" height=\"{1:.0f}\" viewBox=\"0 0 {0:.0f} "
        "{1:.0f}\" font-family=\"DejaVu Sans, Verdana, sans-serif\" font-size=\"14\">\n"
        "<rect width=\"{0:.0f}\" height=\"{1:.0f}\" fill=\"#ffffff\"/>\n",
        width, height);
    text(out, margin, 42, "font-size=\"22\" font-weight=\"bold\"", shortened(title, 88));
    text(out, margin, 70, "fill=\"#45505a\"",
         fmt::format("{} changed in {}, {} of {}", counted(chart.changed, "byte", "bytes"),
                     counted(chart.places, "place", "places"), share_text(chart.changed, chart.source_size),
                     short_size(static_cast<double>(chart.source_size))));
    bars(out, chart.cells, chart.source_size, margin, strip_y, width - 2 * margin, strip_height);
    text(out, margin, strip_y + strip_height + 20, "fill=\"#45505a\" font-size=\"12\"",
         offset_text(0) + ", the file's begin");
    text(out, width - margin, strip_y + strip_height + 20, "fill=\"#45505a\" font-size=\"12\" text-anchor=\"end\"",
         "its end, " + offset_text(chart.source_size));
    text(out, width / 2, strip_y + strip_height + 20, "fill=\"#45505a\" font-size=\"12\" text-anchor=\"middle\"",
         "the higher a bar, the more of that piece is changed");
    if (!rows.empty())
        text(out, margin, rows_y - 22, "font-weight=\"bold\"", "Where in each part, from its begin to its end");
    double y = rows_y;
    for (const ChartRegion* const region : rows) {
        text(out, margin, y + 16, "", shortened(words_for(*region), 36));
        bars(out, region->cells, region->size, margin + name_width, y + 2,
             width - 2 * margin - name_width - count_width, row_height - 8);
        text(out, width - margin - count_width + 16, y + 16, "fill=\"#45505a\"",
             fmt::format("{} in {}, of {}", counted(region->changed, "byte", "bytes"),
                         counted(region->places, "place", "places"), short_size(static_cast<double>(region->size))));
        y += row_height;
    }
    if (all > rows.size()) {
        text(out, margin, y + 16, "fill=\"#45505a\"",
             fmt::format("and {} more, with fewer changes each", grouped(all - rows.size())));
        y += row_height;
    }
    for (std::size_t i = 0; i < std::min(chart.added.size(), most_added); ++i, y += row_height)
        text(out, margin, y + 16, "",
             fmt::format("new: {}, {}", shortened(chart.added[i].first, 60),
                         counted(chart.added[i].second, "byte", "bytes")));
    if (chart.added.size() > most_added)
        text(out, margin, y + 16, "", fmt::format("and {} new files more", grouped(chart.added.size() - most_added)));
    return out + "</svg>\n";
}

}  // namespace hotstitch
