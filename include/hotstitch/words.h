// SPDX-License-Identifier: MIT
// Sentences for people from codes and values, in one place. Programs act on the codes, and may say them in words of
// their own.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

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
