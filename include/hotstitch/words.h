// SPDX-License-Identifier: MIT
// Sentences for people from codes and values, in one place. Programs act on the codes, and may say them in words of
// their own.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

enum class InternalChecks;
struct ApplyStage;
struct Diagnosis;
struct FrontHeader;
struct RepresentationOpinion;
struct Identity;
struct MemorySegment;
struct InternalCheck;
struct ListedPart;
struct MendedField;
struct MendOffer;
struct MendStep;
struct PatchDemands;
struct PatchFacts;
struct Reason;
struct SharedBytes;
struct Step;
struct UndoResult;
struct Window;

// Text from outside.

/// Text from a file or a file name, fit to be shown: control and direction characters and bytes that are no
/// UTF-8 become \n, \x1b, \u202e … so that nothing can move the cursor or hide what it is.
HOTSTITCH_EXPORT std::string escaped(std::string_view text);

/// As a word of a command that a person may copy into a shell: quoted where it has to be.
HOTSTITCH_EXPORT std::string shell_word(std::string_view text);

/// The name of a file as such a word; a leading dash is no option.
HOTSTITCH_EXPORT std::string shell_file(std::string_view name);

/// A JSON document whose texts hold no character that a terminal obeys: those are written as \uXXXX, which reads back
/// as the same.
HOTSTITCH_EXPORT std::string json_for_terminals(std::string_view document);

/// Any bytes, a file's name for example, as valid UTF-8 for JSON: UTF-8 stays as it is, and bytes that are none become
/// U+F780 (for 80) to U+F7FF (for FF), of the private use area.
HOTSTITCH_EXPORT std::string as_utf8(std::string_view text);
/// The bytes that as_utf8() was given.
HOTSTITCH_EXPORT std::string from_utf8(std::string_view text);
/// A pattern with each word in braces replaced by what `value` says of it. The word of a brace
/// that does not end has one behind it, which no word has. Throws what `value` throws for a word that it does not know.
HOTSTITCH_EXPORT std::string filled_in(std::string_view pattern,
                                       const std::function<std::string(const std::string& word)>& value);
/// A name that every system takes: no separators, no reserved characters or device names.
HOTSTITCH_EXPORT std::string safe_name(std::string name);
/// Whether a name of a file or folder is one that this program gives to its own records beside others: a receipt, a way
/// back, a journal, a shelf, a dated backup, a temporary file. Nothing that comes from strangers gets such a name.
HOTSTITCH_EXPORT bool is_own_name(std::string_view name);
/// The same of any part of a path with '/'.
HOTSTITCH_EXPORT bool has_own_name(std::string_view path);

/// The word of the list that was likely meant: the nearest, where at most a third of what was typed has to be changed;
/// empty: none is near. Case does not count.
HOTSTITCH_EXPORT std::string nearest_word(std::string_view typed, const std::vector<std::string>& known);
/// How many letters have to be typed, left out, replaced or exchanged with the next to get from one to the other.
HOTSTITCH_EXPORT std::size_t edit_distance(std::string_view a, std::string_view b);

// Quantities.

HOTSTITCH_EXPORT std::string grouped(std::uint64_t number);      ///< 1,048,576
HOTSTITCH_EXPORT std::string size_text(std::uint64_t bytes);     ///< 1,048,576 bytes (1.00 MiB)
HOTSTITCH_EXPORT std::string short_size(double bytes);           ///< 1.00 MiB
HOTSTITCH_EXPORT std::string offset_text(std::uint64_t offset);  ///< 0x0004a2
/// "2.1 %", "0.014 %", "152 %"; of nothing, "0 %".
HOTSTITCH_EXPORT std::string share_text(std::uint64_t part, std::uint64_t whole);
/// "a9 0d 8d …": at most so many bytes; of none, "nothing".
HOTSTITCH_EXPORT std::string bytes_text(ByteView bytes, std::size_t most = 16);
/// "1 record", "2 records"
HOTSTITCH_EXPORT std::string counted(std::uint64_t number, std::string_view singular, std::string_view plural);

