// SPDX-License-Identifier: MIT
// A changed byte changes the hash of its block, the tables of hashes in all 64 clusters of its group, with them the IV
// of each cluster, and so every byte of the group as it is stored. Groups are made when they are read, one at a time.
// Tested by tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <mutex>
#include <set>

#include "digest/cipher.h"
#include "hotstitch/error.h"
#include "part/table_disc/partition.h"
#include "source/stretch.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::size_t hash_size = 20, first_hashes_size = 31 * hash_size, blocks = 31, second_hashes = 0x280,
                      third_hashes = 0x340, eighth = 8;
constexpr std::uint64_t content_hash = 0x1F4;

std::array<std::byte, hash_size> hash_into(ByteView bytes, HashBlock& table, std::size_t at) {
    const auto sum = sha1_of(bytes);
    std::copy(sum.begin(), sum.end(), table.begin() + static_cast<std::ptrdiff_t>(at));
    return sum;
}

/// The group as the disc has to store it, and the hash over it.
class GroupMaker {
public:
    GroupMaker(SharedSource disc, Partition partition, SharedSource plain)
        : disc_(std::move(disc)), partition_(std::move(partition)), plain_(std::move(plain)) {}

    struct Made {
        std::array<std::byte, hash_size> hash{};
        Bytes stored;
    };

    std::uint64_t clusters_of(std::uint64_t group) const {
        return std::min(group_clusters, partition_.clusters - group * group_clusters);
    }

    Made make(std::uint64_t group, bool encrypt) const {
        const std::uint64_t first = group * group_clusters;
        const auto count = static_cast<std::size_t>(clusters_of(group));
        Bytes storage(count * cluster_data);
        const ByteView plain = plain_->read(first * cluster_data, storage.size(), storage);
        // What the tables say of clusters that a short last group does not have, stays.
        std::vector<HashBlock> tables(count);
        for (std::size_t c = 0; c < count; ++c) {
            tables[c] = hashes_of(*disc_, partition_, first + c);
            for (std::size_t b = 0; b < blocks; ++b)
                hash_into(plain.subspan(c * cluster_data + b * cluster_hashes, cluster_hashes), tables[c],
                          b * hash_size);
        }
        spread(tables, second_hashes, eighth, 1,
               [](const HashBlock& t) { return ByteView(t).first(first_hashes_size); });
        spread(tables, third_hashes, group_clusters, eighth,
               [](const HashBlock& t) { return ByteView(t).subspan(second_hashes, eighth * hash_size); });
        Made made;
        made.hash = sha1_of(ByteView(tables.front()).subspan(third_hashes, eighth * hash_size));
        if (encrypt) made.stored = encrypted(tables, plain);
        return made;
    }

private:
    /// Each so many clusters share a table: the hashes of what each of them, or each `step` of them, has.
    template <class Hashed>
    static void spread(std::vector<HashBlock>& tables, std::size_t at, std::size_t sharing, std::size_t step,
                       Hashed hashed) {
        for (std::size_t begin = 0; begin < tables.size(); begin += sharing) {
            const std::size_t end = std::min(begin + sharing, tables.size());
            HashBlock& table = tables[begin];
            for (std::size_t c = begin; c < end; c += step)
                hash_into(hashed(tables[c]), table, at + (c - begin) / step * hash_size);
            for (std::size_t c = begin + 1; c < end; ++c)
                std::copy_n(table.begin() + static_cast<std::ptrdiff_t>(at), eighth * hash_size,
                            tables[c].begin() + static_cast<std::ptrdiff_t>(at));
        }
    }

    Bytes encrypted(const std::vector<HashBlock>& tables, ByteView plain) const {
        Bytes out(tables.size() * cluster_size);
        for (std::size_t c = 0; c < tables.size(); ++c) {
            const MutableByteView cluster = MutableByteView(out).subspan(c * cluster_size, cluster_size);
            encrypt_cbc(*partition_.title_key, Key{}, tables[c], cluster.first(cluster_hashes));
            Key iv;
            std::copy_n(cluster.begin() + cluster_iv, iv.size(), iv.begin());
            encrypt_cbc(*partition_.title_key, iv, plain.subspan(c * cluster_data, cluster_data),
                        cluster.subspan(cluster_hashes));
        }
        return out;
    }

