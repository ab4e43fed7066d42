// SPDX-License-Identifier: MIT
// Containers: all that is in one, and a change of it that has to hold what it says.
#pragma once

#include <map>
#include <string>

#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/part.h"
#include "input.h"
#include "require.h"

using namespace hotstitch;

using Contents = std::map<std::string, Bytes>;

inline Contents contents_of(const ByteSource& file, const Limits& limits = {}) {
    Contents all;
    const auto container = open_container(file, limits);
    if (container == nullptr) return all;
    container->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        constexpr std::uint64_t most = 1 << 20;  // what is computed may be large
        if (part.size.value_or(0) <= most) may_be_refused([&] { extract(sink); });
        if (part.offset) require(*part.offset <= file.size() && part.size <= file.size() - *part.offset);
        if (part.kind == PartKind::file) all[part.name] = sink.take();
        return all.size() < 200 ? Flow::go_on : Flow::stop;
    });
    return all;
}

/// Puts, adds or removes as the input says. `whole`: nothing was broken, so that what is put in comes out again and
/// nothing else changes. `added`: a name for a new file.
inline void change(const Bytes& image, Input& input, bool whole, const std::string& added, const Limits& limits = {}) {
    const MemorySource file(image);
    const auto container = open_container(file, limits);
    if (container == nullptr) return;
    const std::vector<Part> parts = container->parts();
    if (parts.empty()) return;
    const Contents before = contents_of(file, limits);
    const Part& part = parts[input.byte() % parts.size()];
    const unsigned what = input.byte();
    PutOptions options;
    options.room = static_cast<Room>(what % 4);
    const Bytes bytes(input.byte() * 60 % 9000, std::byte{9});
    const auto content = std::make_shared<MemorySource>(bytes);
    const bool adds = what % 5 == 1, removes = what % 5 == 2;
    may_be_refused([&] {
        const PutResult result = adds      ? container->add(added, content, options)
                                 : removes ? container->remove(part, options)
                                           : container->put(part, content, options);
        const ChangedSource made(file, result.change);
        Contents after = contents_of(made, limits), wanted = before;
        // Headers and tables follow what is put in, and are no files to put anything into here.
        const auto is_system = [](const std::string& name) { return name.starts_with("sys/"); };
        if (!whole || (!adds && (part.kind != PartKind::file || is_system(part.name)))) return;
        for (auto* const all : {&after, &wanted})
            std::erase_if(*all, [&](const auto& row) { return is_system(row.first); });
        if (removes)
            wanted.erase(part.name);
        else
            wanted[adds ? added : part.name] = bytes;
        require(after == wanted);
        if (const auto check = check_sectors(made)) require(check->wrong == 0);
    });
}
