// SPDX-License-Identifier: MIT
// What a job is given: files by their addresses, patches and games that arrive in archives, and what lies beside a
// patch.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/address.h"
#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/file_io.h"
#include "hotstitch/fit.h"
#include "hotstitch/limits.h"
#include "hotstitch/part.h"
#include "hotstitch/patch.h"

namespace hotstitch {

/// What every job takes besides its own options.
struct WorkOptions {
    Limits limits{};
    Progress progress{};
    /// Opens a name that is no address of a part, within the limits given; empty: the file of that name. A program with
    /// names of its own, such as "-" for its standard input, gives them a meaning here.
    std::function<InputFile(const std::string& name, const Limits& limits)> open{};
    /// Further files that the caller has read for the job, such as maps and keys: no output is written over them.
    std::vector<std::filesystem::path> read{};
};

/// What somebody has typed, held against the disk: an existing file of the whole name wins; else the file's name ends
/// at the first colon behind a file, drive or folder.
HOTSTITCH_EXPORT Address address_of(const std::string& text);

/// Opens "FILE" or a part of it, "FILE:PART:PART". `inside` becomes the limits with which to open what is in it. Throws
/// what InputFile and extract_part throw.
HOTSTITCH_EXPORT InputFile open_file(const std::string& address, const WorkOptions& options = {},
                                     Limits* inside = nullptr);
HOTSTITCH_EXPORT InputFile open_file(const Address& address, const WorkOptions& options = {}, Limits* inside = nullptr);

/// A part of an open file by its name ("content" or "" of what a gz or xz holds), in an unnamed temporary file. Throws
/// Error(usage) when the file has no parts or none of this name, and what extracting throws (part.h).
HOTSTITCH_EXPORT InputFile open_part(const InputFile& file, std::string_view name, const WorkOptions& options = {});

HOTSTITCH_EXPORT bool is_archive(const InputFile& file);

struct PatchFile {
    InputFile file;
    std::vector<std::string> readmes;  ///< texts beside it in the archive it came from, by their names there
    std::filesystem::path archive;     ///< empty: none
    std::size_t chosen_of = 0;  ///< the only one that fits, of so many in the archive or folder; 0: there was one
    std::string chosen_by{};    ///< what speaks for it, for people: "crc32 of the source"
};
/// A patch: when it is an archive or a folder, the one patch in it, two archives deep at most. Throws Error(usage) when
/// there are several and not exactly one of them fits `source`, Error(not_this_format) when there is none,
/// Error(unsupported) when they are encrypted.
HOTSTITCH_EXPORT PatchFile open_patch_file(const std::string& address, const WorkOptions& options = {},
                                           const InputFile* source = nullptr);

/// The one file in the archive, without the texts and pictures beside it; nothing when it is no archive or holds
/// several.
HOTSTITCH_EXPORT std::optional<InputFile> only_member(const InputFile& file, const WorkOptions& options = {});

/// The game file in the archive: the only one there or, of several, the first that the patch fits. Nothing when the
/// file is no archive or none of several fits. One pass over the archive.
HOTSTITCH_EXPORT std::optional<InputFile> source_inside(const InputFile& file, const PatchReader& patch,
                                                        const Checks& checks, const WorkOptions& options = {});

/// Whether a source and a patch were given in each other's place, by their content: a patch where the source should be,
/// and none where the patch should be.
HOTSTITCH_EXPORT bool are_swapped(const InputFile& source, const InputFile& patch);
/// The same of two addresses, where one or both are archives: one with patches where the source should be, and none in
/// the place of the patch. False where neither is an archive. Throws what opening throws.
HOTSTITCH_EXPORT bool archives_are_swapped(const std::string& source, const std::string& patch,
                                           const WorkOptions& options = {});

/// What of the way to a part is not closed again, but left as if what was in it lay beside it.
enum class Left {
    archives,    ///< of several files: these are only read
    compressed,  ///< those, and files that are compressed as a whole: what is in them is the file
    packed,      ///< those, and what a codec has packed
};
/// What changes where an address is named: a file, and the names that lead to the part in it; none: all of it. Of
/// "a.zip:disc.iso:PART" that is disc.iso.
struct ChangedFile {
    InputFile file;
    std::vector<std::string> inside{};
};
HOTSTITCH_EXPORT ChangedFile open_to_change(const std::string& address, const WorkOptions& options = {},
                                            Left left = Left::compressed);

struct SourceFile {
    InputFile file;
    std::filesystem::path archive;  ///< that it was taken out of; empty: none
};
/// The file itself or, when it is an archive that the patch does not fit, the game file inside. Throws Error(usage)
/// when there are several and none fits.
HOTSTITCH_EXPORT SourceFile source_for(InputFile file, const PatchReader& patch, const Checks& checks,
                                       const WorkOptions& options = {});

/// How `apply` takes a file for a patch.
struct HOTSTITCH_EXPORT SourceReading {
    std::optional<Representation> reading{};  ///< in which it is the source; nothing: as it is
    /// Why, where no check of the patch says so. One that is not sure is a doubt, and the file is taken as it is.
    std::optional<RepresentationOpinion> opinion{};
    std::optional<Diagnosis> diagnosis{};  ///< why the patch fits in no reading that loses nothing
    bool by_plausibility = false;          ///< no check says so, only what the file is

