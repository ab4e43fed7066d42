// SPDX-License-Identifier: MIT
// A cartridge ROM: what a copier left in front, its own header, its banks. Banks and header are told of the ROM as the
// console reads it; files of the cartridges that have a file system. Tested by tests/part/part_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"
#include "part/kinds.h"
#include "part/representation.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

class CartridgeContainer final : public Container {
public:
    CartridgeContainer(const ByteSource& file, Identity image) : view_(file), file_(view_), image_(std::move(image)) {
        in_order_ = !image_.reading || image_.reading->kind == RepresentationKind::without_front_header;
        if (image_.front_header != 0) add_of_file("front-header", PartKind::front_header, 0, image_.front_header);
        ByteRange header = cartridge::platform_of(image_).header;
        header.offset += image_.internal_header;
        if (header.length != 0 && header.offset + header.length <= rom_size())
            add_of_rom("header", PartKind::header, header.offset, header.length);
        const std::uint64_t bank = bank_size(image_);
        // A bank that is the whole file would hold itself again, and so on without an end.
        const bool has_banks = bank != 0 && bank < view_.bytes().size();
        for (std::uint64_t at = 0, number = 0; has_banks && at < rom_size(); at += bank, ++number)
            add_of_rom(fmt::format("bank {}", number), PartKind::bank, at, std::min(bank, rom_size() - at));
        const cartridge::Platform& platform = cartridge::platform_of(image_);
        if (platform.files != nullptr && in_order_)
            for (const cartridge::RomFile& one : platform.files(file_.subspan(image_.front_header), warnings_))
                add_of_rom(one.name, PartKind::file, one.offset, one.size);
    }

    KindId kind() const noexcept override { return KindId::cartridge; }
    std::string title() const override {
        return fmt::format("a {} ROM: {}", image_.platform_title, edition_of(image_));
    }

    std::vector<std::string> warnings() const override { return warnings_; }

    void visit(const VisitPart& visitor) const override {
        const Bytes ordered = in_order_ ? Bytes() : bytes_read(file_, image_.reading);
        for (const Entry& entry : entries_) {
            const ByteView bytes =
                (entry.of_rom && !in_order_ ? ByteView(ordered) : file_)
                    .subspan(static_cast<std::size_t>(entry.at), static_cast<std::size_t>(*entry.part.size));
            Part part = entry.part;
            part.head = [bytes] { return head_of(MemorySource(bytes)); };
            if (visitor(part, [&](ByteSink& out) { out.write(bytes); }) == Flow::stop) return;
        }
    }

    SharedSource open(const Part& part) const override {
        if (part.kind != PartKind::file) return nullptr;
        return std::make_shared<MemorySource>(
            file_.subspan(static_cast<std::size_t>(*part.offset), static_cast<std::size_t>(*part.size)));
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        if (part.kind == PartKind::file && image_.front_header == 0)
            return cartridge::platform_of(image_).put_file(file_, {part.name, *part.offset, *part.size}, content,
                                                           options);
        if (!part.offset)
            throw Error(ErrorCode::unsupported,
                        "the ROM is in another order than the console reads it, so a part has no place in it")
                .hint("put it in order first, with the mend byte-order or de-interleave");
        ChangeList list = put_in_place(
            MemorySource(file_), part, *content, std::nullopt,
            part.kind == PartKind::front_header ? "take it off, then add the other" : "fill it up, or cut it");
        if (!options.mend || !all_checks_right(image_)) return list;
        const Bytes made = changed(file_, list);
        const auto after = recognise_cartridge(made);
        if (!after || after->platform != image_.platform || all_checks_right(*after)) return list;
        return list.then(plan_mends(made, {{"checksum", {}}}).change);
    }

    /// A front header comes and goes; all else has its place.
    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        if (name != "front-header") return Container::add(name, content, options);
        PutResult result(plan_attach(MemorySource(file_), front_header_in(*content)));
        result.how = "added";
        result.part = {.name = name, .kind = PartKind::front_header, .size = content->size(), .offset = 0};
        return result;
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        if (part.kind != PartKind::front_header) return Container::remove(part, options);
        PutResult result(plan_strip(MemorySource(file_), *part.size).change);
        result.how = "removed", result.part = part;
        return result;
    }

private:
    struct Entry {
        Part part;
        std::uint64_t at;  ///< in the file or, for `of_rom`, in the ROM as the console reads it
        bool of_rom;
    };

    std::uint64_t rom_size() const noexcept { return file_.size() - image_.front_header; }
    void add_of_file(std::string name, PartKind kind, std::uint64_t offset, std::uint64_t size) {
        entries_.push_back(
            {{.name = std::move(name), .kind = kind, .size = size, .offset = offset, .head = {}}, offset, false});
    }
    void add_of_rom(std::string name, PartKind kind, std::uint64_t offset, std::uint64_t size) {
        if (in_order_) return add_of_file(std::move(name), kind, image_.front_header + offset, size);
        entries_.push_back(
            {{.name = std::move(name), .kind = kind, .size = size, .offset = {}, .head = {}}, offset, true});
    }

    WholeView view_;
    ByteView file_;
    Identity image_;
    bool in_order_ = true;
    std::vector<std::string> warnings_;
    std::vector<Entry> entries_;
};

}  // namespace

std::unique_ptr<Container> open_cartridge(const ByteSource& file, Identity identity, const Limits&, const Progress&) {
    return std::make_unique<CartridgeContainer>(file, std::move(identity));
}

}  // namespace hotstitch
