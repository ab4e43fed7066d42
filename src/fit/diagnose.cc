// SPDX-License-Identifier: MIT
// The reasons, from the certain (a reading of the file passes every check) over the telling (a web page, an
// archive) to what the size alone says. Tested by tests/job/diagnose_test.cc, whose table is docs/diagnosis.md.
#include "hotstitch/fit.h"

#include <algorithm>
#include <array>
#include <span>

#include "base/letters.h"
#include "edit/target_builder.h"
#include "fit/disc_reasons.h"
#include "fit/readings.h"
#include "fit/reason_code.h"
#include "fit/windows.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Keeps nothing but the checksums of what is written.
class DigestingSink final : public ByteSink {
public:
    explicit DigestingSink(DigestChoice choice) : digester_(choice) {}
    void write(ByteView bytes) override { digester_.update(bytes); }
    Digests finish() { return digester_.finish(); }

private:
    Digester digester_;
};

constexpr std::uint64_t far_into_a_disc = std::uint64_t{64} << 20;

/// Tells a patch that is damaged.
void read_through(const PatchReader& patch, std::uint64_t source_size) {
    try {
        unwritten_bytes(patch, source_size);
    } catch (const Error& error) {
        if (error.code() != ErrorCode::wrong_source) throw;
    }
}

void add_reason(Diagnosis& diagnosis, Reason found, NextStep next) {
    found.code = reason_code(found);
    diagnosis.reasons.push_back(std::move(found));
    diagnosis.next = next;
}

/// What a file is that no game is. `surely`: whatever the patch; a text may well be what one with checks is for.
void look_at_kind(const Identity& file, Diagnosis& diagnosis, bool surely) {
    struct Row {
        KindId kind;
        Why why;
        NextStep next;
    };
    constexpr Row rows[] = {{KindId::web_page, Why::web_page, NextStep::open_the_page},
                            {KindId::archive, Why::archive, NextStep::unpack_it},
                            {KindId::pointer, Why::pointer, NextStep::fetch_the_file},
                            {KindId::disc_copy, Why::compressed_copy, NextStep::save_plain_copy},
                            {KindId::patch, Why::is_a_patch, NextStep::hand_in_the_game},
                            {KindId::other_patch, Why::is_a_patch, NextStep::hand_in_the_game},
                            {KindId::text, Why::other_kind, NextStep::hand_in_the_file},
                            {KindId::picture, Why::other_kind, NextStep::hand_in_the_file},
                            {KindId::document, Why::other_kind, NextStep::hand_in_the_file}};
    for (const Row& row : rows)
        if (file.is(row.kind) && !(surely && (row.why == Why::other_kind || row.why == Why::compressed_copy)))
            add_reason(
                diagnosis,
                {.why = row.why, .name = file.is(KindId::other_patch) ? std::string() : std::string(file.kind.title)},
                row.next);
}

class Diagnostician {
public:
    Diagnostician(const PatchReader& patch, const ByteSource& file, const DiagnoseOptions& options)
        : patch_(patch),
          facts_(patch.facts()),
          file_(file),
          source_(joined(facts_.source, options.checks.source)),
          target_(joined(facts_.target, options.checks.target)),
          options_(options),
          progress_(options.progress) {}

    Diagnosis run() {
        if (file_.size() == 0) {
            reason({.why = Why::empty}, NextStep::get_it_again);
        } else if (can_tell() && ((readings_may_help() && try_readings()) || try_others() || try_mends() ||
                                  try_parts() || try_front())) {
            // that says it all
        } else {
            look_at_content();
            if (result_.next == NextStep::save_plain_copy) return std::move(result_);  // its size says nothing
            if (facts_.source_was_packed) reason({.why = Why::unpacked_source});
            if (traits_of(facts_.format).has_windows && source_.empty())
                look_at_windows();
            else if (result_.reasons.empty() || source_.size)
                look_at_size();
        }
        if (edition_) reason(*std::move(edition_));
        return std::move(result_);
    }

private:
    void reason(Reason found) { add_reason(result_, std::move(found), result_.next); }
    void reason(Reason found, NextStep next) { add_reason(result_, std::move(found), next); }

