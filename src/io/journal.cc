// SPDX-License-Identifier: MIT
// Changes in place. The order is what makes them safe: room for the new bytes; the old bytes and the checksums of both
// on the disk, under the journal's name; then the new bytes; then the journal's second name. docs/formats/journal.md.
// Tested by tests/cli/cli_disc_test.cc and, killed and failing at every step, tests/faults/faults_test.cc.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "base/meter.h"
#include "hotstitch/change_list.h"
#include "hotstitch/digest.h"
#include "hotstitch/file_io.h"
#include "io/file_writer.h"
#include "io/journal_format.h"
#include "io/locks.h"
#include "io/names.h"
#include "io/positioned.h"
#include "io/system_error.h"
#include "source/chunks.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view suffix = ".hotstitch";
constexpr std::size_t chunk = std::size_t{1} << 20;
constexpr int most_kept = 10'000;

/// CRC-32 of a stretch.
std::uint32_t crc_of(const ByteSource& source, std::uint64_t offset, std::uint64_t length) {
    return digest(SliceSource(borrowed(source), offset, length), {.crc32 = true}).crc32->value;
}

void write_at(int descriptor, ByteView bytes, std::uint64_t offset, const fs::path& path) {
    while (!bytes.empty()) {
        const ssize_t wrote = ::pwrite(descriptor, bytes.data(), bytes.size(), static_cast<off_t>(offset));
        if (wrote < 0 && errno == EINTR) continue;
        if (wrote < 0) throw system_error("write", path);
        bytes = bytes.subspan(static_cast<std::size_t>(wrote)), offset += static_cast<std::uint64_t>(wrote);
    }
}

void flush(int descriptor, const fs::path& path) {
    if (::fsync(descriptor) != 0) throw system_error("flush", path);
}

Descriptor opened_for_change(const fs::path& path) {
    Descriptor descriptor(::open(path.c_str(), O_RDWR | O_CLOEXEC));
    if (!descriptor) throw system_error("change", path);
    return descriptor;
}

/// What the journal kept is in the file again. Done twice, it does the same.
void restore(const JournalContent& content, const InputFile& journal, int descriptor, const fs::path& file) {
    std::uint64_t at = content.old_bytes;
    for (const JournalRange& range : content.ranges) {
        std::uint64_t to = range.offset;
        each_chunk(SliceSource(borrowed(journal), at, range.old_length), 1 << 20, [&](ByteView bytes) {
            write_at(descriptor, bytes, to, file);
            to += bytes.size();
        });
        at += range.old_length;
    }
    if (::ftruncate(descriptor, static_cast<off_t>(content.journal.size_before)) != 0) throw system_error("cut", file);
    flush(descriptor, file);
}

void remove_name(const fs::path& path) {
    if (::unlink(path.c_str()) != 0) throw system_error("remove", path);
    sync_folder(path.parent_path());
}

fs::path kept_path(const fs::path& file, int number) {
    return fs::path(file).concat(fmt::format(".undo-{}{}", number, suffix));
}

/// The number of the last journal kept; 0: none.
int last_kept(const fs::path& file) {
    int last = 0;
    std::error_code code;
    const std::string prefix = file.filename().string() + ".undo-";
    for (fs::directory_iterator entry(file.parent_path(), code), end; !code && entry != end; entry.increment(code)) {
        const std::string name = entry->path().filename().string();
        if (!name.starts_with(prefix) || !name.ends_with(suffix)) continue;
        int number = 0;
        const char* const stop = name.data() + name.size() - suffix.size();
        const auto [at, failure] = std::from_chars(name.data() + prefix.size(), stop, number);
        if (failure == std::errc{} && at == stop && number <= most_kept) last = std::max(last, number);
    }
    return last;
}

/// What lies close together is kept and written in one go.
std::vector<JournalRange> ranges_of(const ChangeList& change) {
    constexpr std::uint64_t close = 512;
    std::vector<JournalRange> ranges;
    for (const Splice& splice : change.splices()) {
        const std::uint64_t added = splice.added();
        const bool follows = !ranges.empty() && ranges.back().old_length == ranges.back().new_length;
        const std::uint64_t end = follows ? ranges.back().offset + ranges.back().old_length : 0;
        if (follows && splice.offset - end <= close) {
            ranges.back().old_length += splice.offset - end + splice.removed;
            ranges.back().new_length += splice.offset - end + added;
        } else {
            ranges.push_back({.offset = splice.offset, .old_length = splice.removed, .new_length = added});
        }
    }
    return ranges;
}

class InPlace {
public:
    InPlace(const InputFile& file, const ChangeList& change, const Progress& progress)
        : file_(file), path_(resolved(file.path())), made_(file, change), progress_(progress) {
        content_.journal.path = journal_path(path_);
        content_.journal.size_before = file.size(), content_.journal.size_after = change.result_size();
        content_.ranges = ranges_of(change);
    }

