// SPDX-License-Identifier: MIT
// The one place that knows libarchive. A compressed file is unpacked by our own decoders: what they give begins with a
// tar header and goes on to libarchive, or is the one file that was packed.
// Tested by tests/part/archive_test.cc on archives made by the real tools.
#include "hotstitch/archive.h"

#include "hotstitch/error.h"
#include "source/whole.h"

#if HOTSTITCH_WITH_ARCHIVE
#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <locale.h>  // NOLINT(modernize-deprecated-headers): newlocale is POSIX

#include "base/meter.h"
#include "part/archive/budget.h"
#include "part/archive/seven_zip.h"
#include "part/archive/tar_header.h"
#include "part/codec/decoder.h"

namespace hotstitch {
namespace {

constexpr std::size_t head_size = 512, chunk = 256 << 10;
static_assert(head_size >= tar_block);

/// libarchive turns names into the characters of the thread's locale: as long as this lives, into UTF-8, whatever the
/// program has chosen.
class InUtf8 {
public:
    InUtf8() {
        static const locale_t utf8 = ::newlocale(LC_CTYPE_MASK, "C.UTF-8", locale_t{});
        if (utf8 != locale_t{}) before_ = ::uselocale(utf8);
    }
    ~InUtf8() {
        if (before_ != locale_t{}) ::uselocale(before_);
    }
    InUtf8(const InUtf8&) = delete;
    InUtf8& operator=(const InUtf8&) = delete;

private:
    locale_t before_{};
};

std::string name_of(archive_entry* entry, std::size_t number) {
    const char* name = archive_entry_pathname_utf8(entry);
    if (name == nullptr) name = archive_entry_pathname(entry);  // as it stands there
    std::string_view text = name != nullptr ? name : "";
    while (text.starts_with("./")) text.remove_prefix(2);
    return text.empty() ? fmt::format("entry {}", number) : std::string(text);
}

bool leads_out(std::string_view name) {
    const bool drive = name.size() > 2 && name[1] == ':' && (name[2] == '/' || name[2] == '\\');
    if (name.starts_with('/') || name.starts_with('\\') || drive) return true;
    for (std::size_t at = 0; at <= name.size();) {
        const std::size_t end = std::min(name.find_first_of("/\\", at), name.size());
        if (name.substr(at, end - at) == "..") return true;
        at = end + 1;
    }
    return false;
}

/// What a decoder gives, with its first bytes seen before they are read.
class Unpacked {
public:
    Unpacked(std::unique_ptr<Decoder> decoder, ArchiveBudget& budget) : decoder_(std::move(decoder)), budget_(budget) {
        head_.resize(head_size);
        std::size_t filled = 0;
        while (filled < head_size) {
            const std::size_t got = take(MutableByteView(head_).subspan(filled));
            if (got == 0) break;
            filled += got;
        }
        head_.resize(filled);
    }
    ByteView head() const noexcept { return head_; }
    std::uint64_t consumed() const noexcept { return decoder_->consumed(); }

    /// The head comes first.
    std::size_t read(MutableByteView into) {
        if (head_read_ == head_.size()) return take(into);
        const std::size_t part = std::min(into.size(), head_.size() - head_read_);
        std::copy_n(head_.begin() + static_cast<std::ptrdiff_t>(head_read_), part, into.begin());
        head_read_ += part;
        return part;
    }

private:
    std::size_t take(MutableByteView into) {
        const ArchiveBudget::Turn turn(budget_);
        const std::size_t got = decoder_->read(into);
        budget_.unpacked(got, decoder_->consumed());
        return got;
    }

    std::unique_ptr<Decoder> decoder_;
    ArchiveBudget& budget_;
    Bytes head_;
    std::size_t head_read_ = 0;
};

}  // namespace

struct ArchiveReader::State {
    State(ByteView bytes, const Limits& allowed, const Progress& progress)
        : packed(bytes),
          limits(allowed),
          budget(allowed, bytes.size()),
          meter(progress, Phase::reading, bytes.size()),
          handle(nullptr, archive_read_free) {
        if (auto decoder = open_decoder(bytes, allowed)) unpacked.emplace(std::move(decoder), budget);
        const ByteView head = unpacked ? unpacked->head() : bytes;
        if (is_tar(head))
            open(&archive_read_support_format_tar);
        else if (!unpacked)
            open(nullptr);
    }

    /// One format only, or those that are told by their own signature.
    void open(int (*format)(archive*)) {
        handle.reset(archive_read_new());
        archive* const a = handle.get();
        if (format != nullptr) {
            format(a);
        } else {
            for (const auto support : {archive_read_support_format_zip, archive_read_support_format_7zip,
                                       archive_read_support_format_rar, archive_read_support_format_rar5})
                support(a);
        }
        if (!unpacked && text_of(packed).starts_with("7z\xBC\xAF\x27\x1C")) folders = folders_of_7z(packed, limits);
        const int result = unpacked ? archive_read_open(a, this, nullptr, &State::give, nullptr)
                                    : archive_read_open_memory(a, packed.data(), packed.size());
        if (result != ARCHIVE_OK) damaged();
    }

