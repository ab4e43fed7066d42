// SPDX-License-Identifier: MIT
// What the commands share: opening inputs, the checks file, and facts that several of them state.
#pragma once

#include <unistd.h>

#include <optional>

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/file_io.h"
#include "hotstitch/fit.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/summary.h"
#include "hotstitch/words.h"

namespace hotstitch::cli {

/// Opens a file, or standard input for "-".
InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress);

/// The path as shown: escaped, quoted nowhere.
std::string shown(const std::filesystem::path& path);

/// A path, where there is one.
void path_fact(Report& report, const char* key, const char* label, const std::optional<std::filesystem::path>& path);

void checks_fact(Report& report, const std::optional<FoundChecks>& found);

/// A file as JSON documents have it: {path, part, size, …}. `address`: "ARCHIVE:MEMBER" too.
Json file_json(const std::filesystem::path& address, const Digests& digests = {});

/// States a file as a fact: path, size and whichever checksums are given.
void file_fact(Report& report, const std::string& key, const std::filesystem::path& path, const Digests& digests,
               const std::string& more = {});

/// Warns of a name whose extension is that of another patch format.
void warn_of_extension(Report& report, const std::filesystem::path& patch, PatchFormat format);

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

/// A patch with the texts beside it in its archive, and its checks file.
void state_patch(const PatchInput& patch, Report& report);
/// Of commands that take several, as an array.
void state_patches(const std::vector<const PatchInput*>& patches, Report& report);

/// A source, and the archive that it was taken out of.
void state_source(const InputFile& source, const std::filesystem::path& archive, Report& report);
inline void state_source(const SourceFile& source, Report& report) {
    state_source(source.file, source.archive, report);
}

/// Says that source and patch were given in each other's place.
void warn_of_swap(Report& report);

/// Calls `make(sink)` with temporary storage that then goes to standard output where the output is "-", else `make()`.
template <class Make>
auto through_stream(const std::string& output, const Context& context, const Make& make) {
    if (output != "-") return make();
    ScratchFile scratch;
    auto made = make(scratch);
    scratch.copy_to(STDOUT_FILENO, context.progress);
    return made;
}

}  // namespace hotstitch::cli
