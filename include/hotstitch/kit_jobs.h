// SPDX-License-Identifier: MIT
// Whole jobs on kits: open and check one, find its bases among files, make its outputs, pack it, write one.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/answer.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/file_io.h"
#include "hotstitch/inputs.h"
#include "hotstitch/kit.h"
#include "hotstitch/receipt.h"
#include "hotstitch/summary.h"

namespace hotstitch {

/// The text of a kit lies in its folder, or zip file, under this name.
inline constexpr std::string_view kit_text_name = "kit.toml", kit_extension = ".kit";

/// Whether the path is a kit: a folder with kit.toml, or a zip file with one.
HOTSTITCH_EXPORT bool is_kit(const std::string& path, const WorkOptions& options = {});

/// A kit, opened: its text, and the files that lie with it. What a zip file holds is unpacked once, into memory or, of
/// larger files, temporary storage (Limits::scratch), within the budget for archives.
class HOTSTITCH_EXPORT KitInput {
public:
    /// Throws Error(io, limit), Error(not_this_format) where there is no kit.toml, Error(damaged) for a text that is
    /// wrong, a name that leads out of the kit, a link, or two names that differ only by case.
    explicit KitInput(const std::filesystem::path& path, const WorkOptions& options = {});
    /// A kit that lies nowhere yet: its text, and its files. Throws what reading the text throws.
    KitInput(const std::string& name, std::string_view text, std::map<std::string, SharedSource> files,
             const WorkOptions& options = {});
    ~KitInput();
    KitInput(KitInput&&) noexcept;

    const Kit& kit() const noexcept;
    const Bytes& text() const noexcept;  ///< kit.toml
    const std::filesystem::path& path() const noexcept;
    bool is_folder() const noexcept;
    /// All files but kit.toml, sorted; and their sizes in bytes.
    const std::map<std::string, std::uint64_t>& files() const noexcept;
    /// Throws Error(usage) where the kit has no such file, Error(io).
    SharedSource open(const std::string& name) const;
    /// The maps of the kit, for whichever files they fit. Throws what read_map() throws.
    const std::shared_ptr<const Maps>& maps() const;
    /// Size of all files in bytes, and a checksum over their names and contents: the same for the folder and its zip
    /// file.
    Digests digests() const;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// What is wrong with a kit beyond its text, for people, in order; nothing: it is right. Files that it names and does
/// not have, patches and maps that are none. `unused` takes files that nothing names.
HOTSTITCH_EXPORT std::vector<std::string> check_kit(const KitInput& kit, std::vector<std::string>* unused = nullptr);

/// Writes a kit as one zip file: the same bytes for the same content. Throws Error(io), Error(unsupported) where the
/// build has no libarchive.
HOTSTITCH_EXPORT void pack_kit(const KitInput& kit, ByteSink& out);

/// A file or folder that was given, and why it is not a base.
struct KitNear {
    std::string address;
    std::uint64_t size = 0;
    Digests digests{};
    std::string what{};                       ///< what it is, for people: "a SNES ROM: KELP HARBOUR, Americas"
    std::optional<Representation> reading{};  ///< in which it would be the base, and something was lost
};

/// A base and what was found for it.
struct KitBaseFound {
    const KitBase* base = nullptr;
    std::string edition{};                                      ///< empty: not found
    std::string address{};                                      ///< as it was given, or found below what was given
    Digests digests{};                                          ///< of a file
    std::vector<std::pair<std::string, std::string>> others{};  ///< other editions that were given too: name, address
    std::vector<std::string> again{};                           ///< where the same edition was found once more
    std::vector<KitNear> near{};                                ///< not found: what was given, the nearest first
    std::shared_ptr<const InputFile> file{};                    ///< of a file
    /// In which the file is the base, where it is not as it stands: behind a front header, in another order, in whole
    /// sectors. `as_read`: the digests of it so read.
    std::optional<Representation> reading{};
    Digests as_read{};
    std::filesystem::path folder{};  ///< of a folder on the disk
    Listing container{};             ///< of a folder that is an archive or a disc
    explicit operator bool() const noexcept { return !edition.empty(); }
};

/// Looks for the bases among files, folders, archives, discs and drives, by content alone. Throws Error(io, cancelled).
HOTSTITCH_EXPORT std::vector<KitBaseFound> find_kit_bases(const Kit& kit, const std::vector<std::string>& given,
                                                          const WorkOptions& options = {});

struct KitRequest {
    std::vector<std::string> given;   ///< among them the bases
    std::vector<std::string> kits{};  ///< in the order in which they are applied
    std::string output{};             ///< a folder or, where one file is made, its name; empty: beside the first base
    bool in_place = false;            ///< outputs that are bases replace them; others are not made
    Replace replace = Replace::never;
    bool receipt = true, digests = false;
    bool allow_target = false;  ///< go on although an output is not what its check says
    /// Of outputs that are made anew, and the folder that it lies in; what was changed in place is undone first.
    std::optional<Receipt> renews{};
    std::filesystem::path renews_in{};
};

/// One step of those that are done.
struct KitStepPlan {
    std::size_t kit = 0;  ///< which of the kits, from 0
    const Step* step = nullptr;
};

struct KitOutputPlan {
    std::size_t kit = 0;
    const KitOutput* output = nullptr;
    std::string name{};  ///< words replaced
    std::filesystem::path path{};
    bool folder = false;
    std::uint64_t size = 0;  ///< of what it is made of, in bytes
    Digests wanted{};        ///< its check
};

struct KitPlan {
    std::vector<std::vector<KitBaseFound>> bases;  ///< of each kit
    std::vector<KitStepPlan> steps;
    std::vector<KitOutputPlan> outputs;
    std::uint64_t room = 0;  ///< bytes that outputs and what is made on the way take at most, as far as is known
};

struct KitMade {
    std::filesystem::path path{};
    bool folder = false, stood_already = false;
    Digests digests{};        ///< of a folder: the size of all its files
    std::uint64_t files = 0;  ///< of a folder
    std::optional<std::filesystem::path> backup{};
    bool from_base = false;  ///< else a file of the kit as it is
    bool checked = false;    ///< by a check of the kit
};

struct KitResult {
    Answer answer = Answer::made;
    std::optional<Error> refusal{};  ///< of what was not made: which base, or what contradicts what
    std::vector<KitMade> made{};
    std::optional<std::filesystem::path> receipt{};
    std::optional<std::filesystem::path> way_back{};  ///< of a folder that was changed in place
    std::vector<std::string> warnings{};
    std::vector<DigestMismatch> overridden{};
};

/// Two kits that cannot both have their way.
struct KitConflict {
    std::size_t first = 0, second = 0;  ///< which of the kits, from 0
    std::string at;                     ///< "game:DATA/UNITS.BIN:content berth[12].depth"
    std::string first_does, second_does;
};

/// Bases + kits = outputs: all of them, or none.
class HOTSTITCH_EXPORT KitJob {
public:
    KitJob(KitRequest request, WorkOptions options);
    ~KitJob();
    KitJob(const KitJob&) = delete;
    KitJob& operator=(const KitJob&) = delete;

