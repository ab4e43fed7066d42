// SPDX-License-Identifier: MIT
// Whole jobs on what is inside files: list it, compare it with another file's, take it out.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/inputs.h"
#include "hotstitch/part.h"
#include "hotstitch/step.h"

namespace hotstitch {

/// As open_container(), for a file that has to have parts. Throws Error(unsupported) where none are known.
HOTSTITCH_EXPORT std::unique_ptr<Container> open_parts(const InputFile& file, const WorkOptions& options = {});

/// A file with parts by its address, or a folder, whose files are its parts.
struct OpenedParts {
    std::unique_ptr<InputFile> file{};  ///< null: it is a folder
    std::unique_ptr<Container> container{};
    std::filesystem::path path{};
    Limits limits{};  ///< with the maps that are for what was opened
};
/// "FILE", "FILE:PART", "FILE:" (the file), "FOLDER". Throws as the other open_parts() does.
HOTSTITCH_EXPORT OpenedParts open_parts(const Address& address, const WorkOptions& options = {});

enum class PartState {
    listed,  ///< not compared
    same,
    changed,
    only_here,
    only_there,
};
/// "same", "changed", "only-here", "only-there": stable, for programs; empty for what was not compared.
HOTSTITCH_EXPORT std::string_view code_of(PartState state) noexcept;

struct ListedPart {
    std::string address;  ///< inside the file, colons in names escaped
    Part part;
    FileKind kind{};            ///< of a part that is a file, by its first bytes
    std::string holds{};        ///< the title of the container that it is; only where it was opened
    std::string cannot_open{};  ///< why not, where that was tried
    std::optional<Digests> digests{};
    PartState state = PartState::listed;
    std::vector<ByteRange> changed{};  ///< where it differs; of parts of the outermost container

    /// What it is or holds, or why it cannot be opened, for people; empty: nothing that is known.
    HOTSTITCH_EXPORT std::string opens_as() const;
    HOTSTITCH_EXPORT std::uint64_t changed_bytes() const noexcept;
};

struct ListRequest {
    std::vector<std::string> patterns{};  ///< of addresses, with * and ?; empty: all
    bool deep = false;                    ///< parts of parts too: four levels, parts of up to 1 GiB
    bool digests = false;                 ///< CRC-32 and SHA-1 of each
};

/// Throws what visiting throws, and Error(limit) past 100,000 parts. `file`: what the container is of, where maps may
/// be for its parts.
HOTSTITCH_EXPORT std::vector<ListedPart> list_parts(const Container& container, const ListRequest& request = {},
                                                    const WorkOptions& options = {}, const ByteSource* file = nullptr);

/// The parts of `container` with their state; then those that only `other` has. Compared by their names, their digests,
/// and byte by byte where those differ.
HOTSTITCH_EXPORT std::vector<ListedPart> compare_parts(const Container& container, const Container& other,
                                                       const ListRequest& request = {},
                                                       const WorkOptions& options = {});

struct TakeRequest {
    std::vector<std::string> addresses;  ///< "FILE:PART", "FILE:FOLDER/", "FILE:" for all
    std::string output{};                ///< a file or a folder; empty: beside FILE
    Replace replace = Replace::never;
    bool stored = false;  ///< as the file stores it: whole sectors of a disc, a packed file as it is
};

struct TakenPart {
    std::string name;
    std::filesystem::path path;
    std::uint64_t size = 0;
};

struct TakeResult {
    std::vector<TakenPart> taken;
    /// Written under another name, because the name is the same as another but for case, or not allowed on all systems.
    std::vector<std::pair<std::string, std::string>> renamed;
    std::vector<std::string> encrypted{};                        ///< and so not taken
    std::vector<std::string> links{};                            ///< which have no content of their own
    std::vector<std::pair<std::string, std::string>> damaged{};  ///< not taken, and why
    std::uint64_t in_form2 = 0;  ///< of a disc, in sectors with more than the 2048 bytes of each that were taken
};

/// Writes parts out as files, all of them or none; what is damaged alone is left out, and told. Names come from
/// strangers, so none leads out of the folder or is one that a system refuses. Throws Error(usage) where there is no
/// such part, and what extracting and writing throw.
HOTSTITCH_EXPORT TakeResult take_parts(const TakeRequest& request, const WorkOptions& options = {});
/// One part into a sink.
HOTSTITCH_EXPORT Part take_part(const std::string& address, ByteSink& out, const WorkOptions& options = {},
                                bool stored = false);

/// A disc with a table of files, laid out anew from a folder with "sys/" and "files/" (disc.h, disc_from_files).
struct FolderDisc {
    InputFile begin;    ///< the file in the folder that the disc begins with
    ChangeList change;  ///< of that file: it makes the whole disc
    std::uint64_t files = 0, size = 0;
    std::vector<std::filesystem::path> read{};  ///< the folder's files
};
/// `instead`: puts and removals: files by their paths that are taken in place of those in the folder, beside them, or
/// left out. Throws what disc_from_files() throws, and Error(io).
HOTSTITCH_EXPORT FolderDisc disc_of_folder(const std::filesystem::path& folder, const std::vector<Step>& instead,
                                           const WorkOptions& work = {});

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// What a part is, or how it compares with the other file's.
HOTSTITCH_EXPORT std::string words_for(const ListedPart& part);

}  // namespace hotstitch
