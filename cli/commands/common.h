// SPDX-License-Identifier: MIT
// What the commands share: opening inputs, the checks file, and facts that several of them state.
#pragma once

#include <optional>

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/file_io.h"
#include "hotstitch/fit.h"
#include "hotstitch/summary.h"
#include "hotstitch/words.h"

namespace hotstitch::cli {

/// Opens a file, or standard input for "-".
InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress);

/// The path as shown: escaped, quoted nowhere.
std::string shown(const std::filesystem::path& path);

void checks_fact(Report& report, const std::optional<FoundChecks>& found);

/// Never, or with a backup, or without. In place, replacing is what was asked for.
Replace replace_mode(const OutputArguments& output, bool in_place = false);

/// States a file as a fact: path, size and whichever checksums are given.
void file_fact(Report& report, const std::string& key, const std::filesystem::path& path, const Digests& digests,
               const std::string& more = {});

/// "41 records" and the like, after the format's name.
std::string patch_text(const PatchFacts& facts);

/// States how many of the patch's literal bytes stand in the source.
void shared_fact(Report& report, const SharedBytes& shared);

/// Warns of records that begin far past the source's end.
void warn_past_end(Report& report, const Fit& fit);

/// States why a file does not fit.
void reason_facts(Report& report, const Diagnosis& diagnosis);

/// One fact for each value that is not as it should be.
void mismatch_facts(Report& report, const std::vector<DigestMismatch>& mismatches);

/// Backup, reverse patch and receipt as facts, and a warning when there is no way back.
void state_way_back(const Delivered& delivered, Report& report);

/// The verdict where the output stood there already.
void conclude_made_already(const std::filesystem::path& output, Report& report);

/// Size and CRC-32 of an output as a fact.
void output_fact(Report& report, const Digests& made, const std::filesystem::path& path);

/// Texts found beside a patch in its archive.
void readme_facts(Report& report, const PatchFile& patch);

/// The source that a patch wants, out of its archive where it is in one, which is then said.
InputFile stated_source(InputFile file, const PatchReader& patch, const Checks& checks, const Context& context,
                        Report& report);

}  // namespace hotstitch::cli