/// A size as typed: "1048576", "64M", "1.5GiB" (units of 1024). Throws Error(usage).
HOTSTITCH_EXPORT std::uint64_t parse_size(std::string_view text);

// Files. What stands in them comes along as it is: `escaped` makes it fit for a terminal.

/// "a SNES ROM: KELP HARBOUR, Europe, revision 1"
HOTSTITCH_EXPORT std::string words_for(const Identity& identity);
/// "0x401000 to 0x4023ff, rx, 5,120 bytes at 0x400, 6.05 bits a byte", without the name.
HOTSTITCH_EXPORT std::string words_for(const MemorySegment& segment);
/// What speaks for a front header, or against it.
HOTSTITCH_EXPORT std::vector<std::string> words_for(const FrontHeader& header);
/// "wrong: 0x1234 stands there, 0x1235 is right"
HOTSTITCH_EXPORT std::string words_for(const InternalCheck& check);
/// "from Japan (J) to Europe (P)", "is Europe (P) already"; and with the field's name before it.
HOTSTITCH_EXPORT std::string words_for_change(const MendedField& field);
HOTSTITCH_EXPORT std::string words_for(const MendedField& field);
/// Which bytes a mend changes: "12 bytes in 2 places, from 0x007fdc on".
HOTSTITCH_EXPORT std::string words_for(const MendStep& step);
/// What a mend would do, or takes, or why it cannot be done.
HOTSTITCH_EXPORT std::string words_for(const MendOffer& offer);
/// What a part is, or how it compares with the other file's.
HOTSTITCH_EXPORT std::string words_for(const ListedPart& part);
/// "BPS, 41 records"
HOTSTITCH_EXPORT std::string words_for(const PatchFacts& patch);
/// "3: 4,096 bytes at 0x000000, from source 0x000000 to 0x001000, 120 bytes in the patch, adler32 …"
HOTSTITCH_EXPORT std::string words_for(const Window& window);
/// How much of what a patch publishes is not its maker's own.
HOTSTITCH_EXPORT std::string words_for(const SharedBytes& shared);

// Codes.

/// What no check could tell of a stage; empty: nothing is open. `first`: of several.
HOTSTITCH_EXPORT std::string words_for_unchecked(const ApplyStage& stage, bool first);
/// What a step does: "put files/title.bin into game:DATA/TITLE.BIN".
HOTSTITCH_EXPORT std::string words_for(const Step& step);
/// What undoing came to.
HOTSTITCH_EXPORT std::string words_for(const UndoResult& result);
/// That a file which was changed in place has other names: "the file has 1 other name …".
HOTSTITCH_EXPORT std::string words_for_other_names(std::uint64_t names);
/// What some old appliers of the format fail on: "grows the file, writes past 16 MiB".
HOTSTITCH_EXPORT std::string words_for(const PatchDemands& demands);
/// How applying went, as far as checks could tell: "source and result are right". REQUIRES a stage.
HOTSTITCH_EXPORT std::string words_for(const std::vector<ApplyStage>& stages, InternalChecks checks);
/// Where the checks of a stage come from: "its checks file".
HOTSTITCH_EXPORT std::string words_for_checks_of(const ApplyStage& stage);

/// What became of a ROM's own checks: "right, before and after the patch"; `cover`: what they cover. REQUIRES that it
/// was asked and could be done.
HOTSTITCH_EXPORT std::string words_for(InternalChecks checks, std::string_view cover = {});

/// Why a patch does not fit, as a sentence without its full stop, and what to do. Names of files stand in it as they
/// are: `escaped` makes it fit for a terminal.
HOTSTITCH_EXPORT std::string words_for(const Reason& reason);
/// What speaks for another representation of the source.
HOTSTITCH_EXPORT std::string words_for(const RepresentationOpinion& opinion);
HOTSTITCH_EXPORT std::string words_for_next(const Diagnosis& diagnosis);

}  // namespace hotstitch
