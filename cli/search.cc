// SPDX-License-Identifier: MIT
// Tested by tests/cli_streams_test.cc.
#include "search.h"

#include <algorithm>
#include <system_error>

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

template <class Iterator>
std::vector<fs::path> regular_files(Iterator entry) {
    std::vector<fs::path> files;
    for (std::error_code code; entry != Iterator(); entry.increment(code)) {
        std::error_code unreadable;
        if (entry->is_regular_file(unreadable)) files.push_back(entry->path());
        if (code) break;
    }
    std::sort(files.begin(), files.end());
    return files;
}

}  // namespace

std::vector<fs::path> files_in(const fs::path& folder) {
    std::error_code code;
    if (!folder.empty()) return regular_files(fs::directory_iterator(folder, code));
    std::vector<fs::path> files = regular_files(fs::directory_iterator(".", code));
    for (fs::path& file : files) file = file.filename();  // named as they would be typed
    return files;
}

std::vector<fs::path> files_below(const fs::path& folder) {
    std::error_code code;
    return regular_files(fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, code));
}

}  // namespace hotstitch::cli
