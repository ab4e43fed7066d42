// SPDX-License-Identifier: MIT
// Tested by tests/base/file_io_test.cc, which cuts a mapped file short.
#include "io/mapping.h"

#include <sys/mman.h>
#include <unistd.h>
#include <csignal>

#include <atomic>
#include <mutex>
#include <utility>

namespace hotstitch {

/// Slots are reused and never freed, so that the signal handler may walk the list at any moment.
struct MappingSlot {
    std::atomic<std::uintptr_t> begin{0}, end{0};
    std::atomic<bool> in_use{false}, failed{false};
    MappingSlot* next = nullptr;
};

namespace {

std::atomic<MappingSlot*> all_slots{nullptr};
struct sigaction handler_before {};
std::uintptr_t page_size = 0;

static_assert(std::atomic<std::uintptr_t>::is_always_lock_free && std::atomic<bool>::is_always_lock_free);

void pass_on(int signal, siginfo_t* info, void* context) {
    if ((handler_before.sa_flags & SA_SIGINFO) != 0) return handler_before.sa_sigaction(signal, info, context);
    if (handler_before.sa_handler != SIG_DFL && handler_before.sa_handler != SIG_IGN)
        return handler_before.sa_handler(signal);
    // Back to the default, which ends the process, as it should.
    ::sigaction(signal, &handler_before, nullptr);
    static_cast<void>(::raise(signal));
}

void on_bus_error(int signal, siginfo_t* info, void* context) {
    if (info->si_code <= 0) return pass_on(signal, info, context);  // sent by somebody, about no address
    const auto address = reinterpret_cast<std::uintptr_t>(info->si_addr);
    for (MappingSlot* slot = all_slots.load(); slot != nullptr; slot = slot->next) {
        const std::uintptr_t end = slot->end.load();
        if (!slot->in_use.load() || address < slot->begin.load() || address >= end) continue;
        // Everything from here on: after a cut it is all gone, and one fault a page would take long.
        const std::uintptr_t from = address & ~(page_size - 1);
        slot->failed.store(true);
        void* const place = reinterpret_cast<void*>(from);
        if (::mmap(place, end - from, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED | MAP_NORESERVE, -1, 0) ==
            place)
            return;
        break;
    }
    pass_on(signal, info, context);
}

void install_handler() {
    page_size = static_cast<std::uintptr_t>(::sysconf(_SC_PAGESIZE));
    struct sigaction action {};
    action.sa_sigaction = on_bus_error;
    action.sa_flags = SA_SIGINFO | SA_NODEFER | SA_ONSTACK;
    ::sigemptyset(&action.sa_mask);
    ::sigaction(SIGBUS, &action, &handler_before);
}

MappingSlot* take_slot() {
    for (MappingSlot* slot = all_slots.load(); slot != nullptr; slot = slot->next) {
        bool expected = false;
        if (slot->in_use.compare_exchange_strong(expected, true)) return slot;
    }
    auto* const slot = new MappingSlot;
    slot->in_use = true;
    slot->next = all_slots.load();
    while (!all_slots.compare_exchange_weak(slot->next, slot)) {
    }
    return slot;
}

}  // namespace

Mapping Mapping::of(int descriptor, std::size_t size) noexcept {
    static std::once_flag once;
    std::call_once(once, install_handler);
    Mapping mapping;
    void* const memory = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor, 0);
    if (memory == MAP_FAILED) return mapping;
    mapping.slot_ = take_slot();
    mapping.slot_->failed = false;
    mapping.slot_->begin = reinterpret_cast<std::uintptr_t>(memory);
    mapping.slot_->end = reinterpret_cast<std::uintptr_t>(memory) + size;
    mapping.bytes_ = {static_cast<const std::byte*>(memory), size};
    return mapping;
}

Mapping::~Mapping() {
    if (slot_ == nullptr) return;
    slot_->end = 0;
    ::munmap(const_cast<std::byte*>(bytes_.data()), bytes_.size());
    slot_->in_use = false;
}

Mapping::Mapping(Mapping&& other) noexcept
    : bytes_(std::exchange(other.bytes_, {})), slot_(std::exchange(other.slot_, nullptr)) {}

Mapping& Mapping::operator=(Mapping&& other) noexcept {
    std::swap(bytes_, other.bytes_);
    std::swap(slot_, other.slot_);
    return *this;
}

bool Mapping::failed() const noexcept {
    return slot_ != nullptr && slot_->failed.load();
}

}  // namespace hotstitch
