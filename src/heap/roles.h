// SPDX-License-Identifier: MIT
// What a file of a heap is there for, and what kits make of it.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/heap.h"

namespace hotstitch {

/// Every file that was named, and what lies in archives and folders beside what they are there for. `options` take the
/// keys and maps that are among them. Throws Error(io, cancelled).
std::vector<HeapFile> roles_of(const std::vector<std::string>& names, WorkOptions& options);

/// What kits make of a heap: its plan, its question, or its refusal. Throws Error(cancelled).
void plan_kits(Heap& heap, const Destination& to);

/// What comes behind the last slash of an address.
std::string file_name(const std::string& address);

/// The first lines of a text, at most so many; characters that are no UTF-8 as they are.
std::vector<std::string> first_lines(ByteView text, std::size_t most);

}  // namespace hotstitch
