// SPDX-License-Identifier: MIT
// What files are and patches do, told. Tested by tests/cli/cli_describe_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch.h"
#include "hotstitch/tell.h"
#include "hotstitch/text.h"
#include "tell/describe_change.h"
#include "tell/describe_disc.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

constexpr std::size_t ranges_shown = 8, members_shown = 12, windows_shown = 6;
constexpr std::size_t most_windows_in_json = 4096;

constexpr DigestChoice shown_digests{.crc32 = true, .md5 = true, .sha1 = true};

/// Of a ROM behind a front header, or in another order, also as the console reads it: lists of known files go by that.
std::optional<Digests> state_digests_as_read(Report& part, const InputFile& file, const Identity& identity,
                                             const WorkOptions& context) {
    if (!identity.reading) return std::nullopt;
    const Digests digests = digest(*read_as(file, *identity.reading), available(shown_digests), context.progress);
    std::vector<std::string> lines{words_for(*identity.reading) + ":", "crc32 " + digests.crc32->hex()};
    if (digests.sha1) lines.push_back("sha1  " + hex(digests.sha1->bytes));
    part.list("as_read", "as read", lines, lines.size(), json_of(digests));
    return digests;
}

/// Whether the file is the plain image in a copy that leaves nearly all of it out, for minutes of hashing zeros.
bool is_mostly_holes(const InputFile& file) {
    constexpr std::uint64_t worth_it = std::uint64_t{1} << 30, share = 16;
    return file.is_computed() && file.size() > worth_it && file.computed_from().size() < file.size() / share;
}

void state_digests(Report& part, const InputFile& file, const WorkOptions& context) {
    const bool holes = is_mostly_holes(file);
    const Digests digests =
        digest(file, holes ? DigestChoice{.crc32 = true} : available(shown_digests), context.progress);
    if (holes) part.warn("md5 and sha1 were left out: nearly all of the plain image are holes in the copy");
    part.fact("size", "size", size_text(*digests.size), *digests.size);
    part.fact("crc32", "crc32", digests.crc32->hex(), digests.crc32->hex());
    if (digests.md5) part.fact("md5", "md5", hex(digests.md5->bytes), hex(digests.md5->bytes));
    if (digests.sha1) part.fact("sha1", "sha1", hex(digests.sha1->bytes), hex(digests.sha1->bytes));
}

Json window_json(const Window& window) {
    Json segment = nullptr;
    if (window.segment != Segment::none)
        segment = {{"of", window.segment == Segment::source ? "source" : "target"},
                   {"offset", window.segment_offset},
                   {"length", window.segment_length}};
    Json sections = Json::array();
    for (std::size_t s = 0; s < window.section_sizes.size(); ++s)
        sections.push_back({{"size", window.section_sizes[s]}, {"compressed", window.section_compressed[s]}});
    return {{"number", window.number},
            {"offset", window.offset},
            {"length", window.length},
            {"segment", std::move(segment)},
            {"sections", std::move(sections)},
            {"patch_offset", window.patch_offset},
            {"patch_length", window.patch_length},
            {"adler32", window.adler32 ? Json(window.adler32->hex()) : Json(nullptr)}};
}

/// A patch in windows: how many, how they are checked and compressed, and the first of them one by one.
void state_windows(Report& part, const PatchReader& patch) {
    const PatchFacts& facts = patch.facts();
    Json list = Json::array();
    std::vector<std::string> lines;
    patch.windows([&](const Window& window) {
        if (list.size() < most_windows_in_json) list.push_back(window_json(window));
        if (lines.size() < windows_shown) lines.push_back(words_for(window));
        return list.size() < most_windows_in_json ? Flow::go_on : Flow::stop;
    });
    part.fact("window_count", "windows",
              fmt::format("{}, {} of them with a check, the longest makes {}", grouped(facts.windows),
                          facts.checked_windows == facts.windows ? "all" : grouped(facts.checked_windows),
                          size_text(facts.largest_window)),
              facts.windows);
    part.list("windows", "window", lines, lines.size(), list, facts.windows);
    part.fact("compression", "sections",
              facts.compressor.empty() ? "plain" : fmt::format("{}-compressed", facts.compressor),
              facts.compressor.empty() ? Json(nullptr) : Json(facts.compressor));
    part.fact("source_reach", "reads source",
              facts.source_reach == 0 ? "nowhere" : fmt::format("up to byte {}", grouped(facts.source_reach)),
              facts.source_reach);
    if (facts.own_code_table) part.note("the patch brings its own code table");
    if (facts.windows == 0) part.warn("the patch has no windows: it makes an empty file");
    if (facts.source_was_packed)
        part.warn("by its header, the patch was made from the unpacked content of a packed source");
}

