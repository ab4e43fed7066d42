// SPDX-License-Identifier: MIT
// Tested by tests/field/fields_test.cc.
#include "edit/overlay.h"

#include <algorithm>

#include "source/stretch.h"

namespace hotstitch {

ByteView Overlay::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    const std::uint64_t end = offset + length;
    auto page = pages_.lower_bound(offset / page_size);
    if (length == 0 || page == pages_.end() || page->first * page_size >= end)
        return below_.read(offset, length, scratch);
    const MutableByteView into = scratch.first(length);
    read_into(below_, offset, into);
    for (; page != pages_.end() && page->first * page_size < end; ++page) {
        const std::uint64_t begins = page->first * page_size, from = std::max(begins, offset);
        const std::uint64_t to = std::min(begins + page->second.size(), end);
        std::copy_n(page->second.begin() + static_cast<std::ptrdiff_t>(from - begins), to - from,
                    into.begin() + static_cast<std::ptrdiff_t>(from - offset));
    }
    return into;
}

void Overlay::write(std::uint64_t offset, ByteView bytes) {
    while (!bytes.empty()) {
        const std::uint64_t number = offset / page_size, begins = number * page_size;
        const auto [page, is_new] = pages_.try_emplace(number);
        if (is_new) page->second = stretch_of(below_, begins, std::min(page_size, below_.size() - begins));
        const auto length =
            static_cast<std::size_t>(std::min<std::uint64_t>(bytes.size(), begins + page_size - offset));
        std::copy_n(bytes.begin(), length, page->second.begin() + static_cast<std::ptrdiff_t>(offset - begins));
        offset += length;
        bytes = bytes.subspan(length);
    }
}

ChangeList Overlay::changes() const {
    ChangeList list(below_.size());
    Bytes scratch(page_size), run;
    std::uint64_t begins = 0;
    const auto finish_run = [&] {
        const std::size_t length = run.size();
        if (length != 0) list.put(begins, length, std::exchange(run, {}));
    };
    for (const auto& [number, page] : pages_) {
        const ByteView before = below_.read(number * page_size, page.size(), scratch);
        for (std::size_t i = 0; i < page.size(); ++i) {
            if (before[i] == page[i]) {
                if (!run.empty()) finish_run();
                continue;
            }
            const std::uint64_t at = number * page_size + i;
            if (!run.empty() && begins + run.size() != at) finish_run();
            if (run.empty()) begins = at;
            run.push_back(page[i]);
        }
    }
    finish_run();
    return list;
}

}  // namespace hotstitch
