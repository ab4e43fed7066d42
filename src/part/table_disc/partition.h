// SPDX-License-Identifier: MIT
// Partitions that are encrypted, hashed and signed: where they are, and their data as a source that decrypts what it is
// asked for. docs/formats/discs.md, "Encrypted partitions".
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/keys.h"
#include "hotstitch/source.h"

namespace hotstitch::table_disc {

inline constexpr std::uint64_t cluster_size = 0x8000, cluster_hashes = 0x400, cluster_data = 0x7C00,
                               group_clusters = 64, group_size = group_clusters * cluster_size,
                               group_data = group_clusters * cluster_data, cluster_iv = 0x3D0, ticket_size = 0x2A4,
                               hash_table_size = 0x18000;

struct Partition {
    unsigned number = 0;
    std::uint32_t type = 0;    ///< 0 game, 1 update, 2 channel
    std::uint64_t offset = 0;  ///< all in bytes of the disc
    std::uint64_t metadata = 0, metadata_size = 0, certificates = 0, certificates_size = 0, hashes = 0;
    std::uint64_t data = 0, clusters = 0;  ///< as many as lie in the image
    std::string key_name;                  ///< of the key that opens it
    std::optional<Key> title_key;          ///< where that key was brought

    std::uint64_t plain_size() const noexcept { return clusters * cluster_data; }
};

/// For people: "game".
std::string type_words(std::uint32_t type);

struct PartitionList {
    std::vector<Partition> partitions;
    std::vector<std::string> warnings;
};

/// `keys` may be null. Throws Error(refused) where a key is another than the one that a partition was encrypted with,
/// Error(io).
PartitionList read_partitions(const ByteSource& disc, const Keys* keys);

/// REQUIRES title_key. Thread-safe.
SharedSource plain_data(const SharedSource& disc, const Partition& partition);

/// The change of the disc that makes its partition's plain data so: what it touches is encrypted again in whole groups
/// of 64 clusters, with new hashes up to the metadata. `warnings`: what no longer holds. Throws Error(unsupported)
/// where the partition's size would change or it has no hashes for it, Error(io).
ChangeList partition_change(const SharedSource& disc, const Partition& partition, const SharedSource& plain,
                            const ChangeList& change, std::vector<std::string>& warnings);

// What both sides of it are made of.

using HashBlock = std::array<std::byte, cluster_hashes>;
/// Of a cluster, as it is.
HashBlock hashes_of(const ByteSource& disc, const Partition& partition, std::uint64_t cluster);
std::array<std::byte, 20> sha1_of(ByteView bytes);

}  // namespace hotstitch::table_disc
