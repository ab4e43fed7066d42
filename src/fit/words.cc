// SPDX-License-Identifier: MIT
// Why a patch does not fit, and what to do. Tested by tests/job/diagnose_test.cc, whose table is docs/diagnosis.md.
#include <fmt/format.h>

#include "hotstitch/fit.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

std::string words_for_windows(const Reason& reason) {
    const auto& windows = reason.windows;
    return fmt::format(
        "{} of {} windows come out right; the first wrong one is window {}, from byte {} of the target on",
        windows.right, windows.right + windows.wrong, windows.first, windows.offset);
}

std::uint64_t apart(const Reason& reason) {
    return reason.found > reason.wanted ? reason.found - reason.wanted : reason.wanted - reason.found;
}

/// What the size alone says, where there is no better reason.
std::string words_for_size(const Reason& reason) {
    switch (reason.why) {
        case Why::other_content:
            return "the size is right and the content is not: another revision or region, or a copy that was changed";
        case Why::front_header_and_more:
            return fmt::format("the file has {} more, as a front header would, but is another one without it too",
                               counted(apart(reason), "byte", "bytes"));
        case Why::front_header_missing:
            return fmt::format(
                "the file has {} less: the patch was likely made for a copy with a front header, "
                "whose content is not known",
                counted(apart(reason), "byte", "bytes"));
        case Why::cut_short:
            return fmt::format("the file is {} short: a download that broke off, or another game",
                               counted(apart(reason), "byte", "bytes"));
        default:
            return fmt::format("the file is {} {}: another revision or region, or another game",
                               counted(apart(reason), "byte", "bytes"),
                               reason.found > reason.wanted ? "too long" : "too short");
    }
}

/// What is the matter with an executable.
std::string words_for_program(const Reason& reason) {
    if (reason.why == Why::fits_mended)
        return fmt::format("with the mend {}, the file is the right one: all else in it is as it should be",
                           reason.name);
    return fmt::format(
        "the file is a {} that looks packed or encrypted; the patch was likely made for the plain program",
        reason.name);
}

/// What is the matter with a copy of a disc.
std::string words_for_copy(const Reason& reason) {
    switch (reason.why) {
        case Why::compressed_copy:
            return fmt::format("the file is {}, in a form that is not read here; a patch is made for the plain image",
                               reason.name);
        case Why::scrubbed_copy:
            return fmt::format(
                "unused areas of the disc, {} or more, are zeros where a full copy has other bytes: they "
                "were taken out of this copy",
                size_text(reason.found));
        case Why::trimmed_copy:
            return fmt::format("the copy is trimmed or cut short: it has {}, and a full disc {}",
                               counted(reason.found, "byte", "bytes"), counted(reason.wanted, "byte", "bytes"));
        case Why::longer_than_disc:
            return fmt::format("the copy has {} more than such a disc: a loader or a converter has added something",
                               counted(reason.found - reason.wanted, "byte", "bytes"));
        case Why::right_in_front:
            return fmt::format("its first {} are the right file; {} were added behind",
                               counted(reason.wanted, "byte", "bytes"),
                               counted(reason.found - reason.wanted, "byte", "bytes"));
        case Why::other_generation:
            return fmt::format("this is a disc for the {}, and by its size the patch was made for one for the {}",
                               reason.name, reason.found_in);
        default: break;
    }
    return fmt::format("the file is called {} and is {}", reason.found_in, reason.name);
}

}  // namespace

