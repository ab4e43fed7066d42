// SPDX-License-Identifier: MIT
// A number of a data file by its name: a map says where it stands, a list of edits keeps the change. All in memory.
#include <cstdio>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/map.h"

int main() try {
    using namespace hotstitch;
    const SharedMap map = read_map(R"(
        hotstitch-map = 1
        [table.berth]
        at = 4
        names = ["North Quay", "Old Pier"]
        stride = 2
        [[table.berth.field]]
        name = "depth"
        at = 0
        type = "u8"
        range = [1, 50]
    )",
                                   "harbour.map.toml");
    const Bytes file(8, std::byte{5});
    const MemorySource source(file);
    const FieldPlan plan = Fields(source, {map}).set({{"berth[Old Pier].depth", "9"}});
    const Bytes deeper = changed(file, plan.change);
    const Bytes list = create(file, deeper, {.format = PatchFormat::edits});
    std::printf("%s: from %s to %s\n\n%s", plan.fields[0].name.c_str(), plan.fields[0].before.c_str(),
                plan.fields[0].after.c_str(), std::string(text_of(list)).c_str());
    return hotstitch::apply_in_memory(list, file).target == deeper ? 0 : 1;
} catch (const hotstitch::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
}
