// SPDX-License-Identifier: MIT
// Plans mends in the order in which they have to be done, each on what the one before it made.
// Tested by tests/mend_test.cc.
#include "hotstitch/mend.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "part/cartridge/platform.h"
#include "part/cartridge/resize.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

using cartridge::Platform;
using cartridge::platform_of;
using cartridge::PlatformMend;

constexpr std::string_view byte_order = "byte-order", de_interleave = "de-interleave";
constexpr std::string_view resizes[] = {"expand", "trim", "pad"};

/// The image, and the representation in which its bytes lie in the file.
struct Work {
    Cartridge image;
    Bytes front;  ///< a copier's header that stays in front
    std::optional<RepresentationKind> order;
    Bytes rom;

    Bytes file() const {
        Bytes out = front;
        if (!order) {
            out.insert(out.end(), rom.begin(), rom.end());
            return out;
        }
        // Byte orders undo themselves; interleaving does not.
        const Representation reading{*order == RepresentationKind::de_interleaved ? RepresentationKind::interleaved
                                                                                  : *order};
        const Bytes ordered = cartridge::bytes_read(rom, reading);
        out.insert(out.end(), ordered.begin(), ordered.end());
        return out;
    }
};

Work work_on(ByteView file, Cartridge image) {
    Work work{std::move(image), {}, {}, {}};
    work.rom = cartridge::bytes_read(file, work.image.reading);
    if (work.image.reading) {
        const auto taken = static_cast<std::ptrdiff_t>(work.image.reading->bytes);
        work.front.assign(file.begin(), file.begin() + taken);
        if (work.image.reading->kind != RepresentationKind::without_front_header) work.order = work.image.reading->kind;
    }
    return work;
}

void change_order(Work& work, const Platform& platform, std::string_view value, cartridge::Mending& mending) {
    const auto name_of = [&](std::optional<RepresentationKind> order) {
        const auto found = std::find_if(platform.orders.begin(), platform.orders.end(),
                                        [&](const cartridge::DumpOrder& o) { return o.reading == order; });
        return std::string(found->name);
    };
    if (value.empty()) value = platform.orders.front().name;
    const auto wanted = std::find_if(platform.orders.begin(), platform.orders.end(),
                                     [&](const cartridge::DumpOrder& o) { return o.name == value; });
    if (wanted == platform.orders.end()) {
        std::string known;
        for (const cartridge::DumpOrder& o : platform.orders)
            known += fmt::format("{}{}", known.empty() ? "" : ", ", o.name);
        throw Error(ErrorCode::usage, fmt::format("this platform knows no byte order \"{}\"", value)).wanted(known);
    }
    mending.fields.push_back({std::string(byte_order), name_of(work.order), std::string(wanted->name)});
    work.order = wanted->reading;
}

void put_in_order(Work& work, cartridge::Mending& mending) {
    const bool interleaved = work.order == RepresentationKind::de_interleaved;
    mending.fields.push_back(
        {"order", interleaved ? "interleaved" : "as the console reads it", "as the console reads it"});
    if (!interleaved) return;
    if (!work.front.empty())
        mending.warnings.push_back(fmt::format(
            "the front header of {} bytes tells how the dump is interleaved, so it goes too", work.front.size()));
    work.order.reset();
    work.front.clear();
}

/// The platform's own mends in the order in which they are told: sizes, fields, checksums.
std::vector<PlatformMend> mends_of(const Platform& platform) {
    using cartridge::Turn;
    std::vector<PlatformMend> all;
    const auto add = [&](Turn turn) {
        for (const PlatformMend& mend : platform.mends)
            if (mend.turn == turn) all.push_back(mend);
    };
    add(Turn::field);
    for (const cartridge::HeaderField& field : platform.fields)
        if (!field.value.empty())
            all.push_back({field.kind == cartridge::HeaderField::Kind::region ? "region" : "title", Turn::field,
                           field.value, field.what, nullptr, &field});
    add(Turn::checks);
    return all;
}

std::optional<PlatformMend> platform_mend(const Platform& platform, std::string_view name) {
    for (const PlatformMend& mend : mends_of(platform))
        if (mend.name == name) return mend;
    return std::nullopt;
}

std::vector<std::string_view> names_for(const Platform& platform) {
    std::vector<std::string_view> names;
    if (!platform.orders.empty()) names.push_back(byte_order);
    if (platform.interleaves) names.push_back(de_interleave);
    if (platform.fixed_size.empty()) names.insert(names.end(), std::begin(resizes), std::end(resizes));
    for (const PlatformMend& mend : mends_of(platform)) names.push_back(mend.name);
    return names;
}

/// The turn of a mend: representation, size, fields, checksums.
int turn_of(const Platform& platform, std::string_view name) {
    if (name == byte_order || name == de_interleave) return 0;
    if (cartridge::is_resize(name)) return 1;
    return platform_mend(platform, name)->turn == cartridge::Turn::field ? 2 : 3;
}

void check_request(const Platform& platform, const MendRequest& request) {
    const std::vector<std::string_view> names = names_for(platform);
    if (std::find(names.begin(), names.end(), request.name) == names.end()) {
        std::string known;
        for (const std::string_view name : names) known += fmt::format("{}{}", known.empty() ? "" : ", ", name);
        throw Error(ErrorCode::usage, fmt::format("a {} image has no mend \"{}\"", platform.title, request.name))
            .wanted(known.empty() ? "none: nothing can be mended in images of this platform" : known);
    }
    const std::optional<PlatformMend> mend = platform_mend(platform, request.name);
    const bool needs = mend ? !mend->value.empty() : request.name == resizes[0];
    const bool takes = needs || cartridge::is_resize(request.name) || request.name == byte_order;
    if (needs && request.value.empty())
        throw Error(ErrorCode::usage, fmt::format("the mend {} needs a value", request.name))
            .wanted(fmt::format("{}=VALUE: {}", request.name,
                                mend ? mend->value : cartridge::value_of_resize(request.name)));
    if (!takes && !request.value.empty())
        throw Error(ErrorCode::usage, fmt::format("the mend {} takes no value", request.name)).found(request.value);
}

