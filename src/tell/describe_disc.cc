// SPDX-License-Identifier: MIT
// Disc images, told. Tested by tests/cli/cli_disc_test.cc and tests/cli/cli_console_test.cc.
#include "tell/describe_disc.h"

#include <fmt/format.h>

#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

/// Every sector is looked at: which sorts there are, and in how many a code is wrong.
bool state_sectors(const InputFile& file, const WorkOptions& context, Report& part) {
    const auto check = check_sectors(file, context.progress);
    if (!check) return true;
    std::string kinds;
    const auto add = [&](std::uint64_t count, const char* what) {
        if (count != 0) kinds += fmt::format("{}{} {}", kinds.empty() ? "" : ", ", grouped(count), what);
    };
    add(check->mode1, "of mode 1"), add(check->form1, "of mode 2 form 1"), add(check->form2, "of mode 2 form 2");
    add(check->other, "of no kind with codes");
    const Json value = {
        {"mode1", check->mode1},       {"mode2_form1", check->form1},
        {"mode2_form2", check->form2}, {"other", check->other},
        {"wrong", check->wrong},       {"first_wrong", check->wrong == 0 ? Json(nullptr) : Json(check->first_wrong)}};
    part.fact("sector_codes", "sector codes",
              check->wrong == 0 ? fmt::format("EDC and ECC right in all: {}", kinds)
                                : fmt::format("EDC or ECC wrong in {}, the first is sector {}; {}",
                                              grouped(check->wrong), grouped(check->first_wrong), kinds),
              value);
    return check->wrong == 0;
}

/// Of discs whose unused areas hold other bytes than zeros when they are whole.
void state_scrubbed(const InputFile& file, const Identity& identity, Report& part) {
    if (identity.platform != "gamecube" && identity.platform != "wii") return;
    try {
        if (const auto state = copy_state(file); state && state->is_scrubbed())
            part.warn(
                "unused areas are zeros where a full copy has other bytes: a scrubbed copy, and patches are made for "
                "full ones");
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
    }
}

}  // namespace

void describe_disc(const InputFile& file, const Identity& identity, const std::string& name, const WorkOptions& context,
                   Report& part) {
    if (identity.platform.empty()) identity_facts(part, identity);
    disc_facts(part, identity);
    const bool codes_right = state_sectors(file, context, part);
    state_scrubbed(file, identity, part);
    file.check_intact();
    part.next("to see its files", fmt::format("hotstitch parts {}", shell_file(name)));
    if (!codes_right)
        part.next("wrong sectors are a protection or damage; only if you changed them yourself, put them right",
                  fmt::format("hotstitch mend {} sectors -o OUTPUT", shell_file(name)));
    part.conclude(identity.warnings.empty() && codes_right ? Mood::good : Mood::unsure, "disc",
                  fmt::format("{} is {}.", shown(file.path()), escaped(words_for(identity))), ExitCode::yes);
}

}  // namespace hotstitch::tell
