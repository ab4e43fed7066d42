// SPDX-License-Identifier: MIT
// The table of forms, and the plain image as a source that unpacks what it is asked for. Several blocks are unpacked by
// two threads at once; the last one is kept for who reads on in it. Tested by tests/part/copy_test.cc.
#include "part/copy/copy.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <future>
#include <mutex>

#include "base/numbers.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "part/codec/blocks.h"
#include "part/kinds.h"
#include "source/stretch.h"

namespace hotstitch::copy {
namespace {

bool begins_with(ByteView head, std::string_view word, std::size_t at = 0) {
    return head.size() >= at + word.size() && text_at(head, at, word.size()) == word;
}

/// With the header of a console's disc.
bool begins_disc(ByteView head) {
    return head.size() >= 0x20 && (u32be(head, 0x18) == 0x5D1C9EA3 || u32be(head, 0x1C) == 0xC2339F3D);
}

using namespace std::string_view_literals;

constexpr std::string_view compressed = "a compressed copy of a disc";
constexpr CopyForm only_recognised[] = {
    {"rvz", compressed, [](ByteView head) { return begins_with(head, "RVZ\1"sv); }},
    {"wia", compressed, [](ByteView head) { return begins_with(head, "WIA\1"sv); }},
    {"chd", compressed, [](ByteView head) { return begins_with(head, "MComprHD"sv); }},
    {"ecm", "a copy of a disc whose error correction was taken out",
     [](ByteView head) { return begins_with(head, "ECM\0"sv); }},
    {"nkit", "a shortened copy of a disc",
     [](ByteView head) { return begins_with(head, "NKIT"sv, 0x200) && begins_disc(head); }}};

/// Unpacks blocks.
class PlainImage final : public ByteSource {
public:
    PlainImage(SharedSource file, std::unique_ptr<BlockIndex> index)
        : file_(std::move(file)), index_(std::move(index)) {}

    std::uint64_t size() const noexcept override { return index_->size; }
    void check_intact() const override { file_->check_intact(); }

    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        constexpr std::size_t worth_a_thread = 128 << 10;
        const MutableByteView into = scratch.first(length);
        // The second half begins with a block.
        const std::uint64_t middle = (offset + length / 2) / index_->block_size * index_->block_size;
        // A source that is not in memory may be read by one thread only.
        if (length < worth_a_thread || middle <= offset || !file_->whole()) return fill(offset, into), into;
        const auto first = static_cast<std::size_t>(middle - offset);
        std::future<void> second =
            std::async(std::launch::async | std::launch::deferred, [&] { fill(middle, into.subspan(first)); });
        fill(offset, into.first(first));
        second.get();
        return into;
    }

private:
    std::size_t size_of(std::uint64_t number) const {
        return static_cast<std::size_t>(std::min(index_->block_size, size() - number * index_->block_size));
    }

    void fill(std::uint64_t offset, MutableByteView into) const {
        for (std::size_t done = 0; done < into.size();) {
            const std::uint64_t number = (offset + done) / index_->block_size;
            const auto skip = static_cast<std::size_t>(offset + done - number * index_->block_size);
            const std::size_t part = std::min(into.size() - done, size_of(number) - skip);
            const MutableByteView here = into.subspan(done, part);
            const Block block = index_->block(number);
            if (block.how == Block::How::zeros)
                std::fill(here.begin(), here.end(), std::byte{0});
            else if (block.how == Block::How::plain && !block.adler32)
                read_plain(block, skip, here);
            else if (part == size_of(number))
                unpack(block, number, here);
            else
                read_kept(block, number, skip, here);
            done += part;
        }
    }

    void read_plain(const Block& block, std::size_t skip, MutableByteView into) const {
        // Behind the end of a last block that was cut is nothing.
        const std::size_t there = static_cast<std::size_t>(
            std::min<std::uint64_t>(into.size(), block.length - std::min<std::uint64_t>(skip, block.length)));
        if (there != 0) read_into(*file_, block.offset + skip, into.first(there));
        std::fill(into.begin() + static_cast<std::ptrdiff_t>(there), into.end(), std::byte{0});
    }

