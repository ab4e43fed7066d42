// SPDX-License-Identifier: MIT
// Kits out of two states of a game, for one edition or several: steps that all editions have in common stand once, the
// others are `only` for theirs. Applied and compared before it is written. Tested by tests/kit/kit_create_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/letters.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "kit/compare.h"
#include "kit/steps.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view base_id = "game";
constexpr std::uint64_t largest_with_sha1 = std::uint64_t{64} << 20;
constexpr std::size_t most_known_by = 32;

/// One edition, opened.
struct Pair {
    std::string edition;
    std::shared_ptr<const InputFile> before{}, after{};  ///< files
    fs::path before_folder{}, after_folder{};
    Tree before_tree{}, after_tree{};
    std::vector<FoundStep> steps{};
    bool whole = false;

    fs::path after_path() const { return after ? after->path() : with_own_name(after_folder); }
};

struct MergedStep {
    FoundStep found;
    std::vector<std::size_t> editions;
};

class Creating {
public:
    Creating(const KitCreateRequest& request, const WorkOptions& work) : request_(request), work_(work) {}

    KitCreateResult run() {
        for (const KitPair& pair : request_.pairs) pairs_.push_back(opened(pair));
        name_editions();
        describe();
        try {
            prove();
        } catch (const Error& error) {
            // Steps that do not lead where they should: then one patch of the whole does.
            if (folders() || (error.code() != ErrorCode::wrong_target && error.code() != ErrorCode::wrong_source))
                throw;
            only_whole_ = true;
            kit_ = {}, files_.clear(), taken_.clear(), result_ = {};
            describe();
            prove();
        }
        count();
        write();
        return std::move(result_);
    }

private:
    void describe() {
        for (Pair& pair : pairs_) compare(pair);
        if (std::all_of(pairs_.begin(), pairs_.end(), [](const Pair& pair) { return pair.steps.empty(); }))
            throw Error(ErrorCode::usage, "both are the same: there is nothing to make a kit of")
                .in("target")
                .hint("name the unmodified one first, then the modified one");
        describe_base();
        describe_steps();
        describe_output();
        files_.emplace(kit_.readme, owned(readme()));
    }

    bool folders() const { return !pairs_.front().before; }

    Pair opened(const KitPair& pair) const {
        std::error_code code;
        const bool before = fs::is_directory(pair.before, code), after = fs::is_directory(pair.after, code);
        if (before != after || (!pairs_.empty() && before != folders()))
            throw Error(ErrorCode::usage, "a kit is made of files, or of folders, and not of one and the other")
                .in("target")
                .found(fmt::format("{}, {}", pair.before, pair.after))
                .hint("name two files, or two folders");
        Pair opened{.edition = pair.edition};
        if (before) {
            opened.before_folder = pair.before, opened.after_folder = pair.after;
            opened.before_tree = read_tree(pair.before), opened.after_tree = read_tree(pair.after);
        } else {
            opened.before = std::make_shared<const InputFile>(open_file(pair.before, work_));
            opened.after = std::make_shared<const InputFile>(open_file(pair.after, work_));
        }
        return opened;
    }

    /// Where nobody named them: by region and revision, as the files say of themselves.
    void name_editions() {
        std::set<std::string> taken;
        for (std::size_t i = 0; i < pairs_.size(); ++i) {
            std::string& name = pairs_[i].edition;
            if (name.empty() && pairs_[i].before) {
                const Identity identity = identify(*pairs_[i].before);
                name = lower(identity.region);
                if (identity.revision)
                    name += fmt::format("{}revision-{}", name.empty() ? "" : "-", *identity.revision);
            }
            name = safe_name(name);
            std::replace(name.begin(), name.end(), ' ', '-');
            if (name.empty() && pairs_.size() == 1) name = "only";
            if (name.empty() || taken.contains(name)) name = fmt::format("edition-{}", i + 1);
            taken.insert(name);
        }
    }

    void compare(Pair& pair) const {
        CompareOptions options{.work = work_, .effort = request_.effort};
        options.only_whole = only_whole_;
        pair.steps = pair.before ? steps_between(InputFile::shared(*pair.before), InputFile::shared(*pair.after),
                                                 std::string(base_id), options, pair.whole)
                                 : steps_between(pair.before_tree, pair.after_tree, std::string(base_id), options);
    }

