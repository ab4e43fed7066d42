// SPDX-License-Identifier: MIT
// What a file is: each kind bids for it, and who bids most takes it. The rows stand in the order of what they may bid,
// so that most of them are not asked. Tested by tests/part/kind_test.cc and tests/part/part_test.cc.
#include "part/kinds.h"

#include <array>
#include <vector>

#include "hotstitch/cartridge.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Kinds that nothing else looks like: a tar of one ROM looks like a ROM behind a copier's header.
std::optional<Recognised> unlike(const ByteSource&, const Identity& by_head) {
    return Recognised{Bid::unlike, by_head};
}
std::optional<Recognised> named(const ByteSource&, const Identity& by_head) {
    return Recognised{Bid::first_bytes, by_head};
}

/// A hack with stale checks often is likely only: what begins like something else is rather that.
std::optional<Recognised> cartridge(const ByteSource& file, const Identity&) {
    std::optional<Identity> identity = recognise_cartridge(file);
    if (!identity) return std::nullopt;
    const Bid bid = identity->certainty == Certainty::certain ? Bid::proven : Bid::perhaps;
    return Recognised{bid, *std::move(identity)};
}

constexpr std::array kinds{
    Kind{KindId::empty, Bid::unlike, unlike},
    Kind{KindId::patch, Bid::unlike, unlike},
    Kind{KindId::archive, Bid::unlike, unlike, open_archive},
    Kind{KindId::payload, Bid::unlike, unlike, open_payload},
    Kind{KindId::disc, Bid::structure, recognise_disc, open_disc},
    Kind{KindId::disc_copy, Bid::structure, recognise_copy, open_copy},
    Kind{KindId::disc, Bid::structure, recognise_table_disc, open_table_disc},
    Kind{KindId::chunk_file, Bid::structure, recognise_chunks, open_chunks},
    Kind{KindId::cartridge, Bid::proven, cartridge, open_cartridge},
    Kind{KindId::executable, Bid::first_bytes, recognise_executable, open_executable},
    Kind{KindId::web_page, Bid::first_bytes, named},
    Kind{KindId::pointer, Bid::first_bytes, named},
    Kind{KindId::text, Bid::first_bytes, named},
    Kind{KindId::picture, Bid::first_bytes, named},
    Kind{KindId::document, Bid::first_bytes, named},
    Kind{KindId::other_patch, Bid::first_bytes, named},
    Kind{KindId::executable, Bid::rules, recognise_plain_executable, open_executable},
    Kind{KindId::payload, Bid::unpacks, recognise_payload, open_payload},
};

/// Known by the first bytes alone: no other kind is asked as these.
bool is_by_head(const Kind& kind) {
    return kind.recognise == unlike || kind.recognise == named;
}

std::vector<const Kind*>& further_kinds() {
    static std::vector<const Kind*> all;
    return all;
}

/// The row that takes the file; null: none does, and the identity says what its first bytes do.
const Kind* recognise(const ByteSource& file, Recognised& best) {
    best.identity.kind = recognise_file(head_of(file));
    best.identity.size = file.size();
    const Identity by_head = best.identity;
    const Kind* taken = nullptr;
    const auto ask = [&](const Kind& kind) {
        if (best.bid >= kind.most || (is_by_head(kind) && by_head.kind.id != kind.id)) return;
        std::optional<Recognised> recognised = kind.recognise(file, by_head);
        if (!recognised || recognised->bid <= best.bid) return;
        best = *std::move(recognised);
        taken = &kind;
    };
    for (const Kind& kind : kinds) ask(kind);
    for (const Kind* const kind : further_kinds()) ask(*kind);
    return taken;
}

}  // namespace

FurtherKind::FurtherKind(const Kind& kind) {
    further_kinds().push_back(&kind);
}
FurtherKind::~FurtherKind() {
    further_kinds().pop_back();
}

Identity identify(const ByteSource& file) {
    Recognised best;
    recognise(file, best);
    return std::move(best.identity);
}

Identity identify(ByteView file) {
    return identify(MemorySource(file));
}

std::unique_ptr<Container> open_container(const ByteSource& file, const Limits& limits, const Progress& progress) {
    if (limits.maps && !limits.maps->codec().empty()) return open_payload_as(file, limits.maps->codec(), limits);
    Recognised best;
    const Kind* const kind = recognise(file, best);
    const Identity known = limits.maps ? best.identity : Identity{};
    const auto open = [&]() -> std::unique_ptr<Container> {
        if (kind == nullptr || kind->open == nullptr) return nullptr;
        return in_memory([&] { return kind->open(file, std::move(best.identity), limits, progress); });
    };
    return limits.maps ? limits.maps->described(file, known, open, limits) : open();
}

}  // namespace hotstitch
