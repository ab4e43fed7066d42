// SPDX-License-Identifier: MIT
// Where output goes when not told, and what may not be written over. Tested by tests/cli_apply_test.cc.
#include <fmt/format.h>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/identity.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool is_game(const InputFile& file) {
    const Identity identity = identify(file);
    return identity.is("cartridge") ||
           (!identity.is("executable") && is_game_extension(file.path().extension().string()));
}

}  // namespace

fs::path output_path(const std::string& typed, const fs::path& fallback) {
    if (typed.empty()) return fallback;
    std::error_code code;
    if (typed.back() == '/' || fs::is_directory(typed, code)) return fs::path(typed) / fallback.filename();
    return typed;
}

fs::path default_apply_output(const InputFile& source, const fs::path& patch) {
    const fs::path folder = source.path().parent_path();
    if (!is_game(source)) return folder / "patched" / source.path().filename();
    return folder / fs::path(patch.stem()).concat(source.path().extension().string());
}

void refuse_inputs(const fs::path& output, const std::vector<const InputFile*>& inputs, std::string_view hint,
                   std::string_view field) {
    for (const InputFile* input : inputs)
        if (input->is_same_file(output))
            throw Error(ErrorCode::usage, fmt::format("the output {} is one of the inputs", output.string()))
                .in(std::string(field))
                .hint(std::string(hint));
}

}  // namespace hotstitch