    void describe_base() {
        const Pair& first = pairs_.front();
        const fs::path after = first.after_path();
        kit_.name = !request_.name.empty() ? request_.name
                    : first.after          ? after.stem().string()
                                           : after.filename().string();
        kit_.version = "1", kit_.readme = "README.md";
        KitBase base{.id = std::string(base_id), .folder = folders()};
        if (first.before) {
            const Identity identity = identify(*first.before);
            base.title = identity.title.empty() ? first.before->path().filename().string() : identity.title;
        } else {
            base.title = with_own_name(first.before_folder).filename().string();
        }
        for (const Pair& pair : pairs_) {
            KitEdition edition{.name = pair.edition};
            if (pair.before)
                edition.digests = digest(*pair.before, choice_of(pair.before->size()), work_.progress);
            else
                edition.files = known_by(pair);
            base.any.push_back(std::move(edition));
        }
        kit_.bases.push_back(std::move(base));
    }

    static DigestChoice choice_of(std::uint64_t size) {
        return available({.crc32 = true, .sha1 = size <= largest_with_sha1});
    }

    /// By which one edition is told from another; nothing where they are the same.
    static std::optional<std::string> differing_file(const Tree& tree, const Tree& other) {
        for (const auto& [name, entry] : tree) {
            if (entry.kind != TreeEntry::Kind::file) continue;
            const auto there = other.find(name);
            if (there == other.end() || there->second.kind != entry.kind || there->second.size != entry.size ||
                !are_same(*entry.open(), *there->second.open()))
                return name;
        }
        return std::nullopt;
    }

    /// The files that the kit changes, and, where it changes none, the largest ones.
    std::vector<std::pair<std::string, Digests>> known_by(const Pair& pair) const {
        std::set<std::string> names;
        const auto add = [&](const std::string& address) {
            const Address at = address_in_kit(address);
            if (names.size() == most_known_by || at.file != base_id || !at.names_part()) return;
            const std::string& name = at.parts.front();
            const auto found = pair.before_tree.find(name);
            if (found != pair.before_tree.end() && found->second.kind == TreeEntry::Kind::file) names.insert(name);
        };
        for (const FoundStep& found : pair.steps) {
            add(found.step.at);
            if (const std::string* const from = file_of(found.step.does)) add(*from);
        }
        std::vector<std::pair<std::uint64_t, std::string>> largest;
        for (const auto& [name, entry] : pair.before_tree)
            if (entry.kind == TreeEntry::Kind::file) largest.emplace_back(entry.size, name);
        std::sort(largest.rbegin(), largest.rend());
        for (std::size_t i = 0; i < largest.size() && (names.empty() || i < 2); ++i) names.insert(largest[i].second);
        for (const Pair& other : pairs_)
            if (const auto name = differing_file(pair.before_tree, other.before_tree)) names.insert(*name);
        if (names.empty())
            throw Error(ErrorCode::usage, "a folder without files is not known again by anything").in("source");
        std::vector<std::pair<std::string, Digests>> all;
        for (const std::string& name : names) {
            const SharedSource file = pair.before_tree.at(name).open();
            all.emplace_back(name, digest(*file, choice_of(file->size()), work_.progress));
        }
        return all;
    }

    /// Those that are the same in several editions are one; the order of each edition stays.
    std::vector<MergedStep> merged() const {
        std::vector<MergedStep> all;
        for (std::size_t i = 0; i < pairs_.size(); ++i)
            for (const FoundStep& step : pairs_[i].steps) {
                const auto same = std::find_if(all.begin(), all.end(),
                                               [&](const MergedStep& other) { return other.found.same_as(step); });
                if (same != all.end())
                    same->editions.push_back(i);
                else
                    all.push_back({step, {i}});
            }
        std::stable_sort(all.begin(), all.end(), [](const MergedStep& a, const MergedStep& b) {
            const auto phase = [](const FoundStep& found) {
                return found.last ? 2 : found.step.is<step::Remove>() ? 0 : 1;
            };
            return phase(a.found) < phase(b.found);
        });
        return all;
    }

    void describe_steps() {
        for (MergedStep& merged_step : merged()) {
            Step step = merged_step.found.step;
            if (merged_step.editions.size() != pairs_.size())
                for (const std::size_t i : merged_step.editions) step.only.push_back(pairs_[i].edition);
            if (merged_step.found.content) {
                const SharedSource& packed = merged_step.found.packed;
                std::string file = free_name(step, merged_step);
                files_.emplace(file, packed ? packed : merged_step.found.content);
                if (packed) file += ":content";
                if (auto* const put = step.as<step::Put>())
                    put->file = std::move(file);
                else
                    step.as<step::Patch>()->file = std::move(file);
            }
            if (auto* const set = step.as<step::Set>(); set != nullptr && !set->map.empty())
                set->map = add_map(set->map);
            tally(step, merged_step.found);
            kit_.steps.push_back(std::move(step));
        }
        result_.editions = pairs_.size();
        for (const Pair& pair : pairs_)
            if (pair.whole) result_.whole.push_back(pair.edition);
    }

