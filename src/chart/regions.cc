// SPDX-License-Identifier: MIT
// Small names win over the large ones that they lie in: a header over its bank, a table over its file. Each takes what
// smaller ones have left. Tested by tests/field/chart_test.cc.
#include "chart/regions.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t raw_sector = 2352, user_sector = 2048, sector_header = 16;

bool is_another_name(const Part& part) {
    return part.kind == PartKind::main_program || part.kind == PartKind::track || part.kind == PartKind::content;
}

}  // namespace

Regions::Regions(const ByteSource& source, const Limits& limits) : content_(borrowed(source)), size_(source.size()) {
    if (const SharedSource user = user_data_of(borrowed(source));
        user.get() != &source && identify(source).is(KindId::disc)) {
        content_ = user, sector_ = raw_sector;
        size_ = user->size();
    }
    add_parts(*content_, limits);
    if (const auto maps = maps_in(limits); maps && !maps->empty()) add_tables(limits);
    cut();
}

void Regions::add(const std::string& name, PartKind kind, KindId holds, const ByteRange& range) {
    if (range.length == 0 || range.offset >= size_) return;
    named_.push_back({{range.offset, std::min(range.length, size_ - range.offset)}, all_.size()});
    all_.push_back({.name = name, .kind = kind, .holds = holds, .offset = range.offset});
}

void Regions::add_parts(const ByteSource& file, const Limits& limits) {
    Listing container;
    try {
        container = Listing(borrowed(file), limits);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
        return;  // what is broken has no names
    }
    if (!container || container->kind() == KindId::archive || container->kind() == KindId::payload) return;
    const Identity identity = identify(file);
    container->visit([&](const Part& part, const ExtractPart&) {
        if (!part.offset || !part.size || is_another_name(part)) return Flow::go_on;
        KindId holds = KindId::data;
        if (part.kind == PartKind::file && part.head) holds = recognise_file(part.head()).id;
        for (const MemorySegment& segment : identity.segments)
            if (segment.executable && *part.offset >= segment.offset && *part.offset < segment.offset + segment.size)
                holds = KindId::executable;
        add(part.name, part.kind, holds, {*part.offset, *part.size});
        return Flow::go_on;
    });
}

void Regions::add_tables(const Limits& limits) {
    fields_ = std::make_unique<FileFields>(content_, limits);
    for (const FileFields::Unit& unit : fields_->units()) {
        std::uint64_t begins = unit.part.empty() ? 0 : UINT64_MAX;
        for (const ChartRegion& region : all_)
            if (!unit.part.empty() && region.name == unit.part) begins = region.offset;
        field_offsets_.push_back(begins);
        if (begins == UINT64_MAX) continue;
        std::map<std::string, std::size_t> by_name;
        for (const Fields::Area& area : unit.fields.areas()) {
            const auto [there, is_new] = by_name.emplace(area.name, all_.size());
            if (is_new)
                add(area.name, PartKind::table, KindId::data, {begins + area.range.offset, area.range.length});
            else
                named_.push_back({{begins + area.range.offset, area.range.length}, there->second});
        }
    }
}

void Regions::cut() {
    std::stable_sort(named_.begin(), named_.end(),
                     [](const Named& a, const Named& b) { return a.range.length < b.range.length; });
    std::map<std::uint64_t, Piece> taken;  // by begin, never overlapping
    for (const Named& named : named_) {
        std::uint64_t at = named.range.offset;
        const std::uint64_t end = at + named.range.length;
        auto next = taken.upper_bound(at);
        if (next != taken.begin() && std::prev(next)->second.end > at) at = std::prev(next)->second.end;
        while (at < end) {
            const std::uint64_t stop = next == taken.end() ? end : std::min(end, next->first);
            if (at < stop) taken.emplace(at, Piece{at, stop, named.region});
            if (next == taken.end()) break;
            at = std::max(at, next->second.end);
            ++next;
        }
    }
    // What nobody names is one region more.
    std::uint64_t at = 0;
    const std::size_t gap = all_.size();
    all_.push_back({.name = all_.empty() ? "the file" : "", .kind = PartKind::gap});
    bool any_gap = false;
    const auto gap_up_to = [&](std::uint64_t end) {
        if (at >= end) return;
        if (!std::exchange(any_gap, true)) all_[gap].offset = at;
        pieces_.push_back({at, end, gap});
    };
    for (const auto& [begin, piece] : taken) {
        gap_up_to(begin);
        pieces_.push_back(piece);
        at = piece.end;
    }
    gap_up_to(size_);
    for (Piece& piece : pieces_) {
        piece.before = all_[piece.region].size;
        all_[piece.region].size += piece.end - piece.begin;
    }
}

std::uint64_t Regions::place_of(std::uint64_t offset) const noexcept {
    if (sector_ == 0) return offset;
    const std::uint64_t inside = offset % raw_sector;
    return offset / raw_sector * user_sector + std::min(inside - std::min(inside, sector_header), user_sector - 1);
}

std::string Regions::name_at(std::uint64_t offset, std::uint64_t& length) const {
    if (!fields_) return {};
    for (std::size_t i = 0; i < field_offsets_.size(); ++i) {
        const FileFields::Unit& unit = fields_->units()[i];
        if (field_offsets_[i] > offset || offset - field_offsets_[i] >= unit.content->size()) continue;
        std::string name = unit.fields.name_at(offset - field_offsets_[i], length);
        if (!name.empty()) return name;
    }
    return {};
}

}  // namespace hotstitch
