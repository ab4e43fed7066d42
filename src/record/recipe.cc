// SPDX-License-Identifier: MIT
// Recipes as JSON (docs/formats/recipe.md). Tested by tests/job/recipe_test.cc.
#include "hotstitch/recipe.h"

#include <array>

#include "record/json_members.h"
#include "record/steps.h"

namespace hotstitch {
namespace {

constexpr std::string_view recipe_schema = "hotstitch/recipe", recipe_words = "recipe";
constexpr int recipe_version = 1;
constexpr std::array<std::string_view, 3> replaces{"never", "keep-backup", "without-backup"};

template <class To, class Visit>
void each_member_of_destination(To& place, Visit&& visit) {
    visit("file", place.file), visit("as", place.as), visit("name_like", place.name_like);
    visit("in_place", place.in_place), visit("patch", place.patch);
    visit("with_sheet", place.with_sheet), visit("keep_representation", place.keep_representation);
    visit("header", place.header);
    visit("reverse", place.reverse), visit("digests", place.digests);
}

void write_replace(OrderedJson& out, const char* key, Replace replace) {
    if (replace != Replace::never) out[key] = replaces[static_cast<std::size_t>(replace)];
}

void read_replace(JsonReader& read, const char* key, Replace& replace) {
    std::string code(replaces[static_cast<std::size_t>(replace)]);
    read(key, code);
    const auto found = std::find(replaces.begin(), replaces.end(), code);
    if (found == replaces.end()) broken_document(recipe_words, key, "it is never, keep-backup or without-backup");
    replace = static_cast<Replace>(found - replaces.begin());
}

/// What to go on with, by its name.
template <class Recipe>
auto allowances(Recipe& recipe) {
    using Flag = std::conditional_t<std::is_const_v<Recipe>, const bool, bool>;
    return std::array<std::pair<std::string_view, Flag*>, 5>{{{"source", &recipe.allow_source},
                                                              {"target", &recipe.allow_target},
                                                              {"patch", &recipe.allow_patch},
                                                              {"signature", &recipe.allow.signature},
                                                              {"packed", &recipe.allow.packed}}};
}

OrderedJson to_json(const Destination& place) {
    OrderedJson out = OrderedJson::object();
    each_member_of_destination(place, JsonWriter(out));
    if (place.format) out["format"] = traits_of(*place.format).name;
    write_replace(out, "replace", place.replace);
    write_replace(out, "replace_header", place.replace_header);
    if (!place.receipt) out["receipt"] = false;
    return out;
}

Destination destination_from(const OrderedJson& object) {
    JsonReader read(object, recipe_words, "to");
    Destination place;
    each_member_of_destination(place, read);
    std::string format;
    read("format", format);
    if (!format.empty()) place.format = format_by_name(format);
    if (!format.empty() && !place.format) broken_document(recipe_words, "format", "no format goes by this name");
    read_replace(read, "replace", place.replace);
    read_replace(read, "replace_header", place.replace_header);
    read("receipt", place.receipt);
    read.finish();
    return place;
}

}  // namespace

Recipe Recipe::of_patches(std::string base, const std::vector<std::string>& patches) {
    Recipe recipe{.base = std::move(base)};
    recipe.steps.reserve(patches.size());
    for (const std::string& patch : patches) recipe.steps.push_back({.does = step::Patch{patch}});
    return recipe;
}

std::string json_of(const Recipe& recipe) {
    OrderedJson out;
    out["schema"] = {{"name", recipe_schema}, {"version", recipe_version}};
    JsonWriter write(out);
    write("base", recipe.base);
    out["steps"] = OrderedJson::array();
    for (const Step& step : recipe.steps) out["steps"].push_back(to_json(step));
    if (OrderedJson place = to_json(recipe.to); !place.empty()) out["to"] = std::move(place);
    write("expected", recipe.expected);
    for (const auto& [name, allowed] : allowances(recipe))
        if (*allowed) out["allow"].push_back(name);
    write("as_is", recipe.as_is);
    write("mend", recipe.mend);
    return out.dump(2) + "\n";
}

Recipe recipe_from_json(std::string_view text) {
    const OrderedJson document = parsed_document(text, recipe_schema, recipe_version, recipe_words);
    JsonReader read(document, recipe_words, "document");
    read.knows("schema");
    Recipe recipe;
    read("base", recipe.base);
    if (recipe.base.empty()) broken_document(recipe_words, "base", "no file is named");
    for (const OrderedJson& step : read.list("steps")) recipe.steps.push_back(step_from(step, recipe_words));
    if (const OrderedJson* const place = read.find("to")) recipe.to = destination_from(*place);
    read("expected", recipe.expected);
    std::vector<std::string> allowed;
    read("allow", allowed);
    for (const std::string& name : allowed) {
        bool known = false;
        for (const auto& [other, flag] : allowances(recipe))
            if (other == name) *flag = known = true;
        if (!known) broken_document(recipe_words, "allow", "nothing goes by this name here");
    }
    read("as_is", recipe.as_is);
    read("mend", recipe.mend);
    read.finish();
    return recipe;
}

}  // namespace hotstitch
