// SPDX-License-Identifier: MIT
// Tested by tests/job/receipt_test.cc.
#include "job/receipts.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <ctime>

#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "job/sheets.h"

namespace hotstitch {

namespace fs = std::filesystem;

fs::path receipt_path(const fs::path& output) {
    return fs::path(output).concat(".receipt.json");
}
fs::path reverse_path(const fs::path& output, int number) {
    return fs::path(output).concat(number == 1 ? ".reverse.bps" : fmt::format(".reverse-{}.bps", number));
}
bool is_reverse_name(std::string_view name, std::string_view output) {
    constexpr std::string_view begin = ".reverse", end = ".bps";
    if (!name.starts_with(output) || !name.substr(output.size()).starts_with(begin) || !name.ends_with(end))
        return false;
    name.remove_prefix(output.size() + begin.size());
    name.remove_suffix(std::min(name.size(), end.size()));
    return name.empty() ||
           (name.size() > 1 && name[0] == '-' && name.find_first_not_of("0123456789", 1) == std::string_view::npos);
}

Receipt read_receipt(const fs::path& receipt) {
    std::error_code code;
    if (!fs::exists(receipt, code))
        throw Error(ErrorCode::io, fmt::format("there is no receipt {}", receipt.string()))
            .as(ErrorId::no_receipt)
            .hint("only what was made with a receipt has one; what a UPS patch made can be undone by that patch");
    const InputFile file = InputFile::record(receipt);
    return receipt_from_json(text_of(file.bytes()));
}

fs::path really_absolute(const fs::path& path) {
    std::error_code code;
    fs::path absolute = fs::absolute(path, code);
    if (!code) absolute = fs::weakly_canonical(absolute, code);
    if (code) throw Error(ErrorCode::io, fmt::format("cannot find the place of {}: {}", path.string(), code.message()));
    return absolute;
}

fs::path file_of_receipt(const fs::path& named) {
    const fs::path file = really_absolute(named);
    std::error_code code;
    if (!fs::is_regular_file(file, code) || fs::exists(receipt_path(file), code)) return file;
    try {
        const InputFile opened = InputFile::regular(file);
        if (const auto sheet = sheet_in(opened)) return really_absolute(open_by_sheet(opened, *sheet, {}, {}).path());
    } catch (const Error& error) {  // a sheet whose files are not there leads nowhere
        if (error.code() == ErrorCode::cancelled) throw;
    }
    return file;
}

std::string path_for_receipt(const fs::path& path, const fs::path& folder) {
    const fs::path absolute = really_absolute(path), relative = absolute.lexically_relative(really_absolute(folder));
    return (relative.empty() ? absolute : relative).string();
}

void rename_file(std::string& mend, const std::function<std::string(const std::string&)>& rename) {
    const std::size_t equals = mend.find('='), at = mend.rfind('@');
    if (equals == std::string::npos || at == std::string::npos || at < equals) return;
    mend.replace(equals + 1, at - equals - 1, rename(mend.substr(equals + 1, at - equals - 1)));
}

/// Empty for what came through a pipe: it cannot be found again.
static std::string path_in_receipt(const InputFile& file, const fs::path& folder) {
    std::error_code code;
    if (!file.stamp() && !fs::is_block_file(file.path(), code)) return {};
    return path_for_receipt(file.origin(), folder);
}

fs::path path_from_receipt(const std::string& path, const fs::path& folder) {
    return (folder / path).lexically_normal();
}

fs::path path_beside(const std::string& name, const fs::path& folder) {
    if (name.empty() || fs::path(name).has_parent_path() || name == "..")
        throw Error(ErrorCode::damaged, "the receipt names a file outside its folder").in("backup").found(name);
    return folder / name;
}

void must_be(const fs::path& path, const Digests& wanted, ErrorCode code, const std::string& message,
             const std::string& hint, const Progress& progress) {
    for (const DigestMismatch& m : compare_file(path, wanted, progress))
        throw Error(code, message).in(m.name).wanted(m.wanted).found(m.found).hint(hint);
}

FileIdentity identity_of(const FileStamp& stamp) {
    return {stamp.inode, stamp.modified};
}

DigestChoice receipt_choice(std::uint64_t size, bool all) noexcept {
    // SHA-256 takes many times as long as all else; CRC-32, size and identity know the file again.
    constexpr std::uint64_t most = std::uint64_t{1} << 20;
    return available({.crc32 = true, .sha256 = all || size <= most});
}

Digests receipt_digests(const ByteSource& file, bool all, const Progress& progress, const Digests& known) {
    const DigestChoice choice = receipt_choice(file.size(), all);
    if (!known.crc32 || (choice.sha256 && !known.sha256)) return digest(file, choice, progress);
    return {.size = file.size(), .crc32 = known.crc32, .sha256 = choice.sha256 ? known.sha256 : std::nullopt};
}

std::vector<DigestMismatch> compare_file(const fs::path& path, const Digests& wanted, const Progress& progress) {
    WorkOptions options;
    options.progress = progress;
    try {
        // A sheet that was made is meant itself, not the disc that it stands for.
        std::error_code code;
        const fs::file_status status = fs::status(path, code);
        if (fs::exists(status) && !fs::is_regular_file(status))  // which may keep one waiting
            throw Error(ErrorCode::io, fmt::format("{} is no file", path.string()));
        if (fs::is_regular_file(status))
            if (const InputFile file = InputFile::regular(path, options.limits, progress); sheet_in(file))
                return compare_file(file, wanted, progress);
        return compare_file(open_file(path.string(), options), wanted, progress);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        return {{"file", path.string(), error.what()}};
    }
}

std::vector<DigestMismatch> compare_file(const InputFile& file, const Digests& wanted, const Progress& progress) {
    return compare(wanted, digest(file, choice_for(wanted), progress));
}

std::optional<FileIdentity> identity_of_folder(const fs::path& folder) {
    const auto stamp = stamp_of_folder(folder);
    return stamp ? std::optional(identity_of(*stamp)) : std::nullopt;
}

std::vector<Receipt> earlier_receipts(const std::optional<Receipt>& present, const Receipt& now) {
    if (!present) return {};
    std::vector<Receipt> all = present->before;
    // A receipt of a change that was stopped before it was done: the file is still what it was made of.
    const bool undone = present->in_place && !present->sources.empty() &&
                        compare(present->source().file.digests, now.source().file.digests).empty() &&
                        !compare(present->target().file.digests, now.source().file.digests).empty();
    if (undone) return all;
    all.insert(all.begin(), *present);
    all.front().before.clear();
    return all;
}

Receipt receipt_before(const Receipt& receipt) {
    Receipt earlier = receipt.before.front();
    earlier.before.assign(receipt.before.begin() + 1, receipt.before.end());
    return earlier;
}

std::string time_now() {
    const std::time_t now = std::time(nullptr);
    return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(now));
}

