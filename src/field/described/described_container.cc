// SPDX-License-Identifier: MIT
// An archive that no row of the table of kinds knows, but a map: its entries state where members stand, and are written
// anew when one changes. docs/formats/map.md, "Members" and "Payloads". Tested by tests/part/described_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <numeric>

#include "field/bound_map.h"
#include "field/described/slots.h"
#include "field/map_check.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/text.h"
#include "part/kinds.h"
#include "part/payload/codec.h"
#include "source/stretch.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// `content` with `fill` behind it, up to a length.
SharedSource filled_up(const SharedSource& content, std::uint64_t length, std::byte fill) {
    return std::make_shared<JoinedSource>(
        std::vector<SharedSource>{content, std::make_shared<FilledSource>(fill, length - content->size())});
}

std::uint64_t aligned(std::uint64_t value, std::uint64_t to) {
    return (value + to - 1) / to * to;
}

class DescribedContainer final : public Container {
public:
    DescribedContainer(const ByteSource& file, const Identity& identity, std::unique_ptr<Container> inner,
                       std::vector<SharedMap> maps, const Limits& limits)
        : file_(file), identity_(identity), inner_(std::move(inner)), maps_(std::move(maps)), limits_(limits) {
        for (const SharedMap& map : maps_) add_slots(*map, identity_, file_, slots_);
        for (std::size_t i = 0; i < slots_.size(); ++i) by_name_.emplace(slots_[i].part.name, i);
    }

    KindId kind() const noexcept override { return inner_ ? inner_->kind() : KindId::described; }
    std::string title() const override {
        std::string names;
        for (const SharedMap& map : maps_)
            if (!map->members.empty() || !map->payloads.empty())
                names += (names.empty() ? "" : ", ") + (map->title.empty() ? map->name : map->title);
        return inner_ ? fmt::format("{}; and by its map, {}", inner_->title(), names)
                      : fmt::format("a file described by a map, {}", names);
    }
    std::vector<std::string> warnings() const override {
        return inner_ ? inner_->warnings() : std::vector<std::string>{};
    }

    void visit(const VisitPart& visitor) const override {
        bool stopped = false;
        if (inner_)
            inner_->visit([&](const Part& part, const ExtractPart& extract) {
                const Flow flow = visitor(part, extract);
                stopped = flow == Flow::stop;
                return flow;
            });
        for (std::size_t i = 0; i < slots_.size() && !stopped; ++i) {
            Part part = slots_[i].part;
            if (slots_[i].codec().empty()) part.head = [this, i] { return head_of(*stretch(slots_[i])); };
            stopped = visitor(part, [&](ByteSink& out) { extract(slots_[i], out); }) == Flow::stop;
        }
    }

    SharedSource open(const Part& part) const override {
        const Slot* const slot = slot_of(part);
        if (slot == nullptr) return inner_ ? inner_->open(part) : nullptr;
        return slot->codec().empty() ? stretch(*slot) : nullptr;
    }
    SharedSource stored(const Part& part) const override {
        const Slot* const slot = slot_of(part);
        if (slot == nullptr) return inner_ ? inner_->stored(part) : nullptr;
        return slot->codec().empty() ? nullptr : stretch(*slot);
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        const Slot* const slot = slot_of(part);
        if (slot == nullptr) {
            if (inner_) return inner_->put(part, content, options);
            return Container::put(part, content, options);
        }
        SharedSource packed = content;
        if (!slot->codec().empty()) {
            const WholeView old(*stretch(*slot), limits_), bytes(*content, limits_);
            packed = owned(repacked(*codec_by_name(slot->codec()), old, bytes, limits_));
        }
        PutResult result = placed(*slot, packed, content->size(), options);
        if (!options.mend) return result;
        std::vector<std::string> mended;
        result.change = keeping_map_checks(*slot->map, file_, std::move(result.change), mended, result.warnings);
        result.change = keeping_checks(file_, identity_, std::move(result.change), options.allow);
        return result;
    }

    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        return inner_ ? inner_->add(name, content, options) : Container::add(name, content, options);
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        return inner_ && slot_of(part) == nullptr ? inner_->remove(part, options) : Container::remove(part, options);
    }

