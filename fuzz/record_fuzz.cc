// SPDX-License-Identifier: MIT
// Any bytes as what we write down: receipts, expected checksums, lists of known files, codes of representations. What
// is taken has to come out again as it went in.
#include <cstdint>
#include <cstdlib>

#include "hotstitch/checks.h"
#include "hotstitch/error.h"
#include "hotstitch/receipt.h"
#include "hotstitch/recipe.h"
#include "hotstitch/source.h"
#include "hotstitch/text.h"

using namespace hotstitch;

namespace {

template <class Read>
void may_be_refused(const Read& read) {
    try {
        read();
    } catch (const Error& error) {
        if (error.code() != ErrorCode::damaged && error.code() != ErrorCode::unsupported) std::abort();
    }
}

void require(bool holds) {
    if (!holds) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string_view text = text_of(std::as_bytes(std::span(data, size)));
    may_be_refused([&] {
        const std::string written = receipt_to_json(receipt_from_json(text));
        require(receipt_to_json(receipt_from_json(written)) == written);
    });
    may_be_refused([&] {
        const std::string written = checks_to_json(checks_from_json(text));
        require(checks_to_json(checks_from_json(written)) == written);
    });
    may_be_refused([&] { KnownFiles::parse(text); });
    if (const auto representation = representation_from(text)) {
        const auto again = representation_from(code_of(*representation));
        require(again && again->kind == representation->kind && again->bytes == representation->bytes &&
                again->fill == representation->fill);
    }
    require(from_utf8(as_utf8(text)) == text);
    require(escaped(text) == escaped(escaped(text)));
    may_be_refused([&] {
        const std::string written = json_of(recipe_from_json(text));
        require(json_of(recipe_from_json(written)) == written);
    });
    return 0;
}