std::string words_for(const Reason& reason) {
    switch (reason.why) {
        case Why::empty: return "the file is empty";
        case Why::fits_as: return fmt::format("read {}, the file is the right one", words_for(*reason.representation));
        case Why::fits_mended:
        case Why::looks_packed: return words_for_program(reason);
        case Why::target_as:
            return fmt::format("read {}, the file is what the patch makes: already patched",
                               words_for(*reason.representation));
        case Why::unpacked_source:
            return "the patch was made from the unpacked content of a packed file, by its header";
        case Why::reads_past_end:
            return fmt::format("the patch reads the source up to byte {}, and the file has {}", reason.wanted,
                               reason.found);
        case Why::no_checks_at_all:
            return "the patch carries no checks at all, neither of its source nor of what it makes";
        case Why::windows_right: return "every window comes out right, and still a checksum is wrong";
        case Why::one_window_wrong:
            return "what the patch makes, in one window, does not come out right: another revision or game, or a copy "
                   "that was changed or converted";
        case Why::all_windows_wrong:
            return fmt::format(
                "none of {} windows comes out right: another game, or its content is shifted or converted",
                reason.wanted);
        case Why::right_up_to_a_window:
            return fmt::format("{}: up to there the file is the right one, so another revision, or a changed copy",
                               words_for_windows(reason));
        case Why::some_windows_right:
            return fmt::format("{}: another revision, or a copy that was changed", words_for_windows(reason));
        case Why::has_other_patch:
            return fmt::format("the file is what {} makes; this patch was made for the file before that", reason.name);
        case Why::needs_other_patch:
            return fmt::format("the patch was made for what {} makes of this file", reason.name);
        case Why::needs_other_patch_and_source:
            return fmt::format("the patch was made for what {} makes, and of another file than this", reason.name);
        case Why::web_page: return "the file is a web page, saved in place of the file itself";
        case Why::archive: return fmt::format("the file is {}, and the patch was made for what is inside", reason.name);
        case Why::is_a_patch:
            return fmt::format("the file is itself a patch ({})",
                               reason.name.empty() ? "in a format that is not read here" : reason.name);
        case Why::other_kind: return fmt::format("the file is {}, which nobody patches so", reason.name);
        case Why::leaves_gap:
            return fmt::format(
                "the patch writes past the end of this file, which has {}, and leaves {} before that which "
                "nobody wrote",
                counted(reason.wanted, "byte", "bytes"), counted(reason.found, "byte", "bytes"));
        case Why::writes_past_end:
            return fmt::format(
                "the patch writes up to {} past the end of this {} ROM, and leaves the ROM's own checks wrong",
                counted(reason.found, "byte", "bytes"), reason.found_in);
        case Why::pointer:
            return "the file is only a pointer to the real one, which a version-control store keeps elsewhere";
        case Why::disc_cut:
            return fmt::format("the image is cut short: the disc has {}, and the image {}",
                               counted(reason.wanted, "sector", "sectors"), grouped(reason.found));
        case Why::other_track:
            return "the patch was made for what follows the data track in this file, a sound track most likely";
        case Why::for_a_part: return fmt::format("the patch was made for {}, a file inside this one", reason.name);
        case Why::other_value:
            return fmt::format("{}: {} should stand there, and {} does", reason.name, reason.wanted_text,
                               reason.found_text);
        case Why::nothing_to_know_by: return "the patch says nothing about its source";
        case Why::no_representation_fits: return "no reading of the file has the wanted checksum";
        case Why::compressed_copy:
        case Why::scrubbed_copy:
        case Why::trimmed_copy:
        case Why::longer_than_disc:
        case Why::right_in_front:
        case Why::other_generation:
        case Why::other_than_named: return words_for_copy(reason);
        case Why::other_content:
        case Why::front_header_and_more:
        case Why::front_header_missing:
        case Why::cut_short:
        case Why::other_size: return words_for_size(reason);
        case Why::edition: break;
    }
    if (reason.found_in.empty()) return fmt::format("by what it says of itself, this is {}", reason.name);
    return fmt::format("by its internal header, this is {}, for the {}", reason.name, reason.found_in);
}

std::string words_for(const RepresentationOpinion& opinion) {
    switch (opinion.ground) {
        case RepresentationOpinion::Ground::checks_right: return "the internal checks come out right only so";
        case RepresentationOpinion::Ground::header_stays: return "the internal header stays one only so";
        case RepresentationOpinion::Ground::reaches_the_end:
            return "its last records reach to where the file so read would end";
        case RepresentationOpinion::Ground::holds_all: return "so read, it holds all that the patch writes";
        case RepresentationOpinion::Ground::changes_the_rom: return "as it is, only its front header would change";
        case RepresentationOpinion::Ground::console_order:
            return "no check sees what it changes, and patches are made for the console's own order";
        case RepresentationOpinion::Ground::undecided: return "nothing tells which of the two it was made for";
        case RepresentationOpinion::Ground::holds_more_bytes: break;
    }
    return fmt::format("of the bytes it writes, the file so read has {} already, and {} as it is", opinion.held_so,
                       opinion.held_as_is);
}