    /// Is there anything to know the right source by?
    bool can_tell() const { return !source_.empty() || facts_.checked_windows != 0 || has_old_values(); }

    /// Of an edit list, what stands where it writes.
    bool has_old_values() const { return facts_.format == PatchFormat::edits && facts_.records > facts_.without_old; }

    /// In another representation, a file goes wrong in the first windows that read it. When it does only far into a
    /// disc, trying each reading up to there would cost much and find nothing.
    bool readings_may_help() const {
        if (!source_.empty() || has_old_values() || file_.size() < facts_.source_reach) return true;
        const WindowResults results = check_windows(patch_, file_, false, options_.limits, progress_);
        return results.first_wrong && results.first_wrong->offset < far_into_a_disc;
    }

    bool passes(const Representation& reading, const Digests& wanted) const {
        // A size alone proves no reading, and no values that stand before what was added prove that.
        if (!wanted.empty() && !wanted.has_checksum() &&
            (!has_old_values() || reading.kind == RepresentationKind::with_padding ||
             reading.kind == RepresentationKind::without_padding))
            return false;
        const auto source = read_as(file_, reading);
        if (has_old_values() && &wanted == &source_ && (!has_all_old_values(*source) || wanted.empty()))
            return has_all_old_values(*source);
        if (wanted.empty()) return makes_all_windows(*source);
        if (wanted.size && *wanted.size != source->size()) return false;
        return compare(wanted, digest(*source, choice_for(wanted), progress_, Phase::checking_source)).empty();
    }

    bool has_all_old_values(const ByteSource& source) const {
        try {
            return patch_.for_source(source)->facts().differs.empty();
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
            return false;  // no map is for the file so read
        }
    }

    bool try_readings() {
        for (const Representation& reading : readings_for(file_, source_.size)) {
            if (passes(reading, source_)) return found(reading, false);
            if (is_target(reading)) return found(reading, true);
        }
        return false;
    }

    bool is_target(const Representation& reading) const {
        if (target_.has_checksum()) return passes(reading, target_);
        if (has_old_values()) return false;
        return holds_all_windows(patch_, *read_as(file_, reading));
    }

    bool makes_all_windows(const ByteSource& source) const {
        if (source.size() < facts_.source_reach) return false;
        return check_windows(patch_, source, false, options_.limits, progress_).wrong == 0;
    }

    /// Without a checksum of the source, the windows of the target say what is wrong, and where it begins.
    void look_at_windows() {
        if (file_.size() < facts_.source_reach) {
            return reason({.why = Why::reads_past_end, .wanted = facts_.source_reach, .found = file_.size()},
                          NextStep::look_for_the_right_one);
        }
        if (facts_.checked_windows == 0) {
            return reason({.why = Why::no_checks_at_all}, NextStep::ask_for_a_checksum);
        }
        const WindowResults results = check_windows(patch_, file_, true, options_.limits, progress_);
        if (results.wrong == 0) return reason({.why = Why::windows_right});
        const Window& first = *results.first_wrong;
        Reason found{.wanted = results.wrong};
        found.windows = {results.right, results.wrong, first.number, first.offset};
        found.why = results.right == 0 && results.wrong == 1 ? Why::one_window_wrong
                    : results.right == 0                     ? Why::all_windows_wrong
                    : results.right + 1 == first.number      ? Why::right_up_to_a_window
                                                             : Why::some_windows_right;
        reason(std::move(found));
    }

    /// An add-on needs another patch's result; a file that has another patch is no longer the source.
    bool try_others() {
        if (source_.empty()) return false;
        for (const OtherPatch& other : options_.others) {
            const PatchFacts& facts = other.patch->facts();
            if (makes_the_source(*other.patch)) return needs(other);
            const bool same_source = !facts.source.empty() && compare(source_, facts.source).empty();
            if (!same_source || facts.target.empty() || !is(facts.target)) continue;
            reason({.why = Why::has_other_patch, .name = other.name}, NextStep::start_anew);
            return true;
        }
        return false;
    }

