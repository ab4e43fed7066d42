// SPDX-License-Identifier: MIT
#include "hotstitch/shelf.h"

#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

namespace {

void state_shelf(const ShelfState& state, Report& report) {
    path_fact(report, "game", "game", state.game);
    path_fact(report, "shelf", "shelf", state.shelf);
    std::vector<std::string> lines;
    Json mods = Json::array();
    for (const ShelfMod& mod : state.mods) {
        const bool in_place = std::find(state.used.begin(), state.used.end(), mod.name) != state.used.end();
        lines.push_back(fmt::format("{}{}: a {} of {}", in_place ? "→ " : "  ", escaped(mod.name),
                                    mod.kit ? "kit" : "patch", size_text(mod.size)));
        mods.push_back({{"name", as_utf8(mod.name)},
                        {"file", as_utf8(mod.file)},
                        {"kit", mod.kit},
                        {"size", mod.size},
                        {"in_place", in_place}});
    }
    lines.insert(lines.begin(), fmt::format("{}original", state.place == ShelfPlace::original ? "→ " : "  "));
    report.list("mods", "on it", lines, 30, mods);
    report.detail("in_place", code_of(state.place));
    Json used = Json::array();
    for (const std::string& name : state.used) used.push_back(as_utf8(name));
    report.detail("used", used);
    if (state.gone) {
        report.warn("nothing stands in the game's place");
        return report.next("to put the original there",
                           fmt::format("hotstitch shelf {} --use original", shell_file(state.game.string())));
    }
    if (state.place != ShelfPlace::unknown) return;
    report.warn(
        "the game in place is neither the original nor what the shelf put there: it was updated, restored or changed "
        "from outside");
    report.next("if it was updated, and this is the original from now on",
                fmt::format("hotstitch shelf {} --adopt", shell_file(state.game.string())));
}

std::string in_place_words(const ShelfState& state) {
    if (state.gone) return "nothing is in place, and the original is on the shelf";
    // Of a folder, nobody has written down what the original is.
    if (state.place == ShelfPlace::original)
        return state.folder ? "no mod of the shelf is in place" : "the original is in place";
    if (state.place == ShelfPlace::unknown) return "something that the shelf does not know is in place";
    std::string all;
    for (const std::string& name : state.used) all += (all.empty() ? "" : " and ") + escaped(name);
    return all + (state.used.size() == 1 ? " is in place" : " are in place");
}

}  // namespace

void run(const ShelfArguments& arguments, const Context& context, Report& report) {
    if ((arguments.keep.empty() ? 0 : 1) + (arguments.use.empty() ? 0 : 1) + (arguments.adopt ? 1 : 0) > 1)
        throw Error(ErrorCode::usage, "--keep, --use and --adopt are calls of their own")
            .hint("make one after the other");
    report.detail("made", false);
    Shelf shelf(arguments.game, context);
    if (arguments.keep.empty() && arguments.use.empty() && !arguments.adopt) {
        const ShelfState state = shelf.state();
        state_shelf(state, report);
        if (state.mods.empty())
            report.next("to put a mod on it",
                        fmt::format("hotstitch shelf {} --keep PATCH", shell_file(arguments.game)));
        const std::string sentence = fmt::format("{}: {}.", shown(state.game.filename()), in_place_words(state));
        if (state.place == ShelfPlace::unknown) return report.unsure("unknown", sentence, ExitCode::no);
        return report.good("listed", sentence);
    }
    const bool original = arguments.use == std::vector<std::string>{"original"};
    const ShelfResult result = !arguments.keep.empty() ? shelf.keep(arguments.keep)
                               : arguments.adopt       ? shelf.adopt()
                                                 : shelf.use(original ? std::vector<std::string>{} : arguments.use);
    if (result.refusal)
        throw Error(*result.refusal)
            .done(result.kept.empty() ? "" : fmt::format("On the shelf already: {}", fmt::join(result.kept, ", ")));
    state_shelf(result.state, report);
    if (!result.kept.empty()) {
        Json kept = Json::array();
        for (const std::string& name : result.kept) kept.push_back(as_utf8(name));
        report.detail("kept", kept);
    }
    path_fact(report, "aside", "kept aside", result.aside);
    report.detail("made", !result.stood_already);
    report.output_is(result.state.game.string());
    for (const auto& [path, there] : result.again)
        report.note(fmt::format("{} is on the shelf already, as {}", escaped(path), escaped(there)));
    if (original && !result.stood_already)
        report.next(
            result.state.holds_files
                ? fmt::format("what stood in the game's place before lies in {}; look at that before the shelf is "
                              "thrown away",
                              shown(result.state.shelf / "changed"))
                : std::string("the shelf can be thrown away, or kept for later"));
    report.good(result.kept.empty() ? "made" : "kept",
                fmt::format("{}{}.",
                            !result.kept.empty()
                                ? fmt::format("{} put on the shelf; ", counted(result.kept.size(), "mod", "mods"))
                            : result.stood_already ? "Nothing to do: "
                                                   : "Done: ",
                            in_place_words(result.state)));
}

}  // namespace hotstitch::cli
