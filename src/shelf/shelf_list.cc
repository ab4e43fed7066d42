// SPDX-License-Identifier: MIT
// Tested by tests/kit/cli_kit_test.cc.
#include "shelf/shelf_list.h"

#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/kit.h"
#include "hotstitch/text.h"
#include "toml/values.h"

namespace hotstitch {

ShelfList shelf_from_toml(std::string_view text, const std::string& name) {
    const TomlDocument document(text, name);
    TomlTable top(document.root(), "a shelf");
    if (top.need("hotstitch-shelf").integer() != 1)
        throw top.find("hotstitch-shelf").error("this version of the language is not known").wanted("1");
    ShelfList list{.game = from_utf8(top.text("game"))};
    if (const TomlValue value = top.find("original")) list.original = digests_of(value, "the original");
    if (const TomlValue value = top.find("in-place")) {
        TomlTable in(value, "what is in place");
        for (const TomlValue& mod : in.need("mods").array()) list.used.push_back(from_utf8(mod.string()));
        list.made = digests_in(in);
        in.finish();
    }
    if (const TomlValue mods = top.find("mod"))
        for (const TomlValue& value : mods.array()) {
            TomlTable in(value, "a mod");
            ShelfMod one{.name = from_utf8(in.need("name").string()), .file = from_utf8(in.need("file").string())};
            // A shelf may come from anybody: nothing in it leads out.
            if (const std::string why = why_unsafe(one.file); !why.empty())
                throw in.find("file").error(why).found(one.file);
            one.kit = one.file.ends_with(".kit");
            if (const TomlValue makes = in.find("makes")) one.makes = digests_of(makes, "what it makes");
            in.finish();
            list.mods.push_back(std::move(one));
        }
    top.finish();
    return list;
}

std::string shelf_to_toml(const ShelfList& list) {
    const auto quoted = [](const std::string& text) { return in_quotes(as_utf8(text)); };
    std::string out = fmt::format(
        "# The shelf of one game. With the original in place, this folder can be thrown away.\n"
        "hotstitch-shelf = 1\ngame = {}\n",
        quoted(list.game));
    if (!list.original.empty()) out += fmt::format("\n[original]\n{}\n", digests_in_toml(list.original, "\n"));
    if (!list.used.empty()) {
        std::string names;
        for (const std::string& name : list.used) names += (names.empty() ? "" : ", ") + quoted(name);
        out += fmt::format("\n[in-place]\nmods = [{}]\n", names);
        if (!list.made.empty()) out += digests_in_toml(list.made, "\n") + "\n";
    }
    for (const ShelfMod& one : list.mods) {
        out += fmt::format("\n[[mod]]\nname = {}\nfile = {}\n", quoted(one.name), quoted(one.file));
        if (!one.makes.empty()) out += fmt::format("makes = {{{}}}\n", digests_in_toml(one.makes));
    }
    return out;
}

}  // namespace hotstitch
