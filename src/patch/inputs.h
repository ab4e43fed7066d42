// SPDX-License-Identifier: MIT
// What the operations of this folder share: a source as one view, and errors that blame the right one.
#pragma once

#include "hotstitch/bytes.h"
#include "hotstitch/error.h"
#include "hotstitch/limits.h"
#include "hotstitch/stream.h"

namespace hotstitch {

/// The whole of a source: its own memory, or read into `storage` when it has none.
/// Throws Error(io), and Error(limit) past the memory budget.
ByteView whole_of(const ByteSource& source, Bytes& storage, const Limits& limits);

/// Runs `work`. When it throws although an input has failed underneath (a mapped file that shrank reads as
/// zeros), the input's failure is thrown instead: it is the cause.
template <class Work>
auto blaming_inputs(std::initializer_list<const ByteSource*> inputs, Work&& work) {
    const auto check = [&] {
        for (const ByteSource* input : inputs) input->check_intact();
    };
    try {
        if constexpr (std::is_void_v<decltype(work())>) {
            work();
            check();
        } else {
            auto result = work();
            check();
            return result;
        }
    } catch (const Error& error) {
        if (error.code() != ErrorCode::cancelled) check();
        throw;
    }
}

}  // namespace hotstitch
