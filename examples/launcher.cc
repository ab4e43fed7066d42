// SPDX-License-Identifier: MIT
// What a launcher does with a game and a mod: make the patched game beside the original, with a receipt, or say why
// not; and take it back again. All of it by codes; the sentences are the library's.
//
//   launcher GAME PATCH...     launcher --undo FILE     launcher --recipe FILE.json
#include <cstdio>
#include <exception>
#include <string>
#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/text.h"

namespace {

/// Every mebibyte or so; a launcher with a button to stop would return false.
bool show(const hotstitch::ProgressState& state) {
    if (state.total != 0)
        std::fprintf(stderr, "\r%.*s %3.0f %%", static_cast<int>(hotstitch::name_of(state.phase).size()),
                     hotstitch::name_of(state.phase).data(),
                     100.0 * static_cast<double>(state.done) / static_cast<double>(state.total));
    return true;
}

/// Plan, then the result in its place; all that may be expected is an answer.
int do_recipe(hotstitch::Recipe recipe, const hotstitch::WorkOptions& options) {
    const std::string game = recipe.base;
    hotstitch::Job job(std::move(recipe), options);
    job.open();
    if (job.stages().empty()) job.plan();
    for (const hotstitch::StepReport& report : job.outcome().steps)
        std::printf("step: %s\n", hotstitch::escaped(hotstitch::words_for(report.step)).c_str());
    const hotstitch::Outcome& outcome = job.run();
    switch (outcome.answer) {
        case hotstitch::Answer::made:
        case hotstitch::Answer::made_already: std::printf("start %s\n", outcome.delivered.output.c_str()); return 0;
        case hotstitch::Answer::unchanged:
        case hotstitch::Answer::already_patched: std::printf("start %s\n", game.c_str()); return 0;
        case hotstitch::Answer::wrong_source:
        case hotstitch::Answer::conflict: break;  // of kits
    }
    // The code is for the launcher, the sentence for whoever looks at it.
    const hotstitch::Reason& reason = outcome.diagnosis->reasons.front();
    std::printf("%.*s: %s. Next: %s\n", static_cast<int>(reason.code.size()), reason.code.data(),
                hotstitch::escaped(hotstitch::words_for(reason)).c_str(),
                hotstitch::escaped(hotstitch::words_for_next(*outcome.diagnosis)).c_str());
    return 2;
}

int play(const std::string& game, const std::vector<std::string>& patches, const hotstitch::WorkOptions& options) {
    hotstitch::Recipe recipe = hotstitch::Recipe::of_patches(game, patches);
    recipe.mend = true;
    return do_recipe(std::move(recipe), options);
}

}  // namespace

int main(int argc, char** argv) try {
    const std::vector<std::string> words(argv + 1, argv + argc);
    if (words.size() < 2)
        return std::fputs("launcher GAME PATCH..., launcher --undo FILE, or launcher --recipe FILE\n", stderr), 1;
    hotstitch::WorkOptions options;
    options.progress = show;
    if (words[0] == "--recipe") {
        const hotstitch::InputFile text{words[1]};
        return do_recipe(hotstitch::recipe_from_json(hotstitch::text_of(text.bytes())), options);
    }
    if (words[0] != "--undo") return play(words[0], {words.begin() + 1, words.end()}, options);
    const hotstitch::UndoResult undone = hotstitch::undo(words[1], {}, options);
    if (undone.outcome == hotstitch::UndoOutcome::refused)
        return std::printf("%s\n", hotstitch::escaped(hotstitch::words_for(undone)).c_str()), 2;
    std::printf("undone: %s\n", undone.outcome == hotstitch::UndoOutcome::restored ? "restored" : "removed");
    return 0;
} catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", hotstitch::escaped(error.what()).c_str());
    return 3;
}
