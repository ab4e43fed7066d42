// SPDX-License-Identifier: MIT
// What can be made of a heap: every patch is held against every game, and each pair gets a rank by what speaks for it:
// checksums of the patch, those that a text or a name beside it quotes, the ROM's own checks, nothing, doubts. One pair
// above all others is the plan; several alike are a question; none is told with the nearest misfit, and what lies
// beside is searched. Kits find their bases themselves. Tested by
// tests/heap/heap_test.cc.
#include "hotstitch/heap.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "heap/quoted_sums.h"
#include "heap/roles.h"
#include "hotstitch/archive.h"
#include "hotstitch/job.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t readme_lines = 20, most_patches = 64;

/// How much speaks for a pair, in rising order.
enum class Rank { no, already, doubtful, unknown, own_checks, named, checksums };

struct Pair {
    std::size_t patch = 0, game = 0;
    Rank rank{};
    std::string reading{};  ///< in which it fits, for people; empty: as it is
    std::optional<Diagnosis> diagnosis{};
    Digests quoted{};  ///< of the source, as a text beside the patch has them
    std::string by{};  ///< which text, for people
    std::string error{};
};

struct HeapPatch {
    std::string address;
    std::string name;   ///< for people
    std::string owner;  ///< the file of the heap that it is, or lies in
    PatchInput input;
};

class Pairing {
public:
    Pairing(Heap& heap, const Destination& to) : heap_(heap), to_(to) {}

    void run() {
        gather_patches();
        for (const HeapFile& file : heap_.files)
            if (file.role == HeapRole::game || file.role == HeapRole::sheet) games_.push_back(file.path);
        if (patches_.empty()) return;
        gather_quoted_sums();
        search_folders();
        for (std::size_t patch = 0; patch < patches_.size(); ++patch) hold_against_games(patch);
        decide();
        tell_left_over();
    }

private:
    void gather_patches() {
        for (HeapFile& file : heap_.files) {
            if (file.role != HeapRole::patch || !file.why.empty()) continue;
            try {
                for (const std::string& address : patches_in(file.path)) {
                    if (patches_.size() >= most_patches) {
                        heap_.cut_short = true;
                        break;
                    }
                    patches_.push_back({address, file_name(address), file.path, open_patch_input(address, heap_.work)});
                }
            } catch (const Error& error) {
                if (error.code() == ErrorCode::cancelled) throw;
                file.why = error.what();
                if (!heap_.refusal) heap_.refusal = error;
            }
        }
    }

    /// Of an archive with several patches, each; else the file itself.
    std::vector<std::string> patches_in(const std::string& path) const {
        const InputFile file = open_file(path, heap_.work);
        std::vector<std::string> addresses;
        if (is_archive(file))
            for (const ArchiveMember& member : list_archive(file, heap_.work.limits, heap_.work.progress))
                if (recognise_patch(member.head)) addresses.push_back(joined_address(path, escaped_part(member.name)));
        return addresses.size() > 1 ? addresses : std::vector<std::string>{path};
    }

    /// In texts and lists of the heap, and in the patches' own names.
    void gather_quoted_sums() {
        constexpr std::size_t much = 64 << 10;
        for (const HeapPatch& patch : patches_) quoted_.add(patch.name, "the patch's name");
        for (const HeapFile& file : heap_.files) {
            if (file.role == HeapRole::patch) quoted_.add(file_name(file.path), "the patch's name");
            if (file.role != HeapRole::readme && file.role != HeapRole::checks) continue;
            try {
                const Bytes text = head_of(open_file(file.path, heap_.work), much);
                quoted_.add(text_of(text), file_name(file.path));
            } catch (const Error& error) {
                if (error.code() == ErrorCode::cancelled) throw;  // else it quotes nothing
            }
        }
    }

