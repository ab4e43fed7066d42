// SPDX-License-Identifier: MIT
// Several checksums in one pass, and wishes compared with findings.
#include "hotstitch/digest.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>

#include "base/hex.h"
#include "base/meter.h"
#include "digest/hash.h"
#include "hotstitch/error.h"
#include "source/chunks.h"

namespace hotstitch {
namespace {

template <class Value>
void set_once(std::optional<Value>& slot, const Value& value, std::string_view name) {
    if (slot && *slot != value)
        throw Error(ErrorCode::usage, fmt::format("two different values are given for {}", name)).in(std::string(name));
    slot = value;
}

template <class Value>
void add_hash(std::optional<Value>& slot, std::string_view text, std::string_view name) {
    Value value;
    if (!bytes_from_hex(text, value.bytes))
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no {} checksum", text, name))
            .in(std::string(name))
            .wanted(fmt::format("{} hexadecimal digits", value.bytes.size() * 2))
            .found(fmt::format("{} characters", text.size()));
    set_once(slot, value, name);
}

template <class Value, class Show>
void compare_one(std::vector<DigestMismatch>& out, std::string_view name, const std::optional<Value>& wanted,
                 const std::optional<Value>& found, Show show) {
    if (wanted && found && *wanted != *found) out.push_back({std::string(name), show(*wanted), show(*found)});
}

}  // namespace

std::string hex(ByteView bytes) {
    std::string text;
    text.reserve(bytes.size() * 2);
    for (const std::byte b : bytes) fmt::format_to(std::back_inserter(text), "{:02x}", std::to_integer<unsigned>(b));
    return text;
}

std::string Crc32::hex() const {
    return fmt::format("{:08x}", value);
}
std::string Adler32::hex() const {
    return fmt::format("{:08x}", value);
}

bool Digests::empty() const noexcept {
    return !size && !crc32 && !md5 && !sha1 && !sha256;
}

struct Digester::State {
    std::uint64_t size = 0;
    std::optional<Crc32> crc;
    std::unique_ptr<Hash> md5, sha1, sha256;
};

Digester::Digester(DigestChoice choice) : state_(std::make_unique<State>()) {
    if (choice.crc32) state_->crc = Crc32{};
    if (choice.md5) state_->md5 = make_hash(HashKind::md5);
    if (choice.sha1) state_->sha1 = make_hash(HashKind::sha1);
    if (choice.sha256) state_->sha256 = make_hash(HashKind::sha256);
}
Digester::~Digester() = default;
Digester::Digester(Digester&&) noexcept = default;
Digester& Digester::operator=(Digester&&) noexcept = default;

void Digester::update(ByteView bytes) {
    state_->size += bytes.size();
    if (state_->crc) state_->crc = hotstitch::crc32(bytes, *state_->crc);
    for (Hash* hash : {state_->md5.get(), state_->sha1.get(), state_->sha256.get()})
        if (hash != nullptr) hash->update(bytes);
}

Digests Digester::finish() {
    Digests all;
    all.size = state_->size;
    all.crc32 = state_->crc;
    if (state_->md5) state_->md5->finish(all.md5.emplace().bytes);
    if (state_->sha1) state_->sha1->finish(all.sha1.emplace().bytes);
    if (state_->sha256) state_->sha256->finish(all.sha256.emplace().bytes);
    return all;
}

Digests digest(const ByteSource& source, DigestChoice choice, const Progress& progress, Phase phase) {
    if (!choice.crc32 && !choice.md5 && !choice.sha1 && !choice.sha256) return {.size = source.size()};
    // Small enough to stay in the cache while several checksums go over it; what is computed is worth a thread.
    const std::size_t chunk = source.whole() ? 128 << 10 : 1 << 20;
    Digester digester(choice);
    Meter meter(progress, phase, source.size());
    each_chunk(source, chunk, [&](ByteView bytes) {
        digester.update(bytes);
        meter.advance(bytes.size());
    });
    source.check_intact();
    return digester.finish();
}

DigestChoice available(DigestChoice choice) noexcept {
    if (!HOTSTITCH_WITH_OPENSSL) choice.md5 = choice.sha1 = choice.sha256 = false;
    return choice;
}

DigestChoice choice_for(const Digests& wanted) noexcept {
    return {wanted.crc32.has_value(), wanted.md5.has_value(), wanted.sha1.has_value(), wanted.sha256.has_value()};
}

std::vector<DigestMismatch> compare(const Digests& wanted, const Digests& found) {
    std::vector<DigestMismatch> out;
    const auto show_hash = [](const auto& hash) { return hex(hash.bytes); };
    compare_one(out, "size", wanted.size, found.size, [](std::uint64_t n) { return std::to_string(n); });
    compare_one(out, "crc32", wanted.crc32, found.crc32, [](Crc32 crc) { return crc.hex(); });
    compare_one(out, "md5", wanted.md5, found.md5, show_hash);
    compare_one(out, "sha1", wanted.sha1, found.sha1, show_hash);
    compare_one(out, "sha256", wanted.sha256, found.sha256, show_hash);
    return out;
}

Digests joined(Digests a, const Digests& b) {
    if (!a.size) a.size = b.size;
    if (!a.crc32) a.crc32 = b.crc32;
    if (!a.md5) a.md5 = b.md5;
    if (!a.sha1) a.sha1 = b.sha1;
    if (!a.sha256) a.sha256 = b.sha256;
    return a;
}

namespace {

/// The checksum that a bare run of hexadecimal digits is, by their number; empty: none.
std::string_view kind_by_length(std::string_view text) noexcept {
    if (text.find_first_not_of("0123456789abcdefABCDEF") != std::string_view::npos) return {};
    switch (text.size()) {
        case 8: return "crc32";
        case 32: return "md5";
        case 40: return "sha1";
        case 64: return "sha256";
        default: return {};
    }
}

}  // namespace

void add_digest(Digests& digests, std::string_view text) {
    const std::size_t colon = text.find(':');
    const bool bare = colon == std::string_view::npos;
    std::string name = bare ? std::string(kind_by_length(text)) : std::string(text.substr(0, colon));
    std::transform(name.begin(), name.end(), name.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    const std::string_view value = bare ? text : text.substr(colon + 1);
    if (name == "size") {
        std::uint64_t size = 0;
        const auto [end, error] = std::from_chars(value.data(), value.data() + value.size(), size);
        if (error != std::errc{} || end != value.data() + value.size())
            throw Error(ErrorCode::usage, fmt::format("\"{}\" is no size in bytes", value)).in("size");
        set_once(digests.size, size, name);
    } else if (name == "crc32") {
        std::array<std::byte, 4> be{};
        if (!bytes_from_hex(value, be))
            throw Error(ErrorCode::usage, fmt::format("\"{}\" is no crc32 checksum", value))
                .in("crc32")
                .wanted("8 hexadecimal digits")
                .found(fmt::format("{} characters", value.size()));
        std::uint32_t crc = 0;
        for (const std::byte b : be) crc = crc << 8 | std::to_integer<std::uint32_t>(b);
        set_once(digests.crc32, Crc32{crc}, name);
    } else if (name == "md5") {
        add_hash(digests.md5, value, name);
    } else if (name == "sha1") {
        add_hash(digests.sha1, value, name);
    } else if (name == "sha256") {
        add_hash(digests.sha256, value, name);
    } else {
        throw Error(ErrorCode::usage, fmt::format("\"{}\" names no checksum", text))
            .wanted("crc32:…, md5:…, sha1:…, sha256:…, a checksum alone, or size:…");
    }
}

}  // namespace hotstitch
