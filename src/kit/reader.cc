// SPDX-License-Identifier: MIT
// The language of kits, docs/formats/kit.md, from its text to rows; and what the text alone shows to be wrong.
// Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/kit.h"
#include "hotstitch/text.h"
#include "record/steps.h"
#include "toml/document.h"
#include "toml/values.h"

namespace hotstitch {
namespace {

constexpr std::string_view id_letters = "abcdefghijklmnopqrstuvwxyz0123456789-_";

std::string text_from(const TomlValue& value) {
    return from_utf8(value.string());
}

class KitReader {
public:
    explicit KitReader(const TomlValue& root) : top_(root, "a kit") {}

    Kit read() {
        if (top_.need("hotstitch-kit").integer() != 1)
            throw top_.find("hotstitch-kit").error("this version of the language is not known").wanted("1");
        kit_.name = top_.need("name").string();
        if (safe_name(kit_.name).empty()) throw top_.find("name").error("a kit has a name");
        kit_.version = top_.text("version"), kit_.author = top_.text("author");
        if (safe_name(kit_.version) != kit_.version)
            throw top_.find("version").error("a version may stand in a file's name").found(kit_.version);
        kit_.readme = file_name(top_.need("readme"));
        base_values_ = list("base", most_kit_bases);
        for (const TomlValue& base : base_values_) read_base(base);
        for (const TomlValue& step : list("step", most_kit_steps)) read_step(step);
        for (const TomlValue& output : list("output", most_kit_outputs)) read_output(output);
        top_.finish();
        if (kit_.outputs.empty()) throw top_.error("a kit makes something").wanted("at least one [[output]]");
        refuse_unused();
        return std::move(kit_);
    }

private:
    std::vector<TomlValue> list(std::string_view key, std::size_t most) {
        const TomlValue value = top_.find(key);
        if (!value) return {};
        std::vector<TomlValue> all = value.array();
        if (all.size() > most) throw value.error(fmt::format("more than {} of [[{}]]", most, key));
        return all;
    }

    /// A path in the kit, or below where the outputs go.
    static std::string file_name(const TomlValue& value) {
        std::string name = text_from(value);
        if (const std::string why = why_unsafe(name); !why.empty()) throw value.error(why).found(name);
        return name;
    }

    void read_base(const TomlValue& value) {
        TomlTable in(value, "a base");
        KitBase base{.id = in.need("id").string(), .line = value.line()};
        if (base.id.empty() || base.id.find_first_not_of(id_letters) != std::string::npos)
            throw in.find("id").error("an id has small letters, digits, - and _").found(base.id);
        if (base.id == "name" || base.id == "version" || kit_.base(base.id) != nullptr)
            throw in.find("id").error("this id is taken").found(base.id);
        base.title = in.text("title");
        base.folder = in.flag("folder"), base.optional = in.flag("optional");
        for (const TomlValue& one : in.need("any").array()) read_edition(base, one);
        if (base.any.empty()) throw in.find("any").error("nothing says which file this is");
        in.finish();
        kit_.bases.push_back(std::move(base));
    }

    static void read_edition(KitBase& base, const TomlValue& value) {
        TomlTable in(value, "an edition");
        KitEdition edition{.name = in.text("name")};
        if (edition.name.empty() && base.any.empty()) edition.name = "only";
        if (edition.name.empty()) throw in.error("each of several editions has a name");
        if (safe_name(edition.name) != edition.name || edition.name.find('/') != std::string::npos)
            throw in.find("name").error("an edition's name may stand in a file's name").found(edition.name);
        if (base.edition(edition.name) != nullptr)
            throw in.find("name").error("two editions have this name").found(edition.name);
        edition.digests = digests_in(in);
        if (const TomlValue files = in.find("files")) {
            if (!base.folder) throw files.error("files are of a folder").wanted("folder = true");
            for (const auto& [name, digests] : files.table()) {
                if (!why_leaves(name).empty()) throw digests.error(why_leaves(name)).found(name);
                edition.files.emplace_back(from_utf8(name), digests_of(digests, "a file"));
                if (!edition.files.back().second.has_checksum())
                    throw digests.error("a file is known by a checksum").wanted("crc32, md5, sha1 or sha256");
            }
        }
        if (base.folder && (edition.files.empty() || !edition.digests.empty()))
            throw value.error("a folder is known by its files").wanted("files = {\"DATA/A.BIN\" = {sha1 = \"…\"}}");
        if (!base.folder && !edition.digests.has_checksum())
            throw value.error("an edition is known by a checksum").wanted("crc32, md5, sha1 or sha256");
        in.finish();
        base.any.push_back(std::move(edition));
    }

    /// "game:DATA/A.BIN": a base that there is, and something of it that stays inside.
    std::string address(const TomlValue& value) const {
        std::string text = text_from(value);
        try {
            const Address address = address_in_base(kit_, text);
            if (address.file.empty())
                throw value.error("this is no base").found(text.substr(0, text.find(':'))).wanted(ids());
            const bool in_folder = kit_.base(address.file)->folder && address.names_part();
            if (const std::string why = in_folder ? why_leaves(address.parts.front()) : ""; !why.empty())
                throw value.error(why).found(address.inside());
        } catch (const Error& error) {
            throw value.error(error.what()).found(text);
        }
        return text;
    }