    void tally(const Step& step, const FoundStep& found) {
        if (step.is<step::Patch>()) ++result_.patches;
        if (const auto* const set = step.as<step::Set>()) result_.fields += set->fields.size();
        if (step.is<step::Remove>()) ++result_.removed;
        const auto* const put = step.as<step::Put>();
        if (put == nullptr) return;
        if (!found.content && put->file != step.at) ++result_.moved;
        if (found.content) ++(put->add ? result_.added : result_.files);
    }

    /// "patches/DATA/UNITS.BIN.xdelta": after the part, by a name that every system takes and nothing else has.
    std::string free_name(const Step& step, const MergedStep& merged_step) {
        const bool patch = step.is<step::Patch>();
        std::string name = patch ? "patches/" : "files/";
        if (merged_step.editions.size() != pairs_.size()) name += pairs_[merged_step.editions.front()].edition + "/";
        std::string part = address_in_base(kit_, step.at).inside();
        std::replace(part.begin(), part.end(), ':', '/');
        std::replace(part.begin(), part.end(), '{', '_'), std::replace(part.begin(), part.end(), '}', '_');
        std::string safe;
        for (std::size_t at = 0; at <= part.size();) {
            const std::size_t end = std::min(part.find('/', at), part.size());
            const std::string one = safe_name(as_utf8(part.substr(at, end - at)));
            if (!one.empty()) safe += (safe.empty() ? "" : "/") + one;
            at = end + 1;
        }
        name += safe.empty() ? std::string(base_id) : safe;
        const std::string extension = patch ? ".xdelta" : merged_step.found.packed ? ".xz" : "";
        std::string free = name + extension;
        for (int number = 2; !taken_.insert(lower(free)).second; ++number)
            free = fmt::format("{}-{}{}", name, number, extension);
        return free;
    }

    /// A map by its name, and the tables of letters that lie beside it on the disk.
    std::string add_map(const std::string& name) {
        std::string path = "maps/" + fs::path(name).filename().string();
        if (files_.contains(path)) return path;
        for (const std::string& file : request_.maps) {
            if (fs::path(file).filename() != fs::path(name).filename()) continue;
            files_.emplace(path, std::make_shared<InputFile>(file));
            for (const fs::path& beside : files_in(fs::path(file).parent_path()))
                if (beside.extension() == ".tbl")
                    files_.emplace("maps/" + beside.filename().string(), std::make_shared<InputFile>(beside));
            return path;
        }
        throw Error(ErrorCode::usage, fmt::format("the map {} lies nowhere that is known", name)).in("map");
    }

    void describe_output() {
        const Pair& first = pairs_.front();
        KitOutput output{.from = std::string(base_id), .name = "{name}"};
        if (first.after) {
            output.name += first.after->path().extension().string();
            for (const Pair& pair : pairs_)
                output.check.emplace_back(pair.edition,
                                          digest(*pair.after, choice_of(pair.after->size()), work_.progress));
        }
        kit_.outputs.push_back(std::move(output));
    }

    Bytes readme() const {
        const std::string text = fmt::format(
            "# {}\n\nWhat this is, what it changes, and for which edition of {}: write it here, for those who use "
            "it.\n\n"
            "    hotstitch apply YOUR-FILES THIS-KIT\n",
            kit_.name, kit_.bases.front().title);
        const ByteView bytes = bytes_of(text);
        return {bytes.begin(), bytes.end()};
    }

    /// The kit as others will have it makes each target of its source.
    void prove() {
        text_ = kit_text(kit_);
        const KitInput kit(std::string(kit_text_name), text_, files_, work_);
        for (const Pair& pair : pairs_) {
            std::vector<KitBaseFound> found{{.base = &kit.kit().bases.front(), .edition = pair.edition}};
            found.front().file = pair.before;
            found.front().folder = pair.before_folder;
            KitOnItsWay way{kit, found};
            const auto base = std::make_shared<WorkingBase>(working_base(found.front(), work_.limits));
            way.bases.emplace(base_id, base);
            for (const Step& step : kit.kit().steps)
                if (is_done(way, step)) run_step(way, step, work_);
            if (!(base->is_folder() ? is_same(base->tree, pair.after_tree) : is_same(*base->file, *pair.after)))
                throw Error(ErrorCode::wrong_target, "the kit does not make the target")
                    .in("edition")
                    .found(pair.edition);
        }
        if (const auto wrong = check_kit(kit); !wrong.empty())
            throw Error(ErrorCode::wrong_target, fmt::format("the kit that was made is not right: {}", wrong.front()));
    }

