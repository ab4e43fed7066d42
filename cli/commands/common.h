// SPDX-License-Identifier: MIT
// What the commands share: opening inputs, the checks file, and facts that several of them state.
#pragma once

#include <optional>

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/diagnose.h"
#include "hotstitch/file_io.h"
#include "hotstitch/fit.h"
#include "hotstitch/shared_bytes.h"
#include "hotstitch/summary.h"
#include "render/escape.h"

namespace hotstitch::cli {

/// Opens a file, or standard input for "-".
InputFile open_input(const std::string& name, const Context& context);

/// The path as shown: escaped, quoted nowhere.
std::string shown(const std::filesystem::path& path);
std::string shown_absolute(const std::filesystem::path& path);

/// "PATCH.checks.json" beside the patch.
std::filesystem::path checks_path(const std::filesystem::path& patch);

struct FoundChecks {
    std::filesystem::path path;
    Checks checks;
};
/// The checks file beside the patch, if there is one. Throws Error(damaged) when it is there and broken.
std::optional<FoundChecks> find_checks(const InputFile& patch);
void checks_fact(Report& report, const std::optional<FoundChecks>& found);

/// Joins --expect with the checks file. Throws Error(usage) when they contradict each other.
Checks joined_checks(const std::optional<FoundChecks>& found, const Digests& expect);

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

}  // namespace hotstitch::cli
