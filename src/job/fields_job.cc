// SPDX-License-Identifier: MIT
// Fields of a file or of a part of it, looked at. Tested by tests/cli/cli_fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/meter.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/text.h"
#include "job/maps_in_use.h"
#include "job/sheets.h"
#include "source/whole.h"

namespace hotstitch {

struct FieldsJob::State {
    WorkOptions work;
    std::string inside{};
    std::optional<InputFile> file{};
    std::optional<MapsInUse> maps{};

    std::vector<std::string> names() const { return split_address(inside); }
};

FieldsJob::FieldsJob(const std::string& address, WorkOptions options, const FieldsJob* other)
    : state_(std::make_unique<State>(State{std::move(options)})) {
    ChangedFile changed = open_to_change(address, state_->work, Left::archives);
    state_->inside = joined_address(changed.inside);
    state_->file.emplace(std::move(changed.file));
    state_->maps.emplace(state_->work, *state_->file, other == nullptr ? nullptr : &*other->state_->maps);
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
    return state_->maps->broken();
}
const std::vector<std::string>& FieldsJob::maps() const noexcept {
    return state_->maps->titles();
}

void FieldsJob::with_fields(const std::function<void(const FileFields&)>& use) const {
    State& s = *state_;
    Limits narrowed = s.work.limits;
    const SharedSource content = open_inside(borrowed(*s.file), s.names(), narrowed, tracks_of(*s.file, s.work));
    use(s.maps->fields_of(content, s.inside.empty() ? narrowed : s.maps->limits_inside(narrowed)));
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
