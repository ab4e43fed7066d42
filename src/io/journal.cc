// SPDX-License-Identifier: MIT
// Changes in place. The order is what makes them safe: room for the new bytes; the old bytes and the checksums of both
// on the disk, under the journal's name; then the new bytes; then the journal's second name. docs/formats/journal.md.
// Tested by tests/journal_test.cc and, killed and failing at every step, tests/faults_test.cc.
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
#include "hotstitch/words.h"
#include "io/file_writer.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view magic = "HS-JRNL1", suffix = ".hotstitch";
constexpr std::size_t chunk = std::size_t{1} << 20, fixed_size = 48, range_size = 32;
constexpr std::uint64_t most_ranges = 1 << 24, most_text = 64 << 10;
constexpr int most_kept = 10'000;

struct Range {
    std::uint64_t offset = 0, old_length = 0, new_length = 0;
    std::uint32_t old_crc = 0, new_crc = 0;
};

struct Content {
    std::uint64_t device = 0, inode = 0;
    Journal journal;
    std::vector<Range> ranges;
    std::uint64_t old_bytes = 0;  ///< where they begin in the journal
};

void put_number(Bytes& out, std::uint64_t value, unsigned width) {
    for (unsigned i = 0; i < width; ++i) out.push_back(static_cast<std::byte>(value >> (8 * i)));
}

std::uint64_t number(ByteView bytes, std::size_t at, unsigned width) {
    std::uint64_t value = 0;
    for (unsigned i = width; i-- > 0;) value = value << 8 | std::to_integer<std::uint64_t>(bytes[at + i]);
    return value;
}

std::uint32_t crc_of(const ByteSource& source, std::uint64_t offset, std::uint64_t length) {
    return digest(SliceSource(borrowed(source), offset, length), {.crc32 = true}).crc32->value;
}

Bytes header_of(const Content& content) {
    std::string text;
    for (const std::string& one : content.journal.what) text += one + "\n";
    text.resize(std::min<std::size_t>(text.size(), most_text));
    const ByteView start = bytes_of(magic);
    Bytes out(start.begin(), start.end());
    put_number(out, content.device, 8), put_number(out, content.inode, 8);
    put_number(out, content.journal.size_before, 8), put_number(out, content.journal.size_after, 8);
    put_number(out, content.ranges.size(), 4), put_number(out, text.size(), 4);
    const ByteView letters = bytes_of(text);
    out.insert(out.end(), letters.begin(), letters.end());
    for (const Range& range : content.ranges) {
        put_number(out, range.offset, 8), put_number(out, range.old_length, 8), put_number(out, range.new_length, 8);
        put_number(out, range.old_crc, 4), put_number(out, range.new_crc, 4);
    }
    return out;
}

[[noreturn]] void damaged(const fs::path& path) {
    throw Error(ErrorCode::damaged, fmt::format("{} is no journal, or a damaged one", path.string()))
        .hint("nothing was touched; if the file it belongs to is whole, remove the journal");
}

