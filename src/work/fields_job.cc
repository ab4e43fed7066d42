// SPDX-License-Identifier: MIT
// Fields of a file or of a part of it: looked at, and changed, inside a change of the file around. Tested by
// tests/cli_fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/meter.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/words.h"
#include "source/whole.h"
#include "work/sheets.h"

namespace hotstitch {

struct FieldsJob::State {
    WorkOptions work;
    std::string inside{};
    std::optional<InputFile> file{};
    std::vector<std::string> broken{}, maps{};
    std::vector<SharedMap> used{};
    const State* other = nullptr;
    bool asked_for = true;  ///< the maps were named, not found

    std::vector<std::string> names() const { return split_address(inside); }
    Limits limits_for(const Limits& narrowed) const;
    FileFields fields_of(const SharedSource& content, const Limits& narrowed);
    void check(const FileFields& fields, const ByteSource& content);
};

FieldsJob::FieldsJob(const std::string& address, WorkOptions options, const FieldsJob* other)
    : state_(std::make_unique<State>(State{std::move(options)})) {
    ChangedFile changed = open_to_change(address, state_->work, Left::archives);
    state_->inside = joined_address(changed.inside);
    if (other != nullptr) state_->other = other->state_.get();
    state_->file.emplace(std::move(changed.file));
    if (state_->work.limits.maps && !state_->work.limits.maps->empty()) return;
    state_->asked_for = false;
    const std::filesystem::path folder = state_->file->path().parent_path();
    auto maps = std::make_shared<Maps>(
        *maps_of({.files = {}, .folder = folder.empty() ? "." : folder.string()}, state_->work, &state_->broken));
    if (other != nullptr)
        for (const SharedMap& map : other->state_->work.limits.maps->all()) maps->add(map);
    state_->work.limits.maps = std::move(maps);
}
FieldsJob::~FieldsJob() = default;
FieldsJob::FieldsJob(FieldsJob&&) noexcept = default;

const InputFile& FieldsJob::file() const noexcept {
    return *state_->file;
}
const std::string& FieldsJob::inside() const noexcept {
    return state_->inside;
}
const std::vector<std::string>& FieldsJob::broken() const noexcept {
    return state_->broken;
}
const std::vector<std::string>& FieldsJob::maps() const noexcept {
    return state_->maps;
}

/// A part that is named is looked at as a file of its own, too: with the maps that are for such files.
Limits FieldsJob::State::limits_for(const Limits& narrowed) const {
    if (inside.empty()) return narrowed;
    Limits limits = narrowed;
    auto both = std::make_shared<Maps>(narrowed.maps ? *narrowed.maps : Maps());
    for (const SharedMap& map : work.limits.maps->all()) {
        const std::vector<SharedMap> known = both->all();
        const MapTraits traits = traits_of(*map);
        if (traits.part.empty() && (traits.for_any || std::find(known.begin(), known.end(), map) == known.end()))
            both->add(map, traits.for_any);
    }
    limits.maps = std::move(both);
    return limits;
}

FileFields FieldsJob::State::fields_of(const SharedSource& content, const Limits& narrowed) {
    FileFields fields(content, limits_for(narrowed));
    if (fields.maps() == 0 && other != nullptr && !other->used.empty()) {
        auto sure = std::make_shared<Maps>();
        for (const SharedMap& map : other->used) sure->add(map, true);
        Limits limits = narrowed;
        limits.maps = std::move(sure);
        fields = FileFields(content, limits);
    }
    check(fields, *content);
    return fields;
}

void FieldsJob::State::check(const FileFields& fields, const ByteSource& content) {
    maps.clear(), used.clear();
    for (const FileFields::Unit& unit : fields.units())
        for (const SharedMap& map : unit.maps) {
            used.push_back(map);
            const MapTraits traits = traits_of(*map);
            maps.push_back(traits.title.empty() ? traits.name : traits.title);
        }
    const std::vector<SharedMap> all = work.limits.maps->all();
    if (fields.maps() != 0) return;
    const Identity& identity = fields.units().front().fields.identity();
    const bool has_header = !fields.units().front().fields.tables().empty();
    if (has_header && !asked_for) return;
    if (all.empty()) {
        throw Error(ErrorCode::usage, "no map says what stands where in this file")
            .in("map")
            .as(broken.empty() ? ErrorId::needs_map : ErrorId::none)
            .hint(broken.empty()
                      ? fmt::format("name one, or put it beside the file, under a name that ends in {}", map_extension)
                      : fmt::format("the map beside it is broken: {}", broken.front()));
    }
    const SharedMap* nearest = nullptr;
    MapFit best;
    for (const SharedMap& map : all) {
        const MapFit fit = fit_of(*map, identity, content);
        const bool nearer = nearest == nullptr || fit.right > best.right ||
                            (fit.right == best.right && fit.why.size() < best.why.size());
        if (nearer) nearest = &map, best = fit;
    }
    const MapTraits traits = traits_of(**nearest);
    throw Error(ErrorCode::wrong_source,
                all.size() == 1
                    ? fmt::format("the map {} is for another file", traits.name)
                    : fmt::format("none of the {} maps is for this file; the nearest is {}", all.size(), traits.name))
        .in("map")
        .found(best.why.empty() ? fmt::format("it is for the part {}", traits.part)
                                : fmt::format("{}", fmt::join(best.why, "; ")))
        .hint("name the map of this edition");
}

void FieldsJob::with_fields(const std::function<void(const FileFields&)>& use) const {
    State& s = *state_;
    Limits narrowed = s.work.limits;
    const SharedSource content = open_inside(borrowed(*s.file), s.names(), narrowed, tracks_of(*s.file, s.work));
    use(s.fields_of(content, narrowed));
    s.file->check_intact();
}

void FieldsJob::show_each(const std::vector<std::string>& selectors, const std::function<void(const FieldTable&)>& use,
                          const FieldSlices& slices) const {
    with_fields([&](const FileFields& fields) {
        Meter meter(state_->work.progress, Phase::reading, file().size());
        fields.show_each(
            selectors,
            [&](FieldTable&& table) {
                use(table);
                meter.finish();
            },
            slices);
    });
}

FieldPlan FieldsJob::set(const std::vector<FieldSetting>& settings, const FieldOptions& options) const {
    State& s = *state_;
    FieldPlan plan;
    ChangeList change = change_inside(
        borrowed(*s.file), s.names(),
        [&](const SharedSource& content, const Limits& narrowed) {
            const FileFields fields = s.fields_of(content, narrowed);
            plan = fields.set(settings, options);
            return plan.change;
        },
        {.mend = options.mend, .allow = options.allow}, s.work.limits, tracks_of(*s.file, s.work));
    plan.change = std::move(change);
    if (!s.inside.empty())
        for (FieldChange& field : plan.fields) field.part = joined_address(s.inside, field.part);
    s.file->check_intact();
    return plan;
}

const Limits& FieldsJob::limits() const noexcept {
    return state_->work.limits;
}

namespace {

/// The list as others will have it, applied to what it was made of.
void prove(const EditList& list, const ByteSource& target, const FieldsJob& job) {
    const std::string text = edit_list_text(list);
    const auto reader = open_patch(bytes_of(text), job.limits());
    const auto refuse = [](const char* why) {
        return Error(ErrorCode::wrong_target, "what an edit list can say of this does not make the other file")
            .found(why)
            .hint("a patch of another format holds any change");
    };
    const std::unique_ptr<ByteSink> made = scratch_of(job.limits());
    try {
        ApplyOptions options;
        options.limits = job.limits();
        apply(*reader, job.file(), *made, options);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
        throw refuse(error.what());
    }
    const WrittenSource whole(*made);
    Limits inside = job.limits();
    if (!are_same(*open_inside(borrowed(whole), split_address(job.inside()), inside), target))
        throw refuse("it makes other bytes");
}

}  // namespace

EditList edits_for(const FieldComparison& comparison, const FileFields& fields, const FileFields& there,
                   const FieldsJob& job) {
    const ByteSource &source = *fields.units().front().content, &target = *there.units().front().content;
    if (source.size() != target.size())
        throw Error(ErrorCode::usage, "the files differ in size, and what is told by fields keeps it")
            .as(ErrorId::sizes_differ)
            .hint("compare them byte by byte: that makes an edit list of any two files");
    EditList list;
    // Fields alone are for other editions, too; bytes at offsets are for this file.
    if (!comparison.outside.empty() && job.inside().empty()) {
        const DigestChoice crc{.crc32 = true};
        list.source = digest(source, crc), list.target = digest(target, crc);
    }
    for (const FieldChange& field : comparison.fields) {
        if (field.name.starts_with("header.")) continue;  // among the bytes outside
        ListedEdit edit{.by = ListedEdit::By::field,
                        .part = job.inside(),
                        .field = field.selector,
                        .old_value = field.before,
                        .new_value = field.after};
        if (!field.part.empty()) edit.part += (edit.part.empty() ? "" : ":") + field.part;
        for (const FileFields::Unit& unit : fields.units())
            if (unit.part == field.part && !unit.maps.empty()) edit.map = traits_of(*unit.maps.front()).name;
        list.edits.push_back(std::move(edit));
    }
    const auto bytes_of_range = [](const ByteSource& file, const ByteRange& range) {
        Bytes bytes(static_cast<std::size_t>(range.length));
        const ByteView view = file.read(range.offset, bytes.size(), bytes);
        return Bytes(view.begin(), view.end());
    };
    std::uint64_t total = 0;
    for (const ByteRange& range : comparison.outside) {
        total += range.length;
        if (total > most_listed_bytes) continue;  // only counted
        list.edits.push_back({.at = range.offset,
                              .part = job.inside(),
                              .old_bytes = bytes_of_range(source, range),
                              .new_bytes = bytes_of_range(target, range)});
    }
    if (total > most_listed_bytes)
        throw Error(ErrorCode::usage, "an edit list does not hold a change of this size")
            .wanted(fmt::format("at most {}", counted(most_listed_bytes, "new byte", "new bytes")))
            .found(counted(total, "byte", "bytes"))
            .as(ErrorId::list_too_large)
            .hint("a patch holds it");
    if (!list.edits.empty()) prove(list, target, job);
    return list;
}

}  // namespace hotstitch
