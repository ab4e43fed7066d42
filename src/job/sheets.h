// SPDX-License-Identifier: MIT
// Cue sheets on the disk: the files they name, and what is opened by them.
#pragma once

#include "hotstitch/delivery.h"
#include "hotstitch/disc.h"
#include "hotstitch/inputs.h"
#include "hotstitch/part.h"

namespace hotstitch {

/// The sheet that a file is; nothing: it is none. Throws what reading it throws.
std::optional<CueSheet> sheet_in(const InputFile& file);

/// Where a file of the sheet lies: beside it, in upper or lower case. Throws Error(refused) for a name that leads out
/// of the sheet's folder, Error(io) where there is none.
std::filesystem::path file_of_sheet(const std::filesystem::path& sheet, const CueSheet& read, std::size_t file);

/// The file that the sheet stands for: the one its only data track lies in. `address`: in the disc, whose track
/// may lie in another one.
InputFile open_by_sheet(const InputFile& sheet, const CueSheet& read, const Address& address, const WorkOptions& work);

/// Where a disc goes that a sheet stands for: its file, and the sheet beside it. Both empty: the output is no sheet.
struct SheetOutput {
    std::filesystem::path sheet{}, file{};
};
/// `typed`: "OUT.cue" or a folder, for a file that was opened by a sheet.
SheetOutput sheet_output(const InputFile& source, const std::string& typed);
/// The sheet with the file's new name in it and, where they do not lie there already, the sheet's other files.
void write_sheet(const InputFile& source, const SheetOutput& output, Replace replace, Delivery& delivery);
/// The text of a sheet that names `file`, naming it `name`; nothing: it does not name it. Throws Error(io, damaged).
std::optional<std::string> sheet_naming(const std::filesystem::path& sheet, const std::filesystem::path& file,
                                        const std::string& name);

/// How a file is opened that a sheet may have named.
OpenOutermost tracks_of(const InputFile& file, const WorkOptions& work);

/// The parts of a file; of a file that a sheet has named, the sheet's tracks too.
std::unique_ptr<Container> open_with_tracks(const InputFile& file, const ByteSource& content, const WorkOptions& work);

}  // namespace hotstitch
