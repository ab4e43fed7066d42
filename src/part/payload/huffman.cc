// SPDX-License-Identifier: MIT
// Huffman codes of 4 or 8 bits (docs/formats/payloads.md). A node's children lie in one pair of bytes, at most 63 pairs
// behind the next one after its own: packing has to lay out a tree of up to 255 pairs so that none lies further.
// Tested by tests/part/payload_test.cc.
#include <algorithm>
#include <array>
#include <queue>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "part/payload/console_codecs.h"

namespace hotstitch {
namespace {

constexpr std::string_view codec_name = "Huffman";
constexpr unsigned first_is_leaf = 0x80, second_is_leaf = 0x40, offset_bits = 0x3F;

/// Places count from the byte that names the codec, as in the format.
struct Layout {
    ByteView bytes;      ///< from that byte on
    std::size_t root;    ///< the tree's first node
    std::size_t stream;  ///< where the codes begin, and the tree ends
    unsigned symbol_bits;
};

Layout layout_of(ByteView packed, const ConsoleHeader& header) {
    const ByteView bytes = packed.subspan(header.begin);
    const std::size_t at = header.data - header.begin;
    if (at == bytes.size()) payload_truncated(codec_name, header.data, "tree size");
    Layout layout{bytes, at + 1, at + (u8(bytes, at) + 1) * 2, u8(bytes, 0) & 0xF};
    if (layout.stream > bytes.size()) payload_truncated(codec_name, header.data, "tree");
    return layout;
}

/// A node's child that a bit leads to.
std::size_t child_of(const Layout& layout, std::size_t node, unsigned bit) {
    return (node & ~std::size_t{1}) + (u8(layout.bytes, node) & offset_bits) * 2 + 2 + bit;
}
bool is_leaf(const Layout& layout, std::size_t node, unsigned bit) {
    return (u8(layout.bytes, node) & (bit == 0 ? first_is_leaf : second_is_leaf)) != 0;
}

/// Every node that a code can lead to lies in the tree, and every symbol has no more bits than it may.
void check_tree(const Layout& layout, std::uint64_t begin) {
    std::vector<bool> seen(layout.stream);
    std::vector<std::size_t> open{layout.root};
    while (!open.empty()) {
        const std::size_t node = open.back();
        open.pop_back();
        if (seen[node]) continue;
        seen[node] = true;
        for (const unsigned bit : {0U, 1U}) {
            const std::size_t child = child_of(layout, node, bit);
            if (child >= layout.stream)
                payload_damaged(codec_name, begin + node, "offset in the tree",
                                fmt::format("inside the tree, which ends at {}", layout.stream),
                                fmt::format("a node at {}", child));
            if (!is_leaf(layout, node, bit))
                open.push_back(child);
            else if (const unsigned symbol = u8(layout.bytes, child); symbol >> layout.symbol_bits != 0)
                payload_damaged(codec_name, begin + child, "symbol in the tree",
                                fmt::format("of {} bits", layout.symbol_bits), hex_text(symbol, 2));
        }
    }
}

/// What the next bits lead to: up to two symbols and how many bits those took or, with none, a longer code.
struct Lookup {
    static constexpr unsigned bits = 11;
    struct Entry {
        std::uint8_t symbols[2]{}, count = 0, used = 0, used_by_first = 0;
    };
    std::array<Entry, std::size_t{1} << bits> entries{};

