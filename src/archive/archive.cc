// SPDX-License-Identifier: MIT
// The one place that knows libarchive. Tested by tests/archive_test.cc on archives made by the real tools.
#include "hotstitch/archive.h"

#include "hotstitch/error.h"

#if HOTSTITCH_WITH_ARCHIVE
#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>

#include <memory>

#include "bytes/meter.h"

namespace hotstitch {
namespace {

constexpr std::size_t head_size = 512;

class Opened {
public:
    explicit Opened(ByteView bytes) : handle_(archive_read_new(), archive_read_free) {
        archive* const a = handle_.get();
        // Only filters that work inside the library: others would start programs.
        for (const auto support : {archive_read_support_filter_gzip, archive_read_support_filter_bzip2,
                                   archive_read_support_filter_xz, archive_read_support_filter_zstd})
            support(a);
        for (const auto support :
             {archive_read_support_format_zip, archive_read_support_format_7zip, archive_read_support_format_rar,
              archive_read_support_format_rar5, archive_read_support_format_tar, archive_read_support_format_raw})
            support(a);
        if (archive_read_open_memory(a, bytes.data(), bytes.size()) != ARCHIVE_OK) damaged();
    }

    /// The next file, or nothing at the end.
    archive_entry* next() {
        while (true) {
            archive_entry* entry = nullptr;
            const int result = archive_read_next_header(handle_.get(), &entry);
            if (result == ARCHIVE_EOF) return nullptr;
            if (result != ARCHIVE_OK && result != ARCHIVE_WARN) damaged();
            // The catch-all reader takes anything: without a compression around it, this is no archive.
            if (is_raw() && archive_filter_count(handle_.get()) < 2)
                throw Error(ErrorCode::not_this_format, "this is no archive of a known kind").at(0);
            if (archive_entry_filetype(entry) == AE_IFREG || is_raw()) return entry;
        }
    }

    std::string name_of(archive_entry* entry) const {
        const char* const name = archive_entry_pathname(entry);
        return is_raw() || name == nullptr ? std::string() : std::string(name);
    }

    std::size_t read(MutableByteView into) {
        const la_ssize_t got = archive_read_data(handle_.get(), into.data(), into.size());
        if (got < 0) damaged();
        return static_cast<std::size_t>(got);
    }

    /// libarchive can lose its place in a 7z when files are passed over unread or half read, so there they are
    /// read to their end. Others are skipped at no cost.
    void finish_member(const Limits& limits);

    std::uint64_t consumed() const { return static_cast<std::uint64_t>(archive_filter_bytes(handle_.get(), -1)); }

private:
    bool is_raw() const { return (archive_format(handle_.get()) & ARCHIVE_FORMAT_BASE_MASK) == ARCHIVE_FORMAT_RAW; }

    [[noreturn]] void damaged() const {
        const char* const words = archive_error_string(handle_.get());
        throw Error(ErrorCode::damaged,
                    fmt::format("the archive cannot be read: {}", words != nullptr ? words : "no reason given"))
            .at(consumed())
            .hint("get the archive again; it was likely damaged or cut short");
    }

    std::unique_ptr<archive, int (*)(archive*)> handle_;
};

bool leads_out(std::string_view name) {
    if (name.starts_with('/') || name.starts_with('\\') || (name.size() > 1 && name[1] == ':')) return true;
    for (std::size_t at = 0; at <= name.size();) {
        const std::size_t end = std::min(name.find_first_of("/\\", at), name.size());
        if (name.substr(at, end - at) == "..") return true;
        at = end + 1;
    }
    return false;
}

void refuse_bomb(std::uint64_t made, std::uint64_t consumed, const Limits& limits) {
    // The first megabyte is free, so that small runs of zeros are no bomb.
    const bool too_dense = made > (1 << 20) && made / limits.archive_ratio > consumed;
    if (made <= limits.archive_member_size && !too_dense) return;
    throw Error(ErrorCode::limit, "a file in the archive unpacks to more than is allowed")
        .wanted(too_dense ? fmt::format("at most {} times its packed size", limits.archive_ratio)
                          : fmt::format("at most {} bytes", limits.archive_member_size))
        .found(fmt::format("{} bytes out of {}", made, consumed));
}

void Opened::finish_member(const Limits& limits) {
    if ((archive_format(handle_.get()) & ARCHIVE_FORMAT_BASE_MASK) != ARCHIVE_FORMAT_7ZIP) return;
    Bytes buffer(256 << 10);
    std::uint64_t made = 0;
    while (const std::size_t got = read(buffer)) refuse_bomb(made += got, consumed(), limits);
}

}  // namespace

std::vector<ArchiveMember> list_archive(ByteView bytes, const Limits& limits, const Progress& progress) {
    Opened opened(bytes);
    Meter meter(progress, Phase::reading, bytes.size());
    std::vector<ArchiveMember> members;
    while (archive_entry* const entry = opened.next()) {
        if (members.size() >= limits.archive_members)
            throw Error(ErrorCode::limit, "the archive holds more files than are looked at")
                .wanted(fmt::format("at most {}", limits.archive_members));
        ArchiveMember member{opened.name_of(entry), Bytes(head_size), archive_entry_is_encrypted(entry) != 0, {}};
        if (archive_entry_size_is_set(entry) != 0 && archive_entry_size(entry) >= 0)
            member.size = static_cast<std::uint64_t>(archive_entry_size(entry));
        member.head.resize(member.encrypted ? 0 : opened.read(member.head));
        if (!member.encrypted) opened.finish_member(limits);
        members.push_back(std::move(member));
        meter.advance_to(opened.consumed());
    }
    return members;
}

void extract_member(ByteView bytes, std::string_view name, ByteSink& out, const Limits& limits,
                    const Progress& progress) {
    if (leads_out(name))
        throw Error(ErrorCode::damaged, "the member's name is absolute or leads out of the archive")
            .found(std::string(name))
            .hint("such archives are made to do harm, or by a broken program; unpack it by hand if you trust it");
    Opened opened(bytes);
    Meter meter(progress, Phase::reading, bytes.size());
    while (archive_entry* const entry = opened.next()) {
        if (opened.name_of(entry) != name) {
            opened.finish_member(limits);
            continue;
        }
        if (archive_entry_is_encrypted(entry) != 0)
            throw Error(ErrorCode::unsupported, "the file in the archive is encrypted")
                .found(std::string(name))
                .hint("unpack it with its password first");
        Bytes buffer(256 << 10);
        for (std::uint64_t made = 0;;) {
            const std::size_t got = opened.read(buffer);
            if (got == 0) return;
            made += got;
            refuse_bomb(made, opened.consumed(), limits);
            out.write(ByteView(buffer).first(got));
            meter.advance_to(opened.consumed());
        }
    }
    throw Error(ErrorCode::usage, "there is no such file in the archive").found(std::string(name));
}

}  // namespace hotstitch
#else
namespace hotstitch {
namespace {

[[noreturn]] void unsupported() {
    throw Error(ErrorCode::unsupported, "this build does not look into archives")
        .hint("unpack it first, or build with HOTSTITCH_WITH_ARCHIVE=ON");
}

}  // namespace

std::vector<ArchiveMember> list_archive(ByteView, const Limits&, const Progress&) {
    unsupported();
}
void extract_member(ByteView, std::string_view, ByteSink&, const Limits&, const Progress&) {
    unsupported();
}

}  // namespace hotstitch
#endif
