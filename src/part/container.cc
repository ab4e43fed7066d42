// SPDX-License-Identifier: MIT
// Names of parts: found exactly, else by what people leave out (case, a version), else the nearest are named.
// Tested by tests/part/part_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "part/kinds.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t most_named = 3, most_compared = 5000, longest_compared = 200;

/// A name without what people leave out.
std::string plain_name(std::string_view name) {
    if (name.starts_with("./")) name.remove_prefix(2);
    if (const std::size_t version = name.rfind(';');
        version != std::string_view::npos &&
        name.find_first_not_of("0123456789", version + 1) == std::string_view::npos)
        name = name.substr(0, version);
    std::string plain(name);
    std::transform(plain.begin(), plain.end(), plain.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return plain;
}

std::string_view last_name(std::string_view path) {
    return path.substr(path.rfind('/') == std::string_view::npos ? 0 : path.rfind('/') + 1);
}

/// The nearest names, or the first ones where none is near.
std::string nearest(const std::vector<Part>& parts, std::string_view name) {
    const std::string wanted = plain_name(name).substr(0, longest_compared);
    std::vector<std::pair<std::size_t, const Part*>> near;
    for (const Part& part : parts) {
        if (near.size() == most_compared) break;
        const std::string other = plain_name(part.name).substr(0, longest_compared);
        near.emplace_back(std::min(edit_distance(wanted, other), edit_distance(last_name(wanted), last_name(other))),
                          &part);
    }
    std::stable_sort(near.begin(), near.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::string list;
    for (std::size_t i = 0; i < std::min(near.size(), most_named); ++i)
        list +=
            fmt::format("{}{}", i == 0 ? "" : ", ", near[i].second->name.empty() ? "content" : near[i].second->name);
    return near.size() > most_named ? list + ", …" : list;
}

}  // namespace

Container::~Container() = default;

KnownParts::~KnownParts() = default;

Limits limits_inside(const Limits& limits, const ByteSource& file, std::string_view part) {
    Limits inside = limits;
    if (limits.maps) inside.maps = limits.maps->inside(identify(file), file, part);
    return inside;
}

SharedSource content_of(const Container& container, const Part& part, const Limits& limits) {
    if (SharedSource direct = container.open(part)) return direct;
    std::shared_ptr<ByteSink> scratch = scratch_of(limits);
    extract_part(container, part.name, *scratch);
    return held(std::move(scratch));
}

Listing::Listing(SharedSource file, const Limits& limits, const Progress& progress, const OpenOutermost& open)
    : file_(std::move(file)), container_(open ? open(*file_, limits) : open_container(*file_, limits, progress)) {}

SharedSource Listing::content(const Part& part, const Limits& limits) const {
    const SharedSource inner = content_of(*container_, part, limits);
    return {inner.get(), [inner, own = *this](const ByteSource*) {}};
}

namespace {

constexpr std::string_view no_parts = "there is no part \"{}\": the file has no parts that are known";

Listing opened(const SharedSource& file, const std::string& name, const Limits& limits, const OpenOutermost& open) {
    if (Listing listing(file, limits, {}, open); listing) return listing;
    throw Error(ErrorCode::usage, fmt::format(no_parts, name))
        .in("part")
        .found(std::string(identify(*file).kind.title))
        .hint(
            "discs, cartridge ROMs, executables and packed files have parts that can be put in; describe tells more of "
            "this file");
}

/// The part as `inside` makes it of its content, put back.
PutResult put_changed(const Container& container, const ByteSource& file, const Part& part, const SharedSource& content,
                      const ChangeList& inside, const PutOptions& options) {
    if (inside.empty()) return ChangeList(file.size());
    const auto changed = std::make_shared<ChangedSource>(content, inside);
    PutResult result = container.put(part, changed, options);
    result.change.hold(changed);
    return result;
}

PutResult change_from(std::size_t first, const SharedSource& file, const std::vector<std::string>& names,
                      const ChangeContainer& change, const PutOptions& options, const Limits& limits,
                      const OpenOutermost& open) {
    const std::string& name = names[first];
    const Listing container = opened(file, name, limits, open);
    if (first + 1 == names.size()) return change(*container, name, file, limits);
    const Part part = find_part(*container, name);
    const SharedSource content = content_of(*container, part, limits);
    const PutResult inside =
        change_from(first + 1, content, names, change, options, limits_inside(limits, *file, part.name), {});
    PutResult result = put_changed(*container, *file, part, content, inside.change, options);
    result.part = part;
    return result;
}

}  // namespace

SharedSource find_inside(SharedSource file, const std::vector<std::string>& names, Limits& limits,
                         const OpenOutermost& open) {
    for (const std::string& name : names) {
        const bool outermost = &name == &names.front();
        const Listing container(file, limits, {}, outermost ? open : OpenOutermost());
        const auto part = container ? part_by_name(*container, name) : std::nullopt;
        if (!part) return nullptr;
        const SharedSource inner = container.content(*part, limits);
        limits = limits_inside(limits, *file, part->name);
        file = inner;
    }
    return file;
}

SharedSource open_inside(SharedSource file, const std::vector<std::string>& names, Limits& limits,
                         const OpenOutermost& open) {
    OpenOutermost opens = open;
    for (const std::string& name : names) {
        const SharedSource inner = find_inside(file, {name}, limits, opens);
        if (!inner) throw no_such_part(*opened(file, name, limits, opens), name);
        file = inner, opens = {};
    }
    return file;
}

PutResult change_container(const SharedSource& file, const std::vector<std::string>& names,
                           const ChangeContainer& change, const PutOptions& options, const Limits& limits,
                           const OpenOutermost& open) {
    if (names.empty()) throw Error(ErrorCode::usage, "no part is named").in("part");
    return change_from(0, file, names, change, options, limits, open);
}

ChangeList change_inside(const SharedSource& file, const std::vector<std::string>& names, const ChangePart& change,
                         const PutOptions& options, const Limits& limits, const OpenOutermost& open) {
    if (names.empty()) return change(file, limits);
    const auto in_container = [&](const Container& container, const std::string& name, const SharedSource& outer,
                                  const Limits& inner) {
        const Part part = find_part(container, name);
        const SharedSource content = content_of(container, part, inner);
        return put_changed(container, *outer, part, content, change(content, limits_inside(inner, *outer, part.name)),
                           options);
    };
    return change_container(file, names, in_container, options, limits, open).change;
}

PutResult Container::put(const Part&, const SharedSource&, const PutOptions&) const {
    throw Error(ErrorCode::unsupported, fmt::format("nothing can be put into {}: it is only read", title()))
        .hint("take the part out, change it, and pack it again with the program that made the archive");
}

PutResult Container::add(const std::string&, const SharedSource&, const PutOptions&) const {
    throw Error(ErrorCode::unsupported, fmt::format("nothing can be added to {}", title()));
}

PutResult Container::remove(const Part& part, const PutOptions&) const {
    throw Error(ErrorCode::unsupported, fmt::format("{} cannot be removed from {}", part.name, title()));
}

std::optional<PartChanges> Container::change_all(const std::vector<PartChange>&, const PutOptions&) const {
    return std::nullopt;
}

SharedSource Container::open(const Part&) const {
    return nullptr;
}

SharedSource Container::stored(const Part&) const {
    return nullptr;
}

ChangeList put_in_place(const ByteSource& file, const Part& part, const ByteSource& content,
                        std::optional<std::byte> fill, const std::string& hint) {
    const std::uint64_t size = part.size.value_or(0);
    if (content.size() > size || (content.size() < size && !fill))
        throw Error(ErrorCode::usage,
                    fill ? fmt::format("{} cannot grow", part.name) : fmt::format("{} has a fixed size", part.name))
            .in("part")
            .wanted(fmt::format("{}{}", fill ? "at most " : "", counted(size, "byte", "bytes")))
            .found(counted(content.size(), "byte", "bytes"))
            .hint(hint);
    const JoinedSource filled(
        {borrowed(content), std::make_shared<FilledSource>(fill.value_or(std::byte{}), size - content.size())});
    // Only what differs: nothing changes that has not to.
    const ChangeList within = differences(SliceSource(borrowed(file), *part.offset, size), filled);
    ChangeList list(file.size());
    for (const Splice& splice : within.splices())
        list.put(*part.offset + splice.offset, splice.removed, Bytes(*splice.in.front().bytes));
    return list;
}

std::vector<Part> Container::parts() const {
    std::vector<Part> all;
    visit([&](const Part& part, const ExtractPart&) {
        all.push_back(part);
        all.back().head = nullptr;
        return Flow::go_on;
    });
    return all;
}

std::optional<Part> part_by_name(const Container& container, std::string_view name) {
    const std::vector<Part> parts = container.parts();
    for (const Part& part : parts)
        if (part.name == name) return part;
    const std::string wanted = plain_name(name);
    std::vector<const Part*> alike;
    for (const Part& part : parts)
        if (plain_name(part.name) == wanted) alike.push_back(&part);
    if (alike.size() == 1) return *alike.front();
    if (alike.size() > 1)
        throw Error(ErrorCode::usage, fmt::format("several parts go by the name {} but for case or version", name))
            .in("part")
            .found(fmt::format("{}, {}", alike[0]->name, alike[1]->name))
            .hint("spell the name as it stands there");
    for (const Part& part : parts)
        if (part.encrypted && wanted.starts_with(plain_name(part.name.substr(0, part.name.find('/') + 1))) &&
            part.name.find('/') != std::string::npos)
            throw Error(ErrorCode::unsupported,
                        fmt::format("{} is encrypted, and {} would lie in it; it can be read with your own key",
                                    part.name, name))
                .as(ErrorId::needs_keys)
                .hint("bring a file of keys, with a line common = …");
    return std::nullopt;
}

Error no_such_part(const Container& container, std::string_view name) {
    const std::vector<Part> parts = container.parts();
    return Error(ErrorCode::usage, fmt::format("there is no part {} in {}", name, container.title()))
        .in("part")
        .wanted(parts.empty() ? "nothing: it has no parts" : nearest(parts, name));
}

Part find_part(const Container& container, std::string_view name) {
    if (auto part = part_by_name(container, name)) return *std::move(part);
    throw no_such_part(container, name);
}

Part extract_part(const Container& container, std::string_view name, ByteSink& out) {
    const auto extract = [&](std::string_view spelt) {
        std::optional<Part> found;
        container.visit([&](const Part& part, const ExtractPart& content) {
            if (part.name != spelt) return Flow::go_on;
            content(out);
            found = part;
            found->head = nullptr;
            return Flow::stop;
        });
        return found;
    };
    if (auto part = extract(name)) return *std::move(part);
    return extract(find_part(container, name).name).value();
}

}  // namespace hotstitch