    /// libarchive asks for more. Our errors must not pass through C: they wait until it has returned.
    static la_ssize_t give(archive*, void* self, const void** data) {
        State& s = *static_cast<State*>(self);
        try {
            s.buffer.resize(chunk);
            *data = s.buffer.data();
            return static_cast<la_ssize_t>(s.unpacked->read(s.buffer));
        } catch (...) {
            s.failure = std::current_exception();
            return -1;
        }
    }

    std::uint64_t consumed() const {
        return unpacked ? unpacked->consumed() : static_cast<std::uint64_t>(archive_filter_bytes(handle.get(), -1));
    }

    [[noreturn]] void damaged() {
        if (failure) std::rethrow_exception(std::exchange(failure, nullptr));
        const char* const words = archive_error_string(handle.get());
        throw Error(ErrorCode::damaged, words != nullptr
                                            ? fmt::format("the archive cannot be read: {}", words)
                                            : std::string("the archive cannot be read: its rules are broken"))
            .at(consumed())
            .hint("get the archive again; it was likely damaged or cut short");
    }

    /// The next regular file, or null.
    archive_entry* next_entry(bool links) {
        const ArchiveBudget::Turn turn(budget);
        const InUtf8 names;
        while (true) {
            archive_entry* entry = nullptr;
            const int result = archive_read_next_header(handle.get(), &entry);
            if (result == ARCHIVE_EOF) return nullptr;
            if (result != ARCHIVE_OK && result != ARCHIVE_WARN) damaged();
            ++entries;
            const bool is_link =
                archive_entry_filetype(entry) == AE_IFLNK || archive_entry_hardlink_utf8(entry) != nullptr;
            if (is_link ? links : archive_entry_filetype(entry) == AE_IFREG) return entry;
            budget.member(name_of(entry, entries));  // folders and links cost as much to read
        }
    }

    std::size_t read(MutableByteView into) {
        const ArchiveBudget::Turn turn(budget);
        if (!handle) return unpacked->read(into);
        const la_ssize_t got = archive_read_data(handle.get(), into.data(), into.size());
        if (got < 0 || failure) damaged();
        // Through a decoder it is counted there; else what comes out here is all there is to count.
        if (!unpacked) budget.unpacked(static_cast<std::uint64_t>(got), consumed());
        if (!folders.empty()) check_folder(into.first(static_cast<std::size_t>(got)));
        return static_cast<std::size_t>(got);
    }

    /// In a 7z: at the end of the last file of a folder, the checksum of the whole. Empty files belong to none.
    void check_folder(ByteView bytes) {
        if (!bytes.empty()) {
            in_file = true;
            folder_sum = crc32(bytes, folder_sum);
            return;
        }
        if (!std::exchange(in_file, false)) return;
        while (!folders.empty() && folders.front().files == 0) folders.erase(folders.begin());
        if (folders.empty() || --folders.front().files != 0) return;
        const std::optional<Crc32> wanted = folders.front().crc32;
        const Crc32 found = std::exchange(folder_sum, {});
        folders.erase(folders.begin());
        if (!wanted || *wanted == found) return;
        throw Error(ErrorCode::damaged, "the archive is damaged: a checksum does not hold")
            .in("crc32 of a folder")
            .wanted(wanted->hex())
            .found(found.hex())
            .hint("get the archive again; it was likely damaged on its way");
    }

    /// libarchive can lose its place in a 7z when files are passed over unread or half read, so there they are read to
    /// their end. Others are skipped at no cost.
    void pass_over() {
        if (!current || current->encrypted || !handle) return;
        if ((archive_format(handle.get()) & ARCHIVE_FORMAT_BASE_MASK) != ARCHIVE_FORMAT_7ZIP) return;
        buffer.resize(chunk);
        while (read(buffer) != 0) meter.advance_to(consumed());
    }

