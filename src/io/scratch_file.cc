// SPDX-License-Identifier: MIT
// Tested by tests/base/file_io_test.cc.
#include <fcntl.h>
#include <unistd.h>

#include <algorithm>

#include "base/meter.h"
#include "hotstitch/file_io.h"
#include "io/file_writer.h"
#include "io/names.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// A file without a name, where the file system can make one, so that no kill leaves it behind.
Descriptor open_unnamed(const fs::path& folder) {
    Descriptor descriptor(::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600));
    if (descriptor) return descriptor;
    fs::path temporary;
    descriptor = open_temporary(folder / "scratch", temporary);
    ::unlink(temporary.c_str());
    return descriptor;
}

}  // namespace

struct ScratchFile::State {
    FileWriter writer;
};

ScratchFile::ScratchFile() : ScratchFile(fs::temp_directory_path()) {}

ScratchFile::ScratchFile(const fs::path& folder) {
    state_ = std::make_unique<State>(State{FileWriter(open_unnamed(folder), folder / "scratch", false)});
}
ScratchFile::~ScratchFile() = default;
ScratchFile::ScratchFile(ScratchFile&&) noexcept = default;
ScratchFile& ScratchFile::operator=(ScratchFile&&) noexcept = default;

void ScratchFile::reserve(std::uint64_t size) {
    state_->writer.reserve(size);
}
void ScratchFile::write(ByteView bytes) {
    state_->writer.write(bytes);
}
void ScratchFile::clear() {
    state_->writer.clear();
}
void ScratchFile::read_back(std::uint64_t offset, MutableByteView into) const {
    state_->writer.read_back(offset, into);
}
std::optional<ByteView> ScratchFile::written() {
    return state_->writer.map();
}
std::uint64_t ScratchFile::written_size() const {
    return state_->writer.size();
}

void ScratchFile::copy_to(int descriptor, const Progress& progress) {
    struct Standard final : ByteSink {
        Standard(int number, const Progress& told, std::uint64_t size)
            : descriptor(number), meter(told, Phase::writing, size) {}
        void write(ByteView bytes) override {
            write_all(descriptor, bytes, "standard output");
            meter.advance(bytes.size());
        }
        int descriptor;
        Meter meter;
    } standard(descriptor, progress, written_size());
    write_source(WrittenSource(*this), standard);
}

}  // namespace hotstitch
