// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_fields_test.cc.
#include "job/maps_in_use.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"

namespace hotstitch {

MapsInUse::MapsInUse(WorkOptions& work, const InputFile& file, const MapsInUse* other)
    : maps_(maps_in(work.limits)), other_(other) {
    if (maps_ && !maps_->empty()) return;
    asked_for_ = false;
    const std::filesystem::path folder = file.path().parent_path();
    auto maps = std::make_shared<Maps>(
        *maps_of({.files = {}, .folder = folder.empty() ? "." : folder.string()}, work, &broken_));
    if (other != nullptr)
        for (const SharedMap& map : other->maps_->all()) maps->add(map);
    work.limits.maps = maps_ = std::move(maps);
}

Limits MapsInUse::limits_inside(const Limits& narrowed) const {
    Limits limits = narrowed;
    auto both = copied_maps(narrowed);
    for (const SharedMap& map : maps_->all()) {
        const std::vector<SharedMap> known = both->all();
        const MapTraits traits = traits_of(*map);
        if (traits.part.empty() && (traits.for_any || std::find(known.begin(), known.end(), map) == known.end()))
            both->add(map, traits.for_any);
    }
    limits.maps = std::move(both);
    return limits;
}

FileFields MapsInUse::fields_of(const SharedSource& content, const Limits& limits) {
    FileFields fields(content, limits);
    if (fields.maps() == 0 && other_ != nullptr && !other_->used_.empty()) {
        auto sure = std::make_shared<Maps>();
        for (const SharedMap& map : other_->used_) sure->add(map, true);
        Limits with_others = limits;
        with_others.maps = std::move(sure);
        fields = FileFields(content, with_others);
    }
    check(fields, *content);
    return fields;
}

void MapsInUse::check(const FileFields& fields, const ByteSource& content) {
    titles_.clear(), used_.clear();
    for (const FileFields::Unit& unit : fields.units())
        for (const SharedMap& map : unit.maps) {
            used_.push_back(map);
            const MapTraits traits = traits_of(*map);
            titles_.push_back(traits.title.empty() ? traits.name : traits.title);
        }
    const std::vector<SharedMap> all = maps_->all();
    if (fields.maps() != 0) return;
    const Identity& identity = fields.units().front().fields.identity();
    const bool has_header = !fields.units().front().fields.tables().empty();
    if (has_header && !asked_for_) return;
    if (all.empty()) {
        throw Error(ErrorCode::usage, "no map says what stands where in this file")
            .in("map")
            .as(broken_.empty() ? ErrorId::needs_map : ErrorId::none)
            .hint(broken_.empty()
                      ? fmt::format("name one, or put it beside the file, under a name that ends in {}", map_extension)
                      : fmt::format("the map beside it is broken: {}", broken_.front()));
    }
    SharedMap nearest = all.front();
    MapFit best = fit_of(*nearest, identity, content);
    for (const SharedMap& map : all) {
        const MapFit fit = fit_of(*map, identity, content);
        if (fit.right < best.right || (fit.right == best.right && fit.why.size() >= best.why.size())) continue;
        nearest = map, best = fit;
    }
    const MapTraits traits = traits_of(*nearest);
    throw Error(ErrorCode::wrong_source,
                all.size() == 1
                    ? fmt::format("the map {} is for another file", traits.name)
                    : fmt::format("none of the {} maps is for this file; the nearest is {}", all.size(), traits.name))
        .in("map")
        .found(best.why.empty() ? fmt::format("it is for the part {}", traits.part)
                                : fmt::format("{}", fmt::join(best.why, "; ")))
        .hint("name the map of this edition");
}

}  // namespace hotstitch