void state_needs(Report& part, const PatchReader& patch, const PatchSummary& summary, bool source_given) {
    const PatchFacts& facts = patch.facts();
    if (facts.reach != 0 && !traits_of(facts.format).has_checks)
        part.fact("reach", "last write", fmt::format("at offset {}", offset_text(facts.reach - 1)), facts.reach);
    if (traits_of(facts.format).has_windows) state_windows(part, patch);
    if (facts.cut) part.fact("cut", "cuts to", size_text(*facts.cut), *facts.cut);
    if (source_given) part.fact("target_size", "makes", size_text(summary.target_size), summary.target_size);
    struct Row {
        const char* key;
        const char* label;
        const EditCount& count;
    };
    const Row rows[] = {{"same_place", "unchanged", summary.same_place},
                        {"moved", "moved", summary.moved},
                        {"repeated", "repeated", summary.repeated},
                        {"literal", "literal", summary.literal},
                        {"run", "runs", summary.run},
                        {"xored", "differences", summary.xored}};
    Json value = Json::object();
    for (const Row& row : rows) value[row.key] = {{"edits", row.count.edits}, {"bytes", row.count.bytes}};
    for (const Row& row : rows)
        if (row.count.edits != 0)
            part.fact("edits", row.label,
                      fmt::format("{} in {}", counted(row.count.bytes, "byte", "bytes"),
                                  counted(row.count.edits, "piece", "pieces")),
                      value);
    if (summary.target_size != 0) {
        const double share = 100.0 * static_cast<double>(summary.literal.bytes + summary.xored.bytes) /
                             static_cast<double>(summary.target_size);
        part.fact("new_share", "new", fmt::format("{:.2f} % of the target", share), share);
    }
    if (facts.overlapping) part.note("records jump back or overlap; the last one wins");
}

void state_ranges(Report& part, const PatchSummary& summary) {
    std::vector<std::string> lines;
    for (const ByteRange& range : summary.first_ranges)
        lines.push_back(fmt::format("{} to {}  ({})", offset_text(range.offset),
                                    offset_text(range.offset + range.length - 1),
                                    counted(range.length, "byte", "bytes")));
    const Json value = {
        {"bytes", summary.touched_bytes}, {"ranges", summary.touched_ranges}, {"first", json_of(summary.first_ranges)}};
    part.fact("touches", "touches",
              fmt::format("{} in {}", counted(summary.touched_bytes, "byte", "bytes"),
                          counted(summary.touched_ranges, "place", "places")),
              value);
    part.list("touches", "touches", lines, ranges_shown, value, summary.touched_ranges);
}

void state_wish(Report& part, const std::string& key, const std::string& label, const Digests& wish) {
    if (wish.empty()) return;
    std::string text = wish.size ? size_text(*wish.size) : std::string("any size");
    if (wish.crc32) text += ", crc32 " + wish.crc32->hex();
    part.fact(key, label, text, json_of(wish));
    if (wish.sha1) part.fact(key, label, "sha1 " + hex(wish.sha1->bytes), json_of(wish));
}