    std::optional<fs::path> run(const std::vector<std::string>& what, bool keep) {
        content_.journal.what = what;
        // The lock is the file's own, held as long as this descriptor is.
        const Descriptor lock = lock_file(path_);
        const Descriptor target = opened_for_change(path_);
        clear_leftovers(content_.journal.path);
        check_state();
        take_room(target.get());
        compute_checks();
        write_journal();
        try {
            write_new(target.get());
            if (keep) return keep_journal();
            remove_name(content_.journal.path);
        } catch (const Error&) {
            const InputFile journal = InputFile::record(content_.journal.path);
            restore(read_journal(journal), journal, target.get(), path_);
            remove_name(content_.journal.path);
            throw;
        }
        return std::nullopt;
    }

private:
    void check_state() {
        const auto now = stamp_of(path_);
        if (!now || now != file_.stamp())
            throw Error(ErrorCode::io, fmt::format("{} was changed by another program meanwhile", path_.string()))
                .hint("nothing was touched; wait until that program is done, then run this again");
        std::error_code code;
        if (fs::exists(content_.journal.path, code))
            throw Error(ErrorCode::damaged, fmt::format("an earlier change of {} was stopped", path_.string()))
                .as(ErrorId::stopped_in_place, path_.string())
                .hint("undo it first");
        content_.device = now->device, content_.inode = now->inode;
        if (last_kept(path_) >= most_kept)
            throw Error(ErrorCode::io, fmt::format("{} has more ways back than are kept", path_.string()))
                .hint("remove those that are no longer needed, then run this again");
        refuse_long_name(kept_path(path_, most_kept), "the journal", "give the file a shorter name");
    }

    /// A full disk is an error while nothing is changed: holes in the file and what lies past its end need room.
    void take_room(int descriptor) {
#ifdef FALLOC_FL_KEEP_SIZE
        for (const JournalRange& range : content_.ranges) {
            if (range.new_length == 0) continue;
            if (::fallocate(descriptor, FALLOC_FL_KEEP_SIZE, static_cast<off_t>(range.offset),
                            static_cast<off_t>(range.new_length)) == 0)
                continue;
            if (errno == ENOSPC || errno == EFBIG || errno == EDQUOT)
                throw no_room(path_, range.new_length, errno, false);
        }
#else
        static_cast<void>(descriptor);
#endif
    }

    void compute_checks() {
        for (JournalRange& range : content_.ranges) {
            range.old_crc = crc_of(file_, range.offset, range.old_length);
            range.new_crc = crc_of(made_, range.offset, range.new_length);
        }
        file_.check_intact();
        made_.check_intact();
    }

    void write_journal() {
        fs::path temporary;
        const Descriptor out = open_temporary(content_.journal.path, temporary);
        try {
            Digester crc(DigestChoice{.crc32 = true});
            const auto write = [&](ByteView bytes) {
                crc.update(bytes);
                write_all(out.get(), bytes, temporary);
            };
            write(journal_header(content_));
            for (const JournalRange& range : content_.ranges)
                each_chunk(SliceSource(borrowed(file_), range.offset, range.old_length), 1 << 20, write);
            Bytes end;
            put_journal_number(end, crc.finish().crc32->value, 4);
            write_all(out.get(), end, temporary);
            flush(out.get(), temporary);
            Meter(progress_, Phase::flushing, 0).finish();  // the last chance to stop
            if (!rename_to_new(temporary, content_.journal.path)) throw system_error("name", content_.journal.path);
        } catch (const Error&) {
            ::unlink(temporary.c_str());
            throw;
        }
        sync_folder(path_.parent_path());
    }

    void write_new(int descriptor) {
        Bytes scratch(chunk);
        for (const JournalRange& range : content_.ranges)
            for (std::uint64_t done = 0; done < range.new_length; done += scratch.size()) {
                const auto part =
                    static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), range.new_length - done));
                write_at(descriptor, made_.read(range.offset + done, part, scratch), range.offset + done, path_);
            }
        if (content_.journal.size_after < content_.journal.size_before &&
            ::ftruncate(descriptor, static_cast<off_t>(content_.journal.size_after)) != 0)
            throw system_error("cut", path_);
        flush(descriptor, path_);
        const PositionedSource present(descriptor, path_, size_of(descriptor, path_));
        for (const JournalRange& range : content_.ranges)
            if (crc_of(present, range.offset, range.new_length) != range.new_crc)
                throw Error(ErrorCode::io, fmt::format("{} does not hold what was written to it", path_.string()))
                    .at(range.offset)
                    .hint("the file was put back as it was; the disk may be failing");
    }

    fs::path keep_journal() {
        for (int next = last_kept(path_) + 1; next <= most_kept; ++next) {
            const fs::path kept = kept_path(path_, next);
            if (rename_to_new(content_.journal.path, kept)) return sync_folder(path_.parent_path()), kept;
            if (errno != EEXIST) throw system_error("name", kept);
        }
        throw Error(ErrorCode::io, fmt::format("{} has more ways back than are kept", path_.string()));
    }

    const InputFile& file_;
    const fs::path path_;
    const ChangedSource made_;
    const Progress& progress_;
    JournalContent content_;
};

