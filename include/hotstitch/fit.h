// SPDX-License-Identifier: MIT
// Does this patch fit this file?
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

namespace hotstitch {

enum class FitAnswer {
    fits,          ///< every check that was wanted is right, and there was at least one
    does_not_fit,  ///< a check is wrong
    /// The file is the target by its checks or, where there are none, already holds every byte the patch
    /// writes and has the target's size.
    already_patched,
    unknown,  ///< nothing to check by
};

struct Fit {
    FitAnswer answer = FitAnswer::unknown;
    Digests source;                          ///< what was computed; the size always
    std::vector<DigestMismatch> mismatches;  ///< why it does not fit
    /// How far past the source's end the first record that begins there begins, in bytes; 0: none does.
    std::uint64_t starts_past_end = 0;
    /// UPS: the file is the target, and the patch can make the source of it (ApplyOptions::backwards).
    bool reversible = false;
    /// Whether the patch writes nothing at all.
    bool changes_nothing = false;
};

/// A record that begins further past the source's end than this was likely made for a bigger file.
inline constexpr std::uint64_t far_past_end = 64 << 10;

/// `wanted`: checks from beside the patch; those in it are known. Reads the source once when there is
/// anything to check, otherwise only where the patch writes. Where only the windows of the target carry checks, they
/// are made, into nothing, up to the first that is wrong. Throws Error(io), Error(cancelled), and about what only shows
/// when windows are made, Error(damaged, truncated, limit).
HOTSTITCH_EXPORT Fit fit(const PatchReader& patch, const ByteSource& source, const Checks& wanted = {},
                         const Limits& limits = {}, const Progress& progress = {});

// Why does this patch not fit this file? Start with fit(); this is for when it says no.

/// One thing that may be known about a misfit. Each belongs to a code, which is stable, for programs, and listed in
/// docs/diagnosis.md (code_of); several share one where a program would do the same.
enum class Why : std::uint8_t {
    empty,
    fits_as,          ///< read in another representation, it is the right file
    fits_mended,      ///< with a mend of an executable, `name`, it is the right file
    target_as,        ///< read so, it is what the patch makes
    unpacked_source,  ///< the patch wants the unpacked content of a packed file
    reads_past_end,   ///< `wanted`: how far the patch reads; `found`: the file's size
    no_checks_at_all,
    windows_right,         ///< every window comes out right, and still a checksum is wrong
    one_window_wrong,      ///< there is but one
    all_windows_wrong,     ///< `wanted` of them
    right_up_to_a_window,  ///< `windows`
    some_windows_right,
    has_other_patch,               ///< `name`: the other patch; the file is what it makes
    needs_other_patch,             ///< the patch was made for what that makes of this file
    needs_other_patch_and_source,  ///< and of another file than this
    web_page,
    archive,          ///< `name`: what kind of
    is_a_patch,       ///< `name`: in which format; empty: in one that is not read here
    other_kind,       ///< `name`: what it is; nothing that is patched
    leaves_gap,       ///< the patch writes past the end, `wanted`, of the file, and `found` bytes before that by nobody
    writes_past_end,  ///< `found` bytes past it, and leaves the checks of a ROM, `found_in`, wrong
    pointer,          ///< to the file, which a version-control store keeps elsewhere
    nothing_to_know_by,      ///< the patch says nothing about its source
    other_value,             ///< `name` an edit: `wanted_text` should stand there, and `found_text` does
    no_representation_fits,  ///< it has a checksum of it, and no size
    other_content,           ///< of the right size
    front_header_and_more,   ///< `wanted` and `found`: sizes, here and below
    front_header_missing,
    cut_short,
    other_size,
    looks_packed,      ///< an executable that unpacks or decrypts itself, `name`: which kind
    disc_cut,          ///< `wanted` and `found`: sectors of the volume, and of the image
    other_track,       ///< the patch was made for what follows the data track
    for_a_part,        ///< for a file inside this one, `name`
    compressed_copy,   ///< of a disc, in a form that is recognised and not read, `name`
    scrubbed_copy,     ///< of a disc: at least `found` bytes of unused areas are zeros where a full copy has others
    trimmed_copy,      ///< of a disc: `found` bytes, where a full one has `wanted`
    longer_than_disc,  ///< `found` bytes, where a disc has `wanted`
    right_in_front,    ///< its first `wanted` bytes are the right file, of `found`
    other_generation,  ///< the file is `name`, and the patch's size is that of `found_in`
    other_than_named,  ///< the file is `name`, under the extension `found_in`
    edition,           ///< `name`: what the file says it is, `found_in` on which platform; empty: as a program
};

struct Reason {
    Why why{};
    std::string_view code{};  ///< "front-header", "other-size", …
    std::uint64_t wanted = 0, found = 0;
    std::optional<Representation> representation{};
    std::string name{}, found_in{};
    std::string wanted_text{}, found_text{};
    /// How many windows come out right and wrong, the first wrong one and where it begins in the target.
    struct {
        std::uint64_t right = 0, wrong = 0, first = 0, offset = 0;
    } windows{};
};

/// What to do about it.
enum class NextStep : std::uint8_t {
    look_for_the_edition,  ///< the revision and region that the patch's author names
    get_it_again,
    get_it_again_in_binary,
    look_for_the_right_one,
    ask_for_a_checksum,
    use_or_start_anew,     ///< it is patched already
    start_anew,            ///< from before the other patch
    apply_other_first,     ///< `next_name`
    find_source_of_other,  ///< `next_name`
    open_the_page,
    unpack_it,
    hand_in_the_game,
    hand_in_the_file,  ///< of the game, not this one
    fetch_the_file,
    apply_as_read,  ///< nothing of the file is lost by it
    mend_first,     ///< `next_name`
    look_for_the_plain_program,
    get_the_whole_disc,
    take_the_track,       ///< out of the image, and hand in that
    name_the_part,        ///< `next_name`
    save_plain_copy,      ///< with what made or plays the compressed copy
    get_full_copy,        ///< nothing cut off, nothing taken out
    cut_behind,           ///< what was added behind the right file
    look_for_generation,  ///< the disc for the console that the patch is for
    get_what_name_says,   ///< the file under that name is something else
};

struct Diagnosis {
    std::vector<Reason> reasons;            ///< never empty
    std::optional<Representation> reading;  ///< the one representation that passes every check
    NextStep next = NextStep::look_for_the_edition;
    std::string next_name{};  ///< of the other patch, or the mend, that it speaks of
};

/// Another patch at hand. The file may need it first, or may have it already.
struct OtherPatch {
    std::string name;  ///< as the reasons call it
    const PatchReader* patch;
};

struct DiagnoseOptions {
    Checks checks{};                   ///< from beside the patch; those in it are known
    std::vector<OtherPatch> others{};  ///< those without checksums are applied into nothing to see what they make
    Limits limits{};
    Progress progress{};
    std::string name{};  ///< under which the file is kept: its extension says what it should be
};

/// Readings and other patches are tried only where the sizes allow them, each with one pass. Throws Error(io),
/// Error(cancelled).
HOTSTITCH_EXPORT Diagnosis diagnose(const PatchReader& patch, const ByteSource& file,
                                    const DiagnoseOptions& options = {});
inline Diagnosis diagnose(const PatchReader& patch, ByteView file, const DiagnoseOptions& options = {}) {
    return diagnose(patch, MemorySource(file), options);
}

/// Why a patch without checks cannot be meant for this file. By its kind: another patch, an archive, a picture, a
/// pointer of a version-control store, a page that is not named so. By its size: the patch
/// writes behind the end and leaves a gap before, of bytes that nobody wrote. `name`: under which the file is kept;
/// `reading`: in which it would be patched. Nothing: it may be meant. Throws Error(io), and of a patch that is damaged,
/// what reading it throws: that is told first.
HOTSTITCH_EXPORT std::optional<Diagnosis> implausible_source(const PatchReader& patch, const ByteSource& file,
                                                             std::string_view name,
                                                             const std::optional<Representation>& reading = {});

/// How many bytes past the end of a source of this size the patch makes and does not write. Throws what reading throws.
HOTSTITCH_EXPORT std::uint64_t unwritten_bytes(const PatchReader& patch, std::uint64_t source_size);

/// Why a patch was made for another file than this cartridge, whose own checks it leaves wrong and past whose end it
/// writes, by so many bytes.
HOTSTITCH_EXPORT Diagnosis contradicting_source(const Identity& cartridge, std::uint64_t past_end);

// Patches without checks say nothing of the file they were made for, but what they would make of it does.

/// The patch was made for the cartridge ROM in another representation: without its front header, with one, or in the
/// console's own byte order.
struct RepresentationOpinion {
    enum class Ground {
        checks_right,      ///< internal checks see the change, and come out right only so: that is sure
        holds_all,         ///< so read, it is already what the patch makes: that is sure
        changes_the_rom,   ///< as it is, only the front header would change: that is sure
        console_order,     ///< no check sees the change; patches are made for the console's order, so that is taken
        header_stays,      ///< the internal header stays one only so
        reaches_the_end,   ///< its last records reach to where the file so read would end
        holds_more_bytes,  ///< the file so read has more of the bytes already that the patch writes
        undecided,         ///< nothing speaks for either; the file is taken as it is
    };
    Representation reading;
    Ground ground{};
    std::uint64_t held_so = 0, held_as_is = 0;  ///< bytes that the file holds already, read so and as it is
    /// Whether the file is read so, without being asked to.
    bool sure() const noexcept { return ground <= Ground::console_order; }
};

struct RepresentationTrial {
    std::optional<RepresentationOpinion> opinion;  ///< nothing: nothing speaks for another than the file as it is
    /// What the patch makes of the file, in the other representation where the opinion is sure, else as it is, so that
    /// nobody has to make it again; empty: no trial was made.
    Bytes made;
};

/// Makes the target in memory both ways, in one walk over a patch of a format that moves nothing, and compares what the
/// platform's recogniser says of the two, where the patch reaches, and how many of its bytes the file holds already. A
/// check counts only where it sees what the patch changes. Only for cartridges of up to 64 MiB that go around in
/// several representations; an edit list's offsets are always the file's own. Throws what reading the patch throws.
HOTSTITCH_EXPORT RepresentationTrial opinion_on_representation(const PatchReader& patch, const ByteSource& file,
                                                               const Limits& limits = {});
inline RepresentationTrial opinion_on_representation(const PatchReader& patch, ByteView file,
                                                     const Limits& limits = {}) {
    return opinion_on_representation(patch, MemorySource(file), limits);
}

/// What became of a cartridge ROM's own checks, where they were to be mended, or no check of the patch told whether all
/// is right.
enum class InternalChecks {
    not_asked,
    none_in_source,  ///< no image of a known platform, or one without checks
    wrong_before,    ///< not all right before the patch, so left as they are
    none_in_result,
    right,      ///< before and after, and the change shows in them: the patch was likely made for this source
    untouched,  ///< before and after, and nothing that they cover was changed: they say nothing
    stale,      ///< right before, wrong after: another revision, or a mod that left them so
    put_right,  ///< wrong before, right after: likely the right source
    mended,
    cannot_be_mended,  ///< the job's result says why
};

/// "right", "stale", "put-right", "mended", …: stable, for programs.
HOTSTITCH_EXPORT std::string_view code_of(InternalChecks checks) noexcept;

/// The checks of a cartridge held against those of what a patch makes of it; neither is looked at again.
HOTSTITCH_EXPORT InternalChecks compare_checks(const std::optional<Identity>& before,
                                               const std::optional<Identity>& after);
/// What the checks that count cover, for people: "29 bytes of the header".
HOTSTITCH_EXPORT std::string_view covered_by_checks(const Identity& cartridge) noexcept;

/// What a file's own checks say of a patch without any: makes the target in memory, of files of up to 64 MiB, in the
/// reading that `trial` found, or takes the one that is made already. Throws what reading the patch throws.
struct OwnChecks {
    InternalChecks answer = InternalChecks::not_asked;
    std::string_view cover{};  ///< of `untouched`
    /// They see the change, and come out right.
    bool speak_for_it() const noexcept {
        return answer == InternalChecks::right || answer == InternalChecks::put_right;
    }
};
HOTSTITCH_EXPORT OwnChecks own_checks(const PatchReader& patch, const ByteSource& file,
                                      const RepresentationTrial& trial, const Limits& limits = {});

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

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
