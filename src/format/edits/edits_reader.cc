// SPDX-License-Identifier: MIT
// A list becomes a change of its source in three steps: the parts that it names, one after the other, each put back
// through all that is around it; what it says of the source itself; and, where it names fields, the checks that were
// right before. Every old value is looked at before anything counts. Tested by tests/format/edits_test.cc.
#include "format/edits/edits_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/part.h"
#include "hotstitch/place.h"
#include "hotstitch/text.h"
#include "source/pattern.h"
#include "source/stretch.h"

namespace hotstitch::edits {
namespace {

Error edit_error(const ListedEdit& edit, ErrorCode code, const std::string& message) {
    return Error(code, fmt::format("the edit in line {}: {}", edit.line, message));
}

/// "edit in line 12, berth[12].depth"
std::string name_of(const ListedEdit& edit) {
    const std::string place = edit.by == ListedEdit::By::field     ? edit.field
                              : edit.by == ListedEdit::By::address ? "at " + edit.address
                              : edit.by == ListedEdit::By::pattern ? "at the pattern " + edit.pattern
                                                                   : "at " + offset_text(edit.at);
    return fmt::format("edit in line {}, {}{}", edit.line, edit.part.empty() ? "" : edit.part + " ", place);
}

/// Edits that overlap are an error of the list, whatever the source.
void put(ChangeList& list, const ListedEdit& edit, std::uint64_t at, Bytes bytes) {
    try {
        list.put(at, edit.removed(), std::move(bytes));
    } catch (const Error& error) {
        if (error.code() != ErrorCode::usage) throw;
        throw edit_error(edit, ErrorCode::damaged, "it overlaps another edit, or reaches past the source's end")
            .found(offset_text(at));
    }
}

/// The same of what follows from other edits.
void put_all(ChangeList& list, const ChangeList& more, const char* which) {
    list.hold(more);
    for (const Splice& splice : more.splices()) try {
            list.put(splice);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::usage) throw;
            throw Error(ErrorCode::damaged, fmt::format("{} are edited twice", which))
                .at(splice.offset)
                .hint("leave one of the two edits out");
        }
}

/// What a list comes to for one source.
class Bound final : public PatchReader {
public:
    Bound(const EditList& list, const PatchFacts& facts, const ByteSource& source, const Limits& limits)
        : facts_(facts), limits_(limits), source_(source), change_(source.size()) {
        std::vector<const ListedEdit*> whole;
        std::vector<std::pair<std::string, std::vector<const ListedEdit*>>> parts;
        for (const ListedEdit& edit : list.edits) {
            const std::string part =
                edit.part.empty() && edit.by == ListedEdit::By::field ? part_with(edit) : edit.part;
            if (part.empty()) {
                whole.push_back(&edit);
                continue;
            }
            const auto there = std::find_if(parts.begin(), parts.end(), [&](const auto& p) { return p.first == part; });
            (there == parts.end() ? parts.emplace_back(part, std::vector<const ListedEdit*>{}) : *there)
                .second.push_back(&edit);
        }
        for (const auto& [part, edits] : parts) in_part(part, edits);
        std::optional<Fields> fields;
        const ChangeList of_whole = change_of(borrowed(source), whole, limits_, fields);
        put_all(change_, of_whole, "bytes that follow from an edit inside of a part");
        keep_checks(fields, change_);
        source.check_intact();
    }

    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t) const noexcept override { return change_.result_size(); }
    Flow read(std::uint64_t, EditSink& sink) const override { return change_.tell(sink); }

private:
    /// The part of the source in which the table of a field is; empty: the source itself.
    std::string part_with(const ListedEdit& edit) {
        if (!fields_) fields_.emplace(borrowed(source_), limits_);
        const std::string table = edit.field.substr(0, edit.field.find_first_of("[."));
        std::string known;
        for (const FileFields::Unit& unit : fields_->units())
            for (const std::string& name : unit.fields.tables()) {
                if (name == table) return unit.part;
                known += (known.empty() ? "" : ", ") + name;
            }
        throw edit_error(edit, ErrorCode::usage,
                         fmt::format("no map at hand is for this file and has a table \"{}\"", table))
            .wanted(!edit.map.empty() ? edit.map + ", with which the list was written"
                    : known.empty()   ? "a map"
                                      : known)
            .as(ErrorId::needs_map, edit.map)
            .hint(edit.map.empty()
                      ? "bring the map"
                      : fmt::format("the list was written with {}: put it beside the list, or bring it", edit.map));
    }

