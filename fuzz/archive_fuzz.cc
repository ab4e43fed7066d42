// SPDX-License-Identifier: MIT
// Any bytes as an archive: listed, and every member unpacked, within small limits.
#include <cstdint>
#include <cstdlib>

#include "hotstitch/archive.h"
#include "hotstitch/error.h"

using namespace hotstitch;

namespace {

/// Counts what comes, so that a member past its limit is noticed here and not by memory running out.
class CountingSink final : public ByteSink {
public:
    void write(ByteView bytes) override { size += bytes.size(); }
    std::uint64_t size = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView archive = std::as_bytes(std::span(data, size));
    Limits limits;
    limits.archive_members = 64;
    limits.archive_unpacked = 4 << 20;  // legitimate members of gigabytes would only take time
    try {
        for (const ArchiveMember& member : list_archive(archive, limits)) {
            CountingSink sink;
            try {
                extract_member(archive, member.name, sink, limits);
            } catch (const Error& error) {
                if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) std::abort();
            }
            if (sink.size > limits.archive_unpacked) std::abort();
        }
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled || error.code() == ErrorCode::usage)
            std::abort();
    }
    return 0;
}
