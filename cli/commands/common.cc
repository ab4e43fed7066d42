// SPDX-License-Identifier: MIT
#include "commands/common.h"

#include <fmt/format.h>
#include <unistd.h>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

/// How a file of a disc went in.
std::string words_on_disc(const PutReport& step) {
    const auto place = [](const std::optional<std::uint64_t>& offset) {
        return offset ? " at " + offset_text(*offset) : std::string();
    };
    const std::string changed = fmt::format("{} changed", counted(step.changed, "byte", "bytes"));
    if (step.how == "added")
        return fmt::format(" added{}: {}", place(step.to_offset), counted(step.changed, "byte", "bytes"));
    if (step.how == "removed")
        return step.moved_sectors == 0 ? std::string(" taken away: its name is gone, its sectors stay unused")
                                       : fmt::format(" taken away; what followed it moved back by {}",
                                                     counted(step.moved_sectors, "sector", "sectors"));
    if (step.how == "moved")
        return fmt::format(": {}; it did not fit and moved from {} to {}", changed,
                           step.from_offset ? offset_text(*step.from_offset) : "its place",
                           step.to_offset ? offset_text(*step.to_offset) : "the end");
    if (step.how == "rebuilt")
        return fmt::format(
            "{}, in its place: {}; what follows it moved{}", place(step.to_offset), changed,
            step.moved_sectors == 0 ? std::string() : " by " + counted(step.moved_sectors, "sector", "sectors"));
    return fmt::format("{}, in its place: {}", place(step.to_offset), changed);
}

}  // namespace

std::string what_opened_it(const Common& common) {
    std::string options = common.keys.empty() ? std::string() : " --keys " + shell_file(common.keys);
    for (const std::string& map : common.maps) options += " --map " + shell_file(map);
    if (!common.map_folder.empty()) options += " --maps " + shell_file(common.map_folder);
    return options;
}

std::string words_for_put(const PutReport& step) {
    std::string text = escaped(step.address);
    if (!step.how.empty()) {
        text += words_on_disc(step);
        if (step.mended != 0)
            text += fmt::format(
                "; {} {}", counted(step.mended, "byte", "bytes"),
                step.outer.storage == PartStorage::computed    ? "of records and of the sectors' EDC and ECC follow"
                : step.outer.storage == PartStorage::encrypted ? "around it are encrypted and hashed anew"
                                                               : "in tables, records and checks follow");
        return text;
    }
    if (step.outer.storage == PartStorage::computed)
        text += fmt::format(": {} changed", counted(step.changed, "byte", "bytes"));
    else if (step.outer.offset)
        text += fmt::format(" at {}, in its place: {} changed", offset_text(*step.outer.offset),
                            counted(step.changed, "byte", "bytes"));
    else
        text += fmt::format(": {} changed; packed as it was, into {} (was {})", counted(step.changed, "byte", "bytes"),
                            counted(step.size_after, "byte", "bytes"), grouped(step.size_before));
    if (step.mended != 0)
        text +=
            fmt::format("; outside it, {} of the file's own checks kept right", counted(step.mended, "byte", "bytes"));
    return text;
}

InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress) {
    if (name == "-") return InputFile::from_descriptor(STDIN_FILENO, "standard input", limits, progress);
    std::error_code code;
    if (fs::exists(name, code) || code) return InputFile(name, limits, progress);
    std::vector<std::string> beside;
    for (const fs::path& file : files_in(fs::path(name).parent_path())) beside.push_back(file.filename().string());
    const std::string near = nearest_word(fs::path(name).filename().string(), beside);
    throw Error(ErrorCode::io, fmt::format("cannot open {}: No such file or directory", name))
        .hint(near.empty()
                  ? ""
                  : fmt::format("did you mean {}?", shell_file((fs::path(name).parent_path() / near).string())));
}

}  // namespace hotstitch::cli
