// SPDX-License-Identifier: MIT
#include "format/vcdiff/window_decoder.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

[[noreturn]] void damaged(const char* what, const Cursor& where, std::string_view field, std::string found,
                          std::string wanted) {
    throw Error(ErrorCode::damaged, what)
        .at(where.position())
        .in(std::string(field))
        .found(std::move(found))
        .wanted(std::move(wanted));
}

}  // namespace

Flow WindowDecoder::run() {
    while (instructions_.left() != 0) {
        const auto code = std::to_integer<std::size_t>(instructions_.take(1, "instructions")[0]);
        for (const Half& half : table_.entries[code])
            if (half.type != Type::noop && follow(half) == Flow::stop) return Flow::stop;
    }
    check_all_used();
    return Flow::go_on;
}

Flow WindowDecoder::follow(const Half& half) {
    const std::uint64_t length = half.size != 0 ? half.size : take_integer(instructions_, "instruction's size");
    if (length > window_.length - made_)
        damaged("an instruction makes more than the window's size", instructions_, "instructions",
                counted(length, "byte", "bytes"),
                fmt::format("at most {}", counted(window_.length - made_, "byte", "bytes")));
    switch (half.type) {
        case Type::copy: return copy(length, half.mode);
        case Type::add: {
            const ByteView bytes = data_.take(length, "data");
            made_ += length;
            return length == 0 ? Flow::go_on : sink_.put(Edit::literal(bytes));
        }
        case Type::run: {
            const std::byte value = data_.take(1, "data")[0];
            made_ += length;
            return length == 0 ? Flow::go_on : sink_.put(Edit::run(value, length));
        }
        case Type::noop: break;
    }
    damaged("an instruction is of no known type", instructions_, "code table",
            fmt::format("type {}", static_cast<unsigned>(half.type)), "0 to 3");
}

Flow WindowDecoder::copy(std::uint64_t length, std::size_t mode) {
    const std::uint64_t segment = window_.segment_length;
    if (made_ > UINT64_MAX - segment)
        damaged("segment and window pass 64 bits", addresses_, "addresses", fmt::format("{}", segment), "less");
    const std::uint64_t here = segment + made_;
    std::uint64_t address = take_address(mode, here);
    if (address >= here)
        damaged("a copy begins where nothing is yet", addresses_, "addresses", fmt::format("address {}", address),
                fmt::format("below {}", here));
    cache_.update(address);
    made_ += length;
    if (address < segment && length != 0) {
        const std::uint64_t part = std::min(length, segment - address), from = window_.segment_offset + address;
        const Edit edit =
            window_.segment == Segment::source ? Edit::copy_source(from, part) : Edit::copy_target(from, part);
        if (sink_.put(edit) == Flow::stop) return Flow::stop;
        // What runs on over the segment's end goes on with the window's own first byte.
        address = segment, length -= part;
    }
    return length == 0 ? Flow::go_on : sink_.put(Edit::copy_target(window_.offset + (address - segment), length));
}

std::uint64_t WindowDecoder::take_address(std::size_t mode, std::uint64_t here) {
    if (mode >= cache_.modes())
        damaged("a copy has no known address mode", instructions_, "code table", fmt::format("mode {}", mode),
                fmt::format("below {}", cache_.modes()));
    if (mode >= 2 && cache_.is_same_mode(mode)) return cache_.same_slot(mode, addresses_.take(1, "addresses")[0]);
    const std::uint64_t value = take_integer(addresses_, "addresses");
    if (mode == 0) return value;
    if (mode == 1) {
        if (value > here)
            damaged("a copy begins before the segment", addresses_, "addresses",
                    fmt::format("{} back", counted(value, "byte", "bytes")), fmt::format("at most {}", here));
        return here - value;
    }
    const std::uint64_t slot = cache_.near_slot(mode);
    if (value > UINT64_MAX - slot)
        damaged("a copy's address passes 64 bits", addresses_, "addresses", fmt::format("{} from {}", value, slot),
                "less");
    return slot + value;
}

void WindowDecoder::check_all_used() const {
    if (made_ != window_.length)
        damaged("its instructions make less than its size", instructions_, "instructions",
                counted(made_, "byte", "bytes"), counted(window_.length, "byte", "bytes"));
    if (data_.left() != 0)
        damaged("its data has bytes that no instruction uses", data_, "data", counted(data_.left(), "byte", "bytes"),
                "none");
    if (addresses_.left() != 0)
        damaged("its addresses have bytes that no instruction uses", addresses_, "addresses",
                counted(addresses_.left(), "byte", "bytes"), "none");
}

}  // namespace hotstitch::vcdiff
