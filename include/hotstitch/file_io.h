// SPDX-License-Identifier: MIT
// Files as sources and sinks: mapped input, all-or-nothing output. The only header with paths.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

class Descriptor;

/// Which file stands at a path, and in which state. Survives renaming, not copying: who copied it made another file.
struct FileStamp {
    std::uint64_t device = 0, inode = 0;
    std::uint64_t size = 0;     ///< bytes
    std::int64_t modified = 0;  ///< nanoseconds since 1970, UTC

    bool is_same_file(const FileStamp& other) const noexcept { return device == other.device && inode == other.inode; }
    bool operator==(const FileStamp&) const = default;
};

/// Of the regular file at the path, links followed; nothing where there is none.
HOTSTITCH_EXPORT std::optional<FileStamp> stamp_of(const std::filesystem::path& path) noexcept;

/// A file, block device or mounted disc opened for reading. Regular files and devices are memory-mapped;
/// a file that shrinks or fails while it is read makes check_intact() throw instead of ending the process.
/// Pipes and the like are read into memory, as far as Limits::stream allows.
class HOTSTITCH_EXPORT InputFile final : public ByteSource {
public:
    /// Throws Error(io), Error(usage) for a folder; for a pipe or device Error(limit), and Error(cancelled) while it
    /// is opened or read.
    explicit InputFile(const std::filesystem::path& path, const Limits& limits = {}, const Progress& progress = {});
    /// The same of a regular file alone, which never keeps one waiting: for what is found by looking for it and not
    /// named for reading. Throws Error(usage) for anything else.
    static InputFile regular(const std::filesystem::path& path, const Limits& limits = {},
                             const Progress& progress = {});
    /// One of our own records (a receipt, a journal, a list): a regular file that stands there itself. Throws
    /// Error(refused) for a link, which may lead anywhere, and for anything else.
    static InputFile record(const std::filesystem::path& path);
    /// Reads an open descriptor, for example standard input, to its end. Does not close it. Throws as above.
    static InputFile from_descriptor(int descriptor, std::string name, const Limits& limits = {},
                                     const Progress& progress = {});
    /// A part of a file, in an unnamed temporary file that `extract` writes. Its path is the part's name beside the
    /// file or, where that is empty, the file's without its last extension; is_same_file asks about the file.
    /// Throws what `extract` throws.
    static InputFile part(const InputFile& file, std::string_view name, const std::function<void(ByteSink&)>& extract);
    /// A part that stands in the file as it is, without a copy; keeps the file open. REQUIRES that `bytes` is a view of
    /// the file's content.
    static InputFile slice(const InputFile& file, std::string_view name, ByteView bytes);

    /// What a file stands for, computed while it is read; keeps the file open. `name`: beside the file. Its origin is
    /// "FILE:content".
    static InputFile computed(const InputFile& file, std::string_view name, SharedSource source);
    /// Such a file once it is written out, into an unnamed temporary file.
    static InputFile written_out(const InputFile& computed);
    /// The same bytes, kept open by the result.
    static SharedSource shared(const InputFile& file);

    ~InputFile() override;
    InputFile(InputFile&&) noexcept;
    InputFile& operator=(InputFile&&) noexcept;

    std::uint64_t size() const noexcept override;
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    std::optional<ByteView> whole() const noexcept override;
    void check_intact() const override;

    /// The whole content; lives as long as this object. Empty for what is computed. Where a file could not be mapped
    /// (little address space, some file systems) it is read into memory for this: large files are read as a source.
    /// Throws Error(io), std::bad_alloc.
    ByteView bytes() const;
    const std::filesystem::path& path() const noexcept;
    /// Where it was named or, for what was unpacked, "ARCHIVE:MEMBER".
    const std::string& origin() const noexcept;
    /// The cue sheet that named this file, where it was opened by one; empty: none.
    const std::filesystem::path& sheet() const noexcept;
    void set_sheet(std::filesystem::path path);
    /// Whether it came out of an archive, or is a part of another file.
    bool is_unpacked() const noexcept;
    /// Whether it is made by computed().
    bool is_computed() const noexcept;
    /// The file that it stands for, as it was handed in. REQUIRES is_computed().
    InputFile computed_from() const;
    /// Whether `path` names the same file as this one, through links too.
    bool is_same_file(const std::filesystem::path& path) const noexcept;
    /// The file as it was when it was opened; nothing for pipes. Of what was unpacked: the archive's.
    std::optional<FileStamp> stamp() const noexcept;

private:
    struct State;
    explicit InputFile(std::shared_ptr<State> state) noexcept;
    static std::shared_ptr<State> opened(Descriptor descriptor, const std::filesystem::path& path, const Limits& limits,
                                         const Progress& progress);
    static std::shared_ptr<State> state_of_part(const InputFile& file, std::string_view name);
    std::shared_ptr<State> state_;
};

