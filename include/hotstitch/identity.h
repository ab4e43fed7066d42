// SPDX-License-Identifier: MIT
// What a file is, by its content: one answer for all who ask, in one form for all kinds of file.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/kind.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// A kind of file, as the table of kinds has it.
struct FileKind {
    KindId id{};
    std::string_view title{};  ///< for people, with its article: "a zip archive"; lives as long as the program
};

enum class CheckState {
    right,
    wrong,
    unknown,  ///< cannot be checked; the note says why
};

/// "right", "wrong", "unknown": stable, for programs.
HOTSTITCH_EXPORT std::string_view code_of(CheckState state) noexcept;

/// A check that the file carries of itself.
struct InternalCheck {
    std::string_view name;  ///< "checksum", "header check", "logo", …
    CheckState state = CheckState::unknown;
    std::string wanted, found;  ///< hex, as the platform writes it; `found` is what stands in the file
    std::string note{};         ///< more, or why it cannot be checked
    bool mendable = true;       ///< false: what it covers cannot be computed anew, only copied from a genuine file
    std::string_view covers{};  ///< for people: "the whole ROM", "25 bytes of the header"
};

/// Something else that the file says of itself.
struct IdentityFact {
    std::string_view key;    ///< stable, for programs: "maker", "ram", "boot_code", …
    std::string_view label;  ///< for people
    std::string text;        ///< for people
};

enum class Certainty {
    likely,   ///< what stands there fits, and might by chance
    certain,  ///< a checksum is right, a magic number stands there, or too much fits for chance
};

/// A stretch of an executable: where it stands in the file and in memory.
struct MemorySegment {
    std::string name;                       ///< ".text", "segment 2"
    std::uint64_t offset = 0, size = 0;     ///< in the file, in bytes
    std::uint64_t address = 0, memory = 0;  ///< in memory; what is more there than in the file, is filled with 00
    bool loaded = false;                    ///< has a place in memory
    bool readable = false, writable = false, executable = false;
    std::optional<double> entropy;  ///< bits a byte of its first 4 MiB: 8 looks packed; nothing: not known
};

/// What a file is. Texts are UTF-8; what the kind or the file says nothing of is empty. Only what recognisers of a
/// platform find is set below `platform`; for other kinds, `kind` says all.
struct Identity {
    FileKind kind;
    std::string_view
        platform;  ///< stable, for programs: "snes", "nes", "game-boy", "pe", "elf", …; empty: none is known
    std::string_view platform_title;  ///< for people: "SNES"
    std::string title, region, serial, mapping;
    std::optional<unsigned> revision;

    std::uint64_t size = 0;                      ///< of the content proper, without a front header, in bytes
    std::optional<std::uint64_t> declared_size;  ///< what the header says it is
    std::optional<std::uint64_t> used_size;      ///< how much of it the header says holds data
    unsigned layout = 0;                         ///< which of the platform's layouts, by its own count
    std::uint64_t internal_header = 0;           ///< where its own header begins, counted without the front header

    std::uint64_t front_header = 0;  ///< bytes before the content proper; 0: none
    /// The front header belongs to the format of the file and says how to read it; otherwise a copier has left it.
    bool header_describes = false;
    /// How to read the file as the platform does: without a copier's header, in the platform's byte order.
    std::optional<Representation> reading;
    std::string order;  ///< byte order or interleaving, for people, where the platform knows several

    std::vector<MemorySegment> segments;  ///< of an executable
    std::optional<std::uint64_t> entry;   ///< of an executable: the address where it begins to run
    bool looks_packed = false;            ///< an executable that unpacks or decrypts itself, by the evidence in facts

    std::vector<InternalCheck> checks;
    std::vector<IdentityFact> facts;
    std::vector<std::string> warnings;  ///< where the file contradicts itself, for people

    Certainty certainty = Certainty::likely;
    unsigned evidence_bits = 0;               ///< how improbable the same would be by chance, as a power of two
    std::vector<std::string> evidence;        ///< what speaks for it, for people: "the checksum is right", …
    std::vector<std::string_view> also_like;  ///< platforms that would fit as well, by title

    bool is(KindId wanted) const noexcept { return kind.id == wanted; }
};

/// Looks at the first 512 bytes at most. Never fails: what it does not know is "data". Cartridges often have nothing
/// there to know them by; identify() looks at all.
HOTSTITCH_EXPORT FileKind recognise_file(ByteView head) noexcept;

/// Each kind bids for the file, and who bids most takes it: what a structure or a cartridge's own checks make certain,
/// then what the first bytes name, then what it may be; else it is data. One pass over the file at most, and none over
/// what is larger than any cartridge. Throws Error(io).
HOTSTITCH_EXPORT Identity identify(const ByteSource& file);
HOTSTITCH_EXPORT Identity identify(ByteView file);

/// "KELP HARBOUR, Europe, revision 1", as far as the file says so; without a title, that of the platform or the kind.
HOTSTITCH_EXPORT std::string edition_of(const Identity& identity);

/// What a fact says; empty: the file says nothing of it.
HOTSTITCH_EXPORT std::string_view fact_of(const Identity& identity, std::string_view key) noexcept;

/// Whether the checks that can be mended are the same in two states of one file, values and all: what changed, they do
/// not see.
HOTSTITCH_EXPORT bool checks_are_same(const Identity& before, const Identity& after);

/// Where all internal checks that can be made and mended are right, and there is one.
HOTSTITCH_EXPORT bool all_checks_right(const Identity& identity) noexcept;

/// Whether a game of this kind is commonly kept under this extension (".sfc", in any case), of a cartridge or a disc:
/// the default place of an output hangs on it, and nothing else.
HOTSTITCH_EXPORT bool is_game_extension(std::string_view extension) noexcept;

/// Whether dumps in another order, or behind a copier's header, are kept under this extension on some platform.
HOTSTITCH_EXPORT bool is_dump_extension(std::string_view extension) noexcept;

/// The extension that goes with a file of this platform once it is read as the platform does (Identity::reading):
/// ".sfc" for a ".smc" behind a copier's header. Empty: the one it has does. `extension` in any case.
HOTSTITCH_EXPORT std::string_view extension_when_read(const Identity& identity, std::string_view extension) noexcept;

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// "a SNES ROM: KELP HARBOUR, Europe, revision 1"
HOTSTITCH_EXPORT std::string words_for(const Identity& identity);
/// "0x401000 to 0x4023ff, rx, 5,120 bytes at 0x400, 6.05 bits a byte", without the name.
HOTSTITCH_EXPORT std::string words_for(const MemorySegment& segment);
/// "wrong: 0x1234 stands there, 0x1235 is right"
HOTSTITCH_EXPORT std::string words_for(const InternalCheck& check);

}  // namespace hotstitch
