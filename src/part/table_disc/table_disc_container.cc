// SPDX-License-Identifier: MIT
// Discs with a table of files as containers: of the earlier console one table for all, of the later one a table in each
// partition that a key opens. Tested by tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "part/copy/copy.h"
#include "part/kinds.h"
#include "part/table_disc/game_header.h"
#include "part/table_disc/partition.h"
#include "part/table_disc/table_volume.h"

namespace hotstitch::table_disc {
namespace {

PutResult one_of(PartChanges changes) {
    PutResult result = std::move(changes.parts.front());
    result.change = std::move(changes.change);
    return result;
}

/// What moves other files, and another table of them, goes one after the other.
bool can_be_one(const std::vector<PartChange>& changes, Room room) {
    return room != Room::rebuild && std::none_of(changes.begin(), changes.end(), [](const PartChange& change) {
               return change.name.ends_with("sys/file-table");
           });
}

class PlainDisc final : public Container {
public:
    PlainDisc(SharedSource file, Identity identity)
        : volume_(std::move(file), 0, copy::small_disc), identity_(std::move(identity)) {}

    KindId kind() const noexcept override { return KindId::disc; }
    std::string title() const override { return words_for(identity_); }
    std::vector<std::string> warnings() const override { return volume_.warnings(); }

    void visit(const VisitPart& visitor) const override {
        volume_.each("", [&](Part part, const SharedSource& content) {
            if (content) part.head = [&content] { return head_of(*content); };
            return visitor(part, [&](ByteSink& out) {
                if (!content)
                    throw Error(ErrorCode::truncated, fmt::format("{} lies past the end of the image", part.name))
                        .in("part")
                        .hint("the image was cut short; get a whole copy");
                write_source(*content, out);
            });
        });
    }

    SharedSource open(const Part& part) const override { return volume_.open(part.name); }
    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        return volume_.put(part.name, content, options.room);
    }
    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        return one_of(volume_.change({{name, content, true}}, options.room));
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        return one_of(volume_.change({{part.name, nullptr}}, options.room));
    }
    std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                          const PutOptions& options) const override {
        if (!can_be_one(changes, options.room)) return std::nullopt;
        return volume_.change(changes, options.room);
    }

private:
    TableVolume volume_;
    Identity identity_;
};

class PartitionDisc final : public Container {
public:
    PartitionDisc(SharedSource file, Identity identity, const Keys* keys)
        : disc_(std::move(file)), identity_(std::move(identity)) {
        PartitionList list = read_partitions(*disc_, keys);
        warnings_ = std::move(list.warnings);
        for (Partition& p : list.partitions) {
            Opened opened{std::move(p), {}, {}};
            if (opened.partition.title_key) open_partition(opened);
            opened_.push_back(std::move(opened));
        }
    }

    KindId kind() const noexcept override { return KindId::disc; }
    std::string title() const override { return words_for(identity_); }
    std::vector<std::string> warnings() const override {
        std::vector<std::string> all = warnings_;
        for (const Opened& o : opened_) {
            if (!o.partition.title_key)
                all.push_back(fmt::format("partition {} is encrypted; it can be read with your own key, {}",
                                          o.partition.number, o.partition.key_name));
            if (o.volume)
                for (const std::string& warning : o.volume->warnings())
                    all.push_back(fmt::format("partition {}: {}", o.partition.number, warning));
        }
        return all;
    }

    void visit(const VisitPart& visitor) const override {
        const auto show = [&](Part part, const SharedSource& content) {
            if (content) part.head = [&content] { return head_of(*content); };
            return visitor(part, [&](ByteSink& out) {
                if (part.encrypted) refuse_encrypted(part.name);
                if (!content)
                    throw Error(ErrorCode::truncated, fmt::format("{} lies past the end of the image", part.name))
                        .in("part")
                        .hint("the image was cut short; get a whole copy");
                write_source(*content, out);
            });
        };
        for (const Stored& s : stored_parts()) {
            const Part part{.name = s.name, .kind = s.kind, .size = s.size, .offset = s.offset, .head = {}};
            if (show(part, slice(s)) == Flow::stop) return;
        }
        for (const Opened& o : opened_) {
            if (!o.volume) {
                const Part data{.name = prefix_of(o.partition) + "data",
                                .kind = PartKind::partition_data,
                                .size = o.partition.clusters * cluster_size,
                                .offset = o.partition.data,
                                .head = {},
                                .encrypted = true};
                if (show(data, nullptr) == Flow::stop) return;
                continue;
            }
            bool stopped = false;
            o.volume->each(prefix_of(o.partition), [&](Part part, const SharedSource& content) {
                part.offset.reset();
                if (part.storage == PartStorage::plain) part.storage = PartStorage::encrypted;
                const Flow flow = show(std::move(part), content);
                stopped = flow == Flow::stop;
                return flow;
            });
            if (stopped) return;
        }
    }

    SharedSource open(const Part& part) const override {
        if (part.encrypted) refuse_encrypted(part.name);
        for (const Stored& s : stored_parts())
            if (s.name == part.name) return slice(s);
        const auto [opened, inner] = inside(part.name);
        return opened->volume->open(inner);
    }

