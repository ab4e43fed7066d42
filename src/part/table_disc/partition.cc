// SPDX-License-Identifier: MIT
// Tested by tests/part/table_disc_test.cc.
#include "part/table_disc/partition.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/cipher.h"
#include "digest/hash.h"
#include "hotstitch/error.h"
#include "source/stretch.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::uint64_t lists_at = 0x40000, header_size = 0x2C0;
constexpr std::size_t list_count = 4, most_partitions = 64;

bool inside(const ByteSource& disc, std::uint64_t at, std::uint64_t size) {
    return at <= disc.size() && size <= disc.size() - at;
}

Key key_at(ByteView bytes, std::size_t at) {
    Key key;
    std::copy_n(bytes.begin() + static_cast<std::ptrdiff_t>(at), key.size(), key.begin());
    return key;
}

std::uint64_t shifted(ByteView bytes, std::size_t at) {
    return std::uint64_t{u32be(bytes, at)} << 2;
}

Key title_key(ByteView ticket, const Key& common) {
    Key iv{};
    std::copy_n(ticket.begin() + 0x1DC, 8, iv.begin());  // the title's id
    Key key;
    decrypt_cbc(common, iv, ticket.subspan(0x1BF, key.size()), key);
    return key;
}

/// A wrong key makes nonsense, whose first hash is not right.
bool opens(const ByteSource& disc, const Partition& partition) {
    if (partition.clusters == 0) return true;
    const HashBlock hashes = hashes_of(disc, partition, 0);
    const Bytes block = stretch_of(disc, partition.data + cluster_hashes, cluster_hashes);
    const Bytes stored = stretch_of(disc, partition.data + cluster_iv, cipher_block);
    Bytes plain(cluster_hashes);
    decrypt_cbc(*partition.title_key, key_at(stored, 0), block, plain);
    const auto sum = sha1_of(plain);
    return std::equal(sum.begin(), sum.end(), hashes.begin());
}

class Reader {
public:
    Reader(const ByteSource& disc, const Keys* keys) : disc_(disc), keys_(keys) {}

    PartitionList run() {
        if (!inside(disc_, lists_at, 8 * list_count)) return std::move(result_);
        const Bytes lists = stretch_of(disc_, lists_at, 8 * list_count);
        for (std::size_t i = 0; i < list_count; ++i) {
            const std::uint64_t count = u32be(lists, 8 * i), at = shifted(lists, 8 * i + 4);
            for (std::uint64_t k = 0; k < count; ++k) {
                if (number_ == most_partitions)
                    return warn("there are more partitions than any disc has"), std::move(result_);
                if (!inside(disc_, at + 8 * k, 8)) {
                    warn("a list of partitions lies past the image's end");
                    break;
                }
                const Bytes entry = stretch_of(disc_, at + 8 * k, 8);
                add(shifted(entry, 0), u32be(entry, 4));
            }
        }
        return std::move(result_);
    }

private:
    void warn(std::string_view what) { result_.warnings.emplace_back(what); }

    void add(std::uint64_t offset, std::uint32_t type) {
        Partition p{.number = number_++, .type = type, .offset = offset, .key_name = {}, .title_key = {}};
        const auto broken = [&](const char* what) { warn(fmt::format("partition {} {}", p.number, what)); };
        if (!inside(disc_, offset, header_size)) return broken("lies past the image's end");
        const Bytes head = stretch_of(disc_, offset, header_size);
        p.metadata_size = u32be(head, 0x2A4), p.metadata = offset + shifted(head, 0x2A8);
        p.certificates_size = u32be(head, 0x2AC), p.certificates = offset + shifted(head, 0x2B0);
        p.hashes = offset + shifted(head, 0x2B4);
        p.data = offset + shifted(head, 0x2B8);
        const std::uint64_t stated = shifted(head, 0x2BC) / cluster_size;
        if (p.data < offset + header_size || !inside(disc_, p.data, 0)) return broken("has its data outside the image");
        p.clusters = std::min(stated, (disc_.size() - p.data) / cluster_size);
        if (p.clusters < stated) broken("reaches past the image's end: it is cut short");
        for (const Partition& other : result_.partitions)
            if (p.data < other.data + other.clusters * cluster_size && other.data < p.data + p.clusters * cluster_size)
                return broken(fmt::format("lies over partition {}, and is not read", other.number).c_str());
        find_key(p, head);
        result_.partitions.push_back(std::move(p));
    }

