// SPDX-License-Identifier: MIT
// The one way by which anything reaches the disk: files and folders that appear together or not at all, and a file or
// folder that is changed in its own place.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/file_io.h"
#include "hotstitch/limits.h"

namespace hotstitch {

class HOTSTITCH_EXPORT Transaction {
public:
    explicit Transaction(Progress progress = {});
    ~Transaction();
    Transaction(const Transaction&) = delete;
    Transaction& operator=(const Transaction&) = delete;

    /// A file, to be written by the caller. The first one gets into its place last. Throws as OutputFile does. The
    /// reference lives as long as this.
    OutputFile& file(const std::filesystem::path& path, const OutputOptions& options = {});
    /// A folder, to be filled by the caller. Throws as OutputFolder does.
    OutputFolder& folder(const std::filesystem::path& path, Replace replace, std::optional<FolderStamps> as_seen = {});
    /// Takes one out again; nothing of it is left.
    void withdraw(const OutputFile& file) noexcept;
    void withdraw(const OutputFolder& folder) noexcept;

    /// A file, or a folder, changed in its own place, at once: what it overwrites is kept in a journal or a folder,
    /// which is returned (change_in_place, change_folder in file_io.h). What else there is appears with commit(), after
    /// that: stopped in between, the journal alone is the way back.
    std::optional<std::filesystem::path> in_place(const InputFile& file, const ChangeList& change,
                                                  const std::vector<std::string>& what, bool keep);
    std::filesystem::path in_place(const std::filesystem::path& folder, const std::vector<FolderChange>& changes,
                                   const std::function<std::string()>& receipt);

    /// Everything is flushed, then gets into its place, folders first; should one of them fail, those before it are
    /// taken back. Throws as OutputFile::commit() and OutputFolder::flush() do.
    void commit();

    /// What became of a folder that was replaced. REQUIRES commit().
    struct Replaced {
        std::optional<std::filesystem::path> backup{};  ///< that is there
        bool written_into = false;  ///< something was, meanwhile: the backup was not wanted and stays
    };
    Replaced replaced_by(const OutputFolder& folder) const;

private:
    struct Folder {
        OutputFolder output;
        Replace replace{};
        Replaced replaced{};
    };
    Progress progress_;
    OutputSet files_;
    std::vector<std::unique_ptr<Folder>> folders_;
};

/// What stands in its place by now.
struct WrittenFile {
    std::filesystem::path path{};
    std::optional<std::filesystem::path> backup{};
    bool stood_already = false;  ///< the very bytes were there: nothing was touched
    std::uint64_t size = 0;      ///< bytes
};

/// One file: written, and put into its place. Throws what `write` and OutputFile throw.
HOTSTITCH_EXPORT WrittenFile write_file(const std::filesystem::path& path, const OutputOptions& options,
                                        const std::function<void(ByteSink&)>& write, const Progress& progress = {});
/// The same of a text.
HOTSTITCH_EXPORT WrittenFile write_file(const std::filesystem::path& path, const OutputOptions& options,
                                        std::string_view text, const Progress& progress = {});

}  // namespace hotstitch
