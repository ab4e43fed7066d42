// SPDX-License-Identifier: MIT
// The instructions of one window, turned into edits. docs/formats/vcdiff.md sections 4 and 5.
#pragma once

#include <array>

#include "format/vcdiff/code_table.h"
#include "hotstitch/edit.h"
#include "hotstitch/window.h"

namespace hotstitch::vcdiff {

class WindowDecoder {
public:
    /// Keeps references. `sections`: data, instructions, addresses; `cache` is clear.
    WindowDecoder(const CodeTable& table, const Window& window, std::array<Cursor, section_count>& sections,
                  AddressCache& cache, EditSink& sink)
        : table_(table),
          window_(window),
          data_(sections[data]),
          instructions_(sections[instructions]),
          addresses_(sections[addresses]),
          cache_(cache),
          sink_(sink) {}

    /// Throws Error(damaged, truncated) when the sections break a rule.
    Flow run();

private:
    Flow follow(const Half& half);
    Flow copy(std::uint64_t length, std::size_t mode);
    std::uint64_t take_address(std::size_t mode, std::uint64_t here);
    void check_all_used() const;

    const CodeTable& table_;
    const Window& window_;
    Cursor& data_;
    Cursor& instructions_;
    Cursor& addresses_;
    AddressCache& cache_;
    EditSink& sink_;
    std::uint64_t made_ = 0;  ///< bytes of this window
};

}  // namespace hotstitch::vcdiff