    explicit Lookup(const Layout& layout) {
        for (std::size_t code = 0; code < entries.size(); ++code) {
            Entry& entry = entries[code];
            std::size_t node = layout.root;
            for (unsigned used = 1; used <= bits && entry.count < 2; ++used) {
                const unsigned bit = static_cast<unsigned>(code >> (bits - used)) & 1;
                const std::size_t child = child_of(layout, node, bit);
                const bool leaf = is_leaf(layout, node, bit);
                node = leaf ? layout.root : child;
                if (!leaf) continue;
                if (entry.count == 0) entry.used_by_first = static_cast<std::uint8_t>(used);
                entry.symbols[entry.count++] = static_cast<std::uint8_t>(u8(layout.bytes, child));
                entry.used = static_cast<std::uint8_t>(used);
            }
        }
    }
};

/// The bits of words of 32, the highest first. Behind the last word come zeros; `missing` says that some were used.
class CodeReader {
public:
    explicit CodeReader(const Layout& layout)
        : layout_(layout), lookup_(std::make_unique<Lookup>(layout)), at_(layout.stream) {}

    /// One symbol or two, where `most` allows; returns how many.
    unsigned next(unsigned (&symbols)[2], std::uint64_t most) {
        refill();
        const Lookup::Entry& entry = lookup_->entries[static_cast<std::size_t>(window_ >> (64 - Lookup::bits))];
        if (entry.count == 0) return symbols[0] = long_code(), 1;
        const bool both = entry.count == 2 && most >= 2;
        symbols[0] = entry.symbols[0], symbols[1] = entry.symbols[1];
        take(both ? entry.used : entry.used_by_first);
        return both ? 2 : 1;
    }
    bool missing() const noexcept { return left_ < 0; }
    std::size_t position() const noexcept { return at_; }

private:
    void refill() {
        if (left_ > 32 || layout_.bytes.size() - at_ < 4) return;
        window_ |= left_ < 0 ? 0 : std::uint64_t{u32le(layout_.bytes, at_)} << (32 - left_);
        at_ += 4, left_ += 32;
    }
    void take(unsigned bits) { window_ <<= bits, left_ -= static_cast<int>(bits); }
    unsigned long_code() {
        std::size_t node = layout_.root;
        while (true) {
            if (left_ <= 0) refill();
            const unsigned bit = static_cast<unsigned>(window_ >> 63);
            take(1);
            const std::size_t child = child_of(layout_, node, bit);
            if (is_leaf(layout_, node, bit)) return u8(layout_.bytes, child);
            node = child;
        }
    }

