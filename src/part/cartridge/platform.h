// SPDX-License-Identifier: MIT
// What a platform brings: how to know its images, what can be mended in them, where a byte of them stands in the
// console's memory. A new platform is one file that defines one of these, and one row in table.cc.
#pragma once

#include <bit>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "hotstitch/cartridge.h"
#include "hotstitch/change_list.h"
#include "hotstitch/mend.h"
#include "part/cartridge/regions.h"

namespace hotstitch::cartridge {

/// When a mend takes its turn: sizes before checksums.
enum class Turn { field, checks };

/// What a mend reports of its work, and the settings it may need.
struct Mending {
    const Cartridge& image;  ///< as it was before the first mend
    const MendOptions& options;
    std::vector<MendedField> fields;
    std::vector<std::string> warnings;
};

/// A field of the ROM's own header, told once: by this row it is shown and set. Places count from where the header
/// begins (Cartridge::internal_header).
struct HeaderField {
    enum class Kind { title, region, revision, serial, maker } kind;
    std::size_t at = 0, length = 1;
    char fill = ' ';                                   ///< behind a shorter title
    bool kana = false;                                 ///< the title may have half-width katakana
    std::span<const Region> regions{};                 ///< words for the values of a region
    bool letters = false;                              ///< which are letters, not numbers
    unsigned shift = 0, mask = 0xFF;                   ///< of a region or revision that shares its byte
    std::string_view value{}, what{};                  ///< as in PlatformMend; empty: it is only shown
    std::size_t (*length_in)(ByteView rom) = nullptr;  ///< where the length depends on the ROM
};

/// What the fields say, as parts of the identity.
void read_fields(ByteView rom, std::span<const HeaderField> fields, Cartridge& image);

struct PlatformMend {
    std::string_view name;
    Turn turn;
    std::string_view value;  ///< what it takes, for people; empty: nothing
    std::string_view what;   ///< what it does, for people
    /// Mends the image as the console reads it. Throws Error(usage, unsupported).
    void (*run)(Bytes& image, std::string_view value, Mending& mending);
    const HeaderField* field = nullptr;  ///< instead of `run`
};

/// Where a byte of an image stands in the console's memory, and back.
class MemoryMap {
public:
    virtual ~MemoryMap() = default;
    virtual std::optional<std::string> address(const Cartridge& image, ByteView rom, std::uint64_t offset) const = 0;
    virtual std::optional<std::uint64_t> offset(const Cartridge& image, ByteView rom, unsigned bank,
                                                std::uint64_t address, bool has_bank) const = 0;
    virtual std::uint64_t bank_size(const Cartridge& image) const = 0;  ///< 0: the ROM has no banks
    virtual std::string_view example() const = 0;
};

/// A byte order by name, and how to read it.
struct DumpOrder {
    std::string_view name;
    std::optional<RepresentationKind> reading;
};

struct Platform {
    std::string_view name, title;
    /// The image in this file, with at least `least_bits` of evidence, or nothing. Sets neither name nor certainty.
    std::optional<Cartridge> (*recognise)(ByteView file);
    std::span<const HeaderField> fields{};
    std::span<const PlatformMend> mends{};  ///< besides setting fields
    const MemoryMap* map = nullptr;
    std::span<const DumpOrder> orders{};  ///< the byte orders in which images go around
    bool interleaves = false;             ///< interleaved dumps go around
    /// The largest ROM that the console or the mapping can see, in bytes; nothing: not known.
    std::uint64_t (*largest)(const Cartridge& image) = nullptr;
    std::string_view fixed_size{};  ///< why the size cannot be mended; empty: it can
    bool copier_header = false;     ///< copiers left headers of 512 bytes
    /// Where the ROM's own header stands in it; nothing: it has none.
    ByteRange (*header)(const Cartridge& image) = nullptr;
};

/// Below this, what fits may fit by chance.
inline constexpr unsigned least_bits = 20, certain_bits = 40;

/// Adds up what speaks for a platform.
class Evidence {
public:
    explicit Evidence(Cartridge& image) : image_(image) {}
    /// `bits`: how improbable it is by chance, as a power of two.
    void add(bool fits, unsigned bits, std::string_view words) {
        if (!fits) return;
        image_.evidence_bits += bits;
        image_.evidence.emplace_back(words);
    }

private:
    Cartridge& image_;
};

/// The better reading of the file: as it is or, where its size leaves `header` bytes over, without them.
std::optional<Cartridge> with_or_without_header(ByteView file, std::uint64_t multiple, std::uint64_t header,
                                                std::optional<Cartridge> (*recognise_plain)(ByteView));

/// A check with both values in hex.
InternalCheck check_of(std::string_view name, std::uint64_t wanted, std::uint64_t found, int digits);
InternalCheck unknown_check(std::string_view name, std::string note);

/// Writes a field and notes what it was and is.
void set_field(Bytes& image, std::size_t at, ByteView value, std::string_view name, std::string before,
               std::string after, Mending& mending);
/// A number of 1 to 4 bytes, told in hex.
void set_hex(Bytes& image, std::size_t at, std::uint32_t value, int bytes, std::endian order, std::string_view name,
             Mending& mending);
/// Sets a field from its word or text. Throws Error(usage) for what it cannot hold.
void set_field(Bytes& image, const HeaderField& field, std::string_view value, Mending& mending);
/// A title, filled up to `length` with `fill`. Throws Error(usage) when it is too long, empty, or not printable ASCII
/// (`kana`: or half-width katakana, which become JIS X 0201).
void set_title(Bytes& image, std::size_t at, std::size_t length, char fill, bool kana, std::string_view value,
               Mending& mending);

/// All platforms.
std::span<const Platform* const> platforms() noexcept;
/// Throws Error(usage) for an image that recognise_cartridge did not make.
const Platform& platform_of(const Cartridge& image);

/// The file so read, in memory.
Bytes bytes_read(ByteView file, const std::optional<Representation>& reading);

}  // namespace hotstitch::cartridge
