// SPDX-License-Identifier: MIT
// Tested by tests/base/file_io_test.cc.
#include <fcntl.h>
#include <linux/fs.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <mutex>

#include "base/meter.h"
#include "hotstitch/address.h"
#include "hotstitch/file_io.h"
#include "hotstitch/text.h"
#include "io/descriptor.h"
#include "io/mapping.h"
#include "io/names.h"
#include "io/positioned.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

struct InputFile::State {
    fs::path path;
    struct stat info {};
    Descriptor descriptor;
    Mapping mapping;  ///< of a regular file or device that is not empty
    Bytes memory;     ///< of everything else
    std::string origin;
    std::optional<ScratchFile> scratch;  ///< of what was unpacked
    bool has_identity = false;           ///< `info` is that of a file with a name
    std::shared_ptr<State> whole;        ///< of what is a slice
    fs::path sheet;
    ByteView bytes;
    SharedSource computed;                   ///< instead of `bytes`
    std::unique_ptr<ByteSource> positioned;  ///< instead of `bytes`, until somebody asks for them
    std::once_flag read_whole;
};

namespace {

/// Whether a read will not wait. False after a moment in which nothing came, or a signal did: a signal that comes
/// between the question whether to go on and the read would else be slept through.
bool is_ready(int descriptor) {
    constexpr int moment = 200;  // milliseconds
    pollfd wait{.fd = descriptor, .events = POLLIN, .revents = 0};
    const int ready = ::poll(&wait, 1, moment);
    return ready > 0 || (ready < 0 && errno != EINTR);
}

/// Of what can only be read on, and may have no end.
Bytes read_to_end(int descriptor, const fs::path& name, const Limits& limits, const Progress& progress) {
    Bytes all;
    Meter meter(progress, Phase::reading, 0);
    constexpr std::size_t chunk = 1 << 20;
    while (true) {
        if (!is_ready(descriptor)) {
            meter.finish();
            continue;
        }
        const std::size_t before = all.size();
        all.resize(before + chunk);
        const ssize_t got = ::read(descriptor, all.data() + before, chunk);
        const int why = errno;
        all.resize(before + static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
        if (got == 0) return all;
        if (got < 0 && why != EINTR) throw system_error("read", name, why);
        if (all.size() > limits.stream)
            throw Error(ErrorCode::limit,
                        fmt::format("{} gives more than is read from a pipe or device", name.string()))
                .in("stream")
                .wanted(fmt::format("at most {}", counted(limits.stream, "byte", "bytes")))
                .hint("it may have no end; save it as a file first and name that");
        // A signal is how a person stops us while we wait for input.
        meter.advance(static_cast<std::uint64_t>(std::max<ssize_t>(got, 0)));
        if (got < 0) meter.finish();
    }
}

/// A pipe without a writer is opened, too, and seen to be one.
Descriptor open_at_once(const fs::path& path, int flags) {
    Descriptor descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | flags));
    if (!descriptor) throw system_error("open", path);
    return descriptor;
}

/// A named pipe is opened without its writer, who is waited for where it is read.
Descriptor open_to_read(const fs::path& path) {
    struct stat info {};
    const bool pipe = ::stat(path.c_str(), &info) == 0 && S_ISFIFO(info.st_mode);
    Descriptor descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC | (pipe ? O_NONBLOCK : 0)));
    if (!descriptor) throw system_error("open", path);
    if (pipe) ::fcntl(descriptor.get(), F_SETFL, 0);
    return descriptor;
}

bool is_regular(const Descriptor& descriptor) {
    struct stat info {};
    return ::fstat(descriptor.get(), &info) == 0 && S_ISREG(info.st_mode);
}

/// Size in bytes of a regular file or block device; nothing for what can only be read on.
std::optional<std::uint64_t> mappable_size(int descriptor, const struct stat& info) {
    if (S_ISBLK(info.st_mode)) {
        std::uint64_t size = 0;
        if (::ioctl(descriptor, BLKGETSIZE64, &size) == 0) return size;
        return std::nullopt;
    }
    // Files of /proc and the like say 0 and hold something all the same: those are read.
    if (S_ISREG(info.st_mode) && info.st_size > 0) return static_cast<std::uint64_t>(info.st_size);
    return std::nullopt;
}

}  // namespace

