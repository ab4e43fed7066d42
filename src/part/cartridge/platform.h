// SPDX-License-Identifier: MIT
// What a platform brings: how to know its cartridges, what can be mended in them, where a byte of them stands in the
// console's memory. A new platform is one file that defines one of these, and one row in platforms.cc.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "hotstitch/cartridge.h"
#include "hotstitch/part.h"
#include "hotstitch/place.h"
#include "part/header_field.h"
#include "part/mends.h"

namespace hotstitch::cartridge {

/// Where a byte of a ROM stands in the console's memory, and back.
struct MemoryMap {
    std::string_view example;                               ///< an address as the console writes it
    std::uint64_t (*bank_size)(const Identity&) = nullptr;  ///< null: the ROM has no banks
    std::optional<std::string> (*address)(ByteView rom, std::uint64_t offset) = nullptr;
    /// Without a bank, `bank` is 0.
    std::optional<std::uint64_t> (*offset)(ByteView rom, unsigned bank, std::uint64_t address, bool has_bank) = nullptr;
};

/// A byte order by name, and how to read it.
struct DumpOrder {
    std::string_view name;
    std::optional<RepresentationKind> reading;
};

/// A file of a cartridge that has a file system.
struct RomFile {
    std::string name;  ///< "arm9", "overlay9/0003", "data/units.bin"
    std::uint64_t offset = 0, size = 0;
};

struct Platform {
    std::string_view name, title;
    std::string_view extensions;         ///< under which its files are kept, the usual one first: ".gb .gbc"
    std::string_view dump_extensions{};  ///< of copies behind a copier's header, or in another byte order: ".smc .fig"
    /// The cartridge in this file, with at least `least_bits` of evidence, or nothing. Sets neither name nor certainty.
    std::optional<Identity> (*recognise)(ByteView file);
    std::span<const HeaderField> fields{};
    std::span<const MendRow> mends{};  ///< besides setting fields
    const MemoryMap* map = nullptr;
    std::span<const DumpOrder> orders{};  ///< the byte orders in which dumps go around
    bool interleaves = false;             ///< interleaved dumps go around
    /// The largest ROM that the console or the mapping can see, in bytes; nothing: not known.
    std::uint64_t (*largest)(const Identity&) = nullptr;
    std::string_view fixed_size{};  ///< why the size cannot be mended; empty: it can
    bool copier_header = false;     ///< copiers left headers of 512 bytes
    ByteRange header{};             ///< the ROM's own header, from Identity::internal_header on; empty: it has none
    /// Its files, where it has a file system, and what is wrong in its tables.
    std::vector<RomFile> (*files)(ByteView rom, std::vector<std::string>& warnings) = nullptr;
    PutResult (*put_file)(ByteView rom, const RomFile& file, const SharedSource& content,
                          const PutOptions& options) = nullptr;
};

extern const Platform snes, nes, nes_disk, game_boy, game_boy_advance, nintendo_ds, nintendo_64, mega_drive,
    master_system, pc_engine, lynx, atari_7800, wonderswan;

/// All platforms.
std::span<const Platform* const> platforms() noexcept;
/// Throws Error(usage) for an identity that recognise_cartridge did not make.
const Platform& platform_of(const Identity& identity);

// place.h, for cartridges.
bool has_map(const Identity& image);
Place place_at(const Identity& image, ByteView file, std::string_view text);
std::string address_in(const Identity& image, ByteView file, std::uint64_t rom_offset);

/// Below this, what fits may fit by chance.
inline constexpr unsigned least_bits = 20, certain_bits = 40;

/// Adds up what speaks for a platform.
class Evidence {
public:
    explicit Evidence(Identity& identity) : identity_(identity) {}
    /// `bits`: how improbable it is by chance, as a power of two.
    void add(bool fits, unsigned bits, std::string_view words);

private:
    Identity& identity_;
};

/// The better reading of the file: as it is or, where its size leaves 512 bytes over, without them. `multiple`: of
/// which ROMs of the platform are, in bytes.
std::optional<Identity> with_or_without_header(ByteView file, std::optional<Identity> (*recognise_plain)(ByteView),
                                               std::uint64_t multiple = 1024);

/// What begins with a front header that says how to read the rest. `size` is then the ROM's.
Identity behind_front_header(ByteView file, std::uint64_t front_header, unsigned bits = 32);

/// A check with both values in hex, and what it covers, for people.
InternalCheck check_of(std::string_view name, std::uint64_t wanted, std::uint64_t found, int digits,
                       std::string_view covers = {});
InternalCheck unknown_check(std::string_view name, std::string note);
/// Of a picture that the console compares; only its checksum is known here.
InternalCheck logo_check(std::string_view kind, std::uint64_t genuine, std::uint64_t found, int digits);

}  // namespace hotstitch::cartridge