std::string words_for_next(const Diagnosis& diagnosis) {
    switch (diagnosis.next) {
        case NextStep::get_it_again: return "the download or copy failed; get the file again";
        case NextStep::get_it_again_in_binary:
            return "a transfer in text mode has changed the file; get it again, in binary mode";
        case NextStep::look_for_the_right_one:
            return "the file was cut short, or it is another game or revision; look for the one the author names";
        case NextStep::ask_for_a_checksum: return "ask the patch's author for the source's size and checksum";
        case NextStep::use_or_start_anew: return "use it as it is, or start from the original";
        case NextStep::start_anew: return "start from the original, from before that patch";
        case NextStep::apply_other_first: return fmt::format("apply {} first, then this patch", diagnosis.next_name);
        case NextStep::find_source_of_other:
            return fmt::format("find the source of {}, apply that first, then this patch", diagnosis.next_name);
        case NextStep::open_the_page: return "open the page and save the file it offers";
        case NextStep::unpack_it: return "unpack it and use the file inside";
        case NextStep::hand_in_the_game: return "hand in the game file, not another patch";
        case NextStep::hand_in_the_file: return "hand in the game's own file";
        case NextStep::fetch_the_file: return "let the version-control system fetch the file itself";
        case NextStep::mend_first:
            return fmt::format("mend the file first ({}), then apply the patch to that", diagnosis.next_name);
        case NextStep::look_for_the_plain_program:
            return "look for a copy of the program that is not packed or wrapped";
        case NextStep::get_the_whole_disc: return "get a whole copy of the disc";
        case NextStep::take_the_track: return "take that track out by the disc's cue sheet, and apply the patch to it";
        case NextStep::name_the_part:
            return fmt::format("name that file as the source, FILE:{}: the output is then the whole file around it",
                               diagnosis.next_name);
        case NextStep::save_plain_copy:
            return "save a plain, full copy with what made or plays this one, and apply the patch to that";
        case NextStep::get_full_copy: return "get a full copy of the disc, with nothing cut off, taken out or added";
        case NextStep::cut_behind: {
            const Reason& reason = diagnosis.reasons.front();
            return fmt::format("cut the last {} off a copy, and apply the patch to that",
                               counted(reason.found - reason.wanted, "byte", "bytes"));
        }
        case NextStep::look_for_generation: return "look for the disc for the console that the patch was made for";
        case NextStep::get_what_name_says:
            return "if it is an installer or a packed copy, what comes out of it may be the right file";
        case NextStep::apply_as_read: return "apply the patch to the file read so; nothing of the file is lost by it";
        case NextStep::look_for_the_edition: break;
    }
    return "look for the exact revision and region that the patch's author names";
}

std::string words_for(InternalChecks checks, std::string_view cover) {
    switch (checks) {
        case InternalChecks::none_in_source: return "none that are known in the source";
        case InternalChecks::wrong_before: return "not all right before the patch, so left as they are";
        case InternalChecks::none_in_result: return "none that are known in the result";
        case InternalChecks::right: return "right, before and after the patch";
        case InternalChecks::untouched:
            return fmt::format(
                "right, before and after the patch, but they cover {}, of which it changes nothing: other revisions "
                "would look the same",
                cover);
        case InternalChecks::stale:
            return "right before the patch, wrong after it: made for another revision, or a mod that left them so";
        case InternalChecks::put_right: return "wrong before the patch, right after it: likely the right source";
        case InternalChecks::mended:
            return "right before the patch, stale after it, mended: the output differs in them from what the patch "
                   "makes";
        case InternalChecks::cannot_be_mended: return "stale after the patch, and could not be mended";
        case InternalChecks::not_asked: break;
    }
    return "not looked at";
}

}  // namespace hotstitch