void describe_patch(const InputFile& file, const std::string& source_name, const WorkOptions& context, Report& part) {
    WorkOptions with_maps = context;
    with_maps.limits = limits_for_patch(file, context);
    const auto patch = open_patch(file, with_maps.limits);
    std::optional<SourceFile> source;
    if (!source_name.empty()) {
        source.emplace(source_for(open_file(source_name, context), *patch, {}, context));
        state_source(*source, part);
    }
    // An edit list without its source is told as it is written.
    const std::unique_ptr<PatchReader> bound = source ? patch->for_source(source->file) : nullptr;
    const PatchReader& meant = bound ? *bound : *patch;
    const PatchFacts& facts = meant.facts();
    part.detail("format", traits_of(facts.format).name);
    part.detail("records", facts.records);
    state_digests(part, file, context);
    if (facts.format == PatchFormat::edits) state_edit_list(file, facts, source.has_value(), part);
    if (facts.format != PatchFormat::edits || source) {
        const PatchSummary summary = summarise(meant, source ? std::optional(source->file.size()) : std::nullopt, 64);
        state_needs(part, meant, summary, source.has_value());
        state_ranges(part, summary);
    }
    if (source) state_touched(meant, source->file, with_maps, part);
    if (facts.metadata_size != 0) {
        const bool cut = facts.metadata.size() < facts.metadata_size;
        part.fact("metadata", "metadata", escaped(facts.metadata) + (cut ? " …" : ""), as_utf8(facts.metadata));
    }
    state_wish(part, "needs", "needs source", facts.source);
    state_wish(part, "makes", "makes target", facts.target);
    const auto found = find_checks(file);
    checks_fact(part, found);
    bool known = !facts.source.empty();
    if (found) {
        known = compare(found->checks.patch, digest(file, choice_for(found->checks.patch))).empty();
        state_wish(part, "needs", "needs source", found->checks.source);
        state_wish(part, "makes", "makes target", found->checks.target);
        if (!known) part.warn("the checks file was written for another version of this patch");
    }
    if (source) shared_fact(part, count_shared(meant, source->file, context.limits, context.progress));
    if (!known && facts.checked_windows != 0)
        part.unchecked(
            "which source it needs: the patch carries checks of what it makes only, so a wrong source shows when it is "
            "applied or verified");
    else if (!known && traits_of(facts.format).has_windows)
        part.unchecked("which source it needs, and what it makes: the patch carries no checks at all");
    else if (!known && facts.format == PatchFormat::edits && facts.records > facts.without_old)
        ;  // its old values tell
    else if (!known)
        part.unchecked("which source it needs: the format carries no checksum, and no checks file lies beside it");
    file.check_intact();
    part.good("patch", fmt::format("{} is a patch: {}.", shown(file.path()), words_for(facts)));
}

/// A member, as far as a look into it is worth the time.
std::string words_for_member(const Part& member, const ExtractPart& extract, const WorkOptions& context, Json& row) {
    constexpr std::uint64_t largest = 64 << 20;
    FileKind kind = recognise_file(member.head ? member.head() : Bytes{});
    row = {{"name", as_utf8(member.name)}, {"kind", name_of(kind.id)}, {"encrypted", member.encrypted}};
    if (member.encrypted) return "encrypted";
    if (member.size.value_or(largest + 1) > largest || (kind.id != KindId::data && kind.id != KindId::executable))
        return std::string(kind.title);
    const auto content = context.limits.scratch();
    extract(*content);
    const Identity identity = identify(WrittenSource(*content));
    row["kind"] = name_of(identity.kind.id);
    return escaped(words_for(identity));
}

/// What an archive holds, and how to name it.
void state_members(const InputFile& file, const std::string& name, const WorkOptions& context, Report& part) {
    const auto container = open_parts(file, context);
    Json list = Json::array();
    std::vector<std::string> lines;
    std::string first;
    container->visit([&](const Part& member, const ExtractPart& extract) {
        Json row;
        const std::string what =
            lines.size() < members_shown ? words_for_member(member, extract, context, row) : std::string();
        if (what.empty()) row = {{"name", as_utf8(member.name)}, {"encrypted", member.encrypted}};
        list.push_back(std::move(row));
        if (first.empty()) first = member.name;
        const std::string size = member.kind == PartKind::content && member.size
                                     ? fmt::format(", {}", size_text(*member.size))
                                     : std::string();
        lines.push_back(
            fmt::format("{}  ({}{})", member.name.empty() ? "the compressed file" : escaped(member.name), what, size));
        return Flow::go_on;
    });
    part.fact("holds", "holds", counted(lines.size(), "file", "files"), list);
    part.list("holds", "holds", lines, members_shown, list);
    if (!first.empty())
        part.next("to describe a file inside, name it",
                  fmt::format("hotstitch describe {}", shell_file(joined_address(name, escaped_part(first)))));
}

