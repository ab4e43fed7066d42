// SPDX-License-Identifier: MIT
#include "source/whole.h"
#include "hotstitch/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace hotstitch {
namespace {

/// Owns what it gives out.
class OwnedSource final : public ByteSource {
public:
    explicit OwnedSource(Bytes bytes) : bytes_(std::move(bytes)) {}
    std::uint64_t size() const noexcept override { return bytes_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView) const override {
        return ByteView(bytes_).subspan(static_cast<std::size_t>(offset), length);
    }
    std::optional<ByteView> whole() const noexcept override { return ByteView(bytes_); }

private:
    Bytes bytes_;
};

}  // namespace

void throw_no_memory() {
    throw Error(ErrorCode::limit, "the system has no memory left for this")
        .hint("lower the limits, or end other programs, and run it again");
}

SharedSource owned(Bytes bytes) {
    return std::make_shared<OwnedSource>(std::move(bytes));
}

WholeView::WholeView(const ByteSource& source, const Limits& limits) {
    if (const auto whole = source.whole()) {
        bytes_ = *whole;
        return;
    }
    if (source.size() > limits.memory)
        throw Error(ErrorCode::limit, "an input that cannot be mapped is too large for the memory budget")
            .wanted(fmt::format("at most {}", counted(limits.memory, "byte", "bytes")))
            .found(counted(source.size(), "byte", "bytes"));
    storage_.resize(static_cast<std::size_t>(source.size()));
    constexpr std::size_t chunk = 1 << 20;
    for (std::size_t at = 0; at < storage_.size();) {
        const MutableByteView into = MutableByteView(storage_).subspan(at, std::min(chunk, storage_.size() - at));
        const ByteView bytes = source.read(at, into.size(), into);
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
        at += into.size();
    }
    bytes_ = storage_;
}

namespace {

/// Memory as long as it is little, else what the caller lends: thousands of small parts take no file each.
class Scratch final : public ByteSink {
public:
    explicit Scratch(std::function<std::unique_ptr<ByteSink>()> lend) : lend_(std::move(lend)) {}
    void reserve(std::uint64_t size) override {
        if (size > most_in_memory) spill();
        now().reserve(size);
    }
    void write(ByteView bytes) override {
        if (!large_ && small_.bytes().size() + bytes.size() > most_in_memory) spill();
        now().write(bytes);
    }
    void clear() override { now().clear(); }
    void read_back(std::uint64_t offset, MutableByteView into) const override {
        large_ ? large_->read_back(offset, into) : small_.read_back(offset, into);
    }
    std::optional<ByteView> written() override { return now().written(); }
    std::uint64_t written_size() const override { return large_ ? large_->written_size() : small_.written_size(); }

private:
    static constexpr std::size_t most_in_memory = std::size_t{256} << 10;
    ByteSink& now() noexcept { return large_ ? *large_ : static_cast<ByteSink&>(small_); }
    void spill() {
        if (large_) return;
        large_ = lend_();
        large_->write(small_.bytes());
        small_ = MemorySink();
    }

    std::function<std::unique_ptr<ByteSink>()> lend_;
    MemorySink small_;
    std::unique_ptr<ByteSink> large_;
};

}  // namespace

std::unique_ptr<ByteSink> scratch_of(const Limits& limits) {
    if (!limits.scratch) return std::make_unique<MemorySink>();
    return std::make_unique<Scratch>(limits.scratch);
}

SharedSource held(std::shared_ptr<ByteSink> sink) {
    return std::make_shared<WrittenSource>(std::move(sink));
}

}  // namespace hotstitch
