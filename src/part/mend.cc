// SPDX-License-Identifier: MIT
// Plans mends in the order in which they have to be done, each on what the one before it made. What there is to mend
// is said by the rows of the file's kind. Tested by tests/part/mend_test.cc.
#include "hotstitch/mend.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "part/mends.h"
#include "part/representation.h"
#include "source/whole.h"

namespace hotstitch {

Bytes Mending::file() const {
    Bytes out = front;
    if (!order) {
        out.insert(out.end(), rom.begin(), rom.end());
        return out;
    }
    // Byte orders undo themselves; interleaving does not.
    const Representation back{*order == RepresentationKind::de_interleaved ? RepresentationKind::interleaved : *order};
    const Bytes ordered = bytes_read(rom, back);
    out.insert(out.end(), ordered.begin(), ordered.end());
    return out;
}

namespace {

Mending mending_of(ByteView file, Identity identity, const MendOptions& options) {
    Mending mending{std::move(identity), options};
    const std::optional<Representation>& reading = mending.identity.reading;
    mending.rom = bytes_read(file, reading);
    if (reading) {
        mending.front.assign(file.begin(), file.begin() + static_cast<std::ptrdiff_t>(reading->bytes));
        if (reading->kind != RepresentationKind::without_front_header) mending.order = reading->kind;
    }
    return mending;
}

/// Whether its mends are changes of a file of any size, and those that it has.
bool has_file_mends(const Identity& identity) {
    return identity.is(KindId::disc) || (identity.is(KindId::executable) && !identity.platform.empty());
}
std::vector<MendRow> file_mends_of(const Identity& identity) {
    if (!identity.is(KindId::disc)) return mends_of_executable(identity);
    return identity.platform == "gamecube" || identity.platform == "wii" ? mends_of_table_disc() : mends_of_disc();
}

/// "a SNES ROM", "a Windows executable", "a disc image".
std::string subject(const Identity& identity) {
    if (identity.is(KindId::disc)) return "a disc image";
    return fmt::format("{} {}{}", identity.platform_title.find_first_of("AE") == 0 ? "an" : "a",
                       identity.platform_title, identity.is(KindId::executable) ? "" : " ROM");
}

const MendRow& row_for(const std::vector<MendRow>& rows, const MendRequest& request, const Identity& identity) {
    std::string known;
    for (const MendRow& row : rows) {
        if (row.name == request.name) return row;
        known += fmt::format("{}{}", known.empty() ? "" : ", ", row.name);
    }
    throw Error(ErrorCode::usage, fmt::format("{} has no mend \"{}\"", subject(identity), request.name))
        .wanted(known.empty() ? "none: nothing can be mended in it" : known);
}

void check_request(const MendRow& row, const MendRequest& request) {
    if (row.takes == MendRow::Value::needed && request.value.empty())
        throw Error(ErrorCode::usage, fmt::format("the mend {} needs a value", row.name))
            .wanted(fmt::format("{}=VALUE: {}", row.name, row.value));
    if (row.takes == MendRow::Value::none && !request.value.empty())
        throw Error(ErrorCode::usage, fmt::format("the mend {} takes no value", row.name)).found(request.value);
}

void check_options(const Identity& identity, const MendOptions& options) {
    if (!options.boot_code.empty() && identity.platform != "n64")
        throw Error(ErrorCode::usage, fmt::format("{} has no boot code variants", subject(identity)));
}

/// Which rows are asked for, with their values, in the order in which they have to be done.
using Ordered = std::vector<std::pair<const MendRow*, std::string_view>>;
Ordered ordered_requests(const std::vector<MendRow>& rows, const std::vector<MendRequest>& requests,
                         const Identity& identity) {
    Ordered ordered;
    for (const MendRequest& request : requests) {
        const MendRow& row = row_for(rows, request, identity);
        check_request(row, request);
        const bool named = std::any_of(ordered.begin(), ordered.end(), [&](const auto& o) { return o.first == &row; });
        // Of what may be added, several are fine.
        if (named && !row.repeats) throw Error(ErrorCode::usage, fmt::format("the mend {} was named twice", row.name));
        ordered.emplace_back(&row, request.value);
    }
    std::stable_sort(ordered.begin(), ordered.end(),
                     [](const auto& a, const auto& b) { return a.first->turn < b.first->turn; });
    return ordered;
}

const MendRow* checksum_row(const std::vector<MendRow>& rows) {
    const auto row = std::find_if(rows.begin(), rows.end(), [](const MendRow& r) { return r.turn == Turn::checks; });
    return row == rows.end() ? nullptr : &*row;
}

MendStep change_by(const ByteSource& file, const MendRow& row, std::string_view value, const MendOptions& options,
                   ChangeList& change) {
    FileMending mending{file, options};
    change = row.change(mending, value);
    return {.name = std::string(row.name),
            .fields = std::move(mending.fields),
            .ranges = change.changed_ranges(file),
            .warnings = std::move(mending.warnings),
            .reason = std::move(mending.reason)};
}

/// Each step is a change of what those before it have made.
MendPlan plan_for_file(const ByteSource& file, const Identity& identity, const std::vector<MendRequest>& requests,
                       const MendOptions& options) {
    const std::vector<MendRow> rows = file_mends_of(identity);
    check_options(identity, options);
    MendPlan plan;
    plan.change = ChangeList(file.size());
    const auto add = [&](const MendRow& row, std::string_view value) {
        const auto made = std::make_shared<ChangedSource>(file, plan.change);
        ChangeList change;
        plan.steps.push_back(change_by(*made, row, value, options, change));
        change.hold(made);
        plan.change = plan.change.then(change);
    };
    for (const auto& [row, value] : ordered_requests(rows, requests, identity)) add(*row, value);
    const MendRow* const checksum = checksum_row(rows);
    const bool asked = std::any_of(requests.begin(), requests.end(), [&](const MendRequest& r) {
        return checksum != nullptr && r.name == checksum->name;
    });
    if (options.keep_checks && plan.changes() && checksum != nullptr && !asked && all_checks_right(identity)) {
        add(*checksum, {});
        plan.steps.back().added = true;
    }
    return plan;
}

std::vector<MendOffer> offers_for_file(const ByteSource& file, const Identity& identity, MendOptions options) {
    options.allow = {true, true};  // what it would do, whatever it needs
    std::vector<MendOffer> offers;
    for (const MendRow& row : file_mends_of(identity)) {
        MendOffer offer{.name = row.name,
                        .value = row.value,
                        .present = {},
                        .what = std::string(row.what),
                        .step = {},
                        .cannot = {}};
        offer.needs_value = row.takes == MendRow::Value::needed;
        if (row.name == "entry" && identity.entry) offer.present = hex_text(*identity.entry, 1);
        if (row.name == "volume-id" || row.name == "title") offer.present = identity.title;
        if (row.name == "region") offer.present = identity.region;
        if (row.name == "disc-number") offer.present = fact_of(identity, "disc_number");
        if (!offer.needs_value) try {
                ChangeList change;
                offer.step = change_by(file, row, {}, options, change);
                offer.step->warnings.clear();
            } catch (const Error& error) {
                if (error.code() == ErrorCode::io) throw;
                offer.cannot = error.what();
            }
        // A checksum that is 0 is as good as none; flags are a matter of taste.
        const bool stale = row.turn == Turn::checks && !identity.is(KindId::disc) &&
                           std::any_of(identity.checks.begin(), identity.checks.end(),
                                       [](const InternalCheck& c) { return c.state == CheckState::wrong; });
        offer.needed = stale && offer.step && offer.step->changes();
        offers.push_back(std::move(offer));
    }
    return offers;
}

MendStep do_mend(Mending& mending, const MendRow& row, std::string_view value, Bytes& file) {
    mending.fields.clear();
    mending.warnings.clear();
    if (row.field != nullptr)
        set_field(mending.rom, *row.field, mending.identity, value, mending.fields);
    else
        row.run(mending, value);
    Bytes after = mending.file();
    MendStep step{std::string(row.name),
                  std::move(mending.fields),
                  differing_ranges(file, after),
                  std::move(mending.warnings),
                  {},
                  false};
    file = std::move(after);
    return step;
}

/// Of the file as it is so far, not all checks are right that were.
bool leaves_checks_stale(const Identity& before, const Bytes& made) {
    if (!all_checks_right(before)) return false;
    const std::optional<Identity> after = recognise_cartridge(made);
    return after && after->platform == before.platform && !all_checks_right(*after);
}

/// Whether the size that a header states is right, although the file's is another one: the checks are right over it.
bool states_right_size(const Identity& identity, ByteView rom) {
    const std::uint64_t stated = identity.declared_size.value_or(0);
    if (stated == 0 || stated >= rom.size()) return false;
    const auto as_stated = recognise_cartridge(rom.first(static_cast<std::size_t>(stated)));
    return as_stated && as_stated->platform == identity.platform && all_checks_right(*as_stated);
}

/// A check that was right and no longer is was made stale by a mend: say so.
void warn_of_stale_checks(const Identity& before, ByteView made, MendPlan& plan) {
    if (!plan.changes()) return;
    const std::optional<Identity> after = recognise_cartridge(made);
    if (!after) {
        plan.steps.back().warnings.emplace_back("the result is no longer recognised as a ROM of its platform");
        return;
    }
    std::string stale;
    for (const InternalCheck& check : after->checks) {
        const auto same = std::find_if(before.checks.begin(), before.checks.end(),
                                       [&](const InternalCheck& c) { return c.name == check.name; });
        if (check.state == CheckState::wrong && same != before.checks.end() && same->state == CheckState::right)
            stale += fmt::format("{}{}", stale.empty() ? "" : ", ", check.name);
    }
    if (!stale.empty())
        plan.steps.back().warnings.push_back(
            fmt::format("right before and stale now: {}; the mend checksum puts that right", stale));
}

}  // namespace

bool MendPlan::changes() const noexcept {
    return std::any_of(steps.begin(), steps.end(), [](const MendStep& s) { return s.changes(); });
}

namespace {

MendPlan plan_for_cartridge(ByteView file, const std::vector<MendRequest>& requests, const MendOptions& options) {
    std::optional<Identity> identity = recognise_cartridge(file);
    if (!identity)
        throw Error(ErrorCode::unsupported,
                    "the file is no ROM, executable or disc image of a known kind, so there is nothing to mend by")
            .hint("describe the file: it may be packed, damaged, or something else");
    const std::vector<MendRow> rows = mends_of_cartridge(*identity);
    const Ordered ordered = ordered_requests(rows, requests, *identity);
    check_options(*identity, options);
    Mending mending = mending_of(file, *std::move(identity), options);
    MendPlan plan;
    Bytes made(file.begin(), file.end());
    for (const auto& [row, value] : ordered) plan.steps.push_back(do_mend(mending, *row, value, made));
    const MendRow* const checksum = checksum_row(rows);
    if (options.keep_checks && plan.changes() && checksum != nullptr && leaves_checks_stale(mending.identity, made)) {
        plan.steps.push_back(do_mend(mending, *checksum, {}, made));
        plan.steps.back().added = true;
    }
    plan.change = differences(file, made);
    warn_of_stale_checks(mending.identity, made, plan);
    return plan;
}

}  // namespace

MendPlan plan_mends(const ByteSource& file, const std::vector<MendRequest>& requests, const MendOptions& options) {
    if (const Identity identity = identify(file); has_file_mends(identity))
        return plan_for_file(file, identity, requests, options);
    if (file.size() > largest_cartridge) return plan_for_cartridge({}, requests, options);
    return plan_for_cartridge(WholeView(file), requests, options);
}

MendPlan plan_mends(ByteView file, const std::vector<MendRequest>& requests, const MendOptions& options) {
    const auto source = std::make_shared<MemorySource>(file);
    MendPlan plan = plan_mends(*source, requests, options);
    plan.change.hold(source);
    return plan;
}

ChangeList keeping_checks(const ByteSource& file, const Identity& identity, ChangeList change, const Allowed& allow) {
    if (change.empty()) return change;
    check_executable_change(file, identity, allow);
    if (!all_checks_right(identity)) return change;
    const auto made = std::make_shared<ChangedSource>(file, change);
    const Identity after = identify(*made);
    if (after.platform != identity.platform || all_checks_right(after)) return change;
    MendPlan plan = plan_mends(*made, {{"checksum", {}}}, {.allow = {.signature = true, .packed = true}});
    plan.change.hold(made);
    return change.then(plan.change);
}

std::vector<MendOffer> mends_for(const ByteSource& source, const MendOptions& options) {
    if (const Identity found = identify(source); has_file_mends(found)) return offers_for_file(source, found, options);
    std::optional<Identity> identity = recognise_cartridge(source);
    if (!identity) return {};
    check_options(*identity, options);
    const WholeView view(source);
    const ByteView file = view;
    const Mending mending = mending_of(file, *std::move(identity), options);
    std::vector<MendOffer> offers;
    for (const MendRow& row : mends_of_cartridge(mending.identity)) {
        MendOffer offer{.name = row.name,
                        .needs_value = row.takes == MendRow::Value::needed,
                        .needed = false,
                        .value = row.value,
                        .present = row.name == "region"  ? mending.identity.region
                                   : row.name == "title" ? mending.identity.title
                                                         : std::string(),
                        .what = std::string(row.what),
                        .step = {},
                        .cannot = {}};
        if (!offer.needs_value) try {
                Mending copy = mending;
                Bytes made(file.begin(), file.end());
                offer.step = do_mend(copy, row, {}, made);
            } catch (const Error& error) {
                offer.cannot = error.what();
            }
        const bool is_size_field = row.field != nullptr && row.field->kind == HeaderField::Kind::size;
        offer.needed = offer.step && offer.step->changes() && row.turn != Turn::size &&
                       !(is_size_field && states_right_size(mending.identity, mending.rom));
        offers.push_back(std::move(offer));
    }
    return offers;
}

}  // namespace hotstitch