    /// Whether a checksum of the game is quoted: as it stands, or as its platform reads it.
    void ask_quoted_sums(Pair& pair) const {
        if (quoted_.empty() || pair.rank < Rank::doubtful || pair.rank > Rank::own_checks) return;
        const HeapPatch& patch = patches_[pair.patch];
        const SourceFile source =
            source_for(open_file(games_[pair.game], heap_.work), *patch.input.reader, {}, heap_.work);
        const auto ask = [&](const ByteSource& bytes) {
            const Digests sums =
                digest(bytes, {.crc32 = true, .md5 = true, .sha1 = true, .sha256 = true}, heap_.work.progress);
            pair.quoted = quoted_.among(sums, pair.by);
            return !pair.quoted.empty();
        };
        bool named = ask(source.file);
        if (const auto reading = named ? std::nullopt : identify(source.file).reading) {
            named = ask(*read_as(source.file, *reading));
            if (named) pair.reading = words_for(*reading);
        }
        if (named) pair.rank = Rank::named;
    }

    /// Games in the folders that were named.
    void search_folders() {
        for (const HeapFile& file : std::vector<HeapFile>(heap_.files)) {
            if (file.role != HeapRole::folder) continue;
            for (const HeapPatch& patch : patches_)
                for (const FoundGame& found :
                     games_in(file.path, patch.input, heap_.work, Look::below, &heap_.cut_short)) {
                    if (std::find(games_.begin(), games_.end(), found.address) != games_.end()) continue;
                    games_.push_back(found.address);
                    heap_.files.push_back({found.address, HeapRole::game, found.is, {}, true});
                }
        }
    }

    void hold_against_games(std::size_t patch) {
        if (games_.empty()) return;
        const PatchInput& input = patches_[patch].input;
        const std::vector<VerifiedFile> files =
            verify_files(input.file, *input.reader, input.found ? input.found->checks : Checks{},
                         {games_, {.crc32 = false}}, heap_.work);
        for (std::size_t game = 0; game < files.size(); ++game) {
            const VerifiedFile& file = files[game];
            Pair pair{patch, game, rank_of(file)};
            if (const Representation* const other = file.harmless_representation()) pair.reading = words_for(*other);
            if (file.opinion && file.opinion->sure()) pair.reading = words_for(file.opinion->reading);
            pair.diagnosis = file.diagnosis;
            if (file.error) pair.error = file.error->what();
            ask_quoted_sums(pair);
            pairs_.push_back(std::move(pair));
        }
    }

    static Rank rank_of(const VerifiedFile& file) {
        if (file.error) return Rank::no;
        if (file.fit.answer == FitAnswer::already_patched) return Rank::already;
        if (file.fits()) return Rank::checksums;
        if (file.diagnosis) return Rank::no;
        if (file.own_checks.speak_for_it()) return Rank::own_checks;
        return file.own_checks.answer == InternalChecks::stale ? Rank::doubtful : Rank::unknown;
    }

    void decide() {
        const auto best = std::max_element(pairs_.begin(), pairs_.end(),
                                           [](const Pair& a, const Pair& b) { return a.rank < b.rank; });
        if (best == pairs_.end()) return look_beside();
        if (best->rank == Rank::no) return refuse();
        if (best->rank == Rank::already) return void(heap_.patched_already = games_[best->game]);
        std::vector<Pair> alike;
        std::copy_if(pairs_.begin(), pairs_.end(), std::back_inserter(alike),
                     [&](const Pair& p) { return p.rank == best->rank; });
        if (best->rank == Rank::doubtful) {  // likely another revision: nobody is to find that out afterwards
            look_beside();
            return ask(alike,
                       "Do it all the same? The ROM's own checks would come out wrong: it may be another revision.");
        }
        leave_out_copies(alike);
        if (alike.size() == 1) {
            heap_.plan = choice_of({alike.front()});
            follow_with_next(alike.front());
            add_likely_ones(alike);
            if (alike.size() == 1) return;
            heap_.plan.reset();
        }
        ask(alike);
    }