    SharedSource stored(const Part& part) const override {
        if (part.kind != PartKind::partition_data) return nullptr;
        return std::make_shared<SliceSource>(disc_, *part.offset, *part.size);
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        if (part.encrypted) refuse_encrypted(part.name);
        for (const Stored& s : stored_parts())
            if (s.name == part.name) {
                if (s.kind != PartKind::header)
                    throw Error(ErrorCode::unsupported, fmt::format("{} is only read: it is signed, or follows from "
                                                                    "what is in the partition",
                                                                    s.name))
                        .in("part");
                return put_in_place(*disc_, part, *content, std::nullopt, "fill it up, or cut it");
            }
        const auto [opened, inner] = inside(part.name);
        return on_disc(*opened, opened->volume->put(inner, content, options.room));
    }
    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        const auto [opened, inner] = inside(name);
        return on_disc(*opened, one_of(opened->volume->change({{inner, content, true}}, options.room)));
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        if (part.kind != PartKind::file) return Container::remove(part, {});
        const auto [opened, inner] = inside(part.name);
        return on_disc(*opened, one_of(opened->volume->change({{inner, nullptr}}, options.room)));
    }
    /// Of one partition, whose groups are then encrypted once.
    std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                          const PutOptions& options) const override {
        if (!can_be_one(changes, options.room)) return std::nullopt;
        const std::string prefix = changes.front().name.substr(0, changes.front().name.find('/') + 1);
        std::vector<PartChange> of_volume;
        for (const PartChange& change : changes) {
            const bool stored = std::any_of(opened_.begin(), opened_.end(), [&](const Opened& o) {
                return o.volume && change.name.starts_with(prefix_of(o.partition));
            });
            if (!stored || !change.name.starts_with(prefix)) return std::nullopt;
            for (const Stored& s : stored_parts())
                if (s.name == change.name) return std::nullopt;
            of_volume.push_back({change.name.substr(prefix.size()), change.content, change.add});
        }
        const auto [opened, inner] = inside(changes.front().name);
        PartChanges made = opened->volume->change(of_volume, options.room);
        PutResult whole{std::move(made.change)};
        whole = on_disc(*opened, std::move(whole));
        made.change = std::move(whole.change);
        for (PutResult& part : made.parts) part.from.reset(), part.to.reset(), part.mended.reset();
        made.parts.front().warnings.insert(made.parts.front().warnings.end(), whole.warnings.begin(),
                                           whole.warnings.end());
        return made;
    }

private:
    struct Opened {
        Partition partition;
        SharedSource plain;
        std::shared_ptr<TableVolume> volume;  ///< null: no key, or nothing that is known in it
    };
    struct Stored {
        std::string name;
        PartKind kind{};
        std::uint64_t offset, size;
    };

    static std::string prefix_of(const Partition& p) { return fmt::format("partition {}/", p.number); }

    void open_partition(Opened& o) {
        o.plain = plain_data(disc_, o.partition);
        try {
            o.volume = std::make_shared<TableVolume>(o.plain, 2, o.plain->size());
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io) throw;
            warnings_.push_back(fmt::format("partition {}: {}", o.partition.number, error.what()));
        }
    }

    [[noreturn]] static void refuse_encrypted(const std::string& name) {
        throw Error(ErrorCode::unsupported, fmt::format("{} is encrypted; it can be read with your own key", name))
            .as(ErrorId::needs_keys)
            .hint("bring a file of keys, with a line common = …");
    }

    std::vector<Stored> stored_parts() const {
        constexpr std::uint64_t region_at = 0x4E000, region_size = 0x20, own_header = 0x100;
        std::vector<Stored> all;
        const auto add = [&](std::string name, PartKind kind, std::uint64_t at, std::uint64_t size) {
            if (size != 0 && at <= disc_->size() && size <= disc_->size() - at)
                all.push_back({std::move(name), kind, at, size});
        };
        add("header", PartKind::header, 0, own_header);
        add("region", PartKind::header, region_at, region_size);
        for (const Opened& o : opened_) {
            const Partition& p = o.partition;
            add(prefix_of(p) + "ticket", PartKind::ticket, p.offset, ticket_size);
            add(prefix_of(p) + "metadata", PartKind::metadata, p.metadata, p.metadata_size);
            add(prefix_of(p) + "certificates", PartKind::certificates, p.certificates, p.certificates_size);
            add(prefix_of(p) + "hashes", PartKind::hashes, p.hashes, hash_table_size);
        }
        return all;
    }

    SharedSource slice(const Stored& s) const { return std::make_shared<SliceSource>(disc_, s.offset, s.size); }

    std::pair<const Opened*, std::string> inside(const std::string& name) const {
        for (const Opened& o : opened_) {
            const std::string prefix = prefix_of(o.partition);
            if (!name.starts_with(prefix)) continue;
            if (!o.volume) refuse_encrypted(name);
            return {&o, name.substr(prefix.size())};
        }
        throw Error(ErrorCode::usage, fmt::format("there is no part {} in {}", name, title())).in("part");
    }

    PutResult on_disc(const Opened& o, PutResult result) const {
        result.change = partition_change(disc_, o.partition, o.plain, result.change, result.warnings);
        result.from.reset(), result.to.reset();
        result.mended.reset();
        return result;
    }

    SharedSource disc_;
    Identity identity_;
    std::vector<std::string> warnings_;
    std::vector<Opened> opened_;
};

}  // namespace
}  // namespace hotstitch::table_disc

namespace hotstitch {

std::unique_ptr<Container> open_table_disc(const ByteSource& file, Identity identity, const Limits& limits,
                                           const Progress&) {
    using namespace table_disc;
    if (generation_of(head_of(file)) == Generation::later)
        return std::make_unique<PartitionDisc>(borrowed(file), std::move(identity), limits.keys.get());
    return std::make_unique<PlainDisc>(borrowed(file), std::move(identity));
}

}  // namespace hotstitch
