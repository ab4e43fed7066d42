// SPDX-License-Identifier: MIT
// Tested by tests/part/copy_test.cc.
#include "job/copies.h"

#include <fmt/format.h>

#include "base/letters.h"
#include "hotstitch/part.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// The file and those that go on where it ends.
SharedSource joined_parts(const InputFile& file, const WorkOptions& options) {
    SharedSource first = InputFile::shared(file);
    if (file.is_unpacked() || lower(file.path().extension().string()) != ".wbfs") return first;
    std::vector<SharedSource> parts{first};
    const bool capital = file.path().extension() == ".WBFS";
    for (int number = 1;; ++number) {
        const fs::path next =
            fs::path(file.path()).replace_extension(fmt::format("{}{}", capital ? ".WBF" : ".wbf", number));
        std::error_code code;
        if (!fs::is_regular_file(next, code)) break;
        parts.push_back(std::make_shared<InputFile>(next, options.limits, options.progress));
    }
    return parts.size() == 1 ? first : std::make_shared<JoinedSource>(std::move(parts));
}

}  // namespace

InputFile as_plain(InputFile file, const WorkOptions& options) {
    if (file.is_computed()) return file;
    SharedSource plain = plain_copy(joined_parts(file, options));
    if (!plain) return file;
    const fs::path name = fs::path(file.path()).replace_extension(".iso").filename();
    return InputFile::computed(file, name.string(), std::move(plain));
}

}  // namespace hotstitch