    bool fits() const noexcept { return !diagnosis; }
    /// The file so read; `file` has to outlive it.
    SharedSource of(const ByteSource& file) const;
};
/// By the checks of the patch or, where it has none, by what it would make (opinion_on_representation). Throws what
/// fit() and diagnose() throw.
HOTSTITCH_EXPORT SourceReading reading_for(const PatchReader& patch, const InputFile& file, const Checks& checks,
                                           const WorkOptions& options = {});

/// "PATCH.checks.json" beside the patch.
HOTSTITCH_EXPORT std::filesystem::path checks_path(const std::filesystem::path& patch);

struct FoundChecks {
    std::filesystem::path path;
    Checks checks;
};
/// The expected checksums beside the patch, if there are any. Throws Error(damaged) when the file is there and broken.
HOTSTITCH_EXPORT std::optional<FoundChecks> find_checks(const InputFile& patch);

/// A patch, opened, with what belongs to it.
struct PatchInput : PatchFile {
    std::unique_ptr<PatchReader> reader;
    std::optional<FoundChecks> found;
    Limits limits{};  ///< with which it was opened: an edit list, with the maps beside it
};
/// As open_patch_file, open_patch and find_checks, one after the other; throws what they throw.
HOTSTITCH_EXPORT PatchInput open_patch_input(const std::string& address, const WorkOptions& options = {},
                                             const InputFile* source = nullptr);

/// A file in a folder that a patch fits, by checksums or by what it makes of it.
struct FoundGame {
    std::string address;
    std::string is;             ///< for people: "a SNES ROM: KELP HARBOUR, Europe"
    bool by_checksums = false;  ///< else by the ROM's own checks
};
enum class Look { here, below };
/// All of them in a folder, or below it too, out of archives as well. Names and sizes are looked at first, contents
/// only of what may be meant, for two seconds at most. `cut_short`: there was more. Throws Error(cancelled).
HOTSTITCH_EXPORT std::vector<FoundGame> games_in(const std::filesystem::path& folder, const PatchInput& patch,
                                                 const WorkOptions& options = {}, Look where = Look::below,
                                                 bool* cut_short = nullptr);

/// Those of the checks file together with what the caller expects of the source. Throws Error(usage) when they
/// contradict each other.
HOTSTITCH_EXPORT Checks joined_checks(const std::optional<FoundChecks>& found, const Digests& expected_source);

/// Patches at hand that a diagnosis may try: others of the same call, and those beside the patch.
class HOTSTITCH_EXPORT OtherPatches {
public:
    /// Adds the patches in the folder of `patch`, without itself. Files that are none are passed over.
    void add_beside(const InputFile& patch, const WorkOptions& options = {});
    /// Both have to outlive this object.
    void add(const InputFile& file, const PatchReader& reader);
    const std::vector<OtherPatch>& list() const noexcept { return list_; }

private:
    struct Opened {
        InputFile file;
        std::unique_ptr<PatchReader> reader;
    };
    std::vector<Opened> opened_;
    std::vector<OtherPatch> list_;
};

/// "FOLDER/", "FOLDER" and "." with the folder's own name at the end; absolute, links not followed.
HOTSTITCH_EXPORT std::filesystem::path with_own_name(const std::filesystem::path& folder);

/// Regular files in a folder, sorted by path; what cannot be looked at is passed over.
HOTSTITCH_EXPORT std::vector<std::filesystem::path> files_in(const std::filesystem::path& folder);
/// With everything in the folders below, links to folders not followed.
HOTSTITCH_EXPORT std::vector<std::filesystem::path> files_below(const std::filesystem::path& folder);

}  // namespace hotstitch