    /// A flag that somebody set, a signature, or junk in a header may be all that is in the way.
    bool try_mends() {
        using Call = std::pair<std::string_view, std::string_view>;
        constexpr Call of_programs[] = {{"remove-signature", ""},
                                        {"large-address-aware", "off"},
                                        {"large-address-aware", "on"},
                                        {"dynamic-base", "off"}};
        constexpr Call of_cartridges[] = {{"header-junk", ""}, {"checksum", ""}};
        if (source_.empty() || !source_.has_checksum()) return false;
        std::span<const Call> calls;
        if (recognise_file(head_of(file_)).id == KindId::executable)
            calls = of_programs;
        else if (identify(file_).is(KindId::cartridge))
            calls = of_cartridges;
        for (const auto& [name, value] : calls)
            for (const bool keep_checks : {true, false}) try {
                    const MendPlan plan = plan_mends(file_, {{std::string(name), std::string(value)}},
                                                     {.keep_checks = keep_checks, .allow = {true, true}});
                    if (!plan.changes() || !is(source_, ChangedSource(file_, plan.change))) continue;
                    result_.next_name = std::string(name) + (value.empty() ? "" : "=") + std::string(value);
                    reason({.why = Why::fits_mended, .name = result_.next_name}, NextStep::mend_first);
                    return true;
                } catch (const Error& error) {
                    if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
                }
        return false;
    }

    /// A patch for one file inside. Of an archive, what is inside is the source.
    bool try_parts() {
        if (!source_.size || !source_.has_checksum() || identify(file_).is(KindId::archive)) return false;
        std::string found;
        try {
            const Listing listing(borrowed(file_), options_.limits, progress_);
            if (!listing) return false;
            listing->visit([&](const Part& part, const ExtractPart&) {
                if (part.kind != PartKind::file || part.size != source_.size) return Flow::go_on;
                const SharedSource content = listing->open(part);
                if (content && is(source_, *content)) found = part.name;
                return found.empty() ? Flow::go_on : Flow::stop;
            });
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
        }
        if (found.empty()) return false;
        result_.next_name = found;
        reason({.why = Why::for_a_part, .name = found}, NextStep::name_the_part);
        return true;
    }

    /// What a disc says of itself, and what is the matter with the image.
    void look_at_disc(const Identity& disc) {
        edition_ = {.why = Why::edition, .name = edition_of(disc)};
        if (!disc.serial.empty()) edition_->name += ", " + disc.serial;
        add_all(reasons_of_disc(file_, disc, source_));
    }

    void add_all(std::vector<FoundReason> all) {
        for (FoundReason& found : all) reason(std::move(found.reason), found.next);
    }

    /// A loader or a converter may have added something behind the right file.
    bool try_front() {
        if (!source_.size || !source_.has_checksum() || *source_.size >= file_.size()) return false;
        if (!is(source_, SliceSource(borrowed(file_), 0, *source_.size))) return false;
        reason({.why = Why::right_in_front, .wanted = *source_.size, .found = file_.size()}, NextStep::cut_behind);
        return true;
    }

    bool is(const Digests& wanted) const { return is(wanted, file_); }
    bool is(const Digests& wanted, const ByteSource& file) const {
        if (wanted.size && *wanted.size != file.size()) return false;
        return compare(wanted, digest(file, choice_for(wanted), progress_, Phase::checking_source)).empty();
    }

    /// Does this patch, from whatever source, make the file that is wanted?
    bool makes_the_source(const PatchReader& other) const {
        const Digests& target = other.facts().target;
        if (target.crc32 && source_.crc32) return compare(source_, target).empty();
        const std::uint64_t size = other.target_size(file_.size());
        if (source_.size && *source_.size != size) return false;
        if (size > options_.limits.output_for(file_.size(), other.facts().patch_size)) return false;
        try {
            DigestingSink made(choice_for(source_));
            TargetBuilder builder(file_, made, size, progress_, Phase::checking_source);
            other.read(file_.size(), builder);
            builder.finish();
            return compare(source_, made.finish()).empty();
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
            return false;  // it does not apply to this file
        }
    }