    const Layout& layout_;
    std::unique_ptr<Lookup> lookup_;
    std::size_t at_;
    std::uint64_t window_ = 0;
    int left_ = 0;
};

Extent measure_huffman(ByteView packed) {
    const ConsoleHeader header = console_header(packed, codec_name);
    const Layout layout = layout_of(packed, header);
    check_tree(layout, header.begin);
    CodeReader reader(layout);
    unsigned symbols[2];
    for (std::uint64_t left = header.content * (8 / layout.symbol_bits); left != 0;) {
        left -= reader.next(symbols, left);
        if (reader.missing()) payload_truncated(codec_name, header.begin + reader.position(), "codes");
    }
    return {header.begin + reader.position(), header.content};
}

/// REQUIRES measure_huffman(): every code that comes is whole.
void unpack_huffman(ByteView packed, MutableByteView content) {
    const Layout layout = layout_of(packed, console_header(packed, codec_name));
    CodeReader reader(layout);
    unsigned symbols[2];
    if (layout.symbol_bits == 8) {
        for (std::size_t made = 0; made < content.size();) {
            const unsigned got = reader.next(symbols, content.size() - made);
            content[made++] = static_cast<std::byte>(symbols[0]);
            if (got == 2) content[made++] = static_cast<std::byte>(symbols[1]);
        }
        return;
    }
    for (std::byte& b : content) {
        const unsigned low_and_high = reader.next(symbols, 2);
        const unsigned low = symbols[0];
        if (low_and_high == 1) reader.next(symbols, 1), symbols[1] = symbols[0];
        b = static_cast<std::byte>(low | symbols[1] << 4);
    }
}

struct Node {
    std::uint64_t weight = 0;
    unsigned symbol = 0;
    int children[2] = {-1, -1};
    unsigned pairs = 0;  ///< that the tree below takes
    bool is_leaf() const noexcept { return children[0] < 0; }
};

/// A Huffman tree; its root is the last node. There are two symbols at least, so that every code has a bit.
std::vector<Node> tree_for(const std::vector<std::uint64_t>& counts) {
    std::vector<Node> nodes;
    for (unsigned symbol = 0; symbol < counts.size(); ++symbol)
        if (counts[symbol] != 0) nodes.push_back({counts[symbol], symbol});
    for (unsigned symbol = 0; nodes.size() < 2; ++symbol)
        if (nodes.empty() || nodes.front().symbol != symbol) nodes.push_back({0, symbol});
    // Of equal weights the smaller tree first: it stays flat.
    const auto later = [&](int a, int b) {
        const Node &x = nodes[static_cast<std::size_t>(a)], &y = nodes[static_cast<std::size_t>(b)];
        return std::tie(x.weight, x.pairs, a) > std::tie(y.weight, y.pairs, b);
    };
    std::priority_queue<int, std::vector<int>, decltype(later)> queue(later);
    for (int i = 0; i < static_cast<int>(nodes.size()); ++i) queue.push(i);
    while (queue.size() > 1) {
        Node parent;
        for (int& child : parent.children) {
            child = queue.top(), queue.pop();
            const Node& node = nodes[static_cast<std::size_t>(child)];
            parent.weight += node.weight, parent.pairs += node.pairs;
        }
        ++parent.pairs;
        nodes.push_back(parent);
        queue.push(static_cast<int>(nodes.size()) - 1);
    }
    return nodes;
}

/// Where each inner node's pair of children goes. The smallest tree is finished first, so that few nodes wait; but none
/// waits longer than its offset can say. Throws Error(unsupported) where that cannot be kept.
std::vector<unsigned> places_for(const std::vector<Node>& nodes) {
    constexpr unsigned furthest = offset_bits + 1;
    struct Waiting {
        int node;
        unsigned last_place;
    };
    std::vector<unsigned> places(nodes.size(), 0);
    std::vector<Waiting> waiting{{static_cast<int>(nodes.size()) - 1, 0}};
    const auto node_of = [&](const Waiting& w) -> const Node& { return nodes[static_cast<std::size_t>(w.node)]; };
    // With so many before it and none of them late, can the rest still be on time?
    const auto all_on_time = [&](std::size_t without, unsigned next) {
        for (std::size_t i = 0, place = next; i < waiting.size(); ++i)
            if (i != without && waiting[i].last_place < place++) return false;
        return true;
    };
    for (unsigned place = 0; !waiting.empty(); ++place) {
        std::stable_sort(waiting.begin(), waiting.end(),
                         [](const Waiting& a, const Waiting& b) { return a.last_place < b.last_place; });
        std::size_t chosen = 0;
        for (std::size_t i = 1; i < waiting.size(); ++i)
            if (node_of(waiting[i]).pairs < node_of(waiting[chosen]).pairs && all_on_time(i, place + 1)) chosen = i;
        const Waiting now = waiting[chosen];
        if (now.last_place < place)
            throw Error(ErrorCode::unsupported, "the codes of this content make a tree that the format cannot hold")
                .hint("pack it with another codec");
        waiting.erase(waiting.begin() + static_cast<std::ptrdiff_t>(chosen));
        places[static_cast<std::size_t>(now.node)] = place;
        for (const int child : node_of(now).children)
            if (!nodes[static_cast<std::size_t>(child)].is_leaf()) waiting.push_back({child, place + furthest});
    }
    return places;
}

/// The tree from its size byte on, filled up so that the codes begin at a multiple of four.
Bytes written_tree(const std::vector<Node>& nodes, std::size_t begin) {
    const std::vector<unsigned> places = places_for(nodes);
    std::size_t size = (nodes.back().pairs + 1) * 2;
    while ((begin + size) % 4 != 0) size += 2;
    Bytes tree(size);
    tree[0] = static_cast<std::byte>(size / 2 - 1);
    const auto write = [&](std::size_t at, const Node& node, unsigned own_pair, unsigned children_pair) {
        const auto leaf = [&](int which) { return nodes[static_cast<std::size_t>(node.children[which])].is_leaf(); };
        tree[at] = static_cast<std::byte>((children_pair - own_pair) | (leaf(0) ? first_is_leaf : 0) |
                                          (leaf(1) ? second_is_leaf : 0));
    };
    write(1, nodes.back(), 0, 0);
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        if (nodes[i].is_leaf()) continue;
        for (std::size_t c = 0; c < 2; ++c) {
            const auto child = static_cast<std::size_t>(nodes[i].children[c]);
            const std::size_t at = (places[i] + 1) * 2 + c;
            if (nodes[child].is_leaf())
                tree[at] = static_cast<std::byte>(nodes[child].symbol);
            else
                write(at, nodes[child], places[i] + 1, places[child]);
        }
    }
    return tree;
}

/// The code of each symbol, as its bits in order.
std::vector<std::vector<bool>> codes_of(const std::vector<Node>& nodes) {
    std::vector<std::vector<bool>> codes(256);
    std::vector<std::pair<int, std::vector<bool>>> open{{static_cast<int>(nodes.size()) - 1, {}}};
    while (!open.empty()) {
        const auto [index, code] = std::move(open.back());
        open.pop_back();
        const Node& node = nodes[static_cast<std::size_t>(index)];
        if (node.is_leaf()) {
            codes[node.symbol] = code;
            continue;
        }
        for (const bool bit : {false, true}) {
            open.emplace_back(node.children[bit ? 1 : 0], code);
            open.back().second.push_back(bit);
        }
    }
    return codes;
}

Bytes pack_huffman(ByteView content, ByteView like) {
    const unsigned bits = u8(like, console_header(like, codec_name).begin) & 0xF;
    std::vector<std::uint8_t> symbols;
    symbols.reserve(content.size() * (8 / bits));
    for (const std::byte b : content) {
        const auto value = std::to_integer<std::uint8_t>(b);
        if (bits == 8)
            symbols.push_back(value);
        else
            symbols.push_back(value & 0xF), symbols.push_back(value >> 4);
    }
    std::vector<std::uint64_t> counts(std::size_t{1} << bits);
    for (const std::uint8_t symbol : symbols) ++counts[symbol];
    const std::vector<Node> nodes = tree_for(counts);
    Bytes out = console_header_like(like, content.size());
    const std::size_t begin = console_header(out, codec_name).begin;
    const Bytes tree = written_tree(nodes, out.size() - begin);
    out.insert(out.end(), tree.begin(), tree.end());
    const auto codes = codes_of(nodes);
    std::uint32_t word = 0;
    unsigned used = 0;
    const auto flush = [&] {
        for (unsigned i = 0; i < 4; ++i) out.push_back(static_cast<std::byte>(word >> (8 * i)));
        word = 0, used = 0;
    };
    for (const std::uint8_t symbol : symbols)
        for (const bool bit : codes[symbol]) {
            word |= std::uint32_t{bit} << (31 - used);
            if (++used == 32) flush();
        }
    if (used != 0) flush();
    return out;
}

constexpr Codec huffman_codec(std::string_view name, std::string_view title, bool (*begins)(ByteView)) {
    return {.name = name,
            .title = title,
            .begins = begins,
            .measure = measure_huffman,
            .unpack = unpack_huffman,
            .pack = pack_huffman};
}

}  // namespace

constinit const Codec huffman4 = huffman_codec("huffman4", "a Huffman-packed file of 4-bit codes",
                                               [](ByteView head) { return has_console_header(head, 0x24); });
constinit const Codec huffman8 = huffman_codec("huffman8", "a Huffman-packed file of 8-bit codes",
                                               [](ByteView head) { return has_console_header(head, 0x28); });

}  // namespace hotstitch
