// SPDX-License-Identifier: MIT
#include "io/file_writer.h"

#include <fcntl.h>
#include <linux/magic.h>
#include <sys/stat.h>
#include <sys/vfs.h>
#include <unistd.h>

#include "hotstitch/text.h"
#include "io/positioned.h"
#include "io/system_error.h"

namespace hotstitch {
namespace {

/// FAT12, FAT16 and FAT32 end every file below 4 GiB.
bool is_on_fat(int descriptor) {
    struct statfs volume {};
    return ::fstatfs(descriptor, &volume) == 0 && volume.f_type == MSDOS_SUPER_MAGIC;
}

}  // namespace

Error no_room(const std::filesystem::path& name, std::uint64_t size, int code, bool on_fat) {
    if (code == EFBIG && on_fat)
        return Error(ErrorCode::io, fmt::format("{} is on a FAT32 volume, where no file can have 4 GiB or more",
                                                name.parent_path().string()))
            .in("output size")
            .wanted("at most 4294967295 bytes")
            .hint("choose a place on a volume of another kind, for example exFAT, NTFS or ext4");
    if (code == EFBIG)
        return Error(ErrorCode::io,
                     fmt::format("{} would be larger than the file system or the system's limit allows", name.string()))
            .in("output size")
            .found(counted(size, "byte", "bytes"));
    return Error(ErrorCode::io, fmt::format("no space for {}", name.string()))
        .in("output size")
        .wanted(counted(size, "byte", "bytes"))
        .hint("make room or choose another place for the output");
}

void write_all(int descriptor, ByteView bytes, const std::filesystem::path& name) {
    while (!bytes.empty()) {
        const ssize_t put = ::write(descriptor, bytes.data(), bytes.size());
        if (put < 0 && errno == EINTR) continue;
        if (put < 0 && (errno == ENOSPC || errno == EDQUOT || errno == EFBIG)) {
            const int code = errno;
            throw no_room(name, bytes.size(), code, is_on_fat(descriptor));
        }
        if (put < 0) throw system_error("write", name);
        bytes = bytes.subspan(static_cast<std::size_t>(put));
    }
}

void FileWriter::reserve(std::uint64_t size) {
    if (size == 0) return;
    // Not posix_fallocate: where the file system cannot reserve, that one writes every block.
    int result = 0;
    do result = ::fallocate(descriptor_.get(), 0, 0, static_cast<off_t>(size));
    while (result != 0 && errno == EINTR);
    if (result == 0)
        reserved_ = size;
    else if (const int code = errno; code == ENOSPC || code == EDQUOT || code == EFBIG)
        throw no_room(name_, size, code, is_on_fat(descriptor_.get()));
    else if (code != EOPNOTSUPP && code != ENOSYS && code != EINVAL)
        throw system_error("reserve space for", name_, code);
}

void FileWriter::write(ByteView bytes) {
    write_all(descriptor_.get(), bytes, name_);
    size_ += bytes.size();
    // Lets the disk work while we compute, so that the flush at the end has little left to wait for.
    constexpr std::uint64_t batch = 8 << 20;
    if (stays_ && size_ - sent_to_disk_ >= batch) {
        ::sync_file_range(descriptor_.get(), static_cast<off_t>(sent_to_disk_),
                          static_cast<off_t>(size_ - sent_to_disk_), SYNC_FILE_RANGE_WRITE);
        sent_to_disk_ = size_;
    }
}

void FileWriter::clear() {
    mapping_ = Mapping();
    if (::ftruncate(descriptor_.get(), 0) != 0 || ::lseek(descriptor_.get(), 0, SEEK_SET) != 0)
        throw system_error("write", name_);
    size_ = reserved_ = sent_to_disk_ = 0;
}

void FileWriter::read_back(std::uint64_t offset, MutableByteView into) const {
    read_at(descriptor_.get(), into, offset, name_);
}

std::optional<ByteView> FileWriter::map() {
    if (size_ == 0) return ByteView();
    if (mapping_.bytes().size() != size_) mapping_ = Mapping::of(descriptor_.get(), static_cast<std::size_t>(size_));
    if (!mapping_.ok()) return std::nullopt;
    return mapping_.bytes();
}

void FileWriter::trim() {
    if (reserved_ > size_ && ::ftruncate(descriptor_.get(), static_cast<off_t>(size_)) != 0)
        throw system_error("write", name_);
}

}  // namespace hotstitch
