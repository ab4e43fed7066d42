// SPDX-License-Identifier: MIT
// A disc's files as parts. What is put in becomes a change of the user data and, where the image is in whole sectors,
// of those. Tested by tests/part/disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <unordered_map>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/disc/disc.h"
#include "part/disc/volume_change.h"
#include "part/kinds.h"
#include "source/whole.h"

namespace hotstitch::disc {
namespace {

constexpr std::string_view track_name = "track 1", boot_name = "boot-area", program_name = "main-program";

class DiscContainer final : public Container {
public:
    DiscContainer(Image image, Identity identity) : image_(std::move(image)), identity_(std::move(identity)) {
        if (image_.has_volume) volume_ = read_volume(*image_.user);
        if (!volume_) return;
        const std::string program = main_program(*image_.user);
        for (const Entry& entry : volume_->tree().entries) {
            if (entry.directory) continue;
            by_path_.emplace(entry.path, &entry);
            if (!program.empty() && lower(entry.path) == lower(program)) program_ = &entry;
        }
    }

    KindId kind() const noexcept override { return KindId::disc; }
    std::string title() const override { return words_for(identity_); }
    std::vector<std::string> warnings() const override {
        std::vector<std::string> all = volume_ ? volume_->warnings : std::vector<std::string>();
        if (volume_ && volume_->cut_files != 0)
            all.push_back(fmt::format("{} past the image's end: it is cut short",
                                      counted(volume_->cut_files, "file reaches", "files reach")));
        return all;
    }

    void visit(const VisitPart& visitor) const override {
        const auto show = [&](Part part, const SharedSource& content) {
            if (content) part.head = [&content] { return head_of(*content); };
            return visitor(part, [&](ByteSink& out) {
                       if (!content)
                           throw Error(ErrorCode::truncated,
                                       fmt::format("{} lies past the end of the image", part.name))
                               .in("part")
                               .hint("the image was cut short; get a whole copy");
                       write_source(*content, out);
                   }) == Flow::go_on;
        };
        if (image_.layout.is_raw() && !show({.name = std::string(track_name),
                                             .kind = PartKind::track,
                                             .size = image_.layout.user_bytes(),
                                             .offset = {},
                                             .head = {},
                                             .storage = PartStorage::computed},
                                            image_.user))
            return;
        if (!volume_) return;
        if (!show(part_at(boot_name, PartKind::boot_area, 0, system_area * user_size), boot_area())) return;
        if (program_ != nullptr &&
            !show(part_of(*program_, program_name, PartKind::main_program), content_of(*program_)))
            return;
        for (const Entry& entry : volume_->tree().entries) {
            if (entry.directory) continue;
            if (entry.link.empty() ? !show(part_of(entry, entry.path, PartKind::file), content_of(entry))
                                   : !show(link_of(entry), owned({})))
                return;
        }
    }

    SharedSource open(const Part& part) const override {
        if (part.kind == PartKind::track) return image_.user;
        if (part.kind == PartKind::boot_area) return boot_area();
        return content_of(entry_of(part));
    }

    SharedSource stored(const Part& part) const override {
        const SectorLayout& layout = image_.layout;
        if (!layout.is_raw()) return nullptr;
        const auto whole = [&](std::uint64_t sector, std::uint64_t count) {
            return std::make_shared<SliceSource>(image_.track, sector * layout.stride, count * layout.stride);
        };
        if (part.kind == PartKind::track) return whole(0, layout.sectors);
        if (part.kind == PartKind::boot_area) return whole(0, system_area);
        const Entry& entry = entry_of(part);
        if (entry.cut || !entry.in_one_piece()) return nullptr;
        return whole(entry.records.front().extent, sectors_for(entry.size));
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        if (part.kind == PartKind::track) return put_track(content);
        if (part.kind == PartKind::boot_area) {
            Part area = part;
            area.offset = 0;
            return on_track(
                put_in_place(*image_.user, area, *content, std::byte{0}, "it has 16 sectors on every disc"));
        }
        const Entry& entry = entry_of(part);
        refuse_form2(entry);
        return in_track([&] { return on_track(put_file(image_.user, *volume_, entry, content, options.room)); });
    }

    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        if (!volume_) return Container::add(name, content, options);
        ChangeList change;
        PutResult result = add_files(image_.user, *volume_, {{name, content}}, options.room, change).front();
        result.change = std::move(change);
        return on_track(std::move(result));
    }

