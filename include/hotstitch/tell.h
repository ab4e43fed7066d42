// SPDX-License-Identifier: MIT
// What jobs and files come to, told: each function adds facts to a report. A front end prints reports; it need not know
// what is worth saying of a file, nor how the JSON documents name it (docs/json.md).
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/chart.h"
#include "hotstitch/checks.h"
#include "hotstitch/delivery.h"
#include "hotstitch/digest.h"
#include "hotstitch/fit.h"
#include "hotstitch/heap.h"
#include "hotstitch/identity.h"
#include "hotstitch/inputs.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/patch.h"
#include "hotstitch/report.h"
#include "hotstitch/source.h"
#include "hotstitch/summary.h"

namespace hotstitch::tell {

struct DescribeRequest {
    std::vector<std::string> files;  ///< addresses
    std::string source{};            ///< of a patch: what it is for; empty: not given
    std::string known{};             ///< a list of known files; empty: none
    std::vector<std::string> at{};   ///< places in cartridge ROMs and executables, as place_at() reads them
    bool free = false;               ///< list free space
    /// How an error is told; empty: as the report does by itself.
    std::function<void(Report&, const Error&)> conclude{};
};

/// What each file is, holds, needs and makes, a part of the report a file. Errors of one file stand in its part. Throws
/// Error(cancelled), and what reading the list of known files throws.
HOTSTITCH_EXPORT void describe(const DescribeRequest& request, Report& report, const WorkOptions& options = {});

// Files, patches and sources, as the other jobs tell them.

/// The path as shown: escaped, quoted nowhere.
HOTSTITCH_EXPORT std::string shown(const std::filesystem::path& path);
/// A path as a fact, where there is one.
HOTSTITCH_EXPORT void path_fact(Report& report, const char* key, const char* label,
                                const std::optional<std::filesystem::path>& path);
/// The checks file that lies beside a patch, where one does.
HOTSTITCH_EXPORT void checks_fact(Report& report, const std::optional<FoundChecks>& found);
/// A file as a fact: path, size and whichever checksums are given; `more` stands before the size.
HOTSTITCH_EXPORT void file_fact(Report& report, const std::string& key, const std::filesystem::path& path,
                                const Digests& digests, const std::string& more = {});
/// Size and CRC-32 of an output, which becomes the report's.
HOTSTITCH_EXPORT void output_fact(Report& report, const Digests& made, const std::filesystem::path& path);
/// A patch with the texts beside it in its archive, and its checks file; of several, as an array.
HOTSTITCH_EXPORT void state_patch(const PatchInput& patch, Report& report);
HOTSTITCH_EXPORT void state_patches(const std::vector<const PatchInput*>& patches, Report& report);
/// A source, and the archive that it was taken out of.
HOTSTITCH_EXPORT void state_source(const InputFile& source, const std::filesystem::path& archive, Report& report);
inline void state_source(const SourceFile& source, Report& report) {
    state_source(source.file, source.archive, report);
}
/// Backup, reverse patch and receipt, and a warning when there is no way back.
HOTSTITCH_EXPORT void state_way_back(const Delivered& delivered, Report& report);
/// The verdict where the output stood there already.
HOTSTITCH_EXPORT void conclude_made_already(const std::filesystem::path& output, Report& report);
/// Warns of a name whose extension is that of another patch format.
HOTSTITCH_EXPORT void warn_of_extension(Report& report, const std::filesystem::path& patch, PatchFormat format);
/// Warns of records that begin far past the source's end.
/// How the source was taken, where that is not as it is, or may be wrong. `follows`: what that means for the result.
HOTSTITCH_EXPORT void warn_of_reading(Report& report, const SourceReading& reading, std::string_view follows = {});
HOTSTITCH_EXPORT void warn_past_end(Report& report, const Fit& fit);
/// Says that source and patch were given in each other's place.
HOTSTITCH_EXPORT void warn_of_swap(Report& report);
/// How many of the patch's literal bytes stand in the source.
HOTSTITCH_EXPORT void shared_fact(Report& report, const SharedBytes& shared);
/// Why a file does not fit, and each value that is not as it should be.
HOTSTITCH_EXPORT void reason_facts(Report& report, const Diagnosis& diagnosis);
HOTSTITCH_EXPORT void mismatch_facts(Report& report, const std::vector<DigestMismatch>& mismatches);

// Where changes lie.

/// A region as the documents have it; `names`: of what is changed in it.
HOTSTITCH_EXPORT JsonValue region_json(const ChartRegion& region, const std::vector<std::string>& names);
/// How many of the changed bytes are executable, text, pictures, free space, where that is known.
HOTSTITCH_EXPORT void contents_fact(Report& report, const Chart& chart);

// Kits.

/// Name, version, author, readme and where it lies.
HOTSTITCH_EXPORT void kit_fact(Report& report, const std::vector<const KitInput*>& kits);
/// What it needs, does, and makes, for people before they trust it.
HOTSTITCH_EXPORT void describe_kit(Report& report, const KitInput& kit);
/// Which bases were found, as which edition, and which are missing.
HOTSTITCH_EXPORT void bases_fact(Report& report, const std::vector<std::vector<KitBaseFound>>& bases);
/// Steps, outputs and the room that they need.
HOTSTITCH_EXPORT void plan_facts(Report& report, const KitPlan& plan);
/// What stands in its place by now, with the way back.
HOTSTITCH_EXPORT void made_facts(Report& report, const KitResult& result);

// Heaps.

/// What each file is there for, what is planned, what is open, what is left over and why, and what the maker says.
HOTSTITCH_EXPORT void heap_facts(Report& report, const Heap& heap);

// What files are.

/// What it is: region and revision first, because many mods are made for exactly one.
HOTSTITCH_EXPORT void identity_facts(Report& report, const Identity& identity);
/// What else a cartridge image says, its checks, and how sure all that is.
HOTSTITCH_EXPORT void image_facts(Report& report, const Identity& image);
/// Facts, entry, segments, checks and warnings of an executable.
HOTSTITCH_EXPORT void disc_facts(Report& report, const Identity& identity);
HOTSTITCH_EXPORT void executable_facts(Report& report, const Identity& identity);
/// The places named, both ways, with the bytes there. False where one is none; the others are told all the same.
HOTSTITCH_EXPORT bool place_facts(Report& report, const Identity& identity, const ByteSource& file,
                                  const std::vector<std::string>& places);
/// Free space of a cartridge image, by bank.
HOTSTITCH_EXPORT void free_facts(Report& report, const Identity& image, const ByteSource& file);

// Lists of known files.

/// The list in this file; nothing for an empty name. Throws Error(damaged), Error(io).
HOTSTITCH_EXPORT std::optional<KnownFiles> read_known(const std::string& name, const WorkOptions& options = {});
/// By which name the list knows this file, as it is or as the console reads it, or that it does not.
HOTSTITCH_EXPORT void known_fact(Report& report, const std::optional<KnownFiles>& known, const ByteSource& file,
                                 const std::optional<Digests>& as_read, const WorkOptions& options = {});
HOTSTITCH_EXPORT void known_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& digests);
/// Which file of the list has these digests: the one that a patch needs.
HOTSTITCH_EXPORT void needed_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& wanted);

// Values as the documents have them.

/// {path, part, size, …}. `address`: "ARCHIVE:MEMBER" too.
HOTSTITCH_EXPORT JsonValue file_json(const std::filesystem::path& address, const Digests& digests = {});
HOTSTITCH_EXPORT JsonValue json_of(const Digests& digests);
HOTSTITCH_EXPORT JsonValue json_of(const ByteRange& range);
HOTSTITCH_EXPORT JsonValue json_of(const std::vector<ByteRange>& ranges);
HOTSTITCH_EXPORT JsonValue reading_json(const Representation& reading);

}  // namespace hotstitch::tell