    static std::string why_leaves(const std::string& path) {
        const std::string why = why_unsafe(path);
        return why.find("leads") != std::string::npos || why.find("begins") != std::string::npos ? why : "";
    }

    std::string ids() const {
        std::string all;
        for (const KitBase& base : kit_.bases) all += fmt::format("{}{}", all.empty() ? "" : ", ", base.id);
        return all.empty() ? "there is no [[base]]" : all;
    }

    bool is_edition(const std::string& name) const {
        return std::any_of(kit_.bases.begin(), kit_.bases.end(),
                           [&](const KitBase& base) { return base.edition(name) != nullptr; });
    }

    std::vector<std::string> editions(const TomlValue& value) const {
        std::vector<std::string> all;
        if (!value) return all;
        for (const TomlValue& name : value.array()) {
            all.push_back(name.string());
            if (!is_edition(all.back())) throw name.error("no base has an edition of this name").found(all.back());
        }
        if (all.empty()) throw value.error("for no edition at all");
        return all;
    }

    /// A file of the kit whose name may have words in it: each word is one that is known.
    std::string pattern(const TomlValue& value, bool with_part = false) const {
        std::string text = text_from(value);
        std::vector<std::pair<std::string, std::string>> some;
        for (const KitBase& base : kit_.bases) some.emplace_back(base.id, base.any.front().name);
        try {
            const std::string name = kit_text_for(kit_, with_part ? address_in_kit(text).file : text, some);
            if (const std::string why = why_unsafe(name); !why.empty()) throw value.error(why).found(text);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::usage) throw;
            throw value.error(error.what()).found(error.found()).wanted(error.wanted());
        }
        return text;
    }

    void read_step(const TomlValue& value) {
        TomlTable in(value, "a step");
        const StepRow* verb = nullptr;
        for (const StepRow& row : step_rows) {
            if (!in.find(row.name)) continue;
            if (verb != nullptr)
                throw in.find(row.name).error(
                    fmt::format("one step does one thing, and this is {} and {}", verb->name, row.name));
            verb = &row;
        }
        if (verb == nullptr) {
            std::string known;
            for (const StepRow& row : step_rows) known += fmt::format("{}{}", known.empty() ? "" : ", ", row.name);
            throw in.error("this step does nothing").wanted(known);
        }
        Step step{.does = action_of(static_cast<std::size_t>(verb - step_rows.data()))};
        step.line = value.line();
        step.note = in.text("note");
        step.only = editions(in.find("only"));
        const TomlValue what = in.find(verb->name);
        step.at = std::visit([&](auto& does) { return read_what(does, in, what, verb->place); }, step.does);
        in.finish();
        kit_.steps.push_back(std::move(step));
    }

    // Each returns the address of what the step is about. `what`: the value of the step's own key.

    std::string read_what(step::Patch& does, TomlTable& in, const TomlValue& what, std::string_view place) {
        does.file = pattern(what);
        return of_file(in.need(place));
    }
    std::string read_what(step::Edit& does, TomlTable& in, const TomlValue& what, std::string_view place) {
        does.file = pattern(what);
        return of_file(in.need(place));
    }
    std::string read_what(step::Set& does, TomlTable& in, const TomlValue& what, std::string_view place) {
        for (const auto& [field, to] : what.table()) does.fields.push_back({field, value_text(to)});
        if (does.fields.empty()) throw what.error("no field is named");
        if (const TomlValue map = in.find("map")) does.map = file_name(map);
        return of_file(in.need(place));
    }
    std::string read_what(step::Mend& does, TomlTable& in, const TomlValue& what, std::string_view place) {
        for (const TomlValue& mend : what.array()) does.mends.push_back(mend.string());
        if (does.mends.empty()) throw what.error("no mend is named");
        does.boot_code = in.text("boot-code");
        return of_file(in.need(place));
    }
    std::string read_what(step::Remove&, TomlTable&, const TomlValue& what, std::string_view) { return inside(what); }
    std::string read_what(step::Folder&, TomlTable&, const TomlValue& what, std::string_view) {
        return in_folder(what);
    }
    std::string read_what(step::Link& does, TomlTable& in, const TomlValue& what, std::string_view) {
        const TomlValue to = in.need("to");
        std::string at = in_folder(what);
        does.to = text_from(to);
        if (!link_stays_inside(address_in_base(kit_, at).inside(), does.to))
            throw to.error("this link leads out of its folder").found(does.to);
        return at;
    }
    std::string read_what(step::StripHeader& does, TomlTable& in, const TomlValue& what, std::string_view) {
        does.size = size_of(in);
        return of_file(what);
    }
    std::string read_what(step::AttachHeader& does, TomlTable& in, const TomlValue& what, std::string_view) {
        if (const TomlValue from = in.find("from")) does.file = pattern(from, true);
        does.nes = in.text("nes");
        does.size = size_of(in);
        return of_file(what);
    }

