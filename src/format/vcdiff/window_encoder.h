// SPDX-License-Identifier: MIT
// Writes the edits of one window as instructions: pairs where the code table has them, addresses in their shortest
// form. docs/formats/vcdiff.md section 8.
#pragma once

#include <array>
#include <vector>

#include "format/vcdiff/code_table.h"
#include "hotstitch/edit.h"

namespace hotstitch::vcdiff {

class WindowEncoder {
public:
    enum class Addresses {
        shortest,  ///< fewest bytes
        alike,     ///< all as the distance from here: longer, but the same bytes again and again for a compressor
    };

    /// Begins a window at this offset of the target. Views of `target` are kept.
    void begin(ByteView target, std::uint64_t offset);

    /// Adds an edit that begins where the last one ended and stays in the window. Copies from the target before the
    /// window become literals.
    void add(const Edit& edit);

    std::uint64_t offset() const noexcept { return offset_; }
    std::uint64_t made() const noexcept { return made_; }

    struct Encoded {
        std::uint64_t segment_offset = 0, segment_length = 0;  ///< of the source
        std::array<Bytes, section_count> sections;
    };
    Encoded encode(Addresses how);
    std::size_t edits() const noexcept { return ops_.size(); }

private:
    struct Op {
        Type type;
        bool from_source;
        std::uint64_t length, from;  ///< from: offset in source or target; of add and run, in the target
    };
    void literal(std::uint64_t length);
    void put_op(const Op& op, Encoded& out);
    void put_copy(std::uint64_t address, std::uint64_t length, Encoded& out);
    void put_code(Half half, std::uint64_t length, Bytes& instructions);

    bool alike_ = false;
    ByteView target_;
    std::uint64_t offset_ = 0, made_ = 0;
    std::vector<Op> ops_;
    AddressCache cache_;
    std::uint64_t here_ = 0;
    Half last_{};  ///< the instruction whose code ends the section and may become the first half of a pair
};

}  // namespace hotstitch::vcdiff