    bool needs(const OtherPatch& other) {
        const Digests& source = other.patch->facts().source;
        const bool ready = source.empty() || is(source);
        reason({.why = ready ? Why::needs_other_patch : Why::needs_other_patch_and_source, .name = other.name},
               ready ? NextStep::apply_other_first : NextStep::find_source_of_other);
        result_.next_name = other.name;
        return true;
    }

    bool found(const Representation& reading, bool is_target) {
        if (is_target) {
            reason({.why = Why::target_as, .representation = reading}, NextStep::use_or_start_anew);
            return true;
        }
        reason({.why = Why::fits_as, .representation = reading},
               reading.harmless() ? NextStep::apply_as_read : NextStep::get_it_again_in_binary);
        result_.reading = reading;
        return true;
    }

    void look_at_content() {
        const Identity file = identify(file_);
        look_at_kind(file, result_, true);
        if (file.is(KindId::payload)) look_at_payload(file);
        if (file.looks_packed)
            reason({.why = Why::looks_packed, .name = std::string(file.platform_title)},
                   NextStep::look_for_the_plain_program);
        if (file.is(KindId::executable) && (!file.title.empty() || !fact_of(file, "version").empty()))
            edition_ = {.why = Why::edition, .name = edition_of(file)};
        add_all(reasons_of_name(file, options_.name));
        if (file.is(KindId::disc_copy)) add_all(reasons_of_disc(file_, file, source_));
        if (file.is(KindId::disc)) look_at_disc(file);
        if (file.is(KindId::cartridge))
            edition_ = {.why = Why::edition, .name = edition_of(file), .found_in = std::string(file.platform_title)};
    }

    /// Is what was packed the right file?
    void look_at_payload(const Identity& file) {
        const Listing container(borrowed(file_), options_.limits, progress_);
        MemorySink content;
        extract_part(*container, "content", content);
        if (!source_.empty() && is(source_, MemorySource(content.bytes())))
            reason({.why = Why::archive, .name = std::string(file.kind.title)}, NextStep::unpack_it);
    }

    /// Whether an edit list says which places differ.
    bool look_at_old_values() {
        constexpr std::size_t most = 16;
        if (!has_old_values()) return false;
        const auto bound = patch_.for_source(file_);
        for (const DigestMismatch& differs : bound->facts().differs) {
            if (result_.reasons.size() == most) break;
            reason({.why = Why::other_value,
                    .name = differs.name,
                    .wanted_text = differs.wanted,
                    .found_text = differs.found});
        }
        return !bound->facts().differs.empty();
    }

    /// A program or a disc has none in front, and neither has what its name says to be no game's.
    bool may_have_front_header() const {
        const Identity identity = identify(file_);
        if (identity.is(KindId::cartridge)) return true;
        const std::size_t dot = options_.name.rfind('.');
        return !identity.is(KindId::executable) && !identity.is(KindId::disc) &&
               (dot == std::string::npos || is_game_extension(std::string_view(options_.name).substr(dot)));
    }

    void look_at_size() {
        if (look_at_old_values()) return;
        const std::uint64_t size = file_.size();
        if (!source_.size)
            return reason({.why = source_.empty() ? Why::nothing_to_know_by : Why::no_representation_fits},
                          NextStep::ask_for_a_checksum);
        const std::uint64_t wanted = *source_.size, apart = size > wanted ? size - wanted : wanted - size;
        Reason found{.why = Why::other_size, .wanted = wanted, .found = size};
        if (size == wanted)
            found.why = Why::other_content;
        else if (is_header_size(apart) && may_have_front_header())
            found.why = size > wanted ? Why::front_header_and_more : Why::front_header_missing;
        else if (size < wanted && (size % 512 != 0 || wanted % size != 0))
            found.why = Why::cut_short;
        reason(std::move(found));
    }