/// What is wrong in the file's own checks, and how it is put right; null: nothing.
const InternalCheck* state_wrong_check(const InputFile& file, const Identity& identity, Report& part) {
    const auto wrong = std::find_if(identity.checks.begin(), identity.checks.end(), [](const InternalCheck& check) {
        return check.mendable && check.state == CheckState::wrong;
    });
    if (wrong == identity.checks.end()) return nullptr;
    part.next("to put its internal checks right",
              fmt::format("hotstitch mend {} checksum -o OUTPUT", shell_file(file.path().string())));
    return &*wrong;
}

void describe_executable(const InputFile& file, const Identity& identity, const DescribeRequest& arguments,
                         Report& part) {
    executable_facts(part, identity);
    const bool all_places = place_facts(part, identity, file, arguments.at);
    const InternalCheck* const wrong = state_wrong_check(file, identity, part);
    file.check_intact();
    part.conclude(identity.warnings.empty() && wrong == nullptr && all_places ? Mood::good : Mood::unsure, "executable",
                  fmt::format("{} is {}.{}", shown(file.path()), escaped(words_for(identity)),
                              wrong != nullptr ? " Its checksum is not right, which few systems ask for." : ""),
                  all_places ? ExitCode::yes : ExitCode::wrong_call);
}

void describe_image(const InputFile& file, const Identity& image, const DescribeRequest& arguments, Report& part) {
    image_facts(part, image);
    const bool all_places = place_facts(part, image, file, arguments.at);
    if (arguments.free) free_facts(part, image, file);
    const InternalCheck* const wrong = state_wrong_check(file, image, part);
    file.check_intact();
    const bool stale = wrong != nullptr;
    part.conclude(stale || !all_places ? Mood::unsure : Mood::good, "cartridge",
                  fmt::format("{} is {}.{}", shown(file.path()), escaped(words_for(image)),
                              stale ? fmt::format(" Not right in it: {}.", wrong->name) : ""),
                  all_places ? ExitCode::yes : ExitCode::wrong_call);
}

/// The one file in an archive that matters: a game, or else a patch.
std::optional<InputFile> what_matters_in(const InputFile& file, const std::string& name, const WorkOptions& context) {
    if (auto game = only_member(file, context)) return game;
    try {
        PatchFile patch = open_patch_file(name, context);
        return std::move(patch.file);
    } catch (const Error& error) {
        const bool damaged = error.code() == ErrorCode::damaged || error.code() == ErrorCode::truncated;
        if (error.code() == ErrorCode::cancelled || damaged) throw;
        return std::nullopt;  // there are several, or none
    }
}

/// A compressed copy is described as the disc that it stands for.
void state_copy(const InputFile& file, Report& part) {
    if (!file.is_computed()) return;
    const InputFile copy = file.computed_from();
    part.fact("archive", "in", fmt::format("{}, {}", shown(copy.path()), identify(copy).kind.title),
              file_json(copy.origin().empty() ? copy.path() : std::filesystem::path(copy.origin())));
}

void state_names(Report& part, const std::string& address) {
    const Json names = file_json(address);
    part.detail("path", names["path"]);
    part.detail("part", names["part"]);
}

