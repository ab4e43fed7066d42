// SPDX-License-Identifier: MIT
#pragma once

#include <array>

#include "format/vcdiff/code_table.h"
#include "hotstitch/patch.h"

namespace hotstitch::vcdiff {

/// docs/formats/vcdiff.md. One window is in work at a time.
class Reader final : public PatchReader {
public:
    /// Whether this is the stream inside a header that makes an own code table; that one may have none itself.
    enum class Nested { no, yes };

    /// Reads the header and hops over the windows, so that sizes, flags and sections are checked before the first
    /// edit is told. What instructions and compressed sections hold is checked while reading.
    Reader(ByteView patch, const Limits& limits, Nested nested = Nested::no);
    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t) const noexcept override { return *facts_.target.size; }
    Flow read(std::uint64_t source_size, EditSink& sink) const override;
    Flow windows(const std::function<Flow(const Window&)>& use) const override;

private:
    struct OpenWindow;
    void read_header(Cursor& cursor, Nested nested);
    OpenWindow take_window(Cursor& cursor, const Window& before) const;
    template <class Use>
    Flow walk(Use&& use) const;

    ByteView patch_;
    Limits limits_;
    PatchFacts facts_;
    std::optional<unsigned> compressor_;
    CodeTable table_;
    std::uint64_t first_window_ = 0;
};

}  // namespace hotstitch::vcdiff
