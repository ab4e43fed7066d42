// SPDX-License-Identifier: MIT
// Receipts on disk: where they lie, what they name, whether the files still are what they say.
#pragma once

#include <filesystem>
#include <optional>

#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/file_io.h"
#include "hotstitch/receipt.h"

namespace hotstitch::cli {

/// "OUTPUT.receipt.json"
std::filesystem::path receipt_path(const std::filesystem::path& output);
/// "OUTPUT.reverse.bps", further ones "OUTPUT.reverse-2.bps" …
std::filesystem::path reverse_path(const std::filesystem::path& output, int number = 1);
bool is_reverse_name(std::string_view name, std::string_view output);

/// Reads the receipt of an output. Throws Error(io) when there is none, Error(damaged).
Receipt read_receipt(const std::filesystem::path& receipt);

/// The receipt that stands beside an output by now; nothing when there is none. Throws Error(exists) when something
/// else stands there, a link or a receipt of another file included: that is never replaced.
std::optional<Receipt> receipt_beside(const std::filesystem::path& output);

/// Links followed as far as there is something. Throws Error(io).
std::filesystem::path really_absolute(const std::filesystem::path& path);

/// `path` as it stands in a receipt in `folder`, and back.
std::string path_in_receipt(const std::filesystem::path& path, const std::filesystem::path& folder);
std::filesystem::path path_from_receipt(const std::string& path, const std::filesystem::path& folder);

/// A backup or reverse patch, which has to lie beside the output. Throws Error(damaged) for any other place: a
/// receipt may come from anybody.
std::filesystem::path path_beside(const std::string& name, const std::filesystem::path& folder);

/// Throws Error(wrong_target or wrong_source), saying what differs, when the file is not as wanted.
void must_be(const std::filesystem::path& path, const Digests& wanted, ErrorCode code, const std::string& message,
             const std::string& hint, const Progress& progress);

/// By what a file that was put into place is known again.
FileIdentity identity_of(const FileStamp& stamp);

/// Size, CRC-32, and SHA-256 up to 64 MiB or when `all`.
Digests receipt_digests(const ByteSource& file, bool all, const Progress& progress);

/// What of `wanted` the file at `path` is not; a missing file is one mismatch named "file".
std::vector<DigestMismatch> compare_file(const std::filesystem::path& path, const Digests& wanted,
                                         const Progress& progress);
std::vector<DigestMismatch> compare_file(const InputFile& file, const Digests& wanted, const Progress& progress);

/// "2026-11-23T09:41:00Z"
std::string time_now();

/// A file as a receipt in `folder` names it.
ReceiptFile receipt_file(const InputFile& file, const std::filesystem::path& folder, bool all_digests,
                         const Progress& progress);

}  // namespace hotstitch::cli
