// SPDX-License-Identifier: MIT
// What people write by hand. FUZZ_ENTRY: 0 map: a map, up to a 00, and the file behind it: fields shown, set to what
// they show, which then reads back; members put into. 1 edits: an edit list for a file of the demo, with its maps; what
// it makes comes out of a list of the difference, too.
#include <span>

#include "contents.h"
#include "data_files.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/fields.h"
#include "hotstitch/map.h"

namespace {

Bytes bytes_from(const std::string& text) {
    return {bytes_of(text).begin(), bytes_of(text).end()};
}

[[maybe_unused]] void set_what_is_shown(const ByteSource& file, const SharedMap& map) {
    const Fields fields(file, {map});
    unsigned tried = 0;
    for (const FieldTable& table : fields.show())
        for (const FieldRecord& record : table.records)
            for (std::size_t i = 0; i < table.columns.size(); ++i) {
                if (table.name == "header" || ++tried > 60) return;
                const std::string selector =
                    table.name + "[" + std::to_string(record.index) + "]." + table.columns[i].name;
                may_be_refused([&] {
                    const FieldPlan plan = fields.set({{selector, record.values[i].text}}, {.mend = false});
                    require(plan.fields.size() == 1 && plan.fields[0].after == record.values[i].text);
                    require(plan.change.result_size() == file.size());
                });
            }
}

[[maybe_unused]] void map_with_file(const std::string& input) {
    const std::size_t end = std::min(input.find('\0'), input.size());
    const Bytes bytes = bytes_from(input.substr(std::min(end + 1, input.size())));
    const MemorySource file(bytes);
    may_be_refused([&] {
        const SharedMap map = read_map(input.substr(0, end), "map", [](const std::string& name) {
            return bytes_from(name.size() % 2 == 0 ? demo::letters() : name);
        });
        fit_of(*map, identify(file), file);
        may_be_refused([&] { set_what_is_shown(file, map); });
        may_be_refused([&] { Fields(file, {map}).compare(Fields(file, {map})); });
        Limits limits;
        auto maps = std::make_shared<Maps>();
        maps->add(map);
        limits.maps = maps;
        Input choice(input);
        may_be_refused([&] { contents_of(file, limits); });
        may_be_refused([&] { change(bytes, choice, false, "new", limits); });
    });
}

[[maybe_unused]] void list_for_a_file(const std::string& text) {
    static const Bytes source = demo::harbour_data(false);
    static const Limits limits = [] {
        Limits with;
        auto maps = std::make_shared<Maps>();
        for (const bool americas : {false, true})
            maps->add(read_map(demo::map_of(americas), americas ? "americas" : "europe",
                               [](const std::string&) { return bytes_from(demo::letters()); }));
        with.maps = maps;
        return with;
    }();
    may_be_refused([&] {
        const EditList list = read_edit_list(text);
        require(edit_list_text(read_edit_list(edit_list_text(list))) == edit_list_text(list));
    });
    may_be_refused([&] {
        ApplyOptions options{.allow_source = true, .allow_target = true, .limits = limits};
        options.limits.output = 1 << 20;
        const Bytes made = hotstitch::apply_in_memory(bytes_of(text), source, options).target;
        const Bytes again = create(source, made, {.format = PatchFormat::edits});
        require(hotstitch::apply_in_memory(again, source).target == made);
    });
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string input(reinterpret_cast<const char*>(data), size);
    if (FUZZ_ENTRY == 0)
        map_with_file(input);
    else
        list_for_a_file(input);
    return 0;
}
