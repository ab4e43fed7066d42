// SPDX-License-Identifier: MIT
// Kits in a heap know their bases by checksums: what is none of them is left out, and what is missing is looked for
// beside. Tested by tests/heap/heap_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "heap/roles.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool all_found(const KitJob& job) {
    for (const auto& of_kit : job.bases())
        for (const KitBaseFound& found : of_kit)
            if (!found && !found.base->optional) return false;
    return true;
}

HeapChoice choice_of(const KitRequest& request, const KitJob& job) {
    HeapChoice choice{.kits = request};
    std::string kits, bases;
    for (const KitInput& kit : job.kits())
        kits += fmt::format("{}{}{}{}", kits.empty() ? "" : ", then ", kit.kit().name,
                            kit.kit().version.empty() ? "" : " ", kit.kit().version);
    for (const auto& of_kit : job.bases())
        for (const KitBaseFound& found : of_kit)
            if (found) bases += fmt::format("{}{}", bases.empty() ? "" : ", ", file_name(found.address));
    choice.words = bases.empty() ? kits : fmt::format("{} onto {}", kits, bases);
    choice.by = "the kit knows its bases by checksums";
    return choice;
}

/// Files that no kit asks for are left out. The bases stand with what they were found in.
void leave_out_others(Heap& heap, KitRequest& request, const KitJob& job) {
    std::erase_if(request.given, [&](const std::string& given) {
        for (const auto& of_kit : job.bases())
            for (const KitBaseFound& found : of_kit)
                if (found.address == given || found.address.starts_with(given + ":") ||
                    found.address.starts_with(given.ends_with('/') ? given : given + "/"))
                    return false;
        for (HeapFile& file : heap.files)
            if (file.path == given) file.why = "the kit does not ask for it";
        return true;
    });
}

/// A base that is missing may lie beside the kit, or beside what was given.
void look_for_bases(Heap& heap, const KitRequest& request) {
    KitRequest wider = request;
    for (const std::vector<std::string>* const names : {&request.given, &request.kits})
        for (const std::string& name : *names) {
            const fs::path folder = fs::path(name).parent_path();
            const std::string beside = folder.empty() ? "." : folder.string();
            if (std::find(wider.given.begin(), wider.given.end(), beside) == wider.given.end())
                wider.given.push_back(beside);
        }
    KitJob job(wider, heap.work);
    job.open();
    if (!all_found(job)) return;
    wider.given.clear();
    for (const auto& of_kit : job.bases())
        for (const KitBaseFound& found : of_kit)
            if (found) wider.given.push_back(fs::path(found.address).lexically_normal().string());
    heap.open.push_back({"Is it this one, which lies beside?", {choice_of(wider, job)}});
}

}  // namespace

void plan_kits(Heap& heap, const Destination& to) {
    KitRequest request;
    request.output = to.file, request.replace = to.replace, request.receipt = to.receipt;
    for (HeapFile& file : heap.files) {
        const bool may_be_base =
            file.role == HeapRole::game || file.role == HeapRole::folder || file.role == HeapRole::sheet;
        if (file.role == HeapRole::kit) request.kits.push_back(file.path);
        if (may_be_base && !file.found) request.given.push_back(file.path);
        if (file.role == HeapRole::patch) file.why = "a kit says itself which patches it applies";
    }
    try {
        KitJob looked(request, heap.work);
        looked.open();
        if (all_found(looked)) leave_out_others(heap, request, looked);
        KitJob job(request, heap.work);
        job.open();
        if (!all_found(job)) look_for_bases(heap, request);
        job.plan();
        job.refuse_conflicts();
        heap.plan = choice_of(request, job);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        heap.refusal = error;
    }
}

}  // namespace hotstitch
