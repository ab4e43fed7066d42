// SPDX-License-Identifier: MIT
// Tested by tests/format/ips_writer_test.cc against an exhaustive search over small targets.
#include "format/ips/record_plan.h"

#include <algorithm>
#include <initializer_list>
#include <utility>

#include "format/ips/ips_format.h"

namespace hotstitch::ips {
namespace {

// A run record costs 3 bytes more than a literal's header: shorter runs never pay.
constexpr std::uint64_t run_extra = 3, least_run = 4;
// Past this length an unchanged stretch that is no run is never worth carrying: closing a record and opening
// the next costs at most a header (6 bytes in IPS32).
constexpr std::uint64_t sure_gap = 8;
// Bounds the memory of the search. Settling early costs at most one record's header each time.
constexpr std::size_t most_atoms = 1 << 20;

}  // namespace

void RecordPlan::add(std::uint64_t from, std::uint64_t to, bool changed) {
    if (!changed && to - from > 4 * sure_gap) {
        // Only the two ends of a long unchanged stretch can matter: as far as a run reaches into them.
        const ByteView bytes = target_.subspan(from, to - from);
        const std::uint64_t head = 1 + common_prefix(bytes, bytes.subspan(1)) + sure_gap;
        std::uint64_t tail = 1;
        while (tail < bytes.size() && bytes[bytes.size() - tail - 1] == bytes.back()) ++tail;
        if (head + tail < bytes.size()) {
            add_all(from, from + head, false);
            settle(ready_);
            start_ = end_ = from = to - tail;
        }
    }
    add_all(from, to, changed);
}

void RecordPlan::add_all(std::uint64_t from, std::uint64_t to, bool changed) {
    if (atoms_.empty() && start_ == end_) start_ = end_ = from;
    while (from < to) {
        const ByteView rest = target_.subspan(from, to - from);
        const std::uint64_t equal = 1 + common_prefix(rest, rest.subspan(1));
        const bool goes_on =
            from > start_ && target_[from] == target_[from - 1] && !atoms_.empty() && atoms_.back().is_run;
        // A run may continue past `to` into the next stretch; then even a short piece here belongs to it.
        std::uint64_t whole = equal;
        while (whole < least_run && from + whole < target_.size() && target_[from + whole] == target_[from]) ++whole;
        if (goes_on || whole >= least_run) {
            add_atom(from, equal, changed, true);
            from += equal;
            continue;
        }
        std::uint64_t next = from + equal;
        while (next < to && !run_starts_at(next)) ++next;
        add_atom(from, next - from, changed, false);
        from = next;
    }
}

bool RecordPlan::run_starts_at(std::uint64_t at) const noexcept {
    static_assert(least_run == 4);
    const std::byte* const p = target_.data() + at;
    return target_.size() - at >= least_run && p[0] == p[1] && p[1] == p[2] && p[2] == p[3];
}

void RecordPlan::add_atom(std::uint64_t from, std::uint64_t length, bool changed, bool is_run) {
    Atom atom{length, changed, is_run, false, {outside, outside, outside}};
    atom.joins_previous = is_run && !atoms_.empty() && atoms_.back().is_run && target_[from] == target_[from - 1];
    const auto cheapest = [&](State& from_state, std::initializer_list<std::pair<State, std::uint64_t>> ways) {
        std::uint64_t best = never;
        for (const auto& [state, extra] : ways)
            if (cost_[state] + extra < best) best = cost_[state] + extra, from_state = state;
        return best;
    };
    const std::uint64_t run_pieces = (length + most_in_record - 1) / most_in_record * (header_ + run_extra);
    std::uint64_t cost[states] = {never, never, never};
    if (!changed) cost[outside] = cheapest(atom.came_from[outside], {{outside, 0}, {literal, 0}, {run, 0}});
    cost[literal] =
        cheapest(atom.came_from[literal], {{literal, length}, {outside, header_ + length}, {run, header_ + length}});
    if (is_run)
        cost[run] =
            cheapest(atom.came_from[run], {{run, atom.joins_previous ? run_pieces - (header_ + run_extra) : run_pieces},
                                           {outside, run_pieces},
                                           {literal, run_pieces}});
    std::copy(std::begin(cost), std::end(cost), std::begin(cost_));
    atoms_.push_back(atom);
    end_ = from + length;
    if ((!changed && !is_run && length >= sure_gap) || atoms_.size() >= most_atoms) settle(ready_);
}

void RecordPlan::settle(std::vector<PlannedRecord>& records) {
    if (atoms_.empty()) return;
    State state = outside;
    for (const State other : {literal, run})
        if (cost_[other] < cost_[state]) state = other;
    const std::size_t first = records.size();
    std::uint64_t end = end_;
    // From the back: atoms of one record are joined while the way stays in the same state.
    bool open = false;
    for (std::size_t i = atoms_.size(); i-- > 0;) {
        const Atom& atom = atoms_[i];
        const std::uint64_t begin = end - atom.length;
        if (state != outside) {
            if (open) {
                records.back().offset = begin;
                records.back().length += atom.length;
            } else {
                records.push_back({begin, atom.length, state == run});
            }
        }
        const State before = atom.came_from[state];
        open = state != outside && before == state && (state == literal || atom.joins_previous);
        end = begin;
        state = before;
    }
    std::reverse(records.begin() + static_cast<std::ptrdiff_t>(first), records.end());
    atoms_.clear();
    start_ = end_;
    cost_[outside] = 0;
    cost_[literal] = cost_[run] = never;
}

std::vector<PlannedRecord> RecordPlan::take(bool all) {
    if (all) settle(ready_);
    return std::exchange(ready_, {});
}

}  // namespace hotstitch::ips
