// SPDX-License-Identifier: MIT
// docs/formats/bps.md section 5. Tested by tests/format/ups_bps_test.cc.
#include "format/bps/bps_writer.h"

#include "base/vlv.h"

namespace hotstitch::bps {
namespace {

// A run of up to this many bytes costs no less as an action of its own than as literal bytes.
constexpr std::uint64_t short_run = 4;

}  // namespace

Writer::Writer(ByteView source, ByteView target, ByteSink& patch, ByteView metadata)
    : source_(source), target_(target), out_(patch) {
    out_.append(bytes_of(magic));
    put_vlv(out_.buffer(), source.size());
    put_vlv(out_.buffer(), target.size());
    put_vlv(out_.buffer(), metadata.size());
    out_.append(metadata);
}

Flow Writer::put(const Edit& edit) {
    const std::uint64_t begin = at_;
    at_ += edit.length;
    switch (edit.kind) {
        case EditKind::copy_source:
            at_ = begin;
            end_literal();
            if (edit.offset == begin)
                action(Action::source_read, edit.length);
            else
                copy(Action::source_copy, source_at_, edit.offset, edit.length);
            literal_from_ = at_ = begin + edit.length;
            break;
        case EditKind::copy_target:
            at_ = begin;
            end_literal();
            copy(Action::target_copy, target_at_, edit.offset, edit.length);
            literal_from_ = at_ = begin + edit.length;
            break;
        case EditKind::run:
            if (edit.length <= short_run) break;
            at_ = begin + 1;
            end_literal();
            copy(Action::target_copy, target_at_, begin, edit.length - 1);
            literal_from_ = at_ = begin + edit.length;
            break;
        // The bytes stand in the target; they are written when the stretch of literals ends.
        case EditKind::literal:
        case EditKind::xor_source: break;
    }
    return Flow::go_on;
}

void Writer::finish() {
    end_literal();
    out_.finish_with_footer({crc32(source_), crc32(target_)});
}

void Writer::end_literal() {
    if (literal_from_ == at_) return;
    const std::uint64_t length = at_ - literal_from_;
    action(Action::target_read, length);
    out_.append(target_.subspan(literal_from_, length));
    literal_from_ = at_;
}

void Writer::action(Action kind, std::uint64_t length) {
    put_vlv(out_.buffer(), (length - 1) << 2 | static_cast<std::uint64_t>(kind));
    out_.spill();
}

void Writer::copy(Action kind, std::uint64_t& cursor, std::uint64_t offset, std::uint64_t length) {
    action(kind, length);
    const bool back = offset < cursor;
    put_vlv(out_.buffer(), (back ? cursor - offset : offset - cursor) << 1 | (back ? 1 : 0));
    cursor = offset + length;
}

}  // namespace hotstitch::bps