    bool is_same(WorkingFile& file, const ByteSource& wanted) const {
        struct Same final : ByteSink {
            const ByteSource& wanted;
            std::uint64_t at = 0;
            bool same = true;
            Bytes scratch, last;
            explicit Same(const ByteSource& source) : wanted(source) {}
            void write(ByteView bytes) override {
                if (at + bytes.size() > wanted.size()) same = false;
                if (!same) return;
                scratch.resize(bytes.size());
                const ByteView other = wanted.read(at, bytes.size(), scratch);
                same = std::equal(bytes.begin(), bytes.end(), other.begin());
                at += bytes.size();
            }
            // What was written is the same as what was wanted, up to here.
            void read_back(std::uint64_t offset, MutableByteView into) const override {
                Bytes buffer(into.size());
                const ByteView bytes = wanted.read(offset, into.size(), buffer);
                std::copy(bytes.begin(), bytes.end(), into.begin());
            }
        } sink(wanted);
        file.write(sink, work_);
        return sink.same && sink.at == wanted.size();
    }

    bool is_same(const Tree& made, const Tree& wanted) const {
        if (made.size() != wanted.size()) return false;
        for (auto a = made.begin(), b = wanted.begin(); a != made.end(); ++a, ++b) {
            const TreeEntry &x = a->second, &y = b->second;
            if (a->first != b->first || x.kind != y.kind || x.to != y.to) return false;
            if (x.kind != TreeEntry::Kind::file) continue;
            if (x.executable != y.executable) return false;
            const SharedSource content = y.open();
            WorkingFile untouched(x.working ? x.working->original() : x.open());
            if (!is_same(x.working ? *x.working : untouched, *content)) return false;
        }
        return true;
    }

    void count() {
        if (!request_.count_shared) return;
        const KitInput kit(std::string(kit_text_name), text_, files_, work_);
        const Pair& pair = pairs_.front();
        std::vector<KitBaseFound> found{{.base = &kit.kit().bases.front(), .edition = pair.edition}};
        found.front().file = pair.before, found.front().folder = pair.before_folder;
        result_.shared = count_kit_shared(kit, found, work_);
    }

    void write() {
        const fs::path after = pairs_.front().after_path();
        const bool folder = !request_.output.empty() && request_.output.back() == '/';
        const fs::path beside = after.parent_path() / (safe_name(kit_.name) + std::string(kit_extension));
        if (folder) {
            Transaction output(work_.progress);
            auto& out = output.folder(fs::path(request_.output).parent_path(), request_.replace);
            out.add_file(std::string(kit_text_name), false, [&](ByteSink& sink) { sink.write(bytes_of(text_)); });
            for (const auto& [name, content] : files_)
                out.add_file(name, false, [&, &content = content](ByteSink& sink) { write_source(*content, sink); });
            result_.stood_already = out.stands_already();
            output.commit();
            result_.backup = output.replaced_by(out).backup;
            result_.path = out.path();
            result_.size = text_.size();
            for (const auto& [name, content] : files_) result_.size += content->size();
            return;
        }
        const WrittenFile written = write_file(
            output_path(request_.output, beside), {.replace = request_.replace},
            [&](ByteSink& sink) {
                pack_kit(KitInput(std::string(kit_text_name), text_, files_, work_), sink);
                result_.digests = digest(WrittenSource(sink), {});
            },
            work_.progress);
        result_.size = *result_.digests.size;
        result_.stood_already = written.stood_already;
        result_.path = written.path;
        result_.backup = written.backup;
    }

    const KitCreateRequest& request_;
    const WorkOptions& work_;
    std::vector<Pair> pairs_;
    Kit kit_;
    std::string text_;
    std::map<std::string, SharedSource> files_;
    std::set<std::string> taken_;
    bool only_whole_ = false;  ///< one patch of each file, no steps for its parts
    KitCreateResult result_;
};

}  // namespace

KitCreateResult create_kit(const KitCreateRequest& request, const WorkOptions& options) {
    return Creating(request, options).run();
}

}  // namespace hotstitch
