// SPDX-License-Identifier: MIT
// Files as sources and sinks: mapped input, all-or-nothing output. The only header with paths.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/progress.h"
#include "hotstitch/stream.h"

namespace hotstitch {

/// A file, block device or mounted disc opened for reading. Regular files and devices are memory-mapped;
/// a file that shrinks or fails while it is read makes check_intact() throw instead of ending the process.
/// Pipes and the like are read into memory.
class HOTSTITCH_EXPORT InputFile final : public ByteSource {
public:
    /// Throws Error(io), Error(usage) for a folder, Error(cancelled) while reading a pipe.
    explicit InputFile(const std::filesystem::path& path, const Progress& progress = {});
    /// Reads an open descriptor, for example standard input, to its end. Does not close it.
    static InputFile from_descriptor(int descriptor, std::string name, const Progress& progress = {});
    /// A file in an archive, unpacked into an unnamed temporary file. Its path is the member's name beside the
    /// archive; is_same_file asks about the archive. Throws what extract_member throws (archive.h).
    static InputFile unpacked(const InputFile& archive, std::string_view member, const Limits& limits = {},
                              const Progress& progress = {});
    ~InputFile() override;
    InputFile(InputFile&&) noexcept;
    InputFile& operator=(InputFile&&) noexcept;

    std::uint64_t size() const noexcept override;
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    std::optional<ByteView> whole() const noexcept override;
    void check_intact() const override;

    /// The whole content; lives as long as this object.
    ByteView bytes() const noexcept;
    const std::filesystem::path& path() const noexcept;
    /// Where it was named or, for what was unpacked, "ARCHIVE:MEMBER".
    const std::string& origin() const noexcept;
    /// Whether it came out of an archive.
    bool is_unpacked() const noexcept;
    /// Whether `path` names the same file as this one, through links too.
    bool is_same_file(const std::filesystem::path& path) const noexcept;

private:
    struct State;
    explicit InputFile(std::unique_ptr<State> state) noexcept;
    std::unique_ptr<State> state_;
};

enum class Replace {
    never,        ///< an existing file at the path is an error
    keep_backup,  ///< the old file stays beside it under a dated name
    without_backup,
};

struct OutputOptions {
    Replace replace = Replace::never;
    /// A new file may be executed by those who may execute this one.
    std::optional<std::filesystem::path> executable_like;
};

/// A file that appears whole or not at all: written beside its place under a temporary name
/// (".NAME.XXXXXX.hotstitch-tmp"), flushed and renamed by commit(). Destroyed uncommitted, it leaves nothing.
/// Missing folders of the path are made. A symbolic link is followed, not replaced.
class HOTSTITCH_EXPORT OutputFile final : public ByteSink {
public:
    /// Throws Error(usage) when the path is a folder or exists and may not be replaced, Error(io).
    explicit OutputFile(const std::filesystem::path& path, const OutputOptions& options = {});
    ~OutputFile() override;
    OutputFile(OutputFile&&) noexcept;
    OutputFile& operator=(OutputFile&&) noexcept;

    void reserve(std::uint64_t size) override;
    void write(ByteView bytes) override;
    void clear() override;
    void read_back(std::uint64_t offset, MutableByteView into) const override;
    std::optional<ByteView> written() override;

    /// Flushes to the disk and puts the file in its place; a replaced file's mode bits and times are kept.
    /// Returns the backup's path, if one was made. Throws Error(io), Error(usage) when meanwhile a file has
    /// appeared there; Error(cancelled) before anything is changed.
    std::optional<std::filesystem::path> commit(const Progress& progress = {});

    /// Absolute, links followed.
    const std::filesystem::path& path() const noexcept;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// An unnamed temporary file, gone with this object: for output that has no place of its own.
class HOTSTITCH_EXPORT ScratchFile final : public ByteSink {
public:
    ScratchFile();
    ~ScratchFile() override;
    ScratchFile(ScratchFile&&) noexcept;
    ScratchFile& operator=(ScratchFile&&) noexcept;
    void reserve(std::uint64_t size) override;
    void write(ByteView bytes) override;
    void clear() override;
    void read_back(std::uint64_t offset, MutableByteView into) const override;
    std::optional<ByteView> written() override;
    /// Writes everything to an open descriptor. Throws Error(io).
    void copy_to(int descriptor, const Progress& progress = {});

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace hotstitch