    void unpack(const Block& block, std::uint64_t number, MutableByteView into) const {
        Bytes scratch(file_->whole() ? 0 : static_cast<std::size_t>(block.length));
        const ByteView stored = file_->read(block.offset, static_cast<std::size_t>(block.length), scratch);
        if (block.adler32 && adler32(stored).value != *block.adler32)
            damaged("a block is not what its checksum says", block.offset, "adler32",
                    fmt::format("{:08x}", *block.adler32), adler32(stored).hex());
        if (block.how == Block::How::plain) {
            std::copy_n(stored.begin(), into.size(), into.begin());
            return;
        }
        if (!unpack_to_size(block, stored, into) && !unpack_padded(block, stored, into))
            damaged("a block does not unpack to its size", block.offset, fmt::format("block {}", number),
                    counted(into.size(), "byte", "bytes"), "other than that");
    }

    static bool unpack_to_size(const Block& block, ByteView stored, MutableByteView into) {
        return block.how == Block::How::lz4 ? unpack_lz4_block(stored, into)
                                            : inflate_block(stored, into, block.how == Block::How::zlib);
    }

    /// Some writers fill the last block up to the block size before they pack it.
    bool unpack_padded(const Block& block, ByteView stored, MutableByteView into) const {
        if (into.size() >= index_->block_size) return false;
        Bytes padded(static_cast<std::size_t>(index_->block_size));
        if (!unpack_to_size(block, stored, padded)) return false;
        std::copy_n(padded.begin(), into.size(), into.begin());
        return true;
    }

    /// For who reads on in small steps.
    void read_kept(const Block& block, std::uint64_t number, std::size_t skip, MutableByteView into) const {
        const std::lock_guard lock(mutex_);
        if (kept_ != number || kept_bytes_.empty()) {
            kept_bytes_.resize(size_of(number));
            kept_ = number;
            try {
                unpack(block, number, kept_bytes_);
            } catch (...) {
                kept_bytes_.clear();
                throw;
            }
        }
        std::copy_n(kept_bytes_.begin() + static_cast<std::ptrdiff_t>(skip), into.size(), into.begin());
    }

    const SharedSource file_;
    const std::unique_ptr<BlockIndex> index_;
    mutable std::mutex mutex_;
    mutable std::uint64_t kept_ = 0;
    mutable Bytes kept_bytes_;
};

/// The disc in a copy, with the whole of it as `content`. In the copy's own file, what is put into the disc makes the
/// file the plain image.
class CopyContainer final : public Container {
public:
    CopyContainer(SharedSource plain, std::unique_ptr<Container> disc, Identity copy,
                  std::optional<std::uint64_t> packed_size)
        : plain_(std::move(plain)),
          disc_(std::move(disc)),
          copy_(std::move(copy)),
          packed_(packed_size.has_value()),
          file_size_(packed_size.value_or(plain_->size())) {}

    KindId kind() const noexcept override { return disc_ ? disc_->kind() : KindId::disc_copy; }
    std::string title() const override {
        const std::string_view own = copy_.kind.title;
        return disc_ ? fmt::format("{} in {}", disc_->title(), own) : std::string(own);
    }
    std::vector<std::string> warnings() const override {
        return disc_ ? disc_->warnings() : std::vector<std::string>();
    }

    void visit(const VisitPart& visitor) const override {
        const Part content{.name = "content",
                           .kind = PartKind::content,
                           .size = plain_->size(),
                           .offset = {},
                           .head = [this] { return head_of(*plain_); },
                           .storage = PartStorage::packed};
        if (visitor(content, [&](ByteSink& out) { write_source(*plain_, out); }) == Flow::stop || !disc_) return;
        disc_->visit([&](const Part& part, const ExtractPart& extract) {
            Part seen = part;
            if (!packed_) return visitor(seen, extract);
            seen.offset.reset();
            if (seen.storage == PartStorage::plain) seen.storage = PartStorage::packed;
            return visitor(seen, extract);
        });
    }

    SharedSource open(const Part& part) const override {
        return part.kind == PartKind::content ? plain_ : disc_->open(part);
    }
    SharedSource stored(const Part& part) const override {
        return part.kind == PartKind::content ? nullptr : disc_->stored(part);
    }
    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        if (part.kind == PartKind::content) return whole(content);
        return made_plain(disc_->put(find_part(*disc_, part.name), content, options));
    }
    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        return disc_ ? made_plain(disc_->add(name, content, options)) : Container::add(name, content, options);
    }
    std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                          const PutOptions& options) const override {
        if (!disc_ || packed_) return std::nullopt;
        for (const PartChange& change : changes)
            if (change.name == "content") return std::nullopt;
        return disc_->change_all(changes, options);
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        if (part.kind == PartKind::content || !disc_) return Container::remove(part, options);
        return made_plain(disc_->remove(find_part(*disc_, part.name), options));
    }