enum class Replace {
    never,        ///< an existing file with other content is an error
    keep_backup,  ///< the old file stays beside it under a dated name
    without_backup,
};

struct OutputOptions {
    Replace replace = Replace::never;
    /// A new file may be executed by those who may execute this one.
    std::optional<std::filesystem::path> executable_like = {};
    /// The file to be replaced as it was when it was read. When another program changed it meanwhile, it stays.
    std::optional<FileStamp> read_as = {};
};

/// A file that appears whole or not at all: written beside its place under a temporary name
/// (".NAME.XXXXXX.hotstitch-tmp"), flushed and renamed by commit(). Destroyed uncommitted, it leaves nothing, not even
/// the folders that were made for it. A symbolic link is followed, not replaced.
///
/// While the object lives, other processes of this library that want to write the same path are refused (an advisory
/// lock). What a killed process has left beside the path is cleaned up. The path itself names the old or the new
/// content at every moment.
class HOTSTITCH_EXPORT OutputFile final : public ByteSink {
public:
    /// Settles and tries all names. Throws Error(usage) when the path is a folder or device or a name would be too
    /// long for the file system; Error(io), also when another process writes there or `read_as` no longer holds.
    explicit OutputFile(const std::filesystem::path& path, const OutputOptions& options = {});
    ~OutputFile() override;
    OutputFile(OutputFile&&) noexcept;
    OutputFile& operator=(OutputFile&&) noexcept;

    void reserve(std::uint64_t size) override;
    void write(ByteView bytes) override;
    void clear() override;
    void read_back(std::uint64_t offset, MutableByteView into) const override;
    std::optional<ByteView> written() override;
    std::uint64_t written_size() const override;

    /// Nothing more will be written. Returns the stamp that the file will have in its place. Throws Error(io).
    FileStamp settle();

    /// Whether the very bytes written stand at the path already and are not to be replaced: then commit() leaves them
    /// as they are. Settles.
    bool stands_already();

    /// Gives the file that will be replaced its second, dated name, which nobody else has, and returns it; nothing when
    /// no backup is wanted or needed. Called by commit() at the latest. Throws Error(io).
    std::optional<std::filesystem::path> keep_backup();

    /// Flushes to the disk and puts the file in its place; a replaced file's mode bits and times are kept.
    /// Returns the backup's path, if one was made. Throws Error(exists) for a file with other content that may not be
    /// replaced; Error(io), also when what should be replaced has changed; Error(cancelled) before anything is changed.
    std::optional<std::filesystem::path> commit(const Progress& progress = {});

    /// Absolute, links followed.
    const std::filesystem::path& path() const noexcept;
    /// Folders that were made for it, the outermost first.
    const std::vector<std::filesystem::path>& made_folders() const noexcept;

private:
    friend class OutputSet;
    struct State;
    std::unique_ptr<State> state_;
};

/// Files that appear together or not at all: an output and what tells of it. Should one of them fail to get into its
/// place, those before it are taken back. Killed in the middle, what describes the first file stands there and the
/// first file does not; the same work done again then goes through.
class HOTSTITCH_EXPORT OutputSet {
public:
    OutputSet() noexcept;
    ~OutputSet();
    OutputSet(OutputSet&&) noexcept;
    OutputSet& operator=(OutputSet&&) noexcept;

    /// Adds a file, to be written by the caller. The first one added gets into its place last. Throws as OutputFile
    /// does. The reference lives as long as the set.
    OutputFile& add(const std::filesystem::path& path, const OutputOptions& options = {});

