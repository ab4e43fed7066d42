// SPDX-License-Identifier: MIT
// The table of formats, the container that they share, and what their mends have in common. Tested by
// tests/part/executable_test.cc.
#include "part/executable/executable.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/kinds.h"

namespace hotstitch {
namespace executable {
namespace {

constexpr std::array<const Format*, 4> formats{&pe, &elf, &ps_x, &dol};

/// Entropy is told of so much of each segment, and of so much of all.
constexpr std::uint64_t most_sampled = std::uint64_t{4} << 20, most_sampled_in_all = std::uint64_t{64} << 20;

/// Bits a byte.
double entropy_of(const ByteSource& file, std::uint64_t offset, std::uint64_t length) {
    std::array<std::uint64_t, 256> counts{};
    Bytes scratch(static_cast<std::size_t>(std::min<std::uint64_t>(64 << 10, length)));
    for (std::uint64_t done = 0; done < length; done += scratch.size()) {
        const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), length - done));
        for (const std::byte b : file.read(offset + done, part, scratch)) ++counts[std::to_integer<std::size_t>(b)];
    }
    double bits = 0;
    for (const std::uint64_t count : counts) {
        if (count == 0) continue;
        const double share = static_cast<double>(count) / static_cast<double>(length);
        bits -= share * std::log2(share);
    }
    return bits;
}

}  // namespace

const Format* format_of(const Identity& identity) noexcept {
    for (const Format* const format : formats)
        if (format->platform == identity.platform) return format;
    return nullptr;
}

Header::Header(const ByteSource& file, std::uint64_t offset, std::uint64_t length, std::endian order,
               std::string_view field)
    : order_(order) {
    if (offset > file.size() || length > file.size() - offset)
        throw Error(ErrorCode::truncated, fmt::format("the file ends inside its {}", field))
            .at(std::min(offset, file.size()))
            .in(std::string(field))
            .wanted(fmt::format("{} at {}", counted(length, "byte", "bytes"), offset_text(offset)))
            .found(fmt::format("a file of {}", counted(file.size(), "byte", "bytes")))
            .hint("it was cut short or changed; get the file again");
    bytes_.resize(static_cast<std::size_t>(length));
    const ByteView read = file.read(offset, bytes_.size(), bytes_);
    if (read.data() != bytes_.data()) std::copy(read.begin(), read.end(), bytes_.begin());
}

std::uint64_t Header::number(std::size_t at, std::size_t width) const noexcept {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < width; ++i) {
        const std::size_t from = order_ == std::endian::big ? i : width - 1 - i;
        value = value << 8 | std::to_integer<std::uint64_t>(bytes_[at + from]);
    }
    return value;
}

void damaged(const std::string& what, std::uint64_t at, std::string_view field, std::string wanted, std::string found) {
    throw Error(ErrorCode::damaged, what)
        .at(at)
        .in(std::string(field))
        .wanted(std::move(wanted))
        .found(std::move(found))
        .hint("it was cut short or changed; get the file again");
}

void check_inside(const ByteSource& file, std::uint64_t offset, std::uint64_t length, std::uint64_t at,
                  std::string_view field) {
    if (offset > file.size() || length > file.size() - offset)
        damaged(fmt::format("the executable's {} lies outside the file", field), at, field,
                fmt::format("inside the file of {}", counted(file.size(), "byte", "bytes")),
                fmt::format("{} at {}", counted(length, "byte", "bytes"), offset_text(offset)));
}

void set_number(const ByteSource& file, ChangeList& list, std::uint64_t at, std::uint64_t value, std::size_t width,
                std::endian order) {
    const Header present(file, at, width, order, "header");
    for (std::size_t i = 0; i < width; ++i) {
        const std::size_t place = order == std::endian::little ? i : width - 1 - i;
        const auto byte = static_cast<std::byte>(value >> (8 * i));
        if (present.bytes()[place] != byte) list.put(at + place, 1, Bytes{byte});
    }
}

std::uint64_t address_from(std::string_view text) {
    std::string_view digits = text;
    if (digits.starts_with("0x") || digits.starts_with("0X")) digits.remove_prefix(2);
    std::uint64_t value = 0;
    const auto [end, failure] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
    if (failure != std::errc{} || end != digits.data() + digits.size() || digits.empty())
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no address", text)).wanted("hex: 0x401000");
    return value;
}

const MemorySegment* segment_at(const std::vector<MemorySegment>& segments, std::uint64_t address) noexcept {
    for (const MemorySegment& segment : segments)
        if (segment.loaded && address >= segment.address && address - segment.address < segment.memory) return &segment;
    return nullptr;
}

