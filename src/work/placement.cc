// SPDX-License-Identifier: MIT
// Where output goes when not told, and what may not be written over. Tested by tests/cli_apply_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// Extensions under which ROMs and disc images are kept. Only the default place of the output hangs on this.
constexpr std::array<std::string_view, 36> image_extensions{
    ".sfc", ".smc", ".fig", ".swc", ".nes", ".fds", ".unf", ".gb",  ".gbc", ".gba", ".nds", ".n64",
    ".z64", ".v64", ".md",  ".gen", ".smd", ".32x", ".sms", ".gg",  ".pce", ".lnx", ".a26", ".a78",
    ".ws",  ".wsc", ".ngp", ".ngc", ".vb",  ".iso", ".bin", ".img", ".rom", ".gcm", ".cue", ".3ds"};

bool is_image(const InputFile& file) {
    const Identity identity = identify(file);
    if (identity.cartridge) return true;
    if (identity.kind.name == "executable") return false;
    std::string extension = file.path().extension().string();
    std::transform(extension.begin(), extension.end(), extension.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return std::find(image_extensions.begin(), image_extensions.end(), extension) != image_extensions.end();
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
    if (!is_image(source)) return folder / "patched" / source.path().filename();
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
