// SPDX-License-Identifier: MIT
// Whole jobs on named fields: which maps are for a file, show its fields, hold two files against each other.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "hotstitch/edit_list.h"
#include "hotstitch/export.h"
#include "hotstitch/fields.h"
#include "hotstitch/inputs.h"
#include "hotstitch/map.h"

namespace hotstitch {

/// A map by its file; what it names lies in the same folder or below it. Throws what read_map() throws, Error(refused)
/// for a name that leads out of the folder, Error(io).
HOTSTITCH_EXPORT SharedMap read_map_file(const std::filesystem::path& path, const WorkOptions& options = {});

/// What ends the names of maps in a folder.
inline constexpr std::string_view map_extension = ".map.toml";

/// Maps that were named, and those in folders.
struct MapChoice {
    std::vector<std::string> files{};
    std::string folder{};  ///< all maps in it; empty: none
};
/// Of a folder, those that are broken are passed over, and told in `broken`. Throws what reading a named one throws.
HOTSTITCH_EXPORT std::shared_ptr<const Maps> maps_of(const MapChoice& choice, const WorkOptions& options,
                                                     std::vector<std::string>* broken = nullptr);

/// The limits with which a patch is opened: of an edit list, with the maps that it names and all others beside it, so
/// that its fields are found in whichever edition it is applied to. Throws what reading a map that it names throws.
HOTSTITCH_EXPORT Limits limits_for_patch(const InputFile& patch, const WorkOptions& options = {});

/// A file, or a part of one, whose fields are to be seen.
class HOTSTITCH_EXPORT FieldsJob {
public:
    /// `address`: "FILE" or "FILE:PART". The maps are those of the limits; where there are none, those beside the file.
    /// `other`: a job on the file that this one is compared with. Its maps serve, too, and where none is for this file
    /// (a changed copy has another checksum), those that it uses. It has to outlive this one.
    FieldsJob(const std::string& address, WorkOptions options, const FieldsJob* other = nullptr);
    ~FieldsJob();
    FieldsJob(FieldsJob&&) noexcept;

    const InputFile& file() const noexcept;      ///< that would be changed if a field were
    const std::string& inside() const noexcept;  ///< the address of the part in it; empty: all of it
    /// Maps that could not be read, for people; those beside the file only.
    const std::vector<std::string>& broken() const noexcept;

    /// Calls `use` with the fields, which live no longer than the call. Throws Error(wrong_source) where maps were
    /// named, or there is no header that is known, and no map is for this file, naming the nearest and why not;
    /// Error(usage) where there is no map at all.
    void with_fields(const std::function<void(const FileFields&)>& use) const;

    /// The fields that are asked for, in slices. Throws what with_fields(), show_each() and `use` throw, and
    /// Error(cancelled) between two slices.
    void show_each(const std::vector<std::string>& selectors, const std::function<void(const FieldTable&)>& use,
                   const FieldSlices& slices = {}) const;

    /// With the maps that were looked at.
    const Limits& limits() const noexcept;

    /// Titles of the maps in use, once with_fields() was called.
    const std::vector<std::string>& maps() const noexcept;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// What differs between the files of two jobs, as an edit list for the first: fields by their names where a map has
/// them, with the map's name, and all else at its offset, in the part that the job is about. Applied and compared
/// before it is handed out. Throws Error(usage) for more than a list holds, and where the sizes differ;
/// Error(wrong_target) where what a list can say does not make the one of the other.
HOTSTITCH_EXPORT EditList edits_for(const FieldComparison& comparison, const FileFields& fields,
                                    const FileFields& there, const FieldsJob& job);

}  // namespace hotstitch