    const SharedSource disc_;
    const Partition partition_;
    const SharedSource plain_;
};

/// All groups of the partition as they have to be stored; only those are asked for that have changed.
class Groups final : public ByteSource {
public:
    Groups(GroupMaker maker, std::uint64_t size) : maker_(std::move(maker)), size_(size) {}
    std::uint64_t size() const noexcept override { return size_; }

    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        const std::lock_guard lock(mutex_);
        for (std::size_t done = 0; done < length;) {
            const std::uint64_t group = (offset + done) / group_size, skip = (offset + done) % group_size;
            if (group != kept_ || bytes_.empty()) bytes_ = maker_.make(group, true).stored, kept_ = group;
            const std::size_t part = std::min(length - done, bytes_.size() - static_cast<std::size_t>(skip));
            std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(skip), part,
                        scratch.begin() + static_cast<std::ptrdiff_t>(done));
            done += part;
        }
        return scratch.first(length);
    }

private:
    const GroupMaker maker_;
    const std::uint64_t size_;
    mutable std::mutex mutex_;
    mutable std::uint64_t kept_ = 0;
    mutable Bytes bytes_;
};

std::set<std::uint64_t> groups_touched(const ChangeList& change) {
    std::set<std::uint64_t> groups;
    const auto add = [&](std::uint64_t begin, std::uint64_t end) {
        for (std::uint64_t g = begin / group_data; g * group_data < end; ++g) groups.insert(g);
    };
    std::uint64_t moved_from = UINT64_MAX, end = 0;
    for (const Splice& s : change.splices()) {
        add(s.offset, s.offset + s.removed);
        if (s.added() != s.removed) moved_from = std::min(moved_from, s.offset);
        end = s.offset + s.removed;
    }
    if (moved_from < end) add(moved_from, end);
    return groups;
}

}  // namespace

ChangeList partition_change(const SharedSource& disc, const Partition& partition, const SharedSource& plain,
                            const ChangeList& change, std::vector<std::string>& warnings) {
    ChangeList list(disc->size());
    if (change.empty()) return list;
    if (change.result_size() != plain->size()) throw Error(ErrorCode::unsupported, "a partition keeps its size");
    const std::set<std::uint64_t> touched = groups_touched(change);
    if (partition.hashes + hash_table_size > disc->size() ||
        partition.metadata + content_hash + hash_size > disc->size() ||
        (*touched.rbegin() + 1) * hash_size > hash_table_size)
        throw Error(ErrorCode::damaged, fmt::format("partition {} has its hashes outside the disc", partition.number));
    const GroupMaker maker(disc, partition, std::make_shared<ChangedSource>(plain, change));
    const auto groups = std::make_shared<Groups>(maker, partition.clusters * cluster_size);
    Bytes hashes = stretch_of(*disc, partition.hashes, hash_table_size);
    const auto put_hash = [&](std::uint64_t at, const std::array<std::byte, hash_size>& hash) {
        Bytes now(hash_size);
        const ByteView before = disc->read(at, hash_size, now);
        if (!std::equal(before.begin(), before.end(), hash.begin()))
            list.put(at, hash_size, Bytes(hash.begin(), hash.end()));
    };
    for (const std::uint64_t g : touched) {
        const auto hash = maker.make(g, false).hash;
        std::copy(hash.begin(), hash.end(), hashes.begin() + static_cast<std::ptrdiff_t>(g * hash_size));
        put_hash(partition.hashes + g * hash_size, hash);
        const std::uint64_t length = maker.clusters_of(g) * cluster_size;
        list.put_from(partition.data + g * group_size, length, groups, g * group_size, length);
    }
    put_hash(partition.metadata + content_hash, sha1_of(hashes));
    warnings.push_back(fmt::format(
        "the signature over the metadata of partition {} no longer matches, and none is forged here: the disc starts "
        "only where signatures are not checked",
        partition.number));
    return list;
}

}  // namespace hotstitch::table_disc
