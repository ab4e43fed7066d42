// SPDX-License-Identifier: MIT
// Tested by tests/kit/kit_test.cc.
#include "hotstitch/kit.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {

const KitEdition* KitBase::edition(std::string_view wanted) const noexcept {
    const auto found = std::find_if(any.begin(), any.end(), [&](const KitEdition& e) { return e.name == wanted; });
    return found == any.end() ? nullptr : &*found;
}

const KitBase* Kit::base(std::string_view id) const noexcept {
    const auto found = std::find_if(bases.begin(), bases.end(), [&](const KitBase& b) { return b.id == id; });
    return found == bases.end() ? nullptr : &*found;
}

Address address_in_base(const Kit& kit, std::string_view text) {
    Address address = address_in_kit(text);
    return kit.base(address.file) == nullptr ? Address{} : address;
}

Address address_in_kit(std::string_view text) {
    const std::size_t colon = std::min(text.find(':'), text.size());
    return {std::string(text.substr(0, colon)), split_address(text.substr(std::min(colon + 1, text.size())))};
}

std::string kit_text_for(const Kit& kit, std::string_view text,
                         const std::vector<std::pair<std::string, std::string>>& editions) {
    return filled_in(text, [&](const std::string& word) {
        if (word == "name") return safe_name(kit.name);
        if (word == "version") return kit.version;
        const auto edition =
            std::find_if(editions.begin(), editions.end(), [&](const auto& pair) { return pair.first == word; });
        if (edition != editions.end()) return edition->second;
        throw Error(ErrorCode::usage, "this word stands for nothing")
            .wanted("{name}, {version}, or the id of a base in braces")
            .found(fmt::format("{{{}}}", word));
    });
}

bool link_stays_inside(const std::string& at, const std::string& to) {
    if (to.empty() || to.front() == '/') return false;
    auto depth = std::count(at.begin(), at.end(), '/');
    for (std::size_t begin = 0; begin <= to.size();) {
        const std::size_t end = std::min(to.find('/', begin), to.size());
        const std::string_view name = std::string_view(to).substr(begin, end - begin);
        if (name == "..")
            --depth;
        else if (!name.empty() && name != ".")
            ++depth;
        if (depth < 0) return false;
        begin = end + 1;
    }
    return true;
}

}  // namespace hotstitch
