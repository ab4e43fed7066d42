// SPDX-License-Identifier: MIT
// What a launcher does with a game and a mod: make the patched game beside the original, with a receipt, or say why
// not; and take it back again. All of it by codes; the sentences are the library's.
//
//   launcher GAME PATCH...     launcher --undo FILE
#include <cstdio>
#include <exception>
#include <string>
#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/jobs.h"
#include "hotstitch/words.h"

namespace {

/// Every mebibyte or so; a launcher with a button to stop would return false.
bool show(const hotstitch::ProgressState& state) {
    if (state.total != 0)
        std::fprintf(stderr, "\r%.*s %3.0f %%", static_cast<int>(hotstitch::name_of(state.phase).size()),
                     hotstitch::name_of(state.phase).data(),
                     100.0 * static_cast<double>(state.done) / static_cast<double>(state.total));
    return true;
}

int play(const std::string& game, const std::vector<std::string>& patches, const hotstitch::WorkOptions& options) {
    hotstitch::ApplyJob job({.source = game, .patches = patches, .mend = true}, options);
    job.open();
    const hotstitch::ApplyResult& result = job.run();
    switch (result.outcome) {
        case hotstitch::ApplyOutcome::made:
        case hotstitch::ApplyOutcome::made_already:
            std::printf("start %s\n", result.delivered.output.c_str());
            return 0;
        case hotstitch::ApplyOutcome::already_patched: std::printf("start %s\n", game.c_str()); return 0;
        case hotstitch::ApplyOutcome::wrong_source: break;
    }
    // The code is for the launcher, the sentence for whoever looks at it.
    const hotstitch::Reason& reason = result.diagnosis->reasons.front();
    std::printf("%.*s: %s. Next: %s\n", static_cast<int>(reason.code.size()), reason.code.data(),
                hotstitch::escaped(hotstitch::words_for(reason)).c_str(),
                hotstitch::escaped(hotstitch::words_for_next(*result.diagnosis)).c_str());
    return 2;
}

}  // namespace

int main(int argc, char** argv) try {
    const std::vector<std::string> words(argv + 1, argv + argc);
    if (words.size() < 2) return std::fputs("launcher GAME PATCH..., or launcher --undo FILE\n", stderr), 1;
    hotstitch::WorkOptions options;
    options.progress = show;
    if (words[0] != "--undo") return play(words[0], {words.begin() + 1, words.end()}, options);
    const hotstitch::UndoResult undone = hotstitch::undo(words[1], {}, options);
    std::printf("undone: %s\n", undone.outcome == hotstitch::UndoOutcome::restored ? "restored" : "removed");
    return 0;
} catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", hotstitch::escaped(error.what()).c_str());
    return 3;
}
