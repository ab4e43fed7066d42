// SPDX-License-Identifier: MIT
// Tested by tests/format/vcdiff_test.cc.
#include "format/vcdiff/window_encoder.h"

#include <algorithm>

namespace hotstitch::vcdiff {
namespace {

// A shorter run costs no less than its bytes in the literal around it.
constexpr std::uint64_t least_run = 6;

// The default table, the other way round. REQUIRES sizes that the table has; 0: the size follows.
constexpr unsigned most_add = 17, least_copy = 4, most_copy = 18;

unsigned single_code(const Half& half) {
    if (half.type == Type::run) return 0;
    if (half.type == Type::add) return 1U + half.size;
    return 19U + half.mode * 16U + (half.size == 0 ? 0U : half.size - 3U);
}

/// The code of two instructions in one byte; 0 where there is none (0 is no pair).
unsigned pair_code(const Half& first, const Half& second) {
    if (first.type == Type::add && second.type == Type::copy && first.size >= 1 && first.size <= 4) {
        if (second.mode <= 5 && second.size >= 4 && second.size <= 6)
            return 163U + second.mode * 12U + (first.size - 1U) * 3U + (second.size - 4U);
        if (second.mode >= 6 && second.size == 4) return 235U + (second.mode - 6U) * 4U + (first.size - 1U);
    }
    if (first.type == Type::copy && first.size == 4 && second.type == Type::add && second.size == 1)
        return 247U + first.mode;
    return 0;
}

}  // namespace

void WindowEncoder::begin(ByteView target, std::uint64_t offset) {
    target_ = target;
    offset_ = offset;
    made_ = 0;
    ops_.clear();
}

void WindowEncoder::literal(std::uint64_t length) {
    if (length == 0) return;
    if (!ops_.empty() && ops_.back().type == Type::add)
        ops_.back().length += length;
    else
        ops_.push_back({Type::add, false, length, offset_ + made_});
    made_ += length;
}

void WindowEncoder::add(const Edit& edit) {
    switch (edit.kind) {
        case EditKind::literal:
        case EditKind::xor_source: return literal(edit.length);
        case EditKind::run:
            if (edit.length < least_run) return literal(edit.length);
            ops_.push_back({Type::run, false, edit.length, offset_ + made_});
            made_ += edit.length;
            return;
        case EditKind::copy_source:
            ops_.push_back({Type::copy, true, edit.length, edit.offset});
            made_ += edit.length;
            return;
        case EditKind::copy_target: break;
    }
    // What lies before the window is out of reach; a copy that repeats a stretch gets it back once it stands here.
    const std::uint64_t out_of_reach = std::min(edit.length, offset_ - std::min(edit.offset, offset_));
    literal(out_of_reach);
    if (out_of_reach == edit.length) return;
    ops_.push_back({Type::copy, false, edit.length - out_of_reach, edit.offset + out_of_reach});
    made_ += edit.length - out_of_reach;
}

WindowEncoder::Encoded WindowEncoder::encode(Addresses how) {
    alike_ = how == Addresses::alike;
    Encoded out;
    std::uint64_t begin = UINT64_MAX, end = 0;
    for (const Op& op : ops_)
        if (op.type == Type::copy && op.from_source)
            begin = std::min(begin, op.from), end = std::max(end, op.from + op.length);
    if (end != 0) out.segment_offset = begin, out.segment_length = end - begin;
    cache_.clear();
    here_ = out.segment_length;
    last_ = {};
    for (const Op& op : ops_) put_op(op, out);
    return out;
}

void WindowEncoder::put_op(const Op& op, Encoded& out) {
    Bytes& data_bytes = out.sections[data];
    switch (op.type) {
        case Type::add: {
            const ByteView bytes = target_.subspan(op.from, op.length);
            data_bytes.insert(data_bytes.end(), bytes.begin(), bytes.end());
            put_code({Type::add, static_cast<std::uint8_t>(op.length <= most_add ? op.length : 0), 0}, op.length,
                     out.sections[instructions]);
            break;
        }
        case Type::run:
            data_bytes.push_back(target_[op.from]);
            put_code({Type::run, 0, 0}, op.length, out.sections[instructions]);
            break;
        case Type::copy:
            put_copy(op.from_source ? op.from - out.segment_offset : op.from - offset_ + out.segment_length, op.length,
                     out);
            break;
        case Type::noop: break;
    }
    here_ += op.length;
}

void WindowEncoder::put_copy(std::uint64_t address, std::uint64_t length, Encoded& out) {
    const AddressCache::Written written =
        alike_ ? AddressCache::from_here(address, here_) : cache_.shortest(address, here_);
    if (cache_.is_same_mode(written.mode))
        out.sections[addresses].push_back(static_cast<std::byte>(written.value));
    else
        put_integer(out.sections[addresses], written.value);
    cache_.update(address);
    const bool in_table = length >= least_copy && length <= most_copy;
    put_code({Type::copy, static_cast<std::uint8_t>(in_table ? length : 0), static_cast<std::uint8_t>(written.mode)},
             length, out.sections[instructions]);
}

void WindowEncoder::put_code(Half half, std::uint64_t length, Bytes& codes) {
    if (const unsigned pair = half.size != 0 ? pair_code(last_, half) : 0; pair != 0) {
        codes.back() = static_cast<std::byte>(pair);
        last_ = {};
        return;
    }
    codes.push_back(static_cast<std::byte>(single_code(half)));
    if (half.size == 0) put_integer(codes, length);
    last_ = half.size != 0 ? half : Half{};
}

}  // namespace hotstitch::vcdiff