std::shared_ptr<InputFile::State> InputFile::opened(Descriptor descriptor, const fs::path& path, const Limits& limits,
                                                    const Progress& progress) {
    auto state = std::make_shared<State>();
    State& s = *state;
    s.path = path;
    s.origin = path.string();
    s.descriptor = std::move(descriptor);
    if (::fstat(s.descriptor.get(), &s.info) != 0) throw system_error("read", path);
    s.has_identity = true;
    if (S_ISDIR(s.info.st_mode))
        throw Error(ErrorCode::usage, fmt::format("{} is a folder, a file is needed", path.string()))
            .hint("name a file in it");
    const auto size = mappable_size(s.descriptor.get(), s.info);
    if (size && *size != 0) {
        s.mapping = Mapping::of(s.descriptor.get(), static_cast<std::size_t>(*size));
        if (s.mapping.ok()) {
            ::madvise(const_cast<std::byte*>(s.mapping.bytes().data()), s.mapping.bytes().size(), MADV_SEQUENTIAL);
            s.bytes = s.mapping.bytes();
            // The mapping goes on without it: of thousands of files, all may be open at once.
            if (S_ISREG(s.info.st_mode)) s.descriptor = Descriptor();
            return state;
        }
        s.positioned = std::make_unique<PositionedSource>(s.descriptor.get(), s.path, *size);
        return state;
    }
    s.memory = read_to_end(s.descriptor.get(), path, limits, progress);
    s.bytes = s.memory;
    return state;
}

InputFile::InputFile(const fs::path& path, const Limits& limits, const Progress& progress)
    : state_(opened(open_to_read(path), path, limits, progress)) {}

InputFile InputFile::regular(const fs::path& path, const Limits& limits, const Progress& progress) {
    Descriptor descriptor = open_at_once(path, 0);
    if (!is_regular(descriptor))
        throw Error(ErrorCode::usage,
                    fmt::format("{} is a folder, pipe or device, and a file is needed", path.string()));
    return InputFile(opened(std::move(descriptor), path, limits, progress));
}

InputFile InputFile::record(const fs::path& path) {
    const auto refused = [&] {
        return Error(ErrorCode::refused,
                     fmt::format("{} is no file of ours: it is a link, folder or pipe", path.string()))
            .in("record")
            .hint("nothing behind it was read or changed; if you know how it came there, move it away");
    };
    std::error_code code;
    if (fs::is_symlink(fs::symlink_status(path, code))) throw refused();
    Descriptor descriptor = open_at_once(path, O_NOFOLLOW);
    if (!is_regular(descriptor)) throw refused();
    return InputFile(opened(std::move(descriptor), path, {}, {}));
}

InputFile InputFile::from_descriptor(int descriptor, std::string name, const Limits& limits, const Progress& progress) {
    auto state = std::make_shared<State>();
    state->path = std::move(name);
    state->memory = read_to_end(descriptor, state->path, limits, progress);
    state->bytes = state->memory;
    return InputFile(std::move(state));
}

/// Of a part: where it would lie, and whose file it is.
std::shared_ptr<InputFile::State> InputFile::state_of_part(const InputFile& file, std::string_view part) {
    auto state = std::make_shared<State>();
    // What a gz or xz holds has no name of its own: it is the file's without the last extension.
    const fs::path name = part.empty() ? file.path().stem() : fs::path(part).filename();
    state->path = file.path().parent_path() / name;
    state->origin = file.origin() + ":" + escaped_part(part.empty() ? "content" : part);
    state->info = file.state_->info;
    state->has_identity = file.state_->has_identity;
    return state;
}

InputFile InputFile::part(const InputFile& file, std::string_view part, const std::function<void(ByteSink&)>& extract) {
    auto state = state_of_part(file, part);
    state->scratch.emplace();
    extract(*state->scratch);
    file.check_intact();
    if (const auto written = state->scratch->written())
        state->bytes = *written;
    else
        state->positioned = std::make_unique<WrittenSource>(*state->scratch);
    return InputFile(std::move(state));
}