private:
    ChangeList whole(const SharedSource& plain) const {
        ChangeList list(file_size_);
        list.put_from(0, file_size_, plain, 0, plain->size());
        return list;
    }
    PutResult made_plain(PutResult result) const {
        if (!packed_) return result;
        if (result.change.empty())
            result.change = ChangeList(file_size_);
        else
            result.change = whole(std::make_shared<ChangedSource>(plain_, result.change));
        result.from.reset(), result.to.reset();
        return result;
    }

    SharedSource plain_;
    std::unique_ptr<Container> disc_;
    Identity copy_;
    bool packed_;
    std::uint64_t file_size_;
};

}  // namespace

void damaged(const char* what, std::uint64_t at, std::string_view field, std::string wanted, std::string found) {
    throw Error(ErrorCode::damaged, fmt::format("the compressed copy is damaged: {}", what))
        .at(at)
        .in(std::string(field))
        .wanted(std::move(wanted))
        .found(std::move(found))
        .hint("get it again");
}

const CopyForm* form_of(ByteView head) noexcept {
    for (const CopyForm* form : {&deflate_blocks, &lz4_blocks, &block_map, &zlib_blocks, &drive_blocks})
        if (form->begins(head)) return form;
    for (const CopyForm& form : only_recognised)
        if (form.begins(head)) return &form;
    return nullptr;
}

std::uint64_t full_size(ByteView begin, std::uint64_t end) noexcept {
    const bool later = begins_disc(begin) && u32be(begin, 0x18) == 0x5D1C9EA3, earlier = begins_disc(begin) && !later;
    if (earlier && end <= small_disc + (std::uint64_t{256} << 20)) return small_disc;
    // A last block may reach past the disc's end, by less than its size.
    constexpr std::uint64_t overhang = 64 << 20;
    if (later && end < one_layer + overhang) return one_layer;
    if (later && end < two_layers + overhang) return two_layers;
    return end;
}

SharedSource plain_of(const SharedSource& file, const CopyForm& form) {
    if (form.read == nullptr)
        throw Error(ErrorCode::unsupported, fmt::format("the file is {}, in a form that is not read here", form.title))
            .hint("save a plain, full copy with what made or plays this one, and use that");
    return std::make_shared<PlainImage>(file, form.read(file));
}

}  // namespace hotstitch::copy

namespace hotstitch {

namespace {
constexpr std::size_t copy_head = 0x400;
}

std::optional<Recognised> recognise_copy(const ByteSource& file, const Identity& by_head) {
    const copy::CopyForm* const form = copy::form_of(head_of(file, copy_head));
    if (form == nullptr) return std::nullopt;
    Recognised copy{Bid::structure, by_head};
    copy.identity.kind = {KindId::disc_copy, form->title};
    return copy;
}

SharedSource plain_copy(const SharedSource& file) {
    const copy::CopyForm* const form = copy::form_of(head_of(*file, copy_head));
    if (form == nullptr || form->read == nullptr) return nullptr;
    return copy::plain_of(file, *form);
}

std::unique_ptr<Container> open_copy(const ByteSource& file, Identity identity, const Limits& limits,
                                     const Progress& progress) {
    const SharedSource plain = copy::plain_of(borrowed(file), *copy::form_of(head_of(file, copy_head)));
    // Never a copy in a copy, and so on without an end.
    auto disc = identify(*plain).is(KindId::disc) ? open_container(*plain, limits, progress) : nullptr;
    return std::make_unique<copy::CopyContainer>(plain, std::move(disc), std::move(identity), file.size());
}

std::unique_ptr<Container> with_content(const ByteSource& plain, std::unique_ptr<Container> disc) {
    Identity copy;
    copy.kind = {KindId::disc_copy, "a compressed copy"};
    return std::make_unique<copy::CopyContainer>(borrowed(plain), std::move(disc), std::move(copy), std::nullopt);
}

}  // namespace hotstitch