    /// Patches that were named beside the best one, and may be meant for the same game as well.
    void add_likely_ones(std::vector<Pair>& alike) const {
        const Pair best = alike.front();
        for (const Pair& pair : pairs_)
            if (pair.game == best.game && pair.patch != best.patch && pair.rank >= Rank::unknown &&
                patches_[pair.patch].owner != patches_[best.patch].owner && !is_planned(pair.patch))
                alike.push_back(pair);
    }
    bool is_planned(std::size_t patch) const {
        const std::vector<Step>& steps = heap_.plan->recipe->steps;
        return std::any_of(steps.begin(), steps.end(), [&](const Step& step) {
            const std::string* const file = file_of(step.does);
            return file != nullptr && (*file == patches_[patch].address || *file == patches_[patch].owner);
        });
    }

    /// The same game twice, as it stands or behind a header, is one: that which needs no reading is taken.
    void leave_out_copies(std::vector<Pair>& alike) {
        if (alike.size() < 2 || alike.front().rank != Rank::checksums) return;
        std::stable_sort(alike.begin(), alike.end(), [](const Pair& a, const Pair& b) {
            return std::pair(a.patch, !a.reading.empty()) < std::pair(b.patch, !b.reading.empty());
        });
        std::map<std::pair<std::size_t, std::string>, std::size_t> seen;
        std::erase_if(alike, [&](const Pair& pair) {
            // What is right only in another reading is the source itself, so read.
            const auto as_it_is = seen.lower_bound({pair.patch, {}});
            if (!pair.reading.empty() && as_it_is != seen.end() && as_it_is->first.first == pair.patch) {
                left_[games_[pair.game]] =
                    fmt::format("the same as {}, read {}", file_name(games_[as_it_is->second]), pair.reading);
                return true;
            }
            const auto [first, is_new] = seen.emplace(std::pair(pair.patch, digest_of(pair.game)), pair.game);
            if (!is_new) left_[games_[pair.game]] = fmt::format("the same as {}", file_name(games_[first->second]));
            return !is_new;
        });
    }

    std::string digest_of(std::size_t game) const {
        const InputFile file = open_file(games_[game], heap_.work);
        const Digests sums = digest(file, {.crc32 = true, .sha1 = true}, heap_.work.progress);
        return fmt::format("{}:{}:{}", sums.size.value_or(0), sums.crc32 ? sums.crc32->hex() : "",
                           sums.sha1 ? sums.sha1->hex() : "");
    }

    /// A patch that was made for what the plan makes goes on top of it.
    void follow_with_next(const Pair& first) {
        std::vector<Pair> chain{first};
        for (bool grown = true; grown;) {
            grown = false;
            const Digests made = patches_[chain.back().patch].input.reader->facts().target;
            for (std::size_t next = 0; next < patches_.size() && !grown; ++next) {
                const Digests wanted = patches_[next].input.reader->facts().source;
                const bool used =
                    std::any_of(chain.begin(), chain.end(), [&](const Pair& p) { return p.patch == next; });
                if (used || !made.crc32 || !wanted.crc32 || !compare(wanted, made).empty()) continue;
                chain.push_back({next, first.game, Rank::checksums});
                grown = true;
            }
        }
        if (chain.size() > 1) heap_.plan = choice_of(chain);
    }

    /// The only one in its archive that fits: the archive is enough to name it.
    bool is_the_edition(const Pair& pair) const {
        return pair.rank == Rank::checksums && std::count_if(pairs_.begin(), pairs_.end(), [&](const Pair& other) {
                                                   return other.game == pair.game && other.rank == Rank::checksums &&
                                                          patches_[other.patch].owner == patches_[pair.patch].owner;
                                               }) == 1;
    }