void describe_content(const InputFile& file, const std::string& name, const DescribeRequest& arguments,
                      const std::optional<KnownFiles>& known, const WorkOptions& context, Report& part, int depth = 0) {
    constexpr int deepest = 2;  // an archive may hold itself
    const Identity identity = identify(file);
    const bool is_cartridge = identity.is(KindId::cartridge), is_executable = identity.is(KindId::executable);
    part.detail("kind", name_of(identity.kind.id));
    if (identity.is(KindId::archive)) {
        const auto inside = depth < deepest ? what_matters_in(file, name, context) : std::nullopt;
        if (inside) {
            part = Report("file");
            state_names(part, inside->origin());
            part.fact("archive", "in", fmt::format("{}, {}", shown(file.path()), identity.kind.title),
                      file_json(file.origin()));
            return describe_content(*inside, inside->origin(), arguments, known, context, part, depth + 1);
        }
    }
    if (!is_cartridge && (arguments.free || (!arguments.at.empty() && identity.segments.empty())))
        throw Error(
            ErrorCode::usage,
            is_executable && !identity.segments.empty()
                ? "free space is known of cartridge ROMs alone"
                : "places are known of cartridge ROMs and executables, free space of cartridge ROMs, and this file is "
                  "none that is known")
            .in(shown(file.path()));
    if (identity.is(KindId::patch)) return describe_patch(file, arguments.source, context, part);
    if (identity.is(KindId::empty)) {
        part.fact("size", "size", size_text(0), 0);
        part.bad("empty", fmt::format("{} is empty.", shown(file.path())), ExitCode::bad_input);
        return part.next("a download or copy likely failed; get the file again");
    }
    if (!identity.platform.empty()) identity_facts(part, identity);
    state_digests(part, file, context);
    const std::optional<Digests> as_read = state_digests_as_read(part, file, identity, context);
    known_fact(part, known, file, as_read, context);
    if (is_cartridge) return describe_image(file, identity, arguments, part);
    if (is_executable && !identity.platform.empty()) return describe_executable(file, identity, arguments, part);
    if (identity.is(KindId::disc)) return describe_disc(file, identity, name, context, part);
    if (identity.is(KindId::web_page))
        part.next("if this should be a patch or a game: the page around the download was saved; save the file itself");
    if (identity.is(KindId::disc_copy))
        part.next("a patch is made for the plain image: save a plain, full copy with what made or plays this one");
    if (identity.is(KindId::chunk_file))
        part.next("to see its chunks", fmt::format("hotstitch parts {}", shell_file(name)));
    if (identity.is(KindId::archive) || identity.is(KindId::payload)) state_members(file, name, context, part);
    part.good(name_of(identity.kind.id), fmt::format("{} is {}.", shown(file.path()), identity.kind.title));
}

void describe_file(const std::string& name, const DescribeRequest& arguments, const std::optional<KnownFiles>& known,
                   const WorkOptions& context, Report& part) {
    state_names(part, name);
    if (is_kit(name, context)) return describe_kit(part, KitInput(name, context));
    const InputFile file = open_file(name, context);
    if (!file.sheet().empty()) path_fact(part, "sheet", "by sheet", file.sheet());
    state_copy(file, part);
    describe_content(file, name, arguments, known, context, part);
}

}  // namespace

void describe(const DescribeRequest& arguments, Report& report, const WorkOptions& context) {
    const std::optional<KnownFiles> known = read_known(arguments.known, context);
    std::size_t bad = 0;
    ExitCode worst = ExitCode::yes;
    for (const std::string& name : arguments.files) {
        Report part("file");
        try {
            describe_file(name, arguments, known, context, part);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
            if (arguments.conclude)
                arguments.conclude(part, error);
            else
                part.conclude(error);
            if (arguments.files.size() > 1) part.fact("path", "file", escaped(name), Json(file_json(name))["path"]);
        }
        if (part.exit_code() != ExitCode::yes) ++bad;
        worst = std::max(worst, part.exit_code());
        report.part("files", std::move(part));
    }
    const std::string sentence =
        bad == 0 ? fmt::format("{} described.", counted(arguments.files.size(), "file", "files"))
        : arguments.files.size() == 1
            ? "The file could not be described."
            : fmt::format("{} of {} could not be described.", bad, counted(arguments.files.size(), "file", "files"));
    report.conclude(bad == 0 ? Mood::good : Mood::bad, bad == 0 ? "described" : "failed", sentence, worst);
}

}  // namespace hotstitch::tell