void check_entry(const std::vector<MemorySegment>& segments, std::uint64_t address) {
    const MemorySegment* const segment = segment_at(segments, address);
    if (segment != nullptr && segment->executable && address - segment->address < segment->size) return;
    std::string places;
    for (const MemorySegment& s : segments)
        if (s.loaded && s.executable && s.size != 0)
            places += fmt::format("{}{} to {}", places.empty() ? "" : ", ", hex_text(s.address, 1),
                                  hex_text(s.address + s.size - 1, 1));
    throw Error(ErrorCode::usage, fmt::format("no code stands at {}", hex_text(address, 1)))
        .in("entry")
        .wanted(places.empty() ? "nothing: no segment may be executed" : places);
}

Addition addition_from(std::string_view text, const MendOptions& options) {
    const std::size_t at = text.rfind('@');
    if (at == std::string_view::npos || at == 0)
        throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say what goes where", text))
            .wanted("FILE@ADDRESS, for example code.bin@0x80400000");
    std::string_view address = text.substr(at + 1);
    Addition addition;
    if (const std::size_t colon = address.find(':'); colon != std::string_view::npos) {
        addition.rights = address.substr(colon + 1);
        address = address.substr(0, colon);
    }
    addition.address = address_from(address);
    if (!options.content) throw Error(ErrorCode::unsupported, "no files can be read here");
    addition.content = options.content(std::string(text.substr(0, at)));
    if (addition.content.empty())
        throw Error(ErrorCode::usage, fmt::format("{} is empty, so there is nothing to add", text.substr(0, at)));
    return addition;
}

void check_room(const std::vector<MemorySegment>& segments, std::uint64_t address, std::uint64_t size,
                std::uint64_t page) {
    const auto down = [&](std::uint64_t n) { return n / page * page; };
    const std::uint64_t first = down(address), last = down(address + size - 1) + page - 1;
    if (address + size < address)
        throw Error(ErrorCode::usage, "the addresses go round the end of memory").found(hex_text(address, 1));
    for (const MemorySegment& segment : segments) {
        if (!segment.loaded || segment.memory == 0) continue;
        const std::uint64_t begin = down(segment.address), end = down(segment.address + segment.memory - 1) + page - 1;
        if (last < begin || first > end) continue;
        const bool same_page = address + size <= segment.address || address >= segment.address + segment.memory;
        throw Error(ErrorCode::usage, same_page ? fmt::format("it would share a page of memory with {}", segment.name)
                                                : fmt::format("it would overlap {} in memory", segment.name))
            .in("address")
            .wanted(fmt::format("outside {} to {}", hex_text(begin, 1), hex_text(end, 1)))
            .found(fmt::format("{} to {}", hex_text(address, 1), hex_text(address + size - 1, 1)));
    }
}

unsigned rights_from(std::string_view text) {
    unsigned bits = 0;
    for (const char c : text) {
        const std::size_t bit = std::string_view("xwr").find(c);
        if (bit == std::string_view::npos)
            throw Error(ErrorCode::usage, fmt::format("\"{}\" are no rights", text)).wanted("of r, w and x: rx");
        bits |= 1U << bit;
    }
    return bits;
}

std::string rights_text(const MemorySegment& segment) {
    return fmt::format("{}{}{}", segment.readable ? 'r' : '-', segment.writable ? 'w' : '-',
                       segment.executable ? 'x' : '-');
}

void PartList::add(std::string name, PartKind kind, std::uint64_t offset, std::uint64_t size) {
    if (size == 0) return;
    while (const unsigned before = names_[name]++) name = fmt::format("{} {}", name, before + 1);
    parts_.push_back({.name = std::move(name), .kind = kind, .size = size, .offset = offset, .head = {}});
}

void check_apart(std::vector<ToldStretch> stretches) {
    std::erase_if(stretches, [](const ToldStretch& s) { return s.size == 0; });
    std::sort(stretches.begin(), stretches.end(),
              [](const ToldStretch& a, const ToldStretch& b) { return a.offset < b.offset; });
    for (std::size_t i = 1; i < stretches.size(); ++i) {
        const ToldStretch &before = stretches[i - 1], &after = stretches[i];
        if (before.offset + before.size > after.offset)
            damaged(fmt::format("{} and {} overlap in the file", before.name, after.name), after.at, "offset",
                    fmt::format("{} or behind", offset_text(before.offset + before.size)), offset_text(after.offset));
    }
}

