// SPDX-License-Identifier: MIT
// CRC-32 and Adler-32: the one place that knows libdeflate.
// Tested by tests/base/digest_test.cc.
#if HOTSTITCH_WITH_LIBDEFLATE
#include <libdeflate.h>
#else
#include "digest/portable_checksums.h"
#endif

#include "hotstitch/digest.h"

namespace hotstitch {

#if HOTSTITCH_WITH_LIBDEFLATE
Crc32 crc32(ByteView bytes, Crc32 before) noexcept {
    // libdeflate reads a null pointer as "give me the start value".
    if (bytes.empty()) return before;
    return {libdeflate_crc32(before.value, bytes.data(), bytes.size())};
}
Adler32 adler32(ByteView bytes, Adler32 before) noexcept {
    if (bytes.empty()) return before;
    return {libdeflate_adler32(before.value, bytes.data(), bytes.size())};
}
#else
Crc32 crc32(ByteView bytes, Crc32 before) noexcept {
    return {portable::crc32(before.value, bytes)};
}
Adler32 adler32(ByteView bytes, Adler32 before) noexcept {
    return {portable::adler32(before.value, bytes)};
}
#endif

}  // namespace hotstitch
