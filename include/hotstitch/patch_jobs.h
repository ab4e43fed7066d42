// SPDX-License-Identifier: MIT
// Whole jobs on patches: create one with its checks file, find out which files it fits, write it in another format,
// and hold several against each other.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/fit.h"
#include "hotstitch/inputs.h"
#include "hotstitch/patch.h"
#include "hotstitch/recast.h"
#include "hotstitch/summary.h"

namespace hotstitch {

struct CreateRequest {
    std::string source, target;           ///< addresses; of one archive beside a plain file, the one file in it
    std::string output{};                 ///< a file or a folder; empty: beside the target, with the format's extension
    std::optional<PatchFormat> format{};  ///< empty: by the output's extension, else the one that carries all checks
    Replace replace = Replace::never;
    bool checks = false;       ///< a checks file beside the patch
    Bytes metadata{};          ///< for formats that have a place for it
    bool names = false;        ///< the base names of source and target as metadata, as programs in the field write them
    bool count_shared = true;  ///< how many of the patch's literal bytes stand in the source too
    Effort effort = Effort::normal;
    std::uint64_t memory = 0;  ///< of the matcher's tables, in bytes; 0: a quarter of the machine's, at most 1 GiB
    VcdiffOptions vcdiff{};
};

struct CreateResult {
    CreateReport report{};
    std::filesystem::path path{};  ///< of the patch; empty: it went into a sink
    std::optional<std::filesystem::path> backup{}, checks{};
    std::optional<SharedBytes> shared{};
    bool stood_already = false;
    /// Why the format that the extension chose would not do, and a larger one was taken.
    std::optional<Error> outgrown{};
};

/// Source + target = patch, applied and compared before it is called made.
class HOTSTITCH_EXPORT CreateJob {
public:
    CreateJob(CreateRequest request, WorkOptions options);
    ~CreateJob();
    CreateJob(const CreateJob&) = delete;
    CreateJob& operator=(const CreateJob&) = delete;

    /// Opens source and target. Throws what opening throws.
    void open();
    const InputFile& source() const;
    const InputFile& target() const;
    /// The archive that one of them was taken out of; empty: none.
    const std::filesystem::path& archive() const noexcept;

    /// REQUIRES open(). Throws what create, OutputFile and count_shared throw.
    CreateResult run();
    /// Into a sink that can give back what was written.
    CreateResult run(ByteSink& sink);

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// The format that a request comes to before anything is read.
HOTSTITCH_EXPORT PatchFormat format_for(const CreateRequest& request) noexcept;

struct VerifyRequest {
    std::vector<std::string> files;        ///< addresses; of a folder, every file in it and below
    DigestChoice digests{.crc32 = false};  ///< of every file, to look it up by
};

/// A file held against a patch.
struct VerifiedFile {
    std::string name;              ///< as it was named or found
    bool found = false;            ///< in a folder that was named
    std::filesystem::path path{};  ///< of the file itself or, out of an archive, of the one inside
    bool from_archive = false;
    std::uint64_t size = 0;
    Fit fit{};
    Digests digests{};
    std::optional<RepresentationOpinion> opinion{};  ///< where the patch carries no checks
    OwnChecks own_checks{};                          ///< where the patch carries none, what the file's say
    std::optional<Diagnosis> diagnosis{};            ///< where it does not fit
    std::optional<Error> error{};                    ///< it could not be looked at; nothing else is known then

    /// Where it fits only in another representation that loses nothing.
    const Representation* harmless_representation() const noexcept {
        return diagnosis && diagnosis->reading && diagnosis->reading->harmless() ? &*diagnosis->reading : nullptr;
    }
    bool fits() const noexcept {
        return !error && (fit.answer == FitAnswer::fits || fit.answer == FitAnswer::already_patched ||
                          harmless_representation() != nullptr);
    }
};

/// On all cores, `progress` on the calling thread only. Throws Error(usage) where there is no file at all,
/// Error(cancelled).
HOTSTITCH_EXPORT std::vector<VerifiedFile> verify_files(const InputFile& patch_file, const PatchReader& patch,
                                                        const Checks& checks, const VerifyRequest& request,
                                                        const WorkOptions& options = {});

struct RecastRequest {
    std::string source, patch;            ///< addresses; an archive is opened where the patch wants its content
    std::string output{};                 ///< a file or a folder; empty: beside the patch, with the format's extension
    std::optional<PatchFormat> format{};  ///< empty: by the output's extension
    Replace replace = Replace::never;
    Digests expected{};  ///< what the source has to be, beyond what the patch and its checks file say
    bool allow_source = false, allow_target = false, allow_patch = false;  ///< go on although that check fails
};

struct RecastResult {
    RecastReport report{};
    std::filesystem::path path{};  ///< empty: it went into a sink
    std::optional<std::filesystem::path> backup{};
    bool stood_already = false;
    SourceReading reading{};  ///< how the source was taken: the new patch is for the file so read
    /// Whether a check said that it was the right source. If not, and it is another one, the new patch carries the
    /// mistake on.
    bool certain() const noexcept { return report.applied.fit.answer == FitAnswer::fits; }
};

/// The same change in another format.
class HOTSTITCH_EXPORT RecastJob {
public:
    RecastJob(RecastRequest request, WorkOptions options);
    ~RecastJob();
    RecastJob(const RecastJob&) = delete;
    RecastJob& operator=(const RecastJob&) = delete;

    /// Throws what opening throws, and Error(usage) where no format is named.
    void open();
    const SourceFile& source() const;
    const PatchInput& patch() const;
    bool swapped() const noexcept;  ///< source and patch had been given in each other's place

    /// REQUIRES open(). Throws what recast and OutputFile throw.
    RecastResult run();
    /// Into a sink that can give back what was written.
    RecastResult run(ByteSink& sink);

private:
    struct State;
    std::unique_ptr<State> state_;
};

struct OverlapRequest {
    std::string source;                ///< as in RecastRequest, but only an archive of one file is opened
    std::vector<std::string> patches;  ///< two at least
    bool allow_source = false;         ///< go on although it is not the file that a patch was made for
};

struct OverlapPair {
    std::size_t first = 0, second = 0;  ///< which of the patches, from 0
    Overlap found{};
    /// They contradict each other only in checks that the mend "checksum" computes: apply with `mend` makes both.
    bool mend_settles_it = false;
};

/// Do patches for one source touch the same places, and does their order matter?
class HOTSTITCH_EXPORT OverlapJob {
public:
    OverlapJob(OverlapRequest request, WorkOptions options);
    ~OverlapJob();
    OverlapJob(const OverlapJob&) = delete;
    OverlapJob& operator=(const OverlapJob&) = delete;

    /// Throws what opening throws, and Error(usage) for less than two patches.
    void open();
    const SourceFile& source() const;
    const std::vector<PatchInput>& patches() const noexcept;

    /// How the source was taken, the same for all. REQUIRES run().
    const SourceReading& reading() const noexcept;

    /// Every pair, with the first `most` of the places that both write. Throws Error(wrong_source) where the patches
    /// are for different forms of the file. REQUIRES open(). Throws what apply throws.
    std::vector<OverlapPair> run(std::size_t most = 16);

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace hotstitch