    /// Takes a file out of the set again; nothing of it is left.
    void withdraw(const OutputFile& file) noexcept;

    /// As OutputFile::commit, for all.
    void commit(const Progress& progress = {});

private:
    friend class OutputFile;
    static void commit_together(const std::vector<OutputFile*>& files, const Progress& progress);
    std::vector<std::unique_ptr<OutputFile>> files_;
};

/// What lies below a folder, by name with '/': which file, its size and when it was changed; of a folder only which.
using FolderStamps = std::map<std::string, FileStamp>;
/// Links are not followed. Throws Error(io).
HOTSTITCH_EXPORT FolderStamps stamps_below(const std::filesystem::path& folder);

/// A folder that appears whole or not at all: filled beside its place under a temporary name, flushed, and brought
/// there by one rename. Destroyed before finish(), it leaves nothing. Names are paths below it, with '/'. All throw
/// Error(io).
class HOTSTITCH_EXPORT OutputFolder {
public:
    /// `as_seen`: what the folder that it replaces held when it was found that it may go. Throws Error(usage) when the
    /// path is a file.
    OutputFolder(const std::filesystem::path& path, Replace replace, std::optional<FolderStamps> as_seen = {});
    ~OutputFolder();
    OutputFolder(OutputFolder&&) noexcept;
    OutputFolder& operator=(OutputFolder&&) noexcept;

    void add_folder(const std::string& name);
    void add_link(const std::string& name, const std::string& to);
    void add_file(const std::string& name, bool executable, const std::function<void(ByteSink&)>& write);

    /// Whether a folder with the very same content stands there: then it is left as it is.
    bool stands_already();
    /// The name that the folder which will be replaced is going to have; nothing when no backup is wanted or needed.
    std::optional<std::filesystem::path> keep_backup();
    /// Everything is on the disk then. Throws Error(exists) for a folder with other content that may not be replaced.
    void flush();
    /// Puts it into its place; a folder that was there gets a backup's name, which is returned.
    std::optional<std::filesystem::path> place();
    /// After place(), when something else failed: as it was before.
    void take_back() noexcept;
    /// It stays. A backup that is not wanted is removed, but where it is no longer as it was seen: that is returned,
    /// and stays.
    std::optional<std::filesystem::path> finish() noexcept;
    /// Folders above it that were made for it, the outermost first.
    const std::vector<std::filesystem::path>& made_folders() const noexcept;
    /// By which the folder is known again where it will stand. Nothing more will be added.
    FileStamp settle() const;
    /// Absolute, links followed.
    const std::filesystem::path& path() const noexcept;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Many files that appear together or not at all, each in a place of its own. Filled in a temporary folder where they
/// will stand, and brought to the disk by one flush. Destroyed uncommitted, it leaves nothing.
class HOTSTITCH_EXPORT OutputTree {
public:
    explicit OutputTree(Replace replace = Replace::never);
    ~OutputTree();
    OutputTree(const OutputTree&) = delete;
    OutputTree& operator=(const OutputTree&) = delete;

    /// A file in `folder`, which is made where it is missing, or below it. Returns where it will stand: absolute, links
    /// followed. REQUIRES that all below a folder lies on its file system. Throws Error(usage) for a place that
    /// another has, Error(io), and what `write` throws; the file is then not among them.
    std::filesystem::path add(const std::filesystem::path& folder, const std::filesystem::path& name,
                              const std::function<void(ByteSink&)>& write);

