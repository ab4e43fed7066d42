// SPDX-License-Identifier: MIT
// Tested by tests/job/diagnose_test.cc.
#include "fit/readings.h"

#include <algorithm>
#include <array>

#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/identity.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Sizes that front headers have on one platform or another.
constexpr std::array<std::uint64_t, 4> header_sizes{16, 64, 128, 512};

/// Text-mode damage is tried up to this size: it has to be undone in memory.
constexpr std::uint64_t most_line_ends = std::uint64_t{64} << 20;

using Wanted = std::optional<std::uint64_t>;  ///< a size in bytes

void add_interleavings(const ByteSource& file, const Wanted& wanted, std::vector<Representation>& all) {
    constexpr std::uint64_t block = 16 << 10, header = 512;
    const std::uint64_t size = file.size();
    if (size > block && size % block == header && (!wanted || *wanted == size - header))
        all.push_back({RepresentationKind::de_interleaved, header});
    if (size % block == 0 && (!wanted || *wanted == size)) {
        all.push_back({RepresentationKind::de_interleaved});
        all.push_back({RepresentationKind::interleaved});
    }
}

/// A disc image in whole sectors, where one of user data alone is meant, or the other way round.
void add_sectors(const ByteSource& file, const Wanted& wanted, std::vector<Representation>& all) {
    constexpr std::uint64_t plain = 2048, raw = 2352;
    const Identity identity = identify(file);
    if (!identity.is(KindId::disc)) return;
    if (const auto user = user_data_of(borrowed(file)); user.get() != &file) {
        if (!wanted || *wanted == user->size()) all.push_back({RepresentationKind::user_data});
        const std::uint64_t track = read_as(file, {RepresentationKind::data_track})->size();
        if (track != file.size() && (!wanted || *wanted == track)) all.push_back({RepresentationKind::data_track});
        return;
    }
    if (!wanted || *wanted == file.size() / plain * raw)
        for (const std::uint64_t mode : {1U, 2U}) all.push_back({RepresentationKind::in_whole_sectors, mode});
}

void add_padding_taken_off(const ByteSource& file, std::uint64_t extra, std::vector<Representation>& all) {
    for (const std::byte fill : {std::byte{0xFF}, std::byte{0}})
        if (is_filled(file, file.size() - extra, extra, fill))
            all.push_back({RepresentationKind::without_padding, extra, fill});
}

}  // namespace

bool is_header_size(std::uint64_t size) noexcept {
    return std::find(header_sizes.begin(), header_sizes.end(), size) != header_sizes.end();
}

std::vector<Representation> readings_for(const ByteSource& file, const std::optional<std::uint64_t>& wanted) {
    const std::uint64_t size = file.size();
    std::vector<Representation> all;
    const auto add_header = [&](std::uint64_t n) {
        if (size > n && (!wanted || *wanted == size - n)) all.push_back({RepresentationKind::without_front_header, n});
        if (!wanted || *wanted == size + n) all.push_back({RepresentationKind::with_front_header, n});
    };
    for (const std::uint64_t n : header_sizes) add_header(n);
    if (wanted)
        for (const std::uint64_t n : {plain_pregap, whole_pregap}) add_header(n);
    if (const std::uint64_t odd = size % 1024; odd != 0 && !is_header_size(odd)) add_header(odd);
    if (!wanted || *wanted == size)
        for (const RepresentationKind kind : {RepresentationKind::pairs_swapped, RepresentationKind::words_reversed,
                                              RepresentationKind::halves_swapped})
            all.push_back({kind});
    add_interleavings(file, wanted, all);
    add_sectors(file, wanted, all);
    if (wanted && *wanted < size) add_padding_taken_off(file, size - *wanted, all);
    if (wanted && *wanted > size && *wanted - size <= size)
        for (const std::byte fill : {std::byte{0xFF}, std::byte{0}})
            all.push_back({RepresentationKind::with_padding, *wanted - size, fill});
    if (size <= most_line_ends && text_of(WholeView(file)).find("\r\n") != std::string_view::npos)
        all.push_back({RepresentationKind::line_ends_restored});
    return all;
}

SharedSource shared_as(const SharedSource& file, const Representation& reading) {
    const std::shared_ptr<const ByteSource> read = read_as(*file, reading);
    return {read.get(), [read, file](const ByteSource*) {}};
}

SharedSource in_form_of(const SharedSource& file, const Representation& reading, const SharedSource& content) {
    using Kind = RepresentationKind;
    const auto joined = [](SharedSource first, SharedSource second) {
        return std::make_shared<JoinedSource>(std::vector<SharedSource>{std::move(first), std::move(second)});
    };
    const auto front = [&] { return std::make_shared<SliceSource>(file, 0, reading.bytes); };
    switch (reading.kind) {
        case Kind::without_front_header: return joined(front(), content);
        case Kind::with_front_header: return shared_as(content, {Kind::without_front_header, reading.bytes});
        case Kind::de_interleaved: return joined(front(), shared_as(content, {Kind::interleaved}));
        case Kind::interleaved: return shared_as(content, {Kind::de_interleaved});
        case Kind::in_whole_sectors: return shared_as(content, {Kind::user_data});
        case Kind::pairs_swapped:
        case Kind::words_reversed:
        case Kind::halves_swapped: return shared_as(content, reading);
        case Kind::user_data: return std::make_shared<ChangedSource>(file, with_user_data(file, content));
        case Kind::data_track: {
            const std::uint64_t track = read_as(*file, reading)->size();
            return joined(content, std::make_shared<SliceSource>(file, track, file->size() - track));
        }
        case Kind::without_padding:
        case Kind::with_padding:
        case Kind::line_ends_restored: break;
    }
    return nullptr;
}

}  // namespace hotstitch