InputFile InputFile::slice(const InputFile& file, std::string_view part, ByteView bytes) {
    auto state = state_of_part(file, part);
    state->whole = file.state_;
    state->bytes = bytes;
    return InputFile(std::move(state));
}

InputFile InputFile::computed(const InputFile& file, std::string_view name, SharedSource source) {
    auto state = state_of_part(file, "content");
    state->path = file.path().parent_path() / name;
    state->whole = file.state_;
    state->computed = std::move(source);
    if (file.origin().empty()) state->origin.clear();  // what came through a pipe has no name to find it by
    return InputFile(std::move(state));
}

InputFile InputFile::written_out(const InputFile& computed) {
    InputFile file =
        part(computed, computed.path().filename().string(), [&](ByteSink& out) { write_source(computed, out); });
    file.state_->origin = computed.origin();
    return file;
}

SharedSource InputFile::shared(const InputFile& file) {
    return std::shared_ptr<InputFile>(new InputFile(file.state_));
}

InputFile::InputFile(std::shared_ptr<State> state) noexcept : state_(std::move(state)) {}
InputFile::~InputFile() = default;
InputFile::InputFile(InputFile&&) noexcept = default;
InputFile& InputFile::operator=(InputFile&&) noexcept = default;

std::uint64_t InputFile::size() const noexcept {
    if (state_->computed) return state_->computed->size();
    return state_->positioned ? state_->positioned->size() : state_->bytes.size();
}
ByteView InputFile::read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const {
    if (state_->computed) return state_->computed->read(offset, length, scratch);
    if (state_->positioned) return state_->positioned->read(offset, length, scratch);
    return state_->bytes.subspan(static_cast<std::size_t>(offset), length);
}
std::optional<ByteView> InputFile::whole() const noexcept {
    if (state_->computed || state_->positioned) return std::nullopt;
    return state_->bytes;
}
ByteView InputFile::bytes() const {
    State& s = *state_;
    if (s.positioned)
        std::call_once(s.read_whole, [&] {
            s.memory.resize(static_cast<std::size_t>(s.positioned->size()));
            s.positioned->read(0, s.memory.size(), s.memory);
            s.bytes = s.memory;
        });
    return s.bytes;
}
const fs::path& InputFile::path() const noexcept {
    return state_->path;
}

void InputFile::check_intact() const {
    if (state_->computed) state_->computed->check_intact();
    const State* outer = state_.get();
    while (outer->whole) outer = outer->whole.get();
    const State& s = *outer;
    if (!s.mapping.ok()) return;
    struct stat now {};
    const bool shrunk = S_ISREG(s.info.st_mode) && ::stat(s.path.c_str(), &now) == 0 && now.st_ino == s.info.st_ino &&
                        now.st_dev == s.info.st_dev && now.st_size < s.info.st_size;
    if (!shrunk && !s.mapping.failed()) return;
    throw Error(ErrorCode::io, shrunk ? fmt::format("{} became shorter while it was read", s.path.string())
                                      : fmt::format("{} could not be read to its end", s.path.string()))
        .hint(shrunk ? "wait until the program that writes it is done, then run this again"
                     : "the disk or its connection failed; copy the file from its backup");
}

const std::string& InputFile::origin() const noexcept {
    return state_->origin;
}
const fs::path& InputFile::sheet() const noexcept {
    return state_->sheet;
}
void InputFile::set_sheet(fs::path path) {
    state_->sheet = std::move(path);
}
bool InputFile::is_unpacked() const noexcept {
    return state_->scratch.has_value() || state_->whole != nullptr;
}

bool InputFile::is_computed() const noexcept {
    return state_->computed != nullptr;
}

InputFile InputFile::computed_from() const {
    return InputFile(state_->whole);
}

std::optional<FileStamp> InputFile::stamp() const noexcept {
    if (!state_->has_identity || !S_ISREG(state_->info.st_mode)) return std::nullopt;
    return stamp_from(state_->info);
}

bool InputFile::is_same_file(const fs::path& path) const noexcept {
    struct stat other {};
    if (::stat(path.c_str(), &other) != 0 || !state_->has_identity) return false;
    return other.st_dev == state_->info.st_dev && other.st_ino == state_->info.st_ino;
}

}  // namespace hotstitch
