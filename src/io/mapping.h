// SPDX-License-Identifier: MIT
// A read-only memory mapping of a file that survives the file being cut short or its disk failing.
//
// The system answers a read of a page that is no longer there with SIGBUS, which ends the process. Our
// handler puts zero pages in the place of what is gone and marks the mapping; whoever reads it finds out by
// asking failed(). Signals about other memory go on to the handler that was there before.
#pragma once

#include "hotstitch/bytes.h"

namespace hotstitch {

class Mapping {
public:
    Mapping() noexcept = default;
    /// Maps the first `size` bytes of the descriptor, which may be closed afterwards.
    /// Returns an empty mapping with `ok() == false` and errno set when the system refuses.
    static Mapping of(int descriptor, std::size_t size) noexcept;
    ~Mapping();
    Mapping(Mapping&& other) noexcept;
    Mapping& operator=(Mapping&& other) noexcept;

    bool ok() const noexcept { return slot_ != nullptr; }
    ByteView bytes() const noexcept { return bytes_; }
    bool failed() const noexcept;

private:
    ByteView bytes_;
    struct MappingSlot* slot_ = nullptr;
};

}  // namespace hotstitch