    /// Throws Error(exists) for a file with other content that may not be replaced, Error(usage) for a folder in a
    /// file's place, Error(io); all is as it was before then.
    void commit();

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// While it lives, other processes of this library that want the same folder are refused (an advisory lock).
class HOTSTITCH_EXPORT FolderLock {
public:
    /// Throws Error(io), saying who holds the lock already; Error(refused) for a link.
    explicit FolderLock(const std::filesystem::path& folder);
    ~FolderLock();
    FolderLock(FolderLock&&) noexcept;
    FolderLock& operator=(FolderLock&&) noexcept;

private:
    std::unique_ptr<Descriptor> descriptor_;
};

/// Throws Error(refused) where `path` is a link, or a folder on the way to it below `folder` or that folder itself is:
/// what a record names lies below its own folder, and nowhere else.
HOTSTITCH_EXPORT void refuse_links(const std::filesystem::path& folder, const std::filesystem::path& path);

/// The file or folder gets a backup's name, which is returned: of itself, or of `as` in another folder of the same file
/// system. Throws Error(io).
HOTSTITCH_EXPORT std::filesystem::path set_aside_as_backup(const std::filesystem::path& path,
                                                           const std::filesystem::path& as = {});
/// The file has a second name from now on: the backup's of `as`, which is returned. A copy where the file system knows
/// no second names. Throws Error(io).
HOTSTITCH_EXPORT std::filesystem::path keep_as_backup(const std::filesystem::path& file,
                                                      const std::filesystem::path& as);
/// A folder with all that is in it: it is gone at once, whatever stops this. Throws Error(io), also where it is no
/// longer as it was seen: then it stays.
HOTSTITCH_EXPORT void remove_folder(const std::filesystem::path& folder, const FolderStamps& as_seen);
/// How many other names (hard links) a file has. A change in place is one of this name alone: whatever its size, such a
/// file is written anew, and the others keep what they had.
HOTSTITCH_EXPORT std::uint64_t other_names_of(const std::filesystem::path& file) noexcept;
/// Of a folder itself, no link; nothing where there is none.
HOTSTITCH_EXPORT std::optional<FileStamp> stamp_of_folder(const std::filesystem::path& path) noexcept;

/// What changes in a folder, path by path.
struct FolderChange {
    enum class What : std::uint8_t { replace, add, remove, add_folder, remove_folder, add_link } what{};
    std::string name;
    std::string to{};         ///< of a link
    bool executable = false;  ///< of a file that is new
    std::function<void(ByteSink&)> write{};
};

/// Changes a folder in its own place. New files are written beside it first; then old ones move into the way back
/// "FOLDER.undo-N.hotstitch", and the new ones take their places. Whatever stops this, undo_folder() brings everything
/// back. `receipt`: the text of receipt.json in the way back. Returns the way back. Throws Error(io), and what writing
/// throws.
HOTSTITCH_EXPORT std::filesystem::path change_folder(const std::filesystem::path& folder,
                                                     const std::vector<FolderChange>& changes,
                                                     const std::function<std::string()>& receipt,
                                                     const Progress& progress = {});

/// The way back of a folder's last change in place; `stopped`: of one that did not come to its end.
struct FolderWayBack {
    std::filesystem::path path;
    bool stopped = false;
    unsigned number = 0;  ///< N of "FOLDER.undo-N.hotstitch"
    /// By undo_folder(): what was changed since, and stands beside its name as a backup.
    std::vector<std::filesystem::path> kept{};
};
HOTSTITCH_EXPORT std::optional<FolderWayBack> way_back_of(const std::filesystem::path& folder);

/// What of a folder's last change in place is no longer as it was made: paths in it. Throws Error(io, damaged).
HOTSTITCH_EXPORT std::vector<std::string> changed_since(const std::filesystem::path& folder,
                                                        const Progress& progress = {});

/// Files that were changed, added and removed come back, go, and come back. Done again where it was stopped. What is no
/// longer as it was made moves into the folder `aside`; without one, that is Error(wrong_target), and nothing was
/// touched. Throws Error(io, damaged).
HOTSTITCH_EXPORT FolderWayBack undo_folder(const std::filesystem::path& folder, const Progress& progress = {},
                                           const std::filesystem::path& aside = {});

/// Removes temporary files that killed processes left for the output at this path. OutputFile does so itself.
HOTSTITCH_EXPORT void clear_leftovers(const std::filesystem::path& path) noexcept;
/// The same of all outputs in a folder that is ours alone; with `backups`, also those that are only a second name of
/// their file.
HOTSTITCH_EXPORT void clear_own_folder(const std::filesystem::path& folder, bool backups = true) noexcept;

/// Whether `name` is one that OutputFile gives to a backup of `file`, for example "kelp.sfc.2026-11-23-075141.backup".
HOTSTITCH_EXPORT bool is_backup_name(std::string_view name, std::string_view file);

/// Puts the backup in the place of `file`, if both still are as they were. What was replaced is gone or, when
/// `keep_replaced`, stands under a backup's name, which is returned. Throws Error(io).
HOTSTITCH_EXPORT std::optional<std::filesystem::path> put_backup_back(const std::filesystem::path& backup,
                                                                      const FileStamp& backup_was,
                                                                      const std::filesystem::path& file,
                                                                      const FileStamp& file_was, bool keep_replaced);

/// Two folders have each other's names from now on; false where the file system cannot do that at once. Throws
/// Error(io).
HOTSTITCH_EXPORT bool change_places(const std::filesystem::path& one, const std::filesystem::path& other);
/// The backup of a file or folder stands at its place again, which is free. Throws Error(io).
HOTSTITCH_EXPORT void put_back(const std::filesystem::path& backup, const std::filesystem::path& place);

/// Removes the file if it still is as it was; when `keep`, it only gets a backup's name, which is returned.
/// Throws Error(io).
HOTSTITCH_EXPORT std::optional<std::filesystem::path> remove_file(const std::filesystem::path& file,
                                                                  const FileStamp& was, bool keep);

/// What a change in place left of a file: the bytes that stood where it wrote.
struct Journal {
    std::filesystem::path path;
    bool finished = false;            ///< the change is done, and the journal is the way back; else it was stopped
    std::vector<std::string> what{};  ///< done to the file, as codes
    std::uint64_t size_before = 0, size_after = 0;  ///< of the file, in bytes
    std::uint64_t changed = 0;                      ///< bytes kept
};

/// "FILE.journal.hotstitch": stands there while a file is changed in place.
HOTSTITCH_EXPORT std::filesystem::path journal_path(const std::filesystem::path& file);

/// Whether a change can be written into its file: nothing that stays moves. Larger files are then not copied.
HOTSTITCH_EXPORT bool fits_in_place(const ChangeList& change) noexcept;

/// Changes a file in its own place. The bytes that go are kept in a journal, which is on the disk before the first one
/// is overwritten; in the end it becomes the way back, "FILE.undo-N.hotstitch", or is removed where `keep` is false.
/// Whatever stops this, undo_in_place() brings the file back. Returns the way back. Throws Error(usage) where
/// fits_in_place() is false; Error(io) when there is no room (the file is as it was then), when another process writes
/// it or it is no longer what was read; Error(cancelled) before anything is changed.
HOTSTITCH_EXPORT std::optional<std::filesystem::path> change_in_place(const InputFile& file, const ChangeList& change,
                                                                      const std::vector<std::string>& what, bool keep,
                                                                      const Progress& progress = {});

/// Throws Error(damaged) for a file whose change in place was stopped, Error(io) while another process makes one.
HOTSTITCH_EXPORT void check_finished(const std::filesystem::path& file);

/// The journal of a change that was stopped or, where there is none, of the last one that was finished, if the file is
/// still what that made. Throws Error(damaged) for a journal that is none.
HOTSTITCH_EXPORT std::optional<Journal> journal_of(const std::filesystem::path& file);

/// Puts back what the journal kept, and removes it. Stopped in between, it can be done again. Throws Error(damaged,
/// io, wrong_target); a finished change is undone only where the file still holds what it wrote.
HOTSTITCH_EXPORT Journal undo_in_place(const std::filesystem::path& file);

/// An unnamed temporary file, gone with this object: for output that has no place of its own.
class HOTSTITCH_EXPORT ScratchFile final : public ByteSink {
public:
    ScratchFile();
    /// In this folder, where what is made is as large as what lies there.
    explicit ScratchFile(const std::filesystem::path& folder);
    ~ScratchFile() override;
    ScratchFile(ScratchFile&&) noexcept;
    ScratchFile& operator=(ScratchFile&&) noexcept;
    void reserve(std::uint64_t size) override;
    void write(ByteView bytes) override;
    void clear() override;
    void read_back(std::uint64_t offset, MutableByteView into) const override;
    std::optional<ByteView> written() override;
    std::uint64_t written_size() const override;
    /// Writes everything to an open descriptor. Throws Error(io).
    void copy_to(int descriptor, const Progress& progress = {});

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace hotstitch
