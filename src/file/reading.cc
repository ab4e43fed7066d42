// SPDX-License-Identifier: MIT
// Other ways to read a file, as sources. Tested by tests/diagnose_test.cc and tests/image_test.cc.
#include "hotstitch/reading.h"

#include <fmt/format.h>

#include <algorithm>

namespace hotstitch {
namespace {

/// `before` bytes of 00, a view, `after` bytes of `fill`.
class PaddedSource final : public ByteSource {
public:
    PaddedSource(std::uint64_t before, ByteView file, std::uint64_t after, std::byte fill)
        : before_(before), file_(file), after_(after), fill_(fill) {}

    std::uint64_t size() const noexcept override { return before_ + file_.size() + after_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        const std::uint64_t end_of_file = before_ + file_.size();
        if (offset >= before_ && offset + length <= end_of_file) return file_.subspan(offset - before_, length);
        for (std::size_t i = 0; i < length; ++i) {
            const std::uint64_t at = offset + i;
            scratch[i] = at < before_ ? std::byte{0} : at < end_of_file ? file_[at - before_] : fill_;
        }
        return scratch.first(length);
    }

private:
    std::uint64_t before_;
    ByteView file_;
    std::uint64_t after_;
    std::byte fill_;
};

/// The bytes of whole groups in another order: byte i comes from origin(i). A last group that is not whole stays as it
/// is. (A type for each order, so that the loop over a whole ROM is compiled for it.)
template <std::size_t group, class Origin>
class RearrangedSource final : public ByteSource {
public:
    RearrangedSource(ByteView file, Origin origin)
        : file_(file), origin_(origin), whole_(file.size() - file.size() % group) {}

    std::uint64_t size() const noexcept override { return file_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        const auto begin = static_cast<std::size_t>(offset);
        const std::size_t ordered = begin < whole_ ? std::min(length, whole_ - begin) : 0;
        for (std::size_t i = 0; i < ordered; ++i) scratch[i] = file_[origin_(begin + i)];
        for (std::size_t i = ordered; i < length; ++i) scratch[i] = file_[begin + i];
        return scratch.first(length);
    }

private:
    ByteView file_;
    Origin origin_;
    std::size_t whole_;
};

template <std::size_t group, class Origin>
std::unique_ptr<ByteSource> rearranged(ByteView file, Origin origin) {
    return std::make_unique<RearrangedSource<group, Origin>>(file, origin);
}

constexpr std::size_t block = 16 << 10, half = block / 2;

std::unique_ptr<ByteSource> in_order(ByteView file, ReadingKind kind) {
    switch (kind) {
        case ReadingKind::pairs_swapped: return rearranged<2>(file, [](std::size_t i) { return i ^ 1; });
        case ReadingKind::words_reversed: return rearranged<4>(file, [](std::size_t i) { return i ^ 3; });
        case ReadingKind::halves_swapped: return rearranged<4>(file, [](std::size_t i) { return i ^ 2; });
        case ReadingKind::de_interleaved:
            return rearranged<block>(
                file, [](std::size_t i) { return i - i % block + (i % 2 == 0 ? half : 0) + i % block / 2; });
        default: break;
    }
    return rearranged<block>(file, [](std::size_t i) {
        const std::size_t in_block = i % block;
        return i - in_block + in_block % half * 2 + (in_block < half ? 1 : 0);
    });
}

/// Owns what it gives out.
class OwnedSource final : public ByteSource {
public:
    explicit OwnedSource(Bytes bytes) : bytes_(std::move(bytes)) {}
    std::uint64_t size() const noexcept override { return bytes_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView) const override {
        return ByteView(bytes_).subspan(static_cast<std::size_t>(offset), length);
    }
    std::optional<ByteView> whole() const noexcept override { return ByteView(bytes_); }

private:
    Bytes bytes_;
};

Bytes with_line_ends_restored(ByteView file) {
    Bytes out;
    out.reserve(file.size());
    for (std::size_t i = 0; i < file.size(); ++i)
        if (file[i] != std::byte{0x0D} || i + 1 == file.size() || file[i + 1] != std::byte{0x0A})
            out.push_back(file[i]);
    return out;
}

}  // namespace

std::string words_for(const Reading& reading) {
    switch (reading.kind) {
        case ReadingKind::without_front_header:
            return fmt::format("without its front header of {} bytes", reading.bytes);
        case ReadingKind::with_front_header:
            return fmt::format("with an empty front header of {} bytes added", reading.bytes);
        case ReadingKind::pairs_swapped: return "with each two bytes exchanged (another byte order)";
        case ReadingKind::words_reversed: return "with each four bytes reversed (another byte order)";
        case ReadingKind::halves_swapped: return "with the halves of each four bytes exchanged (another byte order)";
        case ReadingKind::de_interleaved:
            return reading.bytes == 0
                       ? "de-interleaved"
                       : fmt::format("de-interleaved, without its front header of {} bytes", reading.bytes);
        case ReadingKind::interleaved: return "interleaved in blocks of 16 KiB";
        case ReadingKind::without_padding: return fmt::format("without its last {} bytes of padding", reading.bytes);
        case ReadingKind::with_padding: return fmt::format("with {} bytes of padding put back", reading.bytes);
        case ReadingKind::line_ends_restored: break;
    }
    return "with its line ends restored";
}

std::unique_ptr<ByteSource> read_as(ByteView file, const Reading& reading) {
    const auto bytes = static_cast<std::size_t>(reading.bytes);
    switch (reading.kind) {
        case ReadingKind::without_front_header: return std::make_unique<MemorySource>(file.subspan(bytes));
        case ReadingKind::with_front_header: return std::make_unique<PaddedSource>(bytes, file, 0, std::byte{0});
        case ReadingKind::pairs_swapped:
        case ReadingKind::words_reversed:
        case ReadingKind::halves_swapped:
        case ReadingKind::de_interleaved:
        case ReadingKind::interleaved: return in_order(file.subspan(bytes), reading.kind);
        case ReadingKind::without_padding: return std::make_unique<MemorySource>(file.first(file.size() - bytes));
        case ReadingKind::with_padding: return std::make_unique<PaddedSource>(0, file, bytes, reading.fill);
        case ReadingKind::line_ends_restored: break;
    }
    return std::make_unique<OwnedSource>(with_line_ends_restored(file));
}

}  // namespace hotstitch
