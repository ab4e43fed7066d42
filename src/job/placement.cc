// SPDX-License-Identifier: MIT
// Where output goes when not told, or by a pattern, and what may not be written over. Tested by
// tests/cli/cli_apply_test.cc and tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/letters.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/identity.h"
#include "hotstitch/text.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool is_game(const InputFile& file) {
    const Identity identity = identify(file);
    return identity.is(KindId::cartridge) ||
           (!identity.is(KindId::executable) && is_game_extension(file.path().extension().string()));
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

namespace {

/// What a word of a pattern stands for; nothing: it is none.
std::optional<std::string> value_of(std::string_view word, const Identity& identity, const fs::path& otherwise) {
    if (word == "title") return identity.title;
    if (word == "serial") return identity.serial;
    if (word == "region") return identity.region;
    if (word == "revision") return identity.revision ? fmt::format("{}", *identity.revision) : std::string();
    if (word == "platform") return std::string(identity.platform);
    if (word == "name") return otherwise.stem().string();
    if (word == "extension") return otherwise.extension().string().substr(otherwise.has_extension() ? 1 : 0);
    return std::nullopt;
}

}  // namespace

fs::path placed_as(const std::string& pattern, const Identity& identity, const fs::path& otherwise) {
    const std::string made = filled_in(pattern, [&](const std::string& word) {
        const auto value = value_of(word, identity, otherwise);
        if (!value)
            throw Error(ErrorCode::usage, fmt::format("a pattern knows no {{{}}}", word))
                .in("as")
                .wanted("{title}, {serial}, {region}, {revision}, {platform}, {name}, {extension}");
        if (value->empty())
            throw Error(ErrorCode::usage, fmt::format("the file says nothing of its {}", word))
                .in("as")
                .found(fmt::format("it is {}", identity.kind.title))
                .hint("leave that word out of the pattern");
        return safe_name(*value);
    });
    if (made.empty() || made.back() == '/')
        throw Error(ErrorCode::usage, "the pattern names no file").in("as").found(pattern);
    return made;
}

void refuse_packed_name(const fs::path& output, const InputFile& source) {
    if (!source.is_unpacked() && !source.is_computed()) return;
    const fs::path packed =
        source.is_computed() ? source.computed_from().path() : fs::path(address_of(source.origin()).file);
    const std::string wanted = lower(output.extension().string()), own = lower(source.path().extension().string());
    if (wanted.empty() || wanted != lower(packed.extension().string()) || (wanted == own && !source.is_computed()))
        return;
    throw Error(ErrorCode::unsupported,
                fmt::format("what is made is the file that {} holds, and {} would be no {}", packed.filename().string(),
                            output.filename().string(), source.is_computed() ? "compressed copy" : "archive"))
        .in("output")
        .hint("archives and compressed copies are only read; give the output the extension of what it is, such as " +
              (source.is_computed() || own.empty() ? ".iso" : own));
}

void refuse_inputs(const fs::path& output, const std::vector<const InputFile*>& inputs, std::string_view hint,
                   ErrorId id) {
    for (const InputFile* input : inputs)
        if (input->is_same_file(output))
            throw Error(ErrorCode::usage, fmt::format("the output {} is one of the inputs", output.string()))
                .in(id == ErrorId::none ? "output" : "")
                .as(id)
                .hint(std::string(hint));
}

void refuse_inputs(const fs::path& output, const std::vector<fs::path>& inputs) {
    std::error_code code;
    for (const fs::path& input : inputs)
        if (fs::equivalent(output, input, code))
            throw Error(ErrorCode::usage, fmt::format("the output {} is one of the inputs", output.string()))
                .in("output")
                .hint("name another output");
}

}  // namespace hotstitch