/// Whether the file is what a finished journal's change made. The checksums prove it: a device gets another number when
/// it is plugged in again, and a copy another inode.
bool still_holds(const JournalContent& content, const fs::path& file) {
    const auto stamp = stamp_of(file);
    if (!stamp || stamp->size != content.journal.size_after) return false;
    const Descriptor descriptor(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    if (!descriptor) throw system_error("read", file);
    const PositionedSource present(descriptor.get(), file, size_of(descriptor.get(), file));
    return std::all_of(content.ranges.begin(), content.ranges.end(), [&](const JournalRange& range) {
        return crc_of(present, range.offset, range.new_length) == range.new_crc;
    });
}

/// Whether a journal of a change that was stopped is this file's: the inode says so or, of a copy, each stretch, which
/// holds what was there before or what was written.
bool is_of(const JournalContent& content, const fs::path& file) {
    const auto stamp = stamp_of(file);
    const auto [least, most] = std::minmax(content.journal.size_before, content.journal.size_after);
    if (!stamp || stamp->size < least || stamp->size > most) return false;
    if (stamp->inode == content.inode) return true;
    const Descriptor descriptor(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    if (!descriptor) throw system_error("read", file);
    const PositionedSource present(descriptor.get(), file, size_of(descriptor.get(), file));
    const auto holds = [&](std::uint64_t offset, std::uint64_t length, std::uint32_t crc) {
        return length <= stamp->size && offset <= stamp->size - length && crc_of(present, offset, length) == crc;
    };
    return std::all_of(content.ranges.begin(), content.ranges.end(), [&](const JournalRange& range) {
        return holds(range.offset, range.old_length, range.old_crc) ||
               holds(range.offset, range.new_length, range.new_crc);
    });
}

}  // namespace

fs::path journal_path(const fs::path& file) {
    return fs::path(file).concat(fmt::format(".journal{}", suffix));
}

bool fits_in_place(const ChangeList& change) noexcept {
    const auto& splices = change.splices();
    for (std::size_t i = 0; i < splices.size(); ++i) {
        const Splice& splice = splices[i];
        const bool at_end = splice.offset + splice.removed == change.source_size();
        if (splice.added() != splice.removed && !(at_end && i + 1 == splices.size())) return false;
        for (const Piece& piece : splice.in)
            if (piece.kind == Piece::Kind::source) return false;  // it may be overwritten before it is read
    }
    return true;
}

std::optional<fs::path> change_in_place(const InputFile& file, const ChangeList& change,
                                        const std::vector<std::string>& what, bool keep, const Progress& progress) {
    if (!fits_in_place(change))
        throw Error(ErrorCode::usage, "the change moves what stays, so the file has to be written anew");
    return InPlace(file, change, progress).run(what, keep);
}

void check_finished(const fs::path& file) {
    std::error_code code;
    const fs::path path = journal_path(file);
    if (!fs::exists(path, code)) return;
    lock_file(file);  // says who is at it, if somebody is
    throw Error(ErrorCode::damaged, fmt::format("a change of {} in its place was stopped in the middle", file.string()))
        .in("journal")
        .found(path.filename().string())
        .as(ErrorId::stopped_in_place, file.string())
        .hint("undo it: that puts back what was there before");
}

std::optional<Journal> journal_of(const fs::path& named) {
    const fs::path file = resolved(named);
    std::error_code code;
    if (const fs::path open = journal_path(file); fs::exists(open, code))
        return read_journal(InputFile::record(open)).journal;
    const int last = last_kept(file);
    if (last == 0) return std::nullopt;
    const InputFile journal = InputFile::record(kept_path(file, last));
    JournalContent content = read_journal(journal);
    if (!still_holds(content, file)) return std::nullopt;
    content.journal.finished = true;
    return content.journal;
}

Journal undo_in_place(const fs::path& named) {
    const fs::path file = resolved(named);
    const Descriptor lock = lock_file(file);
    const auto found = journal_of(file);
    if (!found)
        throw Error(ErrorCode::wrong_target, fmt::format("{} is no longer what the last change made", file.string()));
    const InputFile journal = InputFile::record(found->path);
    const JournalContent content = read_journal(journal);
    if (!is_of(content, file))
        throw Error(ErrorCode::damaged,
                    fmt::format("{} was kept of another file than {}", found->path.string(), file.string()))
            .hint("nothing was touched; if the file is whole, remove the journal");
    const Descriptor descriptor = opened_for_change(file);
    // From here on the file is neither of both: stopped, the next command says so and this is done again.
    const fs::path open = journal_path(file);
    if (found->path != open) {
        if (!rename_to_new(found->path, open)) throw system_error("name", open);
        sync_folder(file.parent_path());
    }
    restore(content, journal, descriptor.get(), file);
    const PositionedSource present(descriptor.get(), file, size_of(descriptor.get(), file));
    for (const JournalRange& range : content.ranges)
        if (crc_of(present, range.offset, range.old_length) != range.old_crc)
            throw Error(ErrorCode::io, fmt::format("{} does not hold what was written to it", file.string()))
                .hint("the journal is still there: run this again; the disk may be failing");
    remove_name(open);
    return *found;
}

}  // namespace hotstitch