    static std::uint64_t size_of(TomlTable& in) {
        const TomlValue size = in.find("size");
        if (!size) return 0;
        if (size.integer() <= 0) throw size.error("a front header has a size");
        return static_cast<std::uint64_t>(size.integer());
    }

    /// Something of a base, or a file of the kit. What has neither dot nor slash is meant as a base.
    std::string file_or_part(const TomlValue& value) const {
        const std::string text = text_from(value), first = address_in_kit(text).file;
        const bool base = kit_.base(first) != nullptr ||
                          (first.size() != text.size() && first.find_first_of("./") == std::string::npos);
        return base ? address(value) : pattern(value, true);
    }

    std::string read_what(step::Put& does, TomlTable& in, const TomlValue& what, std::string_view place) {
        const TomlValue into = in.need(place);
        does.file = file_or_part(what);
        std::string at = inside(into);
        does.add = in.flag("add");
        if (const TomlValue room = in.find("room")) {
            const auto known = room_from(room.string());
            if (!known || known == Room::any)
                throw room.error("this is no room").wanted("place, append or rebuild").found(room.string());
            does.room = *known;
        }
        if (const TomlValue executable = in.find("executable")) {
            in_folder(into);
            does.executable = executable.boolean();
        }
        return at;
    }

    /// Something in a base, not the base.
    std::string inside(const TomlValue& value) const {
        std::string text = address(value);
        if (!address_in_base(kit_, text).names_part())
            throw value.error("this is a base, not something in it").wanted("BASE:PART").found(text);
        return text;
    }

    /// A file: a base that is one, or something in it or in a folder.
    std::string of_file(const TomlValue& value) const {
        std::string text = address(value);
        const Address address = address_in_base(kit_, text);
        if (!address.names_part() && kit_.base(address.file)->folder)
            throw value.error("this base is a folder, and a file is needed").wanted("BASE:FILE").found(text);
        return text;
    }

    /// A path in a folder that is a base.
    std::string in_folder(const TomlValue& value) const {
        std::string text = inside(value);
        const Address address = address_in_base(kit_, text);
        if (!kit_.base(address.file)->folder || address.parts.size() != 1)
            throw value.error("this is for files of a folder").wanted("a base with folder = true").found(text);
        return text;
    }

    void read_output(const TomlValue& value) {
        TomlTable in(value, "an output");
        KitOutput output{.line = value.line()};
        const TomlValue from = in.need("from"), name = in.need("name");
        output.from = file_or_part(from);
        output.name = pattern(name);
        output.only = editions(in.find("only"));
        if (const TomlValue checks = in.find("check"))
            for (const auto& [edition, digests] : checks.table()) {
                if (!is_edition(edition)) throw digests.error("no base has an edition of this name").found(edition);
                output.check.emplace_back(edition, digests_of(digests, "a check"));
            }
        in.finish();
        for (const KitOutput& other : kit_.outputs) refuse_collision(other, output, name);
        kit_.outputs.push_back(std::move(output));
    }

    void refuse_collision(const KitOutput& a, const KitOutput& b, const TomlValue& where) const {
        const bool apart = !a.only.empty() && !b.only.empty() &&
                           std::none_of(a.only.begin(), a.only.end(), [&](const std::string& name) {
                               return std::find(b.only.begin(), b.only.end(), name) != b.only.end();
                           });
        if (apart) return;
        const std::string one = lower(a.name), other = lower(b.name);
        if (one == other) throw where.error("two outputs have this name").found(b.name);
        if (one.starts_with(other + "/") || other.starts_with(one + "/"))
            throw where.error("one output lies in another").found(fmt::format("{}, {}", a.name, b.name));
    }

    void refuse_unused() const {
        for (const KitBase& base : kit_.bases) {
            const auto names = [&](const std::string& address) {
                return address_in_base(kit_, address).file == base.id ||
                       address.find("{" + base.id + "}") != std::string::npos;
            };
            const bool used = std::any_of(kit_.steps.begin(), kit_.steps.end(),
                                          [&](const Step& s) {
                                              const std::string* const file = file_of(s.does);
                                              return names(s.at) || (file != nullptr && names(*file));
                                          }) ||
                              std::any_of(kit_.outputs.begin(), kit_.outputs.end(),
                                          [&](const KitOutput& o) { return names(o.from) || names(o.name); });
            if (used) continue;
            for (const TomlValue& value : base_values_)
                if (value.line() == base.line) throw value.error("no step and no output uses this base").found(base.id);
        }
    }

    TomlTable top_;
    Kit kit_;
    std::vector<TomlValue> base_values_;
};

}  // namespace

Kit read_kit(std::string_view text, const std::string& name) {
    const TomlDocument document(text, name);
    return KitReader(document.root()).read();
}

}  // namespace hotstitch
