// SPDX-License-Identifier: MIT
// What is wrong with a kit that its text alone does not show. Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

#include "hotstitch/edit_list.h"
#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/map.h"
#include "hotstitch/patch.h"
#include "hotstitch/text.h"
#include "job/working_copy.h"
#include "kit/steps.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// The names that a text with words in it comes to, for every edition that it may be for.
std::set<std::string> names_for(const Kit& kit, const std::string& text, const std::vector<std::string>& only) {
    constexpr std::size_t most_names = 10'000;
    std::vector<std::vector<std::pair<std::string, std::string>>> choices(1);
    for (const KitBase& base : kit.bases) {
        if (text.find("{" + base.id + "}") == std::string::npos) continue;
        std::vector<std::vector<std::pair<std::string, std::string>>> more;
        for (const auto& choice : choices)
            for (const KitEdition& edition : base.any) {
                if (!only.empty() && std::find(only.begin(), only.end(), edition.name) == only.end() &&
                    std::any_of(only.begin(), only.end(), [&](const auto& name) { return base.edition(name); }))
                    continue;
                if (more.size() == most_names)
                    throw Error(ErrorCode::limit, "a name with words in it stands for more files than are looked at")
                        .found(text);
                more.push_back(choice);
                more.back().emplace_back(base.id, edition.name);
            }
        choices = std::move(more);
    }
    std::set<std::string> names;
    for (const auto& choice : choices) names.insert(kit_text_for(kit, text, choice));
    return names;
}

class Checking {
public:
    explicit Checking(const KitInput& kit) : kit_(kit) {}

    std::vector<std::string> run(std::vector<std::string>* unused) {
        const Kit& kit = kit_.kit();
        use(kit.readme, "the readme", {});
        for (const Step& step : kit.steps) check_step(step);
        check_links();
        check_names();
        for (const KitOutput& output : kit.outputs)
            if (!is_base(output.from))
                for (const std::string& name : names_for(kit, output.from, output.only))
                    use(address_in_kit(name).file, fmt::format("line {}: output", output.line), {});
        try {
            kit_.maps();
        } catch (const Error& error) {
            wrong(error.what());
        }
        if (unused == nullptr) return std::move(problems_);
        for (const auto& [name, size] : kit_.files())
            if (!used_.contains(name) && !name.ends_with(".map.toml") && !named_by_a_map(name)) unused->push_back(name);
        return std::move(problems_);
    }

private:
    bool is_base(const std::string& address) const { return !address_in_base(kit_.kit(), address).file.empty(); }

    /// Tables of letters lie beside maps.
    static bool named_by_a_map(const std::string& name) { return name.ends_with(".tbl"); }

    void wrong(std::string problem) {
        if (std::find(problems_.begin(), problems_.end(), problem) == problems_.end())
            problems_.push_back(std::move(problem));
    }

    void use(const std::string& name, const std::string& who, const std::function<void(const ByteSource&)>& look) {
        used_.insert(name);
        try {
            const SharedSource file = kit_.open(name);
            if (look) look(*file);
        } catch (const Error& error) {
            wrong(fmt::format("{}: {}: {}", who, name, error.what()));
        }
    }

    void check_step(const Step& step) {
        const std::string who = fmt::format("line {}: {}", step.line, words_for(step));
        if (const auto* const set = step.as<step::Set>(); set != nullptr && !set->map.empty())
            use(set->map, who, [&](const ByteSource&) { map_of_kit(kit_, set->map); });
        const std::string* const needed = file_of(step.does);
        if (needed == nullptr || is_base(*needed)) return;
        for (const std::string& name : names_for(kit_.kit(), *needed, step.only))
            use(address_in_kit(name).file, who, [&](const ByteSource& file) {
                if (!step.is<step::Patch>() && !step.is<step::Edit>()) return;
                const auto patch = open_patch(file);
                if (step.is<step::Edit>() && patch->facts().format != PatchFormat::edits)
                    throw Error(ErrorCode::damaged, "this is a patch, and no edit list");
                for (const std::string& map : patch->facts().maps) use(map_beside(name, map), who, {});
            });
    }

    /// Each may stay inside, and together they lead out.
    void check_links() {
        std::map<std::string, Tree> trees;  // by base
        for (const Step& step : kit_.kit().steps) {
            const auto* const link = step.as<step::Link>();
            if (link == nullptr) continue;
            const Address at = address_in_base(kit_.kit(), step.at);
            trees[at.file].insert_or_assign(at.inside(), TreeEntry{.kind = TreeEntry::Kind::link, .to = link->to});
        }
        for (const auto& [id, tree] : trees)
            if (const std::string out = link_leading_out(tree); !out.empty())
                wrong(fmt::format("the link {} leads out of {}, with the others that are made", out, id));
    }

    /// None may pass for a record of this program.
    void check_names() {
        for (const KitOutput& output : kit_.kit().outputs)
            for (const std::string& name : names_for(kit_.kit(), output.name, output.only))
                if (has_own_name(name))
                    wrong(fmt::format("line {}: {} is a name of this program's own records", output.line, name));
        for (const Step& step : kit_.kit().steps) {
            const Address at = address_in_base(kit_.kit(), step.at);
            const KitBase* const base = kit_.kit().base(at.file);
            if (base != nullptr && base->folder && has_own_name(at.inside()))
                wrong(fmt::format("line {}: {}: this is a name of this program's own records", step.line,
                                  words_for(step)));
        }
    }

    const KitInput& kit_;
    std::set<std::string> used_;
    std::vector<std::string> problems_;
};

}  // namespace

std::vector<std::string> check_kit(const KitInput& kit, std::vector<std::string>* unused) {
    return Checking(kit).run(unused);
}

}  // namespace hotstitch
