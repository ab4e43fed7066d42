// SPDX-License-Identifier: MIT
// Texts: from outside made fit to be shown, to be copied into a shell, to be a name; quantities as people read them.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

// Text from outside.

/// Text from a file or a file name, fit to be shown: control and direction characters and bytes that are no
/// UTF-8 become escapes as C writes them, so that nothing can move the cursor or hide what it is.
HOTSTITCH_EXPORT std::string escaped(std::string_view text);

/// As a word of a command that a person may copy into a shell: quoted where it has to be.
HOTSTITCH_EXPORT std::string shell_word(std::string_view text);

/// The name of a file as such a word; a leading dash is no option.
HOTSTITCH_EXPORT std::string shell_file(std::string_view name);

/// A JSON document whose texts hold no character that a terminal obeys: those are written by their numbers, which reads
/// back as the same.
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
/// Why a path below a folder is none that may be taken as it is: it leads out of its folder, or no system takes it
/// everywhere. Empty: it may.
HOTSTITCH_EXPORT std::string why_unsafe(std::string_view name);
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

}  // namespace hotstitch