    /// Opens the kits, checks them, finds the bases. Throws what KitInput throws, and Error(damaged) with all that
    /// check_kit() says.
    void open();
    const std::vector<KitInput>& kits() const noexcept;
    /// What would be made. REQUIRES open(). Throws Error(wrong_source) for a base that was not found,
    /// Error(usage) for outputs in the place of a base, or two in one.
    const KitPlan& plan();
    /// Bases as they were found, whether all are there or not. REQUIRES open().
    const std::vector<std::vector<KitBaseFound>>& bases() const noexcept;
    /// Where several kits contradict each other; none where run() can go on. REQUIRES plan().
    std::vector<KitConflict> conflicts() const;
    /// Throws Error(refused) that names them. REQUIRES plan().
    void refuse_conflicts() const;
    /// Does all steps and keeps nothing: whether the bases are right in all that the kit reads of them, where the
    /// checksums of a folder name only some of its files. Throws as run() does.
    void try_steps();
    /// Does all steps, then puts the outputs into their places. A base that is another or is not there, and kits that
    /// contradict each other, are answers; throws Error naming the step, what it wanted and found, for a mistake in a
    /// kit. Nothing was made then. REQUIRES open().
    const KitResult& run();
    /// The one base that the kits output, as they make it, into a sink; nothing else is written. REQUIRES that it is a
    /// file, and the request in place. Throws as the other does.
    void run(ByteSink& sink);
    const KitResult& result() const noexcept;

    struct State;  ///< the library's own

private:
    std::unique_ptr<State> state_;
};

/// Two states of a game, files or folders: what it is, and what the kit makes of it.
struct KitPair {
    std::string before, after;
    std::string edition{};  ///< for the text of the kit; empty: what the file says of itself
};

struct KitCreateRequest {
    std::vector<KitPair> pairs;  ///< one for each edition; all files, or all folders
    std::string output{};  ///< a folder where it ends with '/', else a packed kit; empty: beside the first `after`
    std::string name{};    ///< of the kit; empty: that of the first `after`
    Replace replace = Replace::never;
    Effort effort = Effort::normal;
    bool count_shared = true;
    /// Files of the maps that the limits hold: those that fields are set by come into the kit.
    std::vector<std::string> maps{};
};

struct KitCreateResult {
    std::filesystem::path path{};
    bool stood_already = false;
    std::optional<std::filesystem::path> backup{};
    Digests digests{};       ///< of a packed kit
    std::uint64_t size = 0;  ///< of all that is in it, in bytes; packed, of the file
    std::size_t patches = 0, files = 0, fields = 0, moved = 0, added = 0, removed = 0, editions = 0;
    std::vector<std::string> whole{};  ///< editions for which one patch of the whole took less than its parts would
    std::optional<SharedBytes> shared{};
};

/// A kit that makes each `after` of its `before`: compared part by part, each change as what takes least. It is applied
/// and compared before it is written. Throws Error(usage) where the two are the same, or of different sorts; what
/// reading, create() and writing throw.
HOTSTITCH_EXPORT KitCreateResult create_kit(const KitCreateRequest& request, const WorkOptions& options = {});

/// How many of the literal bytes of a kit's patches and files stand in what they are for. Throws what count_shared()
/// throws.
HOTSTITCH_EXPORT SharedBytes count_kit_shared(const KitInput& kit, const std::vector<KitBaseFound>& bases,
                                              const WorkOptions& options = {});

/// What applying newer kits to the bases of a receipt comes to. `receipt`: it, or its output. Throws Error(io, usage)
/// where receipt_of() has none, or one of patches.
HOTSTITCH_EXPORT KitRequest plan_kit_renewal(const std::filesystem::path& receipt, std::vector<std::string> newer);

}  // namespace hotstitch