    HeapChoice choice_of(const std::vector<Pair>& pairs) {
        HeapChoice choice;
        std::vector<std::string> patches;
        std::string names;
        for (const Pair& pair : pairs) {
            const HeapPatch& patch = patches_[pair.patch];
            patches.push_back(is_the_edition(pair) ? patch.owner : patch.address);
            names += fmt::format("{}{}", names.empty() ? "" : ", then ", patch.name);
        }
        Recipe recipe = Recipe::of_patches(games_[pairs.front().game], patches);
        recipe.to = to_;
        recipe.expected = pairs.front().quoted;
        const std::string& reading = pairs.front().reading;
        choice.words =
            fmt::format("{} onto {}{}", names, file_name(recipe.base), reading.empty() ? "" : ", read " + reading);
        choice.by = pairs.front().rank == Rank::checksums    ? "checksums say that they belong together"
                    : pairs.front().rank == Rank::named      ? pairs.front().by
                    : pairs.front().rank == Rank::own_checks ? "the ROM's own checks come out right"
                                                             : "";
        try {
            Job job(recipe, heap_.work);
            job.open();
            choice.output = job.output_path();
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // else running it will say so
        }
        choice.recipe = std::move(recipe);
        return choice;
    }

    /// `doubt`: the question, where it is not which of several.
    void ask(const std::vector<Pair>& alike, const char* doubt = nullptr) {
        const auto all = [&](auto member) {
            return std::all_of(alike.begin(), alike.end(),
                               [&](const Pair& p) { return p.*member == alike.front().*member; });
        };
        const bool one_game = all(&Pair::game), one_patch = all(&Pair::patch);
        HeapQuestion question;
        question.question = doubt != nullptr                        ? doubt
                            : one_game                              ? "Which patch? Each of them may be meant."
                            : !one_patch                            ? "Which patch, onto which game?"
                            : alike.front().rank == Rank::checksums ? "Which game? Each of them fits."
                                                                    : "Which game? Nothing in the patch tells.";
        for (const Pair& pair : alike) question.choices.push_back(choice_of({pair}));
        if (doubt == nullptr && one_game && alike.size() > 1 && alike.size() <= 8)
            question.choices.push_back(choice_of(alike));
        heap_.open.push_back(std::move(question));
    }

    /// Nothing fits: the nearest misfits, and what lies beside.
    void refuse() {
        for (const Pair& pair : pairs_)
            if (pair.diagnosis)
                heap_.misfits.push_back({games_[pair.game], patches_[pair.patch].address, *pair.diagnosis});
        // Another edition of the right game is nearer than something else.
        std::stable_sort(heap_.misfits.begin(), heap_.misfits.end(), [](const HeapMisfit& a, const HeapMisfit& b) {
            return is_near(a.diagnosis) > is_near(b.diagnosis);
        });
        for (const Pair& pair : pairs_)
            if (!pair.error.empty()) left_[games_[pair.game]] = pair.error;
        look_beside();
    }

    static bool is_near(const Diagnosis& diagnosis) {
        const Why why = diagnosis.reasons.front().why;
        return why == Why::other_content || why == Why::front_header_and_more || why == Why::front_header_missing ||
               why == Why::needs_other_patch || why == Why::has_other_patch;
    }

    /// Of the folders in which the games and patches lie, the file that fits.
    void look_beside() {
        std::vector<fs::path> folders;
        const auto add = [&](const std::string& path) {
            const fs::path folder = fs::path(address_of(path).file).parent_path();
            std::error_code code;
            const bool known = std::any_of(folders.begin(), folders.end(), [&](const fs::path& one) {
                return fs::equivalent(one.empty() ? "." : one, folder.empty() ? "." : folder, code);
            });
            if (!known) folders.push_back(folder);
        };
        for (const std::string& game : games_) add(game);
        for (const HeapPatch& patch : patches_) add(patch.owner);
        HeapQuestion question{"Is it this one, which lies beside?", {}};
        for (std::size_t patch = 0; patch < patches_.size(); ++patch)
            for (const fs::path& folder : folders)
                for (const FoundGame& found :
                     games_in(folder, patches_[patch].input, heap_.work, Look::here, &heap_.cut_short)) {
                    games_.push_back(found.address);
                    question.choices.push_back(choice_of(
                        {{patch, games_.size() - 1, found.by_checksums ? Rank::checksums : Rank::own_checks}}));
                }
        if (!question.choices.empty()) heap_.open.push_back(std::move(question));
    }

