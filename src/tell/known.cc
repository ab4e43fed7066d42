// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_describe_test.cc.
#include <algorithm>

#include "hotstitch/tell.h"
#include "hotstitch/text.h"

namespace hotstitch::tell {

std::optional<KnownFiles> read_known(const std::string& name, const WorkOptions& context) {
    if (name.empty()) return std::nullopt;
    Limits limits = context.limits;
    limits.stream = std::min(limits.stream, std::uint64_t{64} << 20);
    const InputFile file(name, limits, context.progress);
    return KnownFiles::parse(text_of(file.bytes()));
}

void known_fact(Report& report, const std::optional<KnownFiles>& known, const ByteSource& file,
                const std::optional<Digests>& as_read, const WorkOptions& context) {
    if (!known) return;
    const Digests digests = digest(file, available(known->choice()), context.progress);
    known_fact(report, known, as_read && known->find(digests) == nullptr ? *as_read : digests);
}

void known_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& digests) {
    if (!known) return;
    const KnownFile* const found = known->find(digests);
    if (found != nullptr)
        report.fact("known_as", "known as", escaped(found->name), as_utf8(found->name));
    else
        report.fact("known_as", "known as", "nothing on the list", nullptr);
}

void needed_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& wanted) {
    if (!known || !wanted.has_checksum()) return;
    const KnownFile* const found = known->find(wanted);
    if (found != nullptr)
        report.fact("needed", "needed is", escaped(found->name), as_utf8(found->name));
    else
        report.fact("needed", "needed is", "nothing on the list, as far as its checksums tell", nullptr);
}

}  // namespace hotstitch::tell