Content read_journal(const InputFile& file) {
    const ByteView bytes = file.bytes();
    if (bytes.size() < fixed_size + 4 || text_of(bytes.first(8)) != magic) damaged(file.path());
    if (crc32(bytes.first(bytes.size() - 4)).value != number(bytes, bytes.size() - 4, 4)) damaged(file.path());
    Content content;
    content.device = number(bytes, 8, 8), content.inode = number(bytes, 16, 8);
    content.journal.path = file.path();
    content.journal.size_before = number(bytes, 24, 8), content.journal.size_after = number(bytes, 32, 8);
    const std::uint64_t count = number(bytes, 40, 4), letters = number(bytes, 44, 4);
    if (count > most_ranges || letters > most_text || fixed_size + letters + count * range_size + 4 > bytes.size())
        damaged(file.path());
    std::string_view text = text_of(bytes.subspan(fixed_size, static_cast<std::size_t>(letters)));
    for (std::size_t end; (end = text.find('\n')) != std::string_view::npos; text.remove_prefix(end + 1))
        content.journal.what.emplace_back(text.substr(0, end));
    std::size_t at = fixed_size + static_cast<std::size_t>(letters);
    for (std::uint64_t i = 0; i < count; ++i, at += range_size) {
        Range range{number(bytes, at, 8), number(bytes, at + 8, 8), number(bytes, at + 16, 8),
                    static_cast<std::uint32_t>(number(bytes, at + 24, 4)),
                    static_cast<std::uint32_t>(number(bytes, at + 28, 4))};
        if (range.offset > content.journal.size_before ||
            range.old_length > content.journal.size_before - range.offset ||
            range.new_length > content.journal.size_after - std::min(range.offset, content.journal.size_after))
            damaged(file.path());
        content.journal.changed += range.old_length;
        content.ranges.push_back(range);
    }
    content.old_bytes = at;
    if (at + content.journal.changed + 4 != bytes.size()) damaged(file.path());
    return content;
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

/// A source that is what a descriptor has now.
class Present final : public ByteSource {
public:
    Present(int descriptor, const fs::path& path) : descriptor_(descriptor), path_(path) {
        struct stat info {};
        if (::fstat(descriptor, &info) != 0) throw system_error("read", path);
        size_ = static_cast<std::uint64_t>(info.st_size);
    }
    std::uint64_t size() const noexcept override { return size_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        for (std::size_t done = 0; done < length;) {
            const ssize_t got = ::pread(descriptor_, scratch.data() + done, length - done,
                                        static_cast<off_t>(offset + done));
            if (got < 0 && errno == EINTR) continue;
            if (got <= 0) throw system_error("read", path_, got == 0 ? EIO : errno);
            done += static_cast<std::size_t>(got);
        }
        return scratch.first(length);
    }

private:
    int descriptor_;
    const fs::path& path_;
    std::uint64_t size_ = 0;
};

/// What the journal kept is in the file again. Done twice, it does the same.
void restore(const Content& content, const InputFile& journal, int descriptor, const fs::path& file) {
    std::uint64_t at = content.old_bytes;
    for (const Range& range : content.ranges) {
        write_at(descriptor,
                 journal.bytes().subspan(static_cast<std::size_t>(at), static_cast<std::size_t>(range.old_length)),
                 range.offset, file);
        at += range.old_length;
    }
    if (::ftruncate(descriptor, static_cast<off_t>(content.journal.size_before)) != 0)
        throw system_error("cut", file);
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

std::vector<Range> ranges_of(const ChangeList& change) {
    std::vector<Range> ranges;
    for (const Splice& splice : change.splices()) {
        const std::uint64_t added = splice.added();
        if (!ranges.empty() && ranges.back().offset + ranges.back().old_length == splice.offset &&
            ranges.back().old_length == ranges.back().new_length)
            ranges.back().old_length += splice.removed, ranges.back().new_length += added;
        else
            ranges.push_back({splice.offset, splice.removed, added});
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
            const InputFile journal(content_.journal.path);
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
                .hint(fmt::format("hotstitch undo {} puts it back first", shell_file(path_.string())));
        content_.device = now->device, content_.inode = now->inode;
        refuse_long_name(kept_path(path_, most_kept), "the journal", "give the file a shorter name");
    }

    /// A full disk is an error while nothing is changed: holes in the file and what lies past its end need room.
    void take_room(int descriptor) {
#ifdef FALLOC_FL_KEEP_SIZE
        for (const Range& range : content_.ranges) {
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
        for (Range& range : content_.ranges) {
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
            write(header_of(content_));
            for (const Range& range : content_.ranges)
                write(file_.bytes().subspan(static_cast<std::size_t>(range.offset),
                                            static_cast<std::size_t>(range.old_length)));
            Bytes end;
            put_number(end, crc.finish().crc32->value, 4);
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
        for (const Range& range : content_.ranges)
            for (std::uint64_t done = 0; done < range.new_length; done += scratch.size()) {
                const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), range.new_length - done));
                write_at(descriptor, made_.read(range.offset + done, part, scratch), range.offset + done, path_);
            }
        if (content_.journal.size_after < content_.journal.size_before &&
            ::ftruncate(descriptor, static_cast<off_t>(content_.journal.size_after)) != 0)
            throw system_error("cut", path_);
        flush(descriptor, path_);
        const Present present(descriptor, path_);
        for (const Range& range : content_.ranges)
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
        throw Error(ErrorCode::io, fmt::format("{} has more ways back than are kept", path_.string()))
            .hint("remove those that are no longer needed; the change is done");
    }

    const InputFile& file_;
    const fs::path path_;
    const ChangedSource made_;
    const Progress& progress_;
    Content content_;
};

/// Whether the file is what a finished journal's change made.
bool still_holds(const Content& content, const fs::path& file) {
    const auto stamp = stamp_of(file);
    if (!stamp || stamp->device != content.device || stamp->inode != content.inode ||
        stamp->size != content.journal.size_after)
        return false;
    const Descriptor descriptor(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    if (!descriptor) throw system_error("read", file);
    const Present present(descriptor.get(), file);
    return std::all_of(content.ranges.begin(), content.ranges.end(), [&](const Range& range) {
        return crc_of(present, range.offset, range.new_length) == range.new_crc;
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
        .hint(fmt::format("hotstitch undo {} puts back what was there before", shell_file(file.string())));
}

std::optional<Journal> journal_of(const fs::path& named) {
    const fs::path file = resolved(named);
    std::error_code code;
    if (const fs::path open = journal_path(file); fs::exists(open, code)) return read_journal(InputFile(open)).journal;
    const int last = last_kept(file);
    if (last == 0) return std::nullopt;
    const InputFile journal(kept_path(file, last));
    Content content = read_journal(journal);
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
    const InputFile journal(found->path);
    const Content content = read_journal(journal);
    const auto stamp = stamp_of(file);
    if (!stamp || stamp->device != content.device || stamp->inode != content.inode)
        throw Error(ErrorCode::damaged, fmt::format("{} was kept of another file than {}", found->path.string(), file.string()))
            .hint("nothing was touched; if the file is whole, remove the journal");
    const Descriptor descriptor = opened_for_change(file);
    restore(content, journal, descriptor.get(), file);
    const Present present(descriptor.get(), file);
    for (const Range& range : content.ranges)
        if (crc_of(present, range.offset, range.old_length) != range.old_crc)
            throw Error(ErrorCode::io, fmt::format("{} does not hold what was written to it", file.string()))
                .hint("the journal is still there: run this again; the disk may be failing");
    remove_name(found->path);
    return *found;
}

}  // namespace hotstitch