    ByteView packed;
    const Limits limits;
    ArchiveBudget budget;
    Meter meter;
    std::optional<Unpacked> unpacked;  ///< of a compressed file
    std::unique_ptr<archive, int (*)(archive*)> handle;
    Bytes buffer;
    std::exception_ptr failure;
    std::vector<FolderOf7z> folders;  ///< of a 7z, those that are not done
    Crc32 folder_sum;
    bool in_file = false;
    std::optional<ArchiveMember> current;
    std::exception_ptr damage;  ///< of the current member, found while its head was read
    bool extracted = false, only_done = false;
    std::size_t entries = 0;  ///< headers read so far, of whatever kind
};

ArchiveReader::ArchiveReader(const ByteSource& archive, const Limits& limits, const Progress& progress)
    : view_(std::make_unique<WholeView>(archive, limits)), state_(std::make_unique<State>(*view_, limits, progress)) {}

ArchiveReader::ArchiveReader(ByteView archive, const Limits& limits, const Progress& progress)
    : state_(std::make_unique<State>(archive, limits, progress)) {}
ArchiveReader::~ArchiveReader() = default;

const ArchiveMember* ArchiveReader::next(bool all) {
    State& s = *state_;
    if (!s.extracted) s.pass_over();
    s.current.reset();
    s.damage = nullptr;
    s.extracted = false;
    if (!s.handle) {
        if (std::exchange(s.only_done, true)) return nullptr;
        s.budget.member({});
        s.current = ArchiveMember{{}, Bytes(s.unpacked->head().begin(), s.unpacked->head().end()), false, {}, {}};
        // Its head is handed out with the member, and once more when it is unpacked.
        Bytes again(head_size);
        if (!s.current->head.empty()) s.unpacked->read(again);
        return &*s.current;
    }
    archive_entry* const entry = s.next_entry(all);
    if (entry == nullptr) return nullptr;
    const InUtf8 names;
    ArchiveMember member{name_of(entry, s.entries), {}, archive_entry_is_encrypted(entry) != 0, {}, {}};
    s.budget.member(member.name);
    const char* to = archive_entry_symlink_utf8(entry);
    if (to == nullptr) to = archive_entry_hardlink_utf8(entry);
    if (all && to != nullptr) {
        member.link = to;
        s.current = std::move(member);
        return &*s.current;
    }
    if (archive_entry_size_is_set(entry) != 0 && archive_entry_size(entry) >= 0)
        member.size = static_cast<std::uint64_t>(archive_entry_size(entry));
    if (!member.encrypted) {
        std::array<std::byte, head_size> head;
        try {
            const std::size_t got = s.read(head);
            member.head.assign(head.begin(), head.begin() + static_cast<std::ptrdiff_t>(got));
        } catch (const Error& error) {
            if (!all || error.code() != ErrorCode::damaged) throw;
            s.damage = std::current_exception();
        }
    }
    s.meter.advance_to(s.consumed());
    s.current = std::move(member);
    return &*s.current;
}

void ArchiveReader::extract(ByteSink& out) {
    State& s = *state_;
    const ArchiveMember& member = s.current.value();
    if (leads_out(member.name))
        throw Error(ErrorCode::damaged, "the member's name is absolute or leads out of the archive")
            .found(member.name)
            .hint("such archives are made to do harm, or by a broken program; unpack it by hand if you trust it");
    if (member.encrypted)
        throw Error(ErrorCode::unsupported, "the file in the archive is encrypted")
            .found(member.name)
            .hint("unpack it with its password first");
    s.extracted = true;
    if (s.damage) std::rethrow_exception(s.damage);
    out.write(member.head);
    Bytes buffer(chunk);
    while (const std::size_t got = s.read(buffer)) {
        out.write(ByteView(buffer).first(got));
        s.meter.advance_to(s.consumed());
    }
}

void ArchiveReader::check_rest() {
    State& s = *state_;
    // A checksum of several files in a 7z is known when the last of them is.
    while (s.in_file || (!s.folders.empty() && s.folders.front().crc32 && s.folder_sum != Crc32{}))
        if (next() == nullptr) break;
    if (!s.unpacked) return;
    // Behind what tar calls its end, the compression may go on.
    s.current.reset();
    s.handle.reset();
    s.only_done = true;
    Bytes buffer(chunk);
    while (s.unpacked->read(buffer) != 0) s.meter.advance_to(s.consumed());
}

std::vector<ArchiveMember> list_archive(const ByteSource& bytes, const Limits& limits, const Progress& progress) {
    ArchiveReader reader(bytes, limits, progress);
    std::vector<ArchiveMember> members;
    while (const ArchiveMember* const member = reader.next()) members.push_back(*member);
    reader.check_rest();
    return members;
}

void extract_member(const ByteSource& bytes, std::string_view name, ByteSink& out, const Limits& limits,
                    const Progress& progress) {
    ArchiveReader reader(bytes, limits, progress);
    while (const ArchiveMember* const member = reader.next())
        if (member->name == name) return reader.extract(out), reader.check_rest();
    reader.check_rest();  // of a damaged archive nothing can be said
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

struct ArchiveReader::State {};
ArchiveReader::ArchiveReader(ByteView, const Limits&, const Progress&) {
    unsupported();
}
ArchiveReader::ArchiveReader(const ByteSource&, const Limits&, const Progress&) {
    unsupported();
}
ArchiveReader::~ArchiveReader() = default;
const ArchiveMember* ArchiveReader::next(bool) {
    unsupported();
}
void ArchiveReader::extract(ByteSink&) {
    unsupported();
}
void ArchiveReader::check_rest() {
    unsupported();
}
std::vector<ArchiveMember> list_archive(const ByteSource&, const Limits&, const Progress&) {
    unsupported();
}
void extract_member(const ByteSource&, std::string_view, ByteSink&, const Limits&, const Progress&) {
    unsupported();
}

}  // namespace hotstitch
#endif
