// SPDX-License-Identifier: MIT
// What steps do, for people. Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include "hotstitch/step.h"

namespace hotstitch {
namespace {

std::string words_for(const step::Patch& does, const std::string& at) {
    return fmt::format("apply {} to {}", does.file, at);
}
std::string words_for(const step::Put& does, const std::string& at) {
    return fmt::format("put {} into {}", does.file, at);
}
std::string words_for(const step::Edit& does, const std::string& at) {
    return fmt::format("edit {} by {}", at, does.file);
}
std::string words_for(const step::Remove&, const std::string& at) {
    return fmt::format("remove {}", at);
}
std::string words_for(const step::Folder&, const std::string& at) {
    return fmt::format("make the folder {}", at);
}
std::string words_for(const step::Link& does, const std::string& at) {
    return fmt::format("link {} to {}", at, does.to);
}
std::string words_for(const step::Mend& does, const std::string& at) {
    return fmt::format("mend {} of {}", fmt::join(does.mends, ", "), at);
}
std::string words_for(const step::StripHeader& does, const std::string& at) {
    return does.size == 0 ? fmt::format("take the front header off {}", at)
                          : fmt::format("take a front header of {} bytes off {}", does.size, at);
}
std::string words_for(const step::AttachHeader& does, const std::string& at) {
    return fmt::format("put a front header{} on {}", does.file.empty() ? "" : fmt::format(", {},", does.file), at);
}
std::string words_for(const step::Set& does, const std::string& at) {
    constexpr std::size_t most_named = 3;
    std::string fields;
    for (std::size_t i = 0; i < does.fields.size() && i < most_named; ++i)
        fields += fmt::format("{}{} = {}", i == 0 ? "" : ", ", does.fields[i].selector, does.fields[i].value);
    if (does.fields.size() > most_named) fields += fmt::format(" and {} more", does.fields.size() - most_named);
    return fmt::format("set {} in {}", fields, at);
}

}  // namespace

std::string words_for(const Step& step) {
    const std::string at = step.at.empty() ? "the file" : step.at;
    return std::visit([&](const auto& does) { return words_for(does, at); }, step.does);
}

}  // namespace hotstitch
