// SPDX-License-Identifier: MIT
// The maps that a file's fields are found by: those that were named or, where none was, those beside the file.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/field_jobs.h"

namespace hotstitch {

class MapsInUse {
public:
    /// Sets the maps of the limits. `other`: of the file that this one is compared with; has to outlive this.
    MapsInUse(WorkOptions& work, const InputFile& file, const MapsInUse* other = nullptr);

    /// A part that is named is looked at as a file of its own, too: with the maps that are for such files. `narrowed`:
    /// the limits that lead to it.
    Limits limits_inside(const Limits& narrowed) const;
    /// Throws Error(wrong_source) where maps were named, or there is no header that is known, and no map is for this
    /// content, naming the nearest and why not; Error(usage) where there is no map at all.
    FileFields fields_of(const SharedSource& content, const Limits& limits);

    const std::vector<std::string>& broken() const noexcept { return broken_; }
    /// Of those that fields_of() took.
    const std::vector<std::string>& titles() const noexcept { return titles_; }

private:
    void check(const FileFields& fields, const ByteSource& content);

    std::shared_ptr<const Maps> maps_;
    std::vector<std::string> broken_{}, titles_{};
    std::vector<SharedMap> used_{};
    const MapsInUse* other_ = nullptr;
    bool asked_for_ = true;  ///< the maps were named, not found
};

}  // namespace hotstitch
