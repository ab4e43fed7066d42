// SPDX-License-Identifier: MIT
// The text of a kit, with some files beside it, on a small disc and a small folder: read, written, checked, and every
// step done. What is brought is never changed, and what is made is made twice alike.
#include "contents.h"
#include "data_files.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/text.h"
#include "kit/steps.h"
#include "source/whole.h"

namespace {

Bytes bytes_from(std::string_view text) {
    return {bytes_of(text).begin(), bytes_of(text).end()};
}

const Bytes& disc() {
    static const Bytes all =
        demo::disc({{"A.BIN", Bytes(3000, std::byte{1})}, {"DATA/B.TXT", bytes_from("calm\n")}}, {.joliet = false});
    return all;
}

std::map<std::string, SharedSource> files() {
    static const Bytes patch = create(bytes_of("calm\n"), bytes_of("fog!\n")),
                       xz = pack_content("xz", bytes_of("fog\n"));
    static const Bytes data = demo::harbour_data(false);
    std::map<std::string, SharedSource> all;
    const auto add = [&](const std::string& name, std::string_view text) {
        all.emplace(name, owned(bytes_from(text)));
    };
    add("README.md", "read me"), add("new.txt", "foggy\n");
    add("a.edits", "hotstitch-edits = 1\n[[edit]]\nat = 1\nnew = \"65\"\n");
    add("kelp.map.toml", demo::map_of(false)), add("kelp.tbl", demo::letters());
    all.emplace("b.bps", owned(patch)), all.emplace("new.xz", owned(xz)), all.emplace("kelp.dat", owned(data));
    return all;
}

std::shared_ptr<WorkingBase> base_for(const KitBase& base) {
    auto made = std::make_shared<WorkingBase>();
    if (!base.folder) {
        made->file = std::make_shared<WorkingFile>(std::make_shared<MemorySource>(disc()));
        return made;
    }
    for (const char* const name : {"A.BIN", "DATA/B.TXT", "kelp.dat"}) {
        TreeEntry entry;
        entry.open = [name] {
            return std::string_view(name) == "kelp.dat" ? owned(demo::harbour_data(false))
                                                        : owned(bytes_from("calm\n"));
        };
        made->tree.emplace(name, std::move(entry));
    }
    made->tree.emplace("DATA", TreeEntry{.kind = TreeEntry::Kind::folder});
    made->original = made->tree;
    return made;
}

/// Everything that comes out, after one another; a mark where a step could not be done.
std::string made_by(const KitInput& kit, const WorkOptions& work) {
    std::vector<KitBaseFound> found;
    for (const KitBase& base : kit.kit().bases) found.push_back({.base = &base, .edition = base.any.front().name});
    KitOnItsWay way{kit, found};
    for (const KitBase& base : kit.kit().bases) way.bases.emplace(base.id, base_for(base));
    std::string all;
    std::size_t done = 0;
    for (const Step& step : kit.kit().steps) {
        if (++done > 12) break;
        bool right = false;
        may_be_refused([&] {
            if (is_done(way, step)) run_step(way, step, work);
            right = true;
        });
        all += right ? "+" : "-";
    }
    for (auto& [id, base] : way.bases) {
        const auto add = [&](WorkingFile& file) {
            may_be_refused([&] {
                MemorySink out;
                file.write(out, work);
                all += text_of(out.bytes());
            });
        };
        if (base->file) add(*base->file);
        for (auto& [name, entry] : base->tree) {
            all += name + entry.to;
            require(why_unsafe(name).find("leads") == std::string::npos);
            if (entry.working) add(*entry.working);
        }
    }
    return all;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
    may_be_refused([&] {
        const Kit kit = read_kit(text);
        const std::string written = kit_text(kit);
        require(kit_text(read_kit(written)) == written);
        WorkOptions work;
        work.limits.output = 1 << 20;
        const KitInput input("kit", text, files(), work);
        std::vector<std::string> unused;
        check_kit(input, &unused);
        require(made_by(input, work) == made_by(input, work));
    });
    return 0;
}