    void in_part(const std::string& part, const std::vector<const ListedEdit*>& edits) {
        const auto so_far = std::make_shared<ChangedSource>(source_, change_);
        ChangeList change = change_inside(
            so_far, split_address(part),
            [&](const SharedSource& content, const Limits& inside) {
                std::optional<Fields> fields;
                ChangeList list = change_of(content, edits, inside, fields);
                keep_checks(fields, list);
                return list;
            },
            {.mend = true, .allow = {.signature = true, .packed = true}}, limits_);
        change.hold(so_far);
        change_ = change_.then(change);
    }

    /// Of a file or part, by all edits that are in it.
    ChangeList change_of(const SharedSource& file, const std::vector<const ListedEdit*>& edits, const Limits& limits,
                         std::optional<Fields>& fields) {
        ChangeList list(file->size());
        std::vector<FieldSetting> settings;
        std::optional<Identity> identity;
        look_for_patterns(*file, edits);
        for (const ListedEdit* const edit : edits) {
            if (edit->by != ListedEdit::By::field) {
                if (!identity && edit->by == ListedEdit::By::address) identity = identify(*file);
                at_bytes(*file, *edit, identity, list);
                continue;
            }
            if (!fields) {
                if (!identity) identity = identify(*file);
                fields.emplace(
                    *file, *identity,
                    maps_in(limits) ? maps_in(limits)->for_file(*identity, *file) : std::vector<SharedMap>{});
            }
            look_at_field(*fields, *edit, settings);
        }
        if (settings.empty()) return list;
        FieldPlan plan =
            fields->set(settings, {.mend = false, .allow = {.signature = true, .packed = true}, .limits = limits});
        put_all(list, plan.change, "bytes of a field");
        return list;
    }

    /// Edits of fields keep what was right; edits of bytes are the author's own affair.
    void keep_checks(const std::optional<Fields>& fields, ChangeList& list) {
        if (!fields) return;
        FieldPlan told;
        list = fields->keeping_checks(std::move(list), {.allow = {.signature = true, .packed = true}}, told);
    }

    /// All in one pass.
    void look_for_patterns(const ByteSource& file, const std::vector<const ListedEdit*>& edits) {
        std::vector<const ListedEdit*> by_pattern;
        std::vector<Pattern> patterns;
        for (const ListedEdit* const edit : edits) {
            if (edit->by != ListedEdit::By::pattern) continue;
            by_pattern.push_back(edit);
            patterns.push_back(*pattern_from(edit->pattern));
        }
        std::vector<std::vector<std::uint64_t>> found = places_of(patterns, file, 2);
        for (std::size_t i = 0; i < by_pattern.size(); ++i) places_[by_pattern[i]] = std::move(found[i]);
    }

    void at_bytes(const ByteSource& file, const ListedEdit& edit, const std::optional<Identity>& identity,
                  ChangeList& list) {
        const std::optional<std::uint64_t> at = place_of(file, edit, identity);
        if (!at) return void(++facts_.without_place);
        const bool inside = *at <= file.size() && edit.removed() <= file.size() - *at;
        if (!inside) {
            ++facts_.without_place;
            return differs(edit, fmt::format("{} at {}", counted(edit.removed(), "byte", "bytes"), offset_text(*at)),
                           fmt::format("the source ends at {}", offset_text(file.size())));
        }
        if (edit.old_bytes) {
            ++facts_.old_values;
            const Bytes found = stretch_of(file, *at, edit.removed());
            if (found != *edit.old_bytes) {
                const bool already = found == edit.new_bytes;
                facts_.already_new += already ? 1 : 0;
                differs(edit, bytes_text(*edit.old_bytes),
                        bytes_text(found) + (already ? " (the new value already)" : ""));
            }
        }
        put(list, edit, *at, edit.new_bytes);
    }

    std::optional<std::uint64_t> place_of(const ByteSource& file, const ListedEdit& edit,
                                          const std::optional<Identity>& identity) {
        if (edit.by == ListedEdit::By::offset) return edit.at;
        if (edit.by == ListedEdit::By::address) try {
                return place_at(*identity, file, edit.address).file_offset;
            } catch (const Error& error) {
                if (error.code() == ErrorCode::io) throw;
                return differs(edit, edit.address, error.what()), std::nullopt;
            }
        const std::vector<std::uint64_t>& places = places_.at(&edit);
        if (places.size() != 1) {
            differs(edit, "the pattern exactly once",
                    places.empty() ? "nowhere"
                                   : fmt::format("at {} and {}", offset_text(places[0]), offset_text(places[1])));
            return std::nullopt;
        }
        ++facts_.old_values;  // the pattern itself is one
        return places.front() + static_cast<std::uint64_t>(edit.plus);
    }

