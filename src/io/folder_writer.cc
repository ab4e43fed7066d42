// SPDX-License-Identifier: MIT
// Tested by tests/kit/kit_create_test.cc.
#include "io/folder_writer.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "io/file_writer.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

class OneFile final : public ByteSink {
public:
    explicit OneFile(FileWriter& writer) : writer_(writer) {}
    void reserve(std::uint64_t size) override { writer_.reserve(size); }
    void write(ByteView bytes) override { writer_.write(bytes); }
    void clear() override { writer_.clear(); }
    void read_back(std::uint64_t offset, MutableByteView into) const override { writer_.read_back(offset, into); }
    std::optional<ByteView> written() override { return writer_.map(); }
    std::uint64_t written_size() const override { return writer_.size(); }

private:
    FileWriter& writer_;
};

}  // namespace

void FolderWriter::folder(const std::string& name) {
    std::error_code code;
    fs::create_directories(root_ / name, code);
    if (code) throw system_error("make the folder", root_ / name, code.value());
}

void FolderWriter::link(const std::string& name, const std::string& to) {
    folder(fs::path(name).parent_path().generic_string());
    if (::symlink(to.c_str(), (root_ / name).c_str()) != 0) throw system_error("make the link", root_ / name);
}

void FolderWriter::file(const std::string& name, bool executable, const std::function<void(ByteSink&)>& write) {
    folder(fs::path(name).parent_path().generic_string());
    const fs::path path = root_ / name;
    Descriptor descriptor(::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, executable ? 0777 : 0666));
    if (!descriptor) throw system_error("write", path);
    FileWriter writer(std::move(descriptor), path, true);
    OneFile sink(writer);
    write(sink);
    writer.trim();
}

void FolderWriter::flush() const {
    const Descriptor descriptor(::open(root_.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!descriptor || ::syncfs(descriptor.get()) != 0) throw system_error("flush", root_);
}

}  // namespace hotstitch