    void tell_left_over() {
        std::vector<const Recipe*> recipes;
        if (heap_.plan && heap_.plan->recipe) recipes.push_back(&*heap_.plan->recipe);
        for (const HeapQuestion& question : heap_.open)
            for (const HeapChoice& choice : question.choices)
                if (choice.recipe) recipes.push_back(&*choice.recipe);
        const auto is_used = [&](const std::string& path) {
            return std::any_of(recipes.begin(), recipes.end(), [&](const Recipe* recipe) {
                if (recipe->base == path || recipe->base.starts_with(path + ":")) return true;
                return std::any_of(recipe->steps.begin(), recipe->steps.end(), [&](const Step& step) {
                    const std::string* const file = file_of(step.does);
                    return file != nullptr && (*file == path || file->starts_with(path + ":"));
                });
            });
        };
        for (HeapFile& file : heap_.files) {
            if (!file.why.empty()) continue;
            if (const auto left = left_.find(file.path); left != left_.end()) file.why = left->second;
            const bool asked =
                file.role == HeapRole::game || file.role == HeapRole::sheet || file.role == HeapRole::patch;
            if (asked && file.why.empty() && !recipes.empty() && !is_used(file.path)) file.why = why_not(file);
        }
    }

    std::string why_not(const HeapFile& file) const {
        for (const Pair& pair : pairs_) {
            const bool is_it =
                file.role == HeapRole::patch ? patches_[pair.patch].owner == file.path : games_[pair.game] == file.path;
            if (!is_it) continue;
            if (pair.rank == Rank::already) return "it is patched already";
            if (pair.diagnosis) return words_for(pair.diagnosis->reasons.front());
            if (pair.rank <= Rank::own_checks && heap_.plan && !heap_.plan->recipe->expected.empty())
                return "it is not the one whose checksum is quoted";
            if (pair.rank == Rank::doubtful) return "the ROM's own checks would come out wrong";
        }
        return file.role == HeapRole::patch ? "it is for another game" : "another one fits better";
    }

    Heap& heap_;
    const Destination& to_;
    std::vector<HeapPatch> patches_;
    std::vector<std::string> games_;
    std::vector<Pair> pairs_;
    QuotedSums quoted_;
    std::map<std::string, std::string> left_;
};

/// What the maker says: of several, the one that is named so, else the first.
void find_readme(Heap& heap) {
    const HeapFile* best = nullptr;
    bool best_is_named = false;
    for (const HeapFile& file : heap.files) {
        if (file.role != HeapRole::readme) continue;
        const bool named =
            file.path.find("eadme") != std::string::npos || file.path.find("README") != std::string::npos;
        if (best == nullptr || (named && !best_is_named)) best = &file, best_is_named = named;
    }
    if (best == nullptr) return;
    heap.readme = best->path;
    try {
        const InputFile text = open_file(best->path, heap.work);
        const Bytes head = head_of(text, 8 << 10);
        if (recognise_file(head).id == KindId::text) heap.readme_lines = first_lines(head, readme_lines);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;  // else it is named, and not shown
    }
}

}  // namespace

std::vector<std::string> Heap::games() const {
    std::vector<std::string> paths;
    for (const HeapFile& file : files)
        if (file.role == HeapRole::game || file.role == HeapRole::sheet) paths.push_back(file.path);
    return paths;
}

Heap sort_heap(const std::vector<std::string>& names, const Destination& to, const WorkOptions& options) {
    if (names.empty()) throw Error(ErrorCode::usage, "there is no file");
    Heap heap;
    heap.work = options;
    heap.files = roles_of(names, heap.work);
    const bool has_kit =
        std::any_of(heap.files.begin(), heap.files.end(), [](const HeapFile& f) { return f.role == HeapRole::kit; });
    if (has_kit)
        plan_kits(heap, to);
    else
        Pairing(heap, to).run();
    find_readme(heap);
    return heap;
}

}  // namespace hotstitch