    void look_at_field(const Fields& fields, const ListedEdit& edit, std::vector<FieldSetting>& settings) {
        std::vector<FieldTable> shown;
        try {
            shown = fields.show({edit.field});
        } catch (const Error& error) {
            if (error.code() != ErrorCode::usage) throw;
            throw edit_error(edit, ErrorCode::usage, error.what())
                .wanted(error.wanted())
                .found(error.found())
                .hint(error.hint());
        }
        settings.push_back({edit.field, edit.new_value});
        if (!edit.old_value) return;
        for (const FieldTable& table : shown)
            for (const FieldRecord& record : table.records)
                for (const FieldValue& value : record.values) {
                    ++facts_.old_values;
                    if (same_value(value, *edit.old_value)) continue;
                    const bool already = same_value(value, edit.new_value);
                    facts_.already_new += already ? 1 : 0;
                    differs(edit, *edit.old_value, value.text + (already ? " (the new value already)" : ""));
                }
    }

    static bool same_value(const FieldValue& value, const std::string& text) {
        if (value.text == text) return true;
        return (value.kind == FieldValue::Kind::whole || value.kind == FieldValue::Kind::word) &&
               value.whole.text() == text;
    }

    void differs(const ListedEdit& edit, std::string wanted, std::string found) {
        facts_.differs.push_back({name_of(edit), std::move(wanted), std::move(found)});
    }

    PatchFacts facts_;
    Limits limits_;
    const ByteSource& source_;
    ChangeList change_;
    std::optional<FileFields> fields_;
    std::map<const ListedEdit*, std::vector<std::uint64_t>> places_;  ///< of patterns, two at most
};

}  // namespace

Reader::Reader(ByteView patch, const Limits& limits) : list_(read_edit_list(text_of(patch))), limits_(limits) {
    facts_.format = PatchFormat::edits;
    facts_.patch_size = patch.size();
    facts_.source = list_.source, facts_.target = list_.target;
    facts_.records = list_.edits.size();
    facts_.title = list_.title;
    std::uint64_t end = 0;
    for (const ListedEdit& edit : list_.edits) {
        const bool has_old = edit.by == ListedEdit::By::field ? edit.old_value.has_value() : edit.old_bytes.has_value();
        facts_.without_old += has_old || edit.by == ListedEdit::By::pattern ? 0 : 1;
        plain_ = plain_ && edit.by == ListedEdit::By::offset && edit.part.empty();
        if (edit.at > INT64_MAX - edit.removed())
            throw edit_error(edit, ErrorCode::damaged, "no file has such an offset");
        if (edit.by == ListedEdit::By::offset && edit.part.empty()) end = std::max(end, edit.at + edit.removed());
        growth_ += static_cast<std::int64_t>(edit.new_bytes.size()) - static_cast<std::int64_t>(edit.removed());
        const bool known =
            edit.map.empty() || std::find(facts_.maps.begin(), facts_.maps.end(), edit.map) != facts_.maps.end();
        if (!known) facts_.maps.push_back(edit.map);
    }
    facts_.source_reach = end;
    if (!plain_) growth_ = 0;
    if (!plain_) return;
    ChangeList list(std::max(end, facts_.source.size.value_or(end)));
    for (const ListedEdit& edit : list_.edits) put(list, edit, edit.at, edit.new_bytes);
}

std::uint64_t Reader::target_size(std::uint64_t source_size) const noexcept {
    if (facts_.target.size && source_size == facts_.source.size) return *facts_.target.size;
    const auto growth = static_cast<std::uint64_t>(growth_);
    return growth_ < 0 && source_size < 0 - growth ? 0 : source_size + growth;
}

Flow Reader::read(std::uint64_t source_size, EditSink& sink) const {
    if (!plain_)
        throw Error(ErrorCode::usage,
                    "what this edit list does hangs on its source: it names fields, patterns, addresses or parts")
            .hint("name the source too");
    if (facts_.source_reach > source_size)
        throw Error(ErrorCode::wrong_source, "the source is too short for this edit list")
            .wanted(fmt::format("at least {}", counted(facts_.source_reach, "byte", "bytes")))
            .found(counted(source_size, "byte", "bytes"));
    ChangeList list(source_size);
    for (const ListedEdit& edit : list_.edits) put(list, edit, edit.at, edit.new_bytes);
    return list.tell(sink);
}

std::unique_ptr<PatchReader> Reader::for_source(const ByteSource& source) const {
    return std::make_unique<Bound>(list_, facts_, source, limits_);
}

}  // namespace hotstitch::edits
