// SPDX-License-Identifier: MIT
// docs/formats/ups.md section 5. Tested by tests/format/ups_bps_test.cc.
#include "format/ups/ups_writer.h"

#include <algorithm>

#include "base/vlv.h"
#include "format/ups/ups_reader.h"

namespace hotstitch::ups {

Writer::Writer(ByteView source, ByteView target, ByteSink& patch) : source_(source), target_(target), out_(patch) {
    out_.append(bytes_of(magic));
    put_vlv(out_.buffer(), source.size());
    put_vlv(out_.buffer(), target.size());
}

Flow Writer::put(const Edit& edit) {
    const std::uint64_t end = at_ + edit.length;
    const bool unchanged = edit.kind == EditKind::copy_source && edit.offset == at_;
    if (!unchanged) {
        compare(at_, end);
    } else if (in_hunk_) {
        compare(at_, at_ + 1);  // equal, so it ends the hunk
    }
    at_ = end;
    return Flow::go_on;
}

std::byte Writer::difference(std::uint64_t at) const noexcept {
    const auto byte_of = [at](ByteView file) { return at < file.size() ? file[at] : std::byte{0}; };
    return byte_of(source_) ^ byte_of(target_);
}

void Writer::compare(std::uint64_t from, std::uint64_t to) {
    for (std::uint64_t at = from; at < to; ++at) {
        const std::byte x = difference(at);
        if (x == std::byte{0} && !in_hunk_) continue;
        if (!in_hunk_) put_vlv(out_.buffer(), at - told_);
        in_hunk_ = x != std::byte{0};
        out_.buffer().push_back(x);
        told_ = at + 1;
        out_.spill();
    }
}

void Writer::finish() {
    // What the source has beyond the target, so that the patch works backwards too.
    compare(at_, std::max(source_.size(), target_.size()));
    if (in_hunk_) out_.buffer().push_back(std::byte{0});
    out_.finish_with_footer({crc32(source_), crc32(target_)});
}

}  // namespace hotstitch::ups