ReceiptFile receipt_file(const InputFile& file, const fs::path& folder, bool all_digests, const Progress& progress,
                         const Digests& known) {
    return {path_in_receipt(file, folder), receipt_digests(file, all_digests, progress, known)};
}

std::optional<Receipt> receipt_beside(const fs::path& output) {
    const fs::path path = receipt_path(output);
    std::error_code code;
    const fs::file_status status = fs::symlink_status(path, code);
    if (code == std::errc::filename_too_long)
        throw Error(ErrorCode::usage, "the receipt's name would be too long for the file system")
            .as(ErrorId::receipt_name_too_long)
            .found(fmt::format("{}: {}", counted(path.filename().native().size(), "byte", "bytes"),
                               path.filename().string()))
            .hint("choose a shorter name for the output, or leave no receipt");
    if (status.type() == fs::file_type::not_found) return std::nullopt;
    try {
        if (fs::is_regular_file(status)) {
            Receipt receipt = read_receipt(path);
            if (receipt.target().file.path == output.filename().string()) return receipt;
        }
    } catch (const Error&) {  // damaged or not readable: not ours to replace
    }
    throw Error(ErrorCode::exists, fmt::format("something else stands where the receipt goes: {}", path.string()))
        .as(ErrorId::receipt_place_taken)
        .hint("move it away, or leave no receipt");
}

}  // namespace hotstitch
