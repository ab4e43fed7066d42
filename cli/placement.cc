// SPDX-License-Identifier: MIT
#include "placement.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "hotstitch/error.h"
#include "hotstitch/image.h"
#include "hotstitch/recognise.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

/// Extensions under which ROMs and disc images are kept. Only the default place of the output hangs on this.
constexpr std::array<std::string_view, 36> image_extensions{
    ".sfc", ".smc", ".fig", ".swc", ".nes", ".fds", ".unf", ".gb",  ".gbc", ".gba", ".nds", ".n64",
    ".z64", ".v64", ".md",  ".gen", ".smd", ".32x", ".sms", ".gg",  ".pce", ".lnx", ".a26", ".a78",
    ".ws",  ".wsc", ".ngp", ".ngc", ".vb",  ".iso", ".bin", ".img", ".rom", ".gcm", ".cue", ".3ds"};

bool is_image(const InputFile& file) {
    if (recognise_file(file.bytes()).name == "executable") return false;
    std::string extension = file.path().extension().string();
    std::transform(extension.begin(), extension.end(), extension.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return std::find(image_extensions.begin(), image_extensions.end(), extension) != image_extensions.end() ||
           recognise_image(file.bytes());
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

fs::path with_extension(fs::path path, std::string_view extension) {
    return path.replace_extension(extension);
}

void refuse_inputs(const fs::path& output, const std::vector<const InputFile*>& inputs, std::string_view hint) {
    for (const InputFile* input : inputs)
        if (input->is_same_file(output))
            throw Error(ErrorCode::usage, fmt::format("the output {} is one of the inputs", output.string()))
                .in("output")
                .hint(std::string(hint));
}

Replace replace_mode(const OutputArguments& output, bool in_place) {
    if (!output.replace && !in_place) return Replace::never;
    return output.no_backup ? Replace::without_backup : Replace::keep_backup;
}

}  // namespace hotstitch::cli