void check_requests(const Platform& platform, const std::vector<MendRequest>& requests, const MendOptions& options) {
    for (const MendRequest& request : requests) {
        check_request(platform, request);
        if (std::count_if(requests.begin(), requests.end(), [&](const auto& r) { return r.name == request.name; }) != 1)
            throw Error(ErrorCode::usage, fmt::format("the mend {} was named twice", request.name));
    }
    if (!options.boot_code.empty() && platform.name != "n64")
        throw Error(ErrorCode::usage, fmt::format("a {} image has no boot code variants", platform.title));
}

/// Whatever the size, it stays a ROM of its platform: the mends after it rely on that.
void resize(Work& work, const Platform& platform, const MendRequest& request, cartridge::Mending& mending) {
    cartridge::resize(work.rom, work.image, request.name, request.value, mending);
    const auto after = recognise_cartridge(work.rom);
    if (!after || after->platform != platform.name || after->internal_header != work.image.internal_header)
        throw Error(ErrorCode::usage, fmt::format("of that size it would be no {} ROM any more", platform.title))
            .found(mending.fields.front().after);
}

MendStep do_mend(Work& work, const Platform& platform, const MendRequest& request, const MendOptions& options,
                 Bytes& file) {
    cartridge::Mending mending{work.image, options, {}, {}};
    if (request.name == byte_order)
        change_order(work, platform, request.value, mending);
    else if (request.name == de_interleave)
        put_in_order(work, mending);
    else if (cartridge::is_resize(request.name))
        resize(work, platform, request, mending);
    else if (const auto mend = platform_mend(platform, request.name); mend->field != nullptr)
        cartridge::set_field(work.rom, *mend->field, request.value, mending);
    else
        mend->run(work.rom, request.value, mending);
    Bytes after = work.file();
    MendStep step{request.name, std::move(mending.fields), differing_ranges(file, after), std::move(mending.warnings)};
    file = std::move(after);
    return step;
}

/// A check that was right and no longer is was made stale by a mend: say so.
void warn_of_stale_checks(const Cartridge& before, ByteView made, MendPlan& plan) {
    if (!plan.changes()) return;
    const std::optional<Cartridge> after = recognise_cartridge(made);
    if (!after) {
        plan.steps.back().warnings.emplace_back("the result is no longer recognised as an image of its platform");
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

MendPlan plan_mends(const ByteSource& file, const std::vector<MendRequest>& requests, const MendOptions& options) {
    if (file.size() > largest_cartridge) return plan_mends(ByteView(), requests, options);
    return plan_mends(WholeView(file).bytes(), requests, options);
}

MendPlan plan_mends(ByteView file, const std::vector<MendRequest>& requests, const MendOptions& options) {
    std::optional<Cartridge> image = recognise_cartridge(file);
    if (!image)
        throw Error(ErrorCode::unsupported, "the file is no image of a known platform, so there is nothing to mend by")
            .hint("describe the file: it may be packed, damaged, or something else");
    Work work = work_on(file, std::move(*image));
    const Platform& platform = platform_of(work.image);
    check_requests(platform, requests, options);
    std::vector<MendRequest> ordered = requests;
    std::stable_sort(ordered.begin(), ordered.end(), [&](const MendRequest& a, const MendRequest& b) {
        return turn_of(platform, a.name) < turn_of(platform, b.name);
    });
    MendPlan plan;
    Bytes made(file.begin(), file.end());
    for (const MendRequest& request : ordered) plan.steps.push_back(do_mend(work, platform, request, options, made));
    plan.change = differences(file, made);
    warn_of_stale_checks(work.image, made, plan);
    return plan;
}

std::vector<MendOffer> mends_for(const ByteSource& source, const MendOptions& options) {
    std::optional<Cartridge> image = recognise_cartridge(source);
    if (!image) return {};
    const WholeView view(source);
    const ByteView file = view;
    const Work work = work_on(file, std::move(*image));
    const Platform& platform = platform_of(work.image);
    check_requests(platform, {}, options);
    std::vector<MendOffer> offers;
    for (const std::string_view name : names_for(platform)) {
        MendOffer offer;
        offer.name = name;
        const std::optional<PlatformMend> mend = platform_mend(platform, name);
        offer.value = mend ? mend->value : cartridge::value_of_resize(name);
        offer.needs_value = !offer.value.empty();
        if (name == "region") offer.present = work.image.region;
        if (name == "title") offer.present = work.image.title;
        offer.what = mend                         ? mend->what
                     : cartridge::is_resize(name) ? cartridge::words_of_resize(name)
                     : name == byte_order         ? "the byte order, to big-endian"
                                                  : "an interleaved dump put in order";
        if (!offer.needs_value) try {
                Work copy = work;
                Bytes made(file.begin(), file.end());
                offer.step = do_mend(copy, platform, {std::string(name), {}}, options, made);
            } catch (const Error& error) {
                offer.cannot = error.what();
            }
        offers.push_back(std::move(offer));
    }
    return offers;
}

}  // namespace hotstitch
