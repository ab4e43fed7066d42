// SPDX-License-Identifier: MIT
// Receipts on disk: where they lie, what they name, whether the files still are what they say.
#pragma once

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"

namespace hotstitch {

/// "OUTPUT.reverse.bps", further ones "OUTPUT.reverse-2.bps" …
std::filesystem::path reverse_path(const std::filesystem::path& output, int number = 1);
bool is_reverse_name(std::string_view name, std::string_view output);

/// The receipt that stands beside an output by now; nothing when there is none. Throws Error(exists) when something
/// else stands there, a link or a receipt of another file included: that is never replaced.
std::optional<Receipt> receipt_beside(const std::filesystem::path& output);

/// Links followed as far as there is something. Throws Error(io).
std::filesystem::path really_absolute(const std::filesystem::path& path);

/// A backup or reverse patch, which has to lie beside the output. Throws Error(damaged) for any other place: a
/// receipt may come from anybody.
std::filesystem::path path_beside(const std::string& name, const std::filesystem::path& folder);

/// Throws Error(`code`), saying what differs, when the file is not as wanted.
void must_be(const std::filesystem::path& path, const Digests& wanted, ErrorCode code, const std::string& message,
             const std::string& hint, const Progress& progress);

/// By what a file that was put into place is known again.
FileIdentity identity_of(const FileStamp& stamp);
/// The same of a folder; nothing where there is none.
std::optional<FileIdentity> identity_of_folder(const std::filesystem::path& folder);

/// Size, CRC-32, and SHA-256 where the receipt has it: up to 1 MiB or when `all`. Where `known` has them all, nothing
/// is read.
DigestChoice receipt_choice(std::uint64_t size, bool all) noexcept;
Digests receipt_digests(const ByteSource& file, bool all, const Progress& progress, const Digests& known = {});

std::vector<DigestMismatch> compare_file(const InputFile& file, const Digests& wanted, const Progress& progress);

/// What the way back goes on with after a change of a file in its place: `present` is what its receipt said until now.
std::vector<Receipt> earlier_receipts(const std::optional<Receipt>& present, const Receipt& now);

/// The receipt of the change before the last one, which this one tells of. REQUIRES that there is one.
Receipt receipt_before(const Receipt& receipt);

/// "2026-11-23T09:41:00Z"
std::string time_now();

/// A path as a receipt in `folder` names it: relative to that, where it can be.
std::string path_for_receipt(const std::filesystem::path& path, const std::filesystem::path& folder);

/// The file that a mend names, "add-segment=FILE@ADDRESS", under the name that `rename` gives it.
void rename_file(std::string& mend, const std::function<std::string(const std::string&)>& rename);

/// A file as a receipt in `folder` names it.
ReceiptFile receipt_file(const InputFile& file, const std::filesystem::path& folder, bool all_digests,
                         const Progress& progress, const Digests& known = {});

}  // namespace hotstitch
