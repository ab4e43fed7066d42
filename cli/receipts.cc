// SPDX-License-Identifier: MIT
#include "receipts.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include "hotstitch/error.h"
#include "render/escape.h"
#include "unpacking.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

fs::path receipt_path(const fs::path& output) {
    return fs::path(output).concat(".receipt.json");
}
fs::path reverse_path(const fs::path& output) {
    return fs::path(output).concat(".reverse.bps");
}

Receipt read_receipt(const fs::path& receipt) {
    if (!fs::exists(receipt))
        throw Error(ErrorCode::io, fmt::format("there is no receipt {}", receipt.string()))
            .hint("only what apply made without --no-receipt has one; a UPS patch can be undone without: name it");
    const InputFile file(receipt);
    return receipt_from_json(text_of(file.bytes()));
}

std::string path_in_receipt(const fs::path& path, const fs::path& folder) {
    const fs::path absolute = fs::weakly_canonical(fs::absolute(path));
    const fs::path relative = absolute.lexically_relative(fs::weakly_canonical(fs::absolute(folder)));
    return (relative.empty() ? absolute : relative).string();
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

Digests receipt_digests(const ByteSource& file, bool all, const Progress& progress) {
    constexpr std::uint64_t most = std::uint64_t{64} << 20;
    return digest(file, available({.crc32 = true, .sha256 = all || file.size() <= most}), progress);
}

std::vector<DigestMismatch> compare_file(const fs::path& path, const Digests& wanted, const Progress& progress) {
    Context context;
    context.progress = progress;
    try {
        const InputFile file = open_or_unpack(path.string(), context);
        return compare(wanted, digest(file, choice_for(wanted), progress));
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        return {{"file", path.string(), error.what()}};
    }
}

std::string time_now() {
    const std::time_t now = std::time(nullptr);
    return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(now));
}

ReceiptFile receipt_file(const InputFile& file, const fs::path& folder, bool all_digests, const Progress& progress) {
    return {as_utf8(path_in_receipt(file.origin(), folder)), receipt_digests(file, all_digests, progress)};
}

namespace {

bool is_receipt(const fs::path& path) {
    try {
        read_receipt(path);
        return true;
    } catch (const Error&) {
        return false;
    }
}

}  // namespace

void write_receipt(const Receipt& receipt, const fs::path& output, Report& report) {
    const fs::path path = receipt_path(output);
    try {
        OutputFile out(path, {is_receipt(path) ? Replace::without_backup : Replace::keep_backup, {}});
        out.write(bytes_of(receipt_to_json(receipt)));
        out.commit();
        report.fact("receipt", "receipt", escaped(path.string()), as_utf8(path.string()));
    } catch (const Error& error) {
        report.warn(fmt::format("the output is made, but not its receipt, so undo will not know it: {}",
                                escaped(error.what())));
    }
}

}  // namespace hotstitch::cli
