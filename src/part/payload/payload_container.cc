// SPDX-License-Identifier: MIT
// A packed file and its content. Tested by tests/part/payload_test.cc.
#include <algorithm>

#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "part/kinds.h"
#include "part/payload/codec.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

class PayloadContainer final : public Container {
public:
    PayloadContainer(const ByteSource& file, const Codec& codec, const Limits& limits)
        : file_(file, limits), codec_(codec), limits_(limits), extent_(measure(codec, file_, limits)) {}

    KindId kind() const noexcept override { return KindId::payload; }
    std::string title() const override { return std::string(codec_.title); }

    void visit(const VisitPart& visitor) const override {
        std::shared_ptr<ByteSink> unpacked;
        const auto content = [&]() -> ByteSink& {
            if (!unpacked) {
                unpacked = scratch_of(limits_);
                unpack(codec_, file_, *unpacked, limits_);
            }
            return *unpacked;
        };
        const auto head = [&] { return head_of(WrittenSource(content())); };
        visitor({.name = "content", .kind = PartKind::content, .size = extent_.content, .offset = {}, .head = head},
                [&](ByteSink& out) { write_source(WrittenSource(content()), out); });
    }

    SharedSource stored(const Part&) const override { return std::make_shared<MemorySource>(file_.bytes()); }

    PutResult put(const Part&, const SharedSource& content, const PutOptions&) const override {
        const WholeView bytes(*content, limits_);
        return differences(file_, repacked(codec_, file_, bytes, limits_));
    }

private:
    WholeView file_;
    const Codec& codec_;
    const Limits limits_;
    Extent extent_;
};

}  // namespace

// NOLINTNEXTLINE(performance-unnecessary-value-param): as all in the table of kinds
std::unique_ptr<Container> open_payload(const ByteSource& file, Identity, const Limits& limits, const Progress&) {
    const Codec* codec = codec_of(file);
    if (codec == nullptr) codec = codec_by_begin(head_of(file));  // a broken one says where
    if (codec == nullptr || file.size() > largest_payload)
        throw Error(ErrorCode::limit, "the packed file is larger than is unpacked here")
            .hint("unpack it with the program that packed it");
    return std::make_unique<PayloadContainer>(file, *codec, limits);
}

std::unique_ptr<Container> open_payload_as(const ByteSource& file, std::string_view codec, const Limits& limits) {
    return std::make_unique<PayloadContainer>(file, *codec_by_name(codec), limits);
}

std::optional<Recognised> recognise_payload(const ByteSource& file, const Identity& by_head) {
    const Codec* const codec = codec_of(file);
    if (codec == nullptr) return std::nullopt;
    Recognised payload{Bid::unpacks, by_head};
    payload.identity.kind = {KindId::payload, codec->title};
    return payload;
}

bool is_packed(const ByteSource& file) {
    return codec_of(file) != nullptr;
}

ChangeList put_content(const ByteSource& packed, const ByteSource& content, const Limits& limits) {
    const Codec* const codec = codec_by_begin(head_of(packed));
    if (codec == nullptr) throw Error(ErrorCode::unsupported, "this compression is only read");
    const WholeView file(packed, limits), bytes(content, limits);
    return differences(file, repacked(*codec, file, bytes, limits));
}

}  // namespace hotstitch
