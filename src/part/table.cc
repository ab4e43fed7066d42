// SPDX-License-Identifier: MIT
// What a file is, and which kinds have parts. A new kind with parts is one file and one row here; one without is one
// row in file_kind.cc. Tested by tests/part_test.cc.
#include "hotstitch/part.h"
#include "part/kinds.h"

namespace hotstitch {
namespace {

struct KindWithParts {
    std::string_view name;
    std::unique_ptr<Container> (*open)(const ByteSource& file, Identity identity, const Limits& limits,
                                       const Progress& progress);
};
constexpr KindWithParts kinds_with_parts[] = {{"archive", open_archive}, {"cartridge", open_cartridge}};

/// A tar of one ROM looks like a ROM behind a copier's header, and no ROM looks like an archive or a patch.
bool excludes_cartridge(const FileKind& kind) {
    return kind.name == "archive" || kind.name == "patch" || kind.name == "empty";
}

}  // namespace

Identity identify(const ByteSource& file) {
    Identity identity{recognise_file(head_of(file)), {}};
    if (excludes_cartridge(identity.kind)) return identity;
    identity.cartridge = recognise_cartridge(file);
    // What begins like something else has to be certain; a hack with stale checks often is likely only.
    const bool is_one =
        identity.cartridge && (identity.kind.name == "data" || identity.cartridge->certainty == Certainty::certain);
    if (is_one)
        identity.kind = {"cartridge", "a cartridge ROM"};
    else
        identity.cartridge.reset();
    return identity;
}

std::unique_ptr<Container> open_container(const ByteSource& file, const Limits& limits, const Progress& progress) {
    Identity identity = identify(file);
    for (const KindWithParts& kind : kinds_with_parts)
        if (kind.name == identity.kind.name) return kind.open(file, std::move(identity), limits, progress);
    return nullptr;
}

}  // namespace hotstitch
