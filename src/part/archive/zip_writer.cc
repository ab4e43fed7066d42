// SPDX-License-Identifier: MIT
// A zip file whose bytes hang on names and contents alone: no times, no owners. Tested by tests/kit/kit_test.cc.
#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "source/chunks.h"

#if HOTSTITCH_WITH_ARCHIVE
#include <archive.h>
#include <archive_entry.h>
#endif

namespace hotstitch {

#if HOTSTITCH_WITH_ARCHIVE

namespace {

struct Writing {
    ByteSink& out;
    std::exception_ptr failed;
};

la_ssize_t take(struct archive*, void* client, const void* bytes, std::size_t length) {
    auto& writing = *static_cast<Writing*>(client);
    try {
        writing.out.write({static_cast<const std::byte*>(bytes), length});
        return static_cast<la_ssize_t>(length);
    } catch (...) {
        writing.failed = std::current_exception();
        return -1;
    }
}

}  // namespace

void write_zip(const std::vector<std::pair<std::string, SharedSource>>& files, ByteSink& out) {
    Writing writing{out, nullptr};
    const std::unique_ptr<struct archive, decltype(&archive_write_free)> zip(archive_write_new(), archive_write_free);
    const std::unique_ptr<struct archive_entry, decltype(&archive_entry_free)> entry(archive_entry_new(),
                                                                                     archive_entry_free);
    const auto check = [&](la_ssize_t code) {
        if (code >= ARCHIVE_WARN) return;
        if (writing.failed) std::rethrow_exception(writing.failed);
        const char* const why = archive_error_string(zip.get());
        throw Error(ErrorCode::io, std::string("cannot write the zip file: ") + (why != nullptr ? why : "no reason"));
    };
    if (!zip || !entry) throw std::bad_alloc();
    check(archive_write_set_format_zip(zip.get()));
    check(archive_write_set_bytes_in_last_block(zip.get(), 1));
    check(archive_write_open(zip.get(), &writing, nullptr, take, nullptr));
    for (const auto& [name, content] : files) {
        archive_entry_clear(entry.get());
        archive_entry_set_pathname(entry.get(), name.c_str());
        archive_entry_set_size(entry.get(), static_cast<la_int64_t>(content->size()));
        archive_entry_set_filetype(entry.get(), AE_IFREG);
        archive_entry_set_perm(entry.get(), 0644);
        // Long before 1980, the earliest that zip files know: so it is that in every time zone.
        archive_entry_set_mtime(entry.get(), 86400, 0);
        check(archive_write_header(zip.get(), entry.get()));
        each_chunk(*content, 1 << 20,
                   [&](ByteView bytes) { check(archive_write_data(zip.get(), bytes.data(), bytes.size())); });
        content->check_intact();
    }
    check(archive_write_close(zip.get()));
}

#else

void write_zip(const std::vector<std::pair<std::string, SharedSource>>&, ByteSink&) {
    throw Error(ErrorCode::unsupported, "this build writes no zip files: it has no libarchive");
}

#endif

}  // namespace hotstitch