    void find_key(Partition& p, ByteView ticket) const {
        const unsigned index = u8(ticket, 0x1F1);
        p.key_name = index == 0 ? "common" : fmt::format("common-{}", index + 1);
        if (keys_ == nullptr) return;
        const auto key = keys_->by_name.find(p.key_name);
        if (key == keys_->by_name.end()) return;
        p.title_key = title_key(ticket, key->second);
        if (!opens(disc_, p))
            throw Error(ErrorCode::refused, fmt::format("the key {} does not open partition {}: its first hash does "
                                                        "not come out right",
                                                        p.key_name, p.number))
                .in("keys")
                .hint("look whether all its digits are right; a damaged disc gives the same");
    }

    const ByteSource& disc_;
    const Keys* keys_;
    PartitionList result_;
    unsigned number_ = 0;
};

/// Decrypts only the blocks of 16 bytes that are asked for: the one before each is its IV.
class PlainData final : public ByteSource {
public:
    PlainData(SharedSource disc, Partition partition) : disc_(std::move(disc)), partition_(std::move(partition)) {}
    std::uint64_t size() const noexcept override { return partition_.plain_size(); }
    void check_intact() const override { disc_->check_intact(); }

    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        for (std::size_t done = 0; done < length;) {
            const std::uint64_t cluster = (offset + done) / cluster_data;
            const auto skip = static_cast<std::size_t>((offset + done) % cluster_data);
            const std::size_t part = std::min(length - done, static_cast<std::size_t>(cluster_data) - skip);
            decrypt(cluster, skip, scratch.subspan(done, part));
            done += part;
        }
        return scratch.first(length);
    }

private:
    void decrypt(std::uint64_t cluster, std::size_t skip, MutableByteView into) const {
        const std::size_t begin = skip / cipher_block * cipher_block;
        const std::size_t end = (skip + into.size() + cipher_block - 1) / cipher_block * cipher_block;
        std::array<std::byte, cluster_size> storage;
        const ByteView stored = disc_->read(partition_.data + cluster * cluster_size, cluster_size, storage);
        const std::size_t iv_at = begin == 0 ? cluster_iv : cluster_hashes + begin - cipher_block;
        std::array<std::byte, cluster_data> plain;
        const MutableByteView out(plain.data(), end - begin);
        decrypt_cbc(*partition_.title_key, key_at(stored, iv_at), stored.subspan(cluster_hashes + begin, end - begin),
                    out);
        std::copy_n(out.begin() + static_cast<std::ptrdiff_t>(skip - begin), into.size(), into.begin());
    }

    const SharedSource disc_;
    const Partition partition_;
};

}  // namespace

std::string type_words(std::uint32_t type) {
    if (type <= 2) return std::vector<std::string>{"game", "update", "channel"}[type];
    std::string id;  // of a channel, as four letters
    for (unsigned shift = 32; shift > 0; shift -= 8) id += static_cast<char>(type >> (shift - 8));
    return std::all_of(id.begin(), id.end(), is_printable) ? "channel " + id : "of another type";
}

HashBlock hashes_of(const ByteSource& disc, const Partition& partition, std::uint64_t cluster) {
    const Bytes stored = stretch_of(disc, partition.data + cluster * cluster_size, cluster_hashes);
    HashBlock hashes;
    decrypt_cbc(*partition.title_key, Key{}, stored, hashes);
    return hashes;
}

std::array<std::byte, 20> sha1_of(ByteView bytes) {
    std::array<std::byte, 20> sum;
    const auto hash = make_hash(HashKind::sha1);
    hash->update(bytes);
    hash->finish(sum);
    return sum;
}

PartitionList read_partitions(const ByteSource& disc, const Keys* keys) {
    return Reader(disc, keys).run();
}

SharedSource plain_data(const SharedSource& disc, const Partition& partition) {
    return std::make_shared<PlainData>(disc, partition);
}

}  // namespace hotstitch::table_disc
