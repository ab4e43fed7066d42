// SPDX-License-Identifier: MIT
// Decides which bytes stand in which record, at the least cost. Knows costs only, not the bytes of the format.
#pragma once

#include <cstdint>
#include <vector>

#include "hotstitch/bytes.h"

namespace hotstitch::ips {

struct PlannedRecord {
    std::uint64_t offset = 0, length = 0;
    bool is_run = false;
    std::uint64_t end() const noexcept { return offset + length; }
};

/// Cuts the target into atoms: stretches that are wholly changed or wholly unchanged, and wholly one long
/// run or none. For each atom it keeps the least cost of having told everything up to it and being there
/// (a) in no record, (b) in a literal record, (c) in a run; following the cheapest way back gives the
/// records. A long unchanged atom outside any run ends the search: nothing reaches across it.
class RecordPlan {
public:
    explicit RecordPlan(ByteView target, std::uint64_t header_cost) : target_(target), header_(header_cost) {}

    /// The stretch [from, to) follows the last one told.
    void add(std::uint64_t from, std::uint64_t to, bool changed);

    /// The records that are certain so far; with `all`, everything told.
    std::vector<PlannedRecord> take(bool all);

private:
    enum State : std::uint8_t { outside, literal, run };
    static constexpr int states = 3;
    struct Atom {
        std::uint64_t length;
        bool changed, is_run, joins_previous;  ///< joins: continues the run of the atom before
        State came_from[states];
    };

    void add_all(std::uint64_t from, std::uint64_t to, bool changed);
    void add_atom(std::uint64_t from, std::uint64_t length, bool changed, bool is_run);
    bool run_starts_at(std::uint64_t at) const noexcept;
    void settle(std::vector<PlannedRecord>& records);

    ByteView target_;
    std::uint64_t header_;  ///< bytes of a literal record besides its data
    std::vector<Atom> atoms_;
    std::uint64_t start_ = 0, end_ = 0;  ///< of the atoms in hand
    std::uint64_t cost_[states] = {0, never, never};
    std::vector<PlannedRecord> ready_;
    static constexpr std::uint64_t never = UINT64_MAX / 4;
};

}  // namespace hotstitch::ips
