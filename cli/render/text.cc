// SPDX-License-Identifier: MIT
// The verdict first, then aligned facts, then what is wrong or open and the next step.
#include <fmt/format.h>

#include <algorithm>

#include "render/text.h"

namespace hotstitch::cli {

using namespace tell;

namespace {

constexpr std::string_view plain = "\x1b[0m", dim = "\x1b[2m", bold = "\x1b[1m", yellow = "\x1b[33m";

std::string_view colour_of(Mood mood) {
    switch (mood) {
        case Mood::good: return "\x1b[1;32m";
        case Mood::unsure: return "\x1b[1;33m";
        case Mood::bad: break;
    }
    return "\x1b[1;31m";
}

/// Breaks a text at spaces so that it ends before column `width`; further lines begin at column `indent`. A width of 0
/// breaks nothing, and a word that is too long for any line stays whole.
std::string wrapped(std::string_view text, std::size_t indent, std::size_t width) {
    constexpr std::size_t least_room = 20;
    if (width < indent + least_room || columns(text) <= width - indent) return std::string(text);
    std::string out;
    std::size_t column = indent;
    while (!text.empty()) {
        const std::size_t space = text.find(' ', 1);
        const std::string_view word = text.substr(0, space);
        if (column != indent && column + columns(word) > width) {
            out += '\n';
            out.append(indent, ' ');
            column = indent;
            text.remove_prefix(text.front() == ' ' ? 1 : 0);
            continue;
        }
        out += word;
        column += columns(word);
        text.remove_prefix(word.size());
    }
    return out;
}

class Page {
public:
    explicit Page(const TextStyle& style) : style_(style) {}

    void write(const Report& report) {
        if (report.parts().size() == 1) return write(report.merged_with_only_part());
        head(report);
        if (style_.quiet) return;
        // What several files have in common is said once, at the end.
        std::vector<Advice> next = report.next();
        std::vector<std::string> unchecked = report.unchecked();
        for (const Report& part : report.parts()) {
            out_ += "\n";
            head(part);
            lines("Warning", yellow, part.warnings());
            collect(next, part.next());
            collect(unchecked, part.unchecked());
        }
        lines("Warning", yellow, report.warnings());
        lines("Not checked", yellow, unchecked);
        if (style_.verbose) lines("Note", bold, report.notes());
        steps(next);
    }

    std::string take() { return std::move(out_); }

private:
    std::string painted(std::string_view colour, std::string_view text) const {
        return style_.colour ? fmt::format("{}{}{}", colour, text, plain) : std::string(text);
    }

    void head(const Report& report) {
        out_ += painted(colour_of(report.mood()), report.sentence()) + "\n";
        if (style_.quiet) return;
        facts(report.facts());
        if (!report.block().empty()) out_ += "\n" + report.block();
    }

    template <class T>
    static void collect(std::vector<T>& into, const std::vector<T>& more) {
        for (const T& one : more)
            if (std::find(into.begin(), into.end(), one) == into.end()) into.push_back(one);
    }

    void facts(const std::vector<Fact>& facts) {
        std::size_t width = 0;
        for (const Fact& fact : facts) width = std::max(width, fact.label.size());
        if (width == 0) return;
        out_ += "\n";
        std::string_view previous;
        for (const Fact& fact : facts) {
            if (fact.label.empty()) continue;
            // A label that repeats is said once.
            const std::string_view label = fact.label == previous ? std::string_view() : fact.label;
            out_ += fmt::format("  {}  {}\n", painted(dim, fmt::format("{:<{}}", label, width)),
                                wrapped(fact.text, width + 4, style_.width));
            previous = fact.label;
        }
    }

    void lines(std::string_view name, std::string_view colour, const std::vector<std::string>& texts) {
        if (texts.empty()) return;
        out_ += "\n";
        for (const std::string& text : texts)
            out_ += fmt::format("{} {}\n", painted(colour, fmt::format("{}:", name)),
                                wrapped(text, name.size() + 2, style_.width));
    }

    /// A command has a line of its own, which is never broken, so that it can be copied.
    void steps(const std::vector<Advice>& steps) {
        constexpr std::string_view name = "Next";
        if (!steps.empty()) out_ += "\n";
        for (const Advice& step : steps) {
            out_ += fmt::format("{} {}{}\n", painted(bold, fmt::format("{}:", name)),
                                wrapped(step.text, name.size() + 2, style_.width), step.command.empty() ? "" : ":");
            if (!step.command.empty()) out_ += fmt::format("{:{}}{}\n", "", name.size() + 2, step.command);
        }
    }

    TextStyle style_;
    std::string out_;
};

}  // namespace

std::size_t columns(std::string_view text) {
    return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xC0) != 0x80; }));
}

std::string rendered_text(const Report& report, const TextStyle& style) {
    Page page(style);
    page.write(report);
    return page.take();
}

}  // namespace hotstitch::cli
