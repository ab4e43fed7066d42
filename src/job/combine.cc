// SPDX-License-Identifier: MIT
// A byte is computed by the mend when the mended file does not depend on what stood there: the places in conflict are
// turned over, and both files mended. Tested by tests/format/recast_test.cc.
#include "job/combine.h"

#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/mend.h"

namespace hotstitch {
namespace {

std::optional<Bytes> with_checks_mended(const Bytes& file, const Limits& limits) {
    try {
        return changed(file, plan_mends(file, {{"checksum", {}}}, {.limits = limits}).change);
    } catch (const Error& error) {
        if (error.code() != ErrorCode::unsupported && error.code() != ErrorCode::usage) throw;
        return std::nullopt;  // nothing that is known computes anything in it
    }
}

}  // namespace

std::optional<Bytes> combined(ByteView source, ByteView a, ByteView b, const Limits& limits) {
    if (a.size() != source.size() || b.size() != source.size()) return std::nullopt;
    Bytes both(a.begin(), a.end());
    std::vector<std::size_t> conflicts;
    for (std::size_t at = 0; at < both.size();) {
        at += common_prefix(b.subspan(at), source.subspan(at));
        if (at == both.size()) break;
        if (a[at] != source[at] && a[at] != b[at]) conflicts.push_back(at);
        both[at] = b[at];
        ++at;
    }
    if (conflicts.empty()) return both;
    Bytes turned = both;
    for (const std::size_t at : conflicts) turned[at] = ~turned[at];
    auto mended = with_checks_mended(both, limits), other = with_checks_mended(turned, limits);
    return mended && mended == other ? mended : std::nullopt;
}

}  // namespace hotstitch