private:
    SharedSource stretch(const Slot& slot) const {
        return std::make_shared<SliceSource>(borrowed(file_), slot.offset, slot.stored);
    }

    const Slot* slot_of(const Part& part) const {
        const auto found = by_name_.find(part.name);
        return found == by_name_.end() ? nullptr : &slots_[found->second];
    }

    void extract(const Slot& slot, ByteSink& out) const {
        const SharedSource bytes = stretch(slot);
        if (slot.codec().empty()) return write_source(*bytes, out);
        try {
            const WholeView whole(*bytes, limits_);
            unpack(*codec_by_name(slot.codec()), whole, out, limits_);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
            throw map_error(*slot.map, slot.members->line,
                            fmt::format("{} is not packed as the map says: {}", slot.part.name, error.what()))
                .hint("codec is another, or offset or size");
        }
    }

    /// How far a part may grow where it stands: over its padding, up to what comes next; nothing: to any length.
    std::optional<std::uint64_t> room_of(const Slot& slot) const {
        std::uint64_t next = file_.size();
        bool is_last = slot.members != nullptr;
        for (const Slot& other : slots_)
            if (other.offset > slot.offset) next = std::min(next, other.offset), is_last = false;
        for (const std::uint64_t place : fixed_places())
            if (place > slot.offset) next = std::min(next, place), is_last = false;
        const std::uint64_t padding = slot.members == nullptr ? 0 : next - std::min(next, slot.end());
        const bool free = is_filled(file_, slot.end(), padding, slot.pad());
        if (is_last && free) return std::nullopt;
        return free && slot.members != nullptr ? std::max(next - slot.offset, slot.stored) : slot.stored;
    }

    /// Another one that is, or has, some of the same bytes; null: none.
    const Slot* shared_with(const Slot& slot) const {
        for (const Slot& other : slots_)
            if (&other != &slot && other.offset < std::max(slot.end(), slot.offset + 1) && other.end() > slot.offset)
                return &other;
        return nullptr;
    }

    /// Where entries and tables stand that the map does not let move.
    std::vector<std::uint64_t> fixed_places() const {
        std::vector<std::uint64_t> places;
        for (const Slot& slot : slots_)
            if (slot.members != nullptr) places.push_back(slot.entry);
        for (const SharedMap& map : maps_)
            for (const MapTable& table : map->tables) places.push_back(offset_of(*map, table.at, identity_, file_));
        return places;
    }

    PutResult placed(const Slot& slot, const SharedSource& packed, std::uint64_t content_size,
                     const PutOptions& options) const {
        PutResult result{ChangeList(file_.size())};
        result.from = slot.offset, result.to = slot.offset;
        const std::uint64_t size = packed->size();
        const std::optional<std::uint64_t> room = room_of(slot);
        const bool sizes_by_next =
            slot.members != nullptr && (slot.members->next || (!slot.members->size && !slot.members->stored));
        const bool fits = (!room || size <= *room) && (!sizes_by_next || size == slot.stored || !room);
        if (const Slot* const other = shared_with(slot)) {
            // What is another's too stays, and this one gets a place of its own.
            if (options.room == Room::place || sizes_by_next || slot.place() == nullptr)
                throw Error(ErrorCode::usage, fmt::format("{} and {} share their bytes, so neither changes alone",
                                                          slot.part.name, other->part.name));
            append(slot, packed, result);
        } else if (fits) {
            in_place(slot, packed, !room, result);
        } else if (options.room == Room::rebuild || sizes_by_next) {
            if (options.room == Room::place) no_room(slot, size, room.value_or(0));
            rebuild(slot, packed, result);
        } else {
            if (options.room == Room::place || slot.place() == nullptr) no_room(slot, size, room.value_or(0));
            append(slot, packed, result);
        }
        state_sizes(slot, size, content_size, result);
        return result;
    }

    [[noreturn]] void no_room(const Slot& slot, std::uint64_t size, std::uint64_t room) const {
        throw Error(ErrorCode::usage, fmt::format("{} does not fit in its place", slot.part.name))
            .wanted(fmt::format("at most {}", counted(room, "byte", "bytes")))
            .found(counted(size, "byte", "bytes"))
            .as(slot.place() == nullptr ? ErrorId::cannot_move : ErrorId::needs_room)
            .hint(slot.place() == nullptr
                      ? "nothing states where it stands, so it cannot move; what follows it can (room: rebuild)"
                      : "let it move (room: append), or what follows it (room: rebuild)");
    }

    void in_place(const Slot& slot, const SharedSource& packed, bool to_the_end, PutResult& result) const {
        const std::uint64_t size = packed->size();
        result.how = "in-place";
        std::uint64_t taken = std::max(size, slot.stored), made = taken;
        if (to_the_end) {
            taken = file_.size() - slot.offset;
            made = file_.size() % slot.align() == 0 ? aligned(slot.offset + size, slot.align()) - slot.offset : size;
        }
        result.change = spliced(slot.offset, taken, filled_up(packed, made, slot.pad()));
    }

    /// Byte by byte what differs where the length stays, all of it otherwise.
    ChangeList spliced(std::uint64_t offset, std::uint64_t removed, const SharedSource& now) const {
        ChangeList list(file_.size());
        if (now->size() != removed) {
            list.put_from(offset, removed, now, 0, now->size());
            return list;
        }
        const SliceSource before(borrowed(file_), offset, removed);
        const ChangeList inside = differences(before, *now);
        for (const Splice& splice : inside.splices())
            list.put(offset + splice.offset, splice.removed, stretch_of(*now, splice.offset, splice.removed));
        return list;
    }

    void append(const Slot& slot, const SharedSource& packed, PutResult& result) const {
        const std::uint64_t size = file_.size(), at = aligned(size, slot.align());
        const std::uint64_t end =
            size % slot.align() == 0 ? aligned(at + packed->size(), slot.align()) : at + packed->size();
        const auto all = std::make_shared<JoinedSource>(std::vector<SharedSource>{
            std::make_shared<FilledSource>(slot.pad(), at - size), filled_up(packed, end - at, slot.pad())});
        result.change = spliced(size, 0, all);
        result.how = "moved", result.to = at;
        state_place(slot, at, result);
    }

    /// What follows the part moves, by whole alignments.
    void rebuild(const Slot& slot, const SharedSource& packed, PutResult& result) const {
        const std::uint64_t size = packed->size();
        std::uint64_t next = file_.size();
        for (const Slot& other : slots_)
            if (other.offset > slot.offset) next = std::min(next, other.offset);
        for (const std::uint64_t place : fixed_places())
            if (place > slot.offset)
                throw Error(
                    ErrorCode::usage,
                    fmt::format("what follows {} cannot move: the map's own tables stand behind it", slot.part.name))
                    .as(ErrorId::cannot_make_room)
                    .hint("put it at the end (room: append)");
        for (const Slot& other : slots_)
            if (other.offset > slot.offset && other.place() == nullptr)
                throw Error(ErrorCode::usage, fmt::format("what follows {} cannot move: nothing states where {} stands",
                                                          slot.part.name, other.part.name))
                    .as(ErrorId::cannot_make_room)
                    .hint("put it at the end (room: append)");
        std::uint64_t unit = slot.align();
        for (const Slot& other : slots_) unit = std::lcm(unit, other.align());
        const bool has_next = next != file_.size();
        const std::uint64_t begin_of_next = has_next ? next - slot.offset : 0;
        const std::uint64_t taken = has_next ? begin_of_next : slot.stored;
        // The next one stays as far from an alignment as it is.
        std::uint64_t room = has_next ? aligned(size, unit) + begin_of_next % unit : size;
        if (has_next && room >= unit && room - unit >= size) room -= unit;
        result.change = spliced(slot.offset, taken, filled_up(packed, room, slot.pad()));
        result.how = "rebuilt";
        const std::uint64_t moved = room - taken;  // wraps where it got shorter
        if (moved == 0) return;
        for (const Slot& other : slots_)
            if (other.offset > slot.offset) state_place(other, other.offset + moved, result);
    }

    void state_place(const Slot& slot, std::uint64_t at, PutResult& result) const {
        if (slot.payload != nullptr)
            return state_number(slot, *slot.place(), 0, at - static_cast<std::uint64_t>(slot.payload->at.plus), result);
        state_number(slot, *slot.place(), slot.entry, at, result);
    }

    void state_sizes(const Slot& slot, std::uint64_t size, std::uint64_t content_size, PutResult& result) const {
        if (slot.payload != nullptr) {
            if (slot.payload->size) state_number(slot, *slot.payload->size, 0, size, result);
            return;
        }
        const bool packed = !slot.codec().empty();
        if (slot.members->stored) state_number(slot, *slot.members->stored, slot.entry, size, result);
        if (slot.members->size)
            state_number(slot, *slot.members->size, slot.entry, packed && slot.members->stored ? content_size : size,
                         result);
    }

    void state_number(const Slot& slot, const StoredNumber& number, std::uint64_t from, std::uint64_t value,
                      PutResult& result) const {
        const auto raw = number.stored(value);
        if (!raw)
            throw Error(ErrorCode::usage, fmt::format("{} cannot stand there: its entry cannot say so", slot.part.name))
                .wanted(fmt::format("a multiple of {}, at most {}", number.unit,
                                    number.value(number.type->most().magnitude).value_or(UINT64_MAX)))
                .found(std::to_string(value));
        Bytes bytes(number.type->size);
        put_raw_number(bytes, bytes.size(), number.order, *raw);
        if (stretch_of(file_, from + number.at, bytes.size()) != bytes)
            result.change.put(from + number.at, number.type->size, std::move(bytes));
    }

    const ByteSource& file_;
    Identity identity_;
    std::unique_ptr<Container> inner_;
    std::vector<SharedMap> maps_;
    Limits limits_;
    std::vector<Slot> slots_;
    std::map<std::string, std::size_t, std::less<>> by_name_;
};

}  // namespace

std::unique_ptr<Container> Maps::described(const ByteSource& file, const Identity& identity,
                                           const std::function<std::unique_ptr<Container>()>& open,
                                           const Limits& limits) const {
    const std::vector<SharedMap> maps = for_file(identity, file);
    std::unique_ptr<Container> container = open();
    const bool any = std::any_of(maps.begin(), maps.end(),
                                 [](const SharedMap& map) { return !map->members.empty() || !map->payloads.empty(); });
    if (!any) return container;
    return std::make_unique<DescribedContainer>(file, identity, std::move(container), maps, limits);
}

}  // namespace hotstitch