    /// Files that are there, then new ones. Where what follows moves, that goes one after the other.
    std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                          const PutOptions& options) const override {
        if (!volume_) return std::nullopt;
        std::vector<OtherContent> there;
        std::vector<NewFile> more;
        for (const PartChange& change : changes) {
            if (change.add) {
                more.push_back({change.name, change.content});
                continue;
            }
            const auto found = by_path_.find(change.name);
            if (!change.content || found == by_path_.end() || options.room == Room::rebuild) return std::nullopt;
            refuse_form2(*found->second);
            there.push_back({found->second, change.content});
        }
        PartChanges made{ChangeList(image_.user->size()), {}};
        return in_track([&] {
            std::vector<PutResult> puts, adds;
            if (!there.empty()) puts = put_files(image_.user, *volume_, there, options.room, made.change);
            if (!more.empty()) {
                const auto so_far = std::make_shared<ChangedSource>(image_.user, made.change);
                ChangeList rest;
                adds = add_files(so_far, there.empty() ? *volume_ : read_volume(*so_far), more, options.room, rest);
                rest.hold(so_far);
                made.change = made.change.then(rest);
            }
            made.change = on_track(PutResult{std::move(made.change)}).change;
            auto put = puts.begin(), add = adds.begin();
            for (const PartChange& change : changes) {
                made.parts.push_back(std::move(change.add ? *add++ : *put++));
                if (image_.layout.is_raw()) made.parts.back().from.reset(), made.parts.back().to.reset();
            }
            return std::move(made);
        });
    }

    PutResult remove(const Part& part, const PutOptions& options) const override {
        if (part.kind != PartKind::file) return Container::remove(part, options);
        return on_track(remove_file(image_.user, *volume_, entry_of(part), options.room));
    }

private:
    /// More room is made only where the track may grow.
    template <class Change>
    std::invoke_result_t<Change> in_track(const Change& change) const {
        try {
            return change();
        } catch (const Error& error) {
            if (error.id() != ErrorId::needs_room || !image_.layout.is_raw() || image_.layout.behind == 0) throw;
            throw Error(error.code(), error.what())
                .in("room before tracks")
                .wanted(error.wanted())
                .found(error.found())
                .hint(
                    "other tracks follow in the same file: make the file as small as it was, or split the image into "
                    "a file for each track");
        }
    }

    SharedSource boot_area() const { return std::make_shared<SliceSource>(image_.user, 0, system_area * user_size); }

    Part part_at(std::string_view name, PartKind kind, std::uint64_t offset, std::uint64_t size) const {
        Part part{.name = std::string(name), .kind = kind, .size = size, .offset = {}, .head = {}};
        if (image_.layout.is_raw())
            part.storage = PartStorage::computed;
        else
            part.offset = offset;
        return part;
    }

    Part part_of(const Entry& entry, std::string_view name, PartKind kind) const {
        Part part = part_at(name, kind, entry.records.front().extent * user_size, entry.size);
        if (entry.size == 0) part.offset.reset(), part.storage = PartStorage::nowhere;
        if (entry.size != 0 && !entry.in_one_piece()) part.offset.reset(), part.storage = PartStorage::in_pieces;
        if (entry.cut)
            part.offset.reset(), part.storage = PartStorage::past_the_end;
        else if (entry.size != 0 && has_form2(*image_.track, image_.layout, entry.records.front().extent, 1))
            part.storage = PartStorage::form_2;
        return part;
    }

    /// A symbolic link: listed, and nothing to be taken.
    static Part link_of(const Entry& entry) {
        return {.name = entry.path,
                .kind = PartKind::link,
                .size = 0,
                .offset = {},
                .head = {},
                .storage = PartStorage::link};
    }

    SharedSource content_of(const Entry& entry) const { return entry.cut ? nullptr : source_of(image_.user, entry); }

    const Entry& entry_of(const Part& part) const {
        if (part.kind == PartKind::main_program && program_ != nullptr) return *program_;
        if (const auto found = by_path_.find(part.name); found != by_path_.end()) return *found->second;
        throw Error(ErrorCode::usage, fmt::format("there is no part {} in {}", part.name, title())).in("part");
    }

    void refuse_form2(const Entry& entry) const {
        for (const Record& r : entry.records)
            if (!entry.cut && has_form2(*image_.track, image_.layout, r.extent, sectors_for(r.size)))
                throw Error(ErrorCode::unsupported,
                            fmt::format("{} lies in sectors of sound or film (mode 2, form 2), which are only read",
                                        entry.path))
                    .in("part");
    }

    PutResult put_track(const SharedSource& content) const {
        if (content->size() != image_.user->size())
            throw Error(ErrorCode::usage, "a plain image that goes into a raw one has to have its length")
                .in("part")
                .wanted(counted(image_.user->size(), "byte", "bytes"))
                .found(counted(content->size(), "byte", "bytes"));
        return with_user_data(image_.track, content);
    }

    PutResult on_track(PutResult result) const {
        if (image_.layout.is_raw()) {
            result.change = image_.on_track(result.change);
            result.from.reset(), result.to.reset();
        }
        return result;
    }

    Image image_;
    Identity identity_;
    std::optional<Volume> volume_;
    std::unordered_map<std::string_view, const Entry*> by_path_;
    const Entry* program_ = nullptr;
};

}  // namespace
}  // namespace hotstitch::disc

namespace hotstitch {

std::unique_ptr<Container> open_disc(const ByteSource& file, Identity identity, const Limits&, const Progress&) {
    auto image = disc::image_of(file);
    if (!image->has_volume && !image->layout.is_raw())
        throw Error(ErrorCode::unsupported, "a disc with UDF alone is recognised, not read")
            .hint("mount it, and name files in the folder where it is mounted");
    return std::make_unique<disc::DiscContainer>(*std::move(image), std::move(identity));
}

}  // namespace hotstitch
