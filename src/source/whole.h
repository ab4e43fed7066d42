// SPDX-License-Identifier: MIT
// A source as one view, and errors that blame the right input.
#pragma once

#include <initializer_list>
#include <new>
#include <optional>
#include <stdexcept>
#include <type_traits>

#include "hotstitch/bytes.h"
#include "hotstitch/error.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// The whole of a source: its own memory or, where it has none, a copy. For what is small by its kind (a cartridge ROM)
/// and for what has to be addressed at once (a patch).
class WholeView {
public:
    /// Throws Error(io), and Error(limit) past the memory budget.
    explicit WholeView(const ByteSource& source, const Limits& limits = {});
    ByteView bytes() const noexcept { return bytes_; }
    operator ByteView() const noexcept { return bytes_; }

private:
    Bytes storage_;
    ByteView bytes_;
};

/// Bytes as a source that keeps them.
SharedSource owned(Bytes bytes);

/// What a sink that keeps what it was given holds, as a source that keeps the sink.
SharedSource held(std::shared_ptr<ByteSink> sink);

/// Temporary storage as the limits lend it; memory where they lend none.
std::unique_ptr<ByteSink> scratch_of(const Limits& limits);

[[noreturn]] void throw_no_memory();

/// Runs `work`; where memory runs out, Error(limit) is thrown.
template <class Work>
auto in_memory(Work&& work) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        throw_no_memory();
    } catch (const std::length_error&) {
        throw_no_memory();
    }
}

/// Runs `work`, in_memory(). When it throws although an input has failed underneath (a mapped file that shrank reads as
/// zeros), the input's failure is thrown instead: it is the cause.
template <class Work>
auto blaming_inputs(std::initializer_list<const ByteSource*> inputs, Work&& work) {
    const auto check = [&] {
        for (const ByteSource* input : inputs) input->check_intact();
    };
    try {
        if constexpr (std::is_void_v<decltype(work())>) {
            in_memory(work);
            check();
        } else {
            auto result = in_memory(work);
            check();
            return result;
        }
    } catch (const Error& error) {
        if (error.code() != ErrorCode::cancelled) check();
        throw;
    }
}

}  // namespace hotstitch
