// SPDX-License-Identifier: MIT
// Where everything is. Tested by tests/part/table_disc_test.cc.
#include "part/table_disc/table_volume.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/table_disc/game_header.h"
#include "source/stretch.h"

namespace hotstitch::table_disc {
namespace {

Part part_of(std::string name, std::uint64_t offset, std::uint64_t size) {
    Part part{.name = std::move(name), .kind = PartKind::file, .size = size, .offset = offset, .head = {}};
    if (size == 0) part.offset.reset(), part.storage = PartStorage::nowhere;
    return part;
}

}  // namespace

std::uint64_t program_size(const ByteSource& data, std::uint64_t at) {
    constexpr std::uint64_t dol_header = 0x100, sections = 18;
    if (at == 0 || at > data.size() || data.size() - at < dol_header) return 0;
    const Bytes head = stretch_of(data, at, dol_header);
    std::uint64_t end = dol_header;
    for (std::size_t i = 0; i < sections; ++i)
        if (const std::uint64_t size = u32be(head, 0x90 + 4 * i); size != 0)
            end = std::max(end, u32be(head, 4 * i) + size);
    return std::min(end, data.size() - at);
}

std::uint64_t loader_size(const ByteSource& data, std::uint64_t at) {
    constexpr std::uint64_t own_header = 0x20;
    if (at > data.size() || data.size() - at < own_header) return 0;
    const Bytes head = stretch_of(data, at, own_header);
    return std::min(own_header + u32be(head, 0x14) + u32be(head, 0x18), data.size() - at);
}

TableVolume::TableVolume(SharedSource data, unsigned shift, std::uint64_t most)
    : data_(std::move(data)),
      shift_(shift),
      most_(std::min(std::max(most, data_->size()), std::uint64_t{UINT32_MAX} << shift)) {
    if (data_->size() < header::end)
        throw Error(ErrorCode::truncated, "the disc is cut short in its header")
            .wanted(counted(header::end, "byte", "bytes"))
            .found(counted(data_->size(), "byte", "bytes"));
    header_ = stretch_of(*data_, 0, header::end);
    table_at_ = std::uint64_t{u32be(header_, header::table)} << shift;
    program_at_ = std::uint64_t{u32be(header_, header::program)} << shift;
    const std::uint64_t size = std::uint64_t{u32be(header_, header::table_size)} << shift;
    if (table_at_ < header::end || table_at_ >= data_->size() || size > data_->size() - table_at_)
        throw Error(ErrorCode::damaged, "the table of files lies outside the disc")
            .at(header::table)
            .in("file table")
            .wanted("at most " + offset_text(data_->size()))
            .found(fmt::format("{} from {} on", counted(size, "byte", "bytes"), offset_text(table_at_)));
    if (size > largest_table)
        throw Error(ErrorCode::limit, "the table of files is larger than any disc has")
            .at(header::table_size)
            .in("file table")
            .wanted(fmt::format("at most {}", counted(largest_table, "byte", "bytes")))
            .found(counted(size, "byte", "bytes"));
    table_bytes_ = stretch_of(*data_, table_at_, size);
    table_ = parse_table(table_bytes_, shift);
    program_size_ = program_size(*data_, program_at_);
    loader_size_ = loader_size(*data_, header::end);
    bound_stated_sizes();
    find_used();
    const auto past = std::count_if(table_.entries.begin(), table_.entries.end(), [&](const Entry& e) {
        return !e.folder && e.size != 0 && (e.offset > data_->size() || e.size > data_->size() - e.offset);
    });
    if (past != 0)
        table_.warnings.push_back(
            fmt::format("{} past the image's end: it is cut short",
                        counted(static_cast<std::uint64_t>(past), "file reaches", "files reach")));
}

/// Loader, program and table state their own sizes, and may say anything: none reaches past the next thing on the disc.
void TableVolume::bound_stated_sizes() {
    const auto next_behind = [&](std::uint64_t at, std::size_t owner) {
        std::uint64_t next = data_->size();
        const auto look_at = [&](std::uint64_t begin) {
            if (begin > at) next = std::min(next, begin);
        };
        if (owner != program_owner && program_size_ != 0) look_at(program_at_);
        if (owner != table_owner) look_at(table_at_);
        for (const Entry& e : table_.entries)
            if (!e.folder && e.size != 0) look_at(e.offset);
        return next;
    };
    loader_size_ = std::min(loader_size_, next_behind(header::end, loader_owner) - header::end);
    if (program_size_ != 0)
        program_size_ = std::min(program_size_, next_behind(program_at_, program_owner) - program_at_);
    // Its entries are its own, whatever is said to lie among them.
    const std::uint64_t table =
        std::max<std::uint64_t>(next_behind(table_at_, table_owner) - table_at_, entry_size * table_.entries.size());
    if (table_bytes_.size() > table) table_bytes_.resize(static_cast<std::size_t>(table));
}

void TableVolume::find_used() {
    used_.push_back({0, header::end, header_owner});
    used_.push_back({header::end, header::end + loader_size_, loader_owner});
    if (program_size_ != 0) used_.push_back({program_at_, program_at_ + program_size_, program_owner});
    used_.push_back({table_at_, table_at_ + table_bytes_.size(), table_owner});
    for (std::size_t i = 1; i < table_.entries.size(); ++i) {
        const Entry& e = table_.entries[i];
        if (e.folder) continue;
        by_path_.emplace(e.path, i);
        if (e.size != 0) used_.push_back({e.offset, e.offset + e.size, i});
    }
    std::sort(used_.begin(), used_.end(),
              [](const Used& a, const Used& b) { return a.begin != b.begin ? a.begin < b.begin : a.end < b.end; });
}

std::uint64_t TableVolume::used_end() const noexcept {
    std::uint64_t end = 0;
    for (const Used& u : used_) end = std::max(end, u.end);
    return end;
}

SharedSource TableVolume::slice(std::uint64_t offset, std::uint64_t size) const {
    if (offset > data_->size() || size > data_->size() - offset) return nullptr;
    return std::make_shared<SliceSource>(data_, offset, size);
}

void TableVolume::each(const std::string& prefix, const std::function<Flow(Part, const SharedSource&)>& visitor) const {
    const auto show = [&](std::string_view name, std::uint64_t offset, std::uint64_t size) {
        Part part = part_of(prefix + std::string(name), offset, size);
        const SharedSource content = slice(size == 0 ? 0 : offset, size);
        if (!content) part.offset.reset(), part.storage = PartStorage::past_the_end;
        return visitor(std::move(part), content) == Flow::go_on;
    };
    if (!show("sys/header", 0, header::end) || !show("sys/loader", header::end, loader_size_)) return;
    if (program_size_ != 0 && !show("sys/main.dol", program_at_, program_size_)) return;
    Part table = part_of(prefix + "sys/file-table", table_at_, table_bytes_.size());
    table.follows = true;
    if (visitor(std::move(table), slice(table_at_, table_bytes_.size())) == Flow::stop) return;
    for (const Entry& e : table_.entries)
        if (!e.folder && !show(std::string(in_files) + e.path, e.offset, e.size)) return;
}

TableVolume::Place TableVolume::place_of(std::string_view name) const {
    if (name == "sys/header") return {0, header::end, header_owner};
    if (name == "sys/loader") return {header::end, loader_size_, loader_owner};
    if (name == "sys/main.dol" && program_size_ != 0) return {program_at_, program_size_, program_owner};
    if (name == "sys/file-table") return {table_at_, table_bytes_.size(), table_owner};
    if (name.starts_with(in_files))
        if (const auto found = by_path_.find(name.substr(in_files.size())); found != by_path_.end()) {
            const Entry& e = table_.entries[found->second];
            return {e.offset, e.size, found->second};
        }
    throw Error(ErrorCode::usage, fmt::format("there is no part {}", name)).in("part");
}

SharedSource TableVolume::open(std::string_view name) const {
    const Place place = place_of(name);
    return slice(place.size == 0 ? 0 : place.offset, place.size);
}

std::uint64_t TableVolume::next_used(const Place& place) const {
    for (const Used& u : used_)
        if (u.begin > place.offset && u.owner != place.owner) return u.begin;
    return most_;
}

}  // namespace hotstitch::table_disc
