// SPDX-License-Identifier: MIT
// Steps on working copies: what a step is given, and what all of them share. Each step is done in a file of its own,
// steps/.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "hotstitch/fields.h"
#include "hotstitch/job.h"
#include "job/working_copy.h"

namespace hotstitch {

/// What a step takes from elsewhere.
struct StepContent {
    SharedSource source{};
    std::string origin{};  ///< its address, for people; empty: it has none
};

/// Who has steps done: a kit, whose files lie in it, or a call, whose files lie on the disk.
class StepHost {
public:
    explicit StepHost(WorkOptions options) : work(std::move(options)) {}
    virtual ~StepHost() = default;
    StepHost(const StepHost&) = delete;
    StepHost& operator=(const StepHost&) = delete;

    virtual StepContent open(const std::string& file) = 0;
    /// A patch with the limits to open it with: of an edit list, with the maps that it names.
    virtual SharedSource open_patch_file(const std::string& file, Limits& limits) = 0;
    /// The limits for what a step names inside a container, from those that lead there.
    virtual Limits limits_inside(const Limits& inside) const { return inside; }
    virtual FileFields fields_of(const SharedSource& content, const Limits& limits) = 0;
    /// Makes of an error of a patch one that says which step it was.
    virtual std::function<Error(const Error&)> blame() const {
        return [](const Error& error) { return error; };
    }

    /// The base as a container; null: it has no parts.
    Listing open_outermost(const SharedSource& file) const;

    WorkOptions work;
    OpenOutermost outermost{};  ///< how a file is opened that a sheet has named
    bool mend = true;           ///< what depends on a change is put right
    Allowed allow{};
    bool tells = false;  ///< somebody wants to know what became of parts
};

using Did = decltype(StepReport::did);

/// One step on a base. `names` lead from it to what the step is about.
struct StepContext {
    WorkingBase& base;
    std::vector<std::string> names;
    const Step& step;
    StepHost& host;

    /// The file that the step changes: the base, or one in its folder, whose name is then taken off the names.
    WorkingFile& target();
    PutOptions put_options() const;
    /// For what the step names; `inside`: those that lead there.
    Limits limits_for(const Limits& inside) const { return names.empty() ? inside : host.limits_inside(inside); }
    /// What is named becomes what `make` says.
    void change(WorkingFile& file, const ChangePart& make);
};

/// Does it. Throws Error(usage, unsupported, refused, damaged) for what cannot be done to this file.
Did run_step(StepContext context);

// steps/*.cc, one each.
Did run(StepContext& context, const step::Patch& does);
Did run(StepContext& context, const step::Edit& does);
Did run(StepContext& context, const step::Put& does);
Did run(StepContext& context, const step::Remove& does);
Did run(StepContext& context, const step::Set& does);
Did run(StepContext& context, const step::Mend& does);
Did run(StepContext& context, const step::StripHeader& does);
Did run(StepContext& context, const step::AttachHeader& does);
Did run(StepContext& context, const step::Folder& does);
Did run(StepContext& context, const step::Link& does);

// steps/tree.cc: files of a folder.

Error no_such_file(const Tree& tree, const std::string& path);
void put_file(StepContext& context, const step::Put& does, const SharedSource& content);
void remove_entry(StepContext& context);

// steps/put.cc

/// A folder's files one by one, without those that are in the file as they are. `inside`: where the steps are about.
std::vector<Step> expanded(const ByteSource& file, const std::vector<std::string>& inside,
                           const std::vector<Step>& steps, const StepHost& host);
/// Throws Error(usage) for two that name one part, or a part and what lies in it.
void refuse_contradictions(std::span<const Step> steps);
/// Puts and removals in the outermost container, as one layout where it can do that; nothing: one after the other.
std::optional<std::vector<StepReport>> put_at_once(WorkingFile& file, const std::vector<std::string>& inside,
                                                   std::span<const Step> steps, StepHost& host);

}  // namespace hotstitch
