// SPDX-License-Identifier: MIT
// Whole jobs on patches: create one with its checks file, and find out which files it fits.
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
    const InputFile& source() const noexcept;
    const InputFile& target() const noexcept;
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
    std::optional<HeaderOpinion> opinion{};  ///< where the patch carries no checks
    std::optional<Diagnosis> diagnosis{};    ///< where it does not fit
    std::optional<Error> error{};            ///< it could not be looked at; nothing else is known then

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

}  // namespace hotstitch