    const PatchReader& patch_;
    const PatchFacts& facts_;
    const ByteSource& file_;
    Digests source_, target_;
    const DiagnoseOptions& options_;
    const Progress& progress_;
    Diagnosis result_;
    std::optional<Reason> edition_;  ///< what the file says it is; told after why it does not fit
};

}  // namespace

std::uint64_t unwritten_bytes(const PatchReader& patch, std::uint64_t source_size) {
    class Gaps final : public EditSink {
    public:
        Flow put(const Edit& edit) override {
            if (edit.gap) bytes += edit.length;
            return Flow::go_on;
        }
        std::uint64_t bytes = 0;
    } gaps;
    patch.read(source_size, gaps);
    return gaps.bytes;
}

namespace {

std::string extension_of(std::string_view name) {
    const std::size_t dot = name.rfind('.');
    return dot == std::string_view::npos ? std::string() : lower(std::string(name.substr(dot)));
}

/// A text may well be what is patched, and so may a page under a page's name.
bool belongs(const Identity& file, std::string_view name) {
    const std::string extension = extension_of(name);
    return file.is(KindId::text) ||
           (file.is(KindId::web_page) && (extension == ".htm" || extension == ".html" || extension == ".xhtml"));
}

}  // namespace

std::optional<Diagnosis> implausible_source(const PatchReader& patch, const ByteSource& file, std::string_view name,
                                            const std::optional<Representation>& reading) {
    Diagnosis diagnosis;
    // The whole file is looked at only where its begin says that it is something else: a cartridge may begin so.
    Identity by_head;
    by_head.kind = recognise_file(head_of(file));
    if (!belongs(by_head, name)) look_at_kind(by_head, diagnosis, false);
    if (!diagnosis.reasons.empty() && identify(file).is(KindId::cartridge)) diagnosis.reasons.clear();
    const std::uint64_t size = reading ? read_as(file, *reading)->size() : file.size();
    const FormatTraits& format = traits_of(patch.facts().format);
    if (format.id == PatchFormat::edits) {
        // It has no place past the end, and was read whole when it was opened.
    } else if (format.has_checks || format.has_windows) {
        if (!diagnosis.reasons.empty()) read_through(patch, size);
    } else if (const std::uint64_t gap = unwritten_bytes(patch, size); gap != 0) {
        // What may well be patched is a reason beside another.
        if (file.size() == 0) add_reason(diagnosis, {.why = Why::empty}, NextStep::get_it_again);
        if (by_head.is(KindId::text)) look_at_kind(by_head, diagnosis, false);
        const NextStep next = diagnosis.reasons.empty() ? NextStep::look_for_the_right_one : diagnosis.next;
        add_reason(diagnosis, {.why = Why::leaves_gap, .wanted = size, .found = gap}, next);
        if (const Identity found = identify(file); found.is(KindId::cartridge))
            add_reason(diagnosis,
                       {.why = Why::edition, .name = edition_of(found), .found_in = std::string(found.platform_title)},
                       next);
    }
    return diagnosis.reasons.empty() ? std::nullopt : std::optional(std::move(diagnosis));
}

Diagnosis contradicting_source(const Identity& cartridge, std::uint64_t past_end) {
    Diagnosis diagnosis;
    const std::string platform(cartridge.platform_title);
    add_reason(diagnosis, {.why = Why::writes_past_end, .found = past_end, .found_in = platform},
               NextStep::look_for_the_edition);
    add_reason(diagnosis, {.why = Why::edition, .name = edition_of(cartridge), .found_in = platform},
               NextStep::look_for_the_edition);
    return diagnosis;
}

Diagnosis diagnose(const PatchReader& patch, const ByteSource& file, const DiagnoseOptions& options) {
    return Diagnostician(patch, file, options).run();
}

}  // namespace hotstitch
