// SPDX-License-Identifier: MIT
// Names of parts: found exactly, else by what people leave out (case, a version), else the nearest are named.
// Tested by tests/part_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "hotstitch/error.h"
#include "hotstitch/map.h"
#include "hotstitch/part.h"
#include "hotstitch/words.h"
#include "part/kinds.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t most_named = 3, most_compared = 5000, longest_compared = 200, most_nesting = 16;

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

ChangeList change_inside(const SharedSource& file, const std::vector<std::string>& names, const ChangePart& change,
                         const PutOptions& options, const Limits& limits, std::vector<SharedSource>& kept) {
    if (names.empty()) return change(file, limits);
    const auto container = open_container(*file, limits);
    if (!container)
        throw Error(ErrorCode::usage,
                    fmt::format("there is no part \"{}\": the file has no parts that are known", names.front()))
            .in("part");
    const Part part = find_part(*container, names.front());
    const SharedSource inner = content_of(*container, part, limits);
    kept.push_back(inner);
    const ChangeList inside = change_inside(inner, {names.begin() + 1, names.end()}, change, options,
                                            limits_inside(limits, *file, part.name), kept);
    if (inside.empty()) return ChangeList(file->size());
    const auto changed = std::make_shared<ChangedSource>(inner, inside);
    kept.push_back(changed);
    return container->put(part, changed, options).change;
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
        return Flow::go_on;
    });
    return all;
}

Part find_part(const Container& container, std::string_view name) {
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
                .in("keys")
                .hint("bring a file of keys, with a line common = …");
    throw Error(ErrorCode::usage, fmt::format("there is no part {} in {}", name, container.title()))
        .in("part")
        .wanted(parts.empty() ? "nothing: it has no parts" : nearest(parts, name));
}

Part extract_part(const Container& container, std::string_view name, ByteSink& out) {
    const auto extract = [&](std::string_view spelt) {
        std::optional<Part> found;
        container.visit([&](const Part& part, const ExtractPart& content) {
            if (part.name != spelt) return Flow::go_on;
            content(out);
            found = part;
            return Flow::stop;
        });
        return found;
    };
    if (auto part = extract(name)) return *std::move(part);
    return extract(find_part(container, name).name).value();
}

std::string escaped_part(std::string_view name) {
    std::string out;
    for (const char c : name) out += c == ':' ? std::string("\\:") : std::string(1, c);
    return out;
}

std::string joined_address(const std::vector<std::string>& names) {
    std::string out;
    for (const std::string& name : names) {
        if (!out.empty()) out += ':';
        out += escaped_part(name);
    }
    return out;
}

std::vector<std::string> split_address(std::string_view address) {
    std::vector<std::string> names(1);
    for (std::size_t i = 0; i < address.size(); ++i) {
        if (address[i] == ':') {
            names.emplace_back();
        } else {
            if (address[i] == '\\' && i + 1 < address.size() && address[i + 1] == ':') ++i;
            names.back() += address[i];
        }
    }
    if (names.size() > most_nesting)
        throw Error(ErrorCode::usage, "the address goes deeper than parts are opened")
            .wanted(fmt::format("at most {} names", most_nesting))
            .found(fmt::format("{} names", names.size()));
    return names;
}

}  // namespace hotstitch