namespace {

class ExecutableContainer final : public Container {
public:
    ExecutableContainer(const ByteSource& file, const Format& format, Identity identity)
        : file_(file), format_(format), identity_(std::move(identity)), parts_(format.parts(file)) {}

    KindId kind() const noexcept override { return KindId::executable; }
    std::string title() const override { return words_for(identity_); }

    void visit(const VisitPart& visitor) const override {
        for (Part part : parts_) {
            const SliceSource bytes(borrowed(file_), *part.offset, *part.size);
            part.head = [&bytes] { return head_of(bytes); };
            if (visitor(part, [&](ByteSink& out) { write_source(bytes, out); }) == Flow::stop) return;
        }
    }

    SharedSource open(const Part& part) const override {
        return std::make_shared<SliceSource>(borrowed(file_), *part.offset, *part.size);
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        PutResult result = put_in_place(file_, part, *content, std::byte{0}, hint_for_more());
        if (result.change.empty()) return result;
        if (format_.check_put != nullptr && part.kind != PartKind::overlay)
            format_.check_put(file_, options.allow, result.warnings);
        if (!options.mend || !all_checks_right(identity_)) return result;
        const ChangedSource made(file_, result.change);
        result.change = result.change.then(
            plan_mends(made, {{"checksum", {}}}, {.allow = {.signature = true, .packed = true}}).change);
        return result;
    }

private:
    std::string hint_for_more() const {
        const bool has_mend = std::any_of(format_.mends.begin(), format_.mends.end(),
                                          [](const MendRow& row) { return row.name == "add-segment"; });
        return has_mend ? "what stands behind it cannot move; for more code or data, see the mend add-segment"
                        : "what stands behind it cannot move; make the new content as long, or shorter";
    }

    const ByteSource& file_;
    const Format& format_;
    Identity identity_;
    std::vector<Part> parts_;
};

/// What is told of all formats alike.
void tell_segments(const ByteSource& file, Identity& identity) {
    std::uint64_t sampled = 0;
    for (MemorySegment& segment : identity.segments) {
        const std::uint64_t sample = std::min(segment.size, most_sampled);
        if (sample == 0 || sampled + sample > most_sampled_in_all) continue;
        segment.entropy = entropy_of(file, segment.offset, sample);
        sampled += sample;
    }
}

}  // namespace
}  // namespace executable

using executable::Format;

std::optional<Recognised> recognise_executable(const ByteSource& file, const Identity& by_head) {
    if (!by_head.is(KindId::executable)) return std::nullopt;
    Recognised found{Bid::first_bytes, by_head};
    Identity& identity = found.identity;
    const Bytes head = head_of(file);
    for (const Format* const format : executable::formats) {
        if (format->by_rules || !format->begins(head)) continue;
        identity.platform = format->platform;
        identity.platform_title = format->title;
        identity.certainty = Certainty::certain;
        try {
            format->identify(file, identity);
            executable::tell_segments(file, identity);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io) throw;
            identity.warnings.push_back(
                fmt::format("its headers are damaged: {}{}", error.what(),
                            error.offset() ? fmt::format(" (told at {})", offset_text(*error.offset())) : ""));
        }
        break;
    }
    return found;
}

std::optional<Recognised> recognise_plain_executable(const ByteSource& file, const Identity&) {
    const Bytes head = head_of(file);
    for (const Format* const format : executable::formats) {
        if (!format->by_rules || !format->begins(head)) continue;
        Identity found;
        found.kind = {KindId::executable, format->title};
        found.size = file.size();
        found.platform = format->platform;
        found.platform_title = format->title;
        found.certainty = Certainty::certain;
        try {
            format->identify(file, found);
            executable::tell_segments(file, found);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io) throw;
            continue;
        }
        return Recognised{Bid::rules, std::move(found)};
    }
    return std::nullopt;
}

void check_executable_change(const ByteSource& file, const Identity& identity, const Allowed& allow) {
    const Format* const format = identity.is(KindId::executable) ? executable::format_of(identity) : nullptr;
    std::vector<std::string> warnings;
    if (format != nullptr && format->check_put != nullptr) format->check_put(file, allow, warnings);
}

std::vector<MendRow> mends_of_executable(const Identity& identity) {
    const Format* const format = executable::format_of(identity);
    if (format == nullptr) return {};
    return {format->mends.begin(), format->mends.end()};
}

std::unique_ptr<Container> open_executable(const ByteSource& file, Identity identity, const Limits&, const Progress&) {
    const Format* const format = executable::format_of(identity);
    if (format == nullptr) return nullptr;
    return std::make_unique<executable::ExecutableContainer>(file, *format, std::move(identity));
}

}  // namespace hotstitch
