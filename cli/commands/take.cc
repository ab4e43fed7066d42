// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

TakeResult take_to_stream(const std::vector<std::string>& addresses, bool stored, const Context& context) {
    const std::string& address = addresses.front();
    if (addresses.size() != 1 || address_of(address).names_all())
        throw Error(ErrorCode::usage, "only one part can go to standard output").hint("name a folder with -o");
    ScratchFile scratch;
    const Part part = take_part(address, scratch, context, stored);
    const std::uint64_t size = scratch.written_size();
    scratch.copy_to(STDOUT_FILENO, context.progress);
    TakeResult result;
    result.taken.push_back({part.name, "-", size});
    result.in_form2 = part.storage == PartStorage::form_2 && !stored ? 1 : 0;
    return result;
}

void state_taken(const TakeResult& result, Report& report) {
    constexpr std::size_t most_shown = 12, most_renamed = 5;
    Json list = Json::array();
    for (const TakenPart& part : result.taken)
        list.push_back({{"name", as_utf8(part.name)}, {"path", as_utf8(part.path.string())}, {"size", part.size}});
    for (std::size_t i = 0; i < std::min(result.taken.size(), most_shown); ++i)
        report.fact("taken", "taken",
                    fmt::format("{}  {}", shown(result.taken[i].path), size_text(result.taken[i].size)), list);
    report.detail("taken", list);
    if (result.renamed.empty()) return;
    std::string names;
    for (std::size_t i = 0; i < std::min(result.renamed.size(), most_renamed); ++i)
        names += fmt::format("{}{} as {}", i == 0 ? "" : ", ", escaped(result.renamed[i].first),
                             escaped(result.renamed[i].second));
    report.warn(
        fmt::format("{} written under another name, because the name is the same as another but for case, or "
                    "is not allowed on all systems: {}{}",
                    counted(result.renamed.size(), "part was", "parts were"), names,
                    result.renamed.size() > most_renamed ? ", …" : ""));
}

}  // namespace

void run(const TakeArguments& arguments, const Context& context, Report& report) {
    for (const std::string& address : arguments.request.addresses)
        if (!address_of(address).names_part())
            throw Error(ErrorCode::usage, fmt::format("{} names no part", address))
                .hint(fmt::format("see what there is: hotstitch parts {}", shell_file(address)));
    TakeRequest request = arguments.request;
    request.replace = arguments.flags.mode();
    const TakeResult result = request.output == "-" ? take_to_stream(request.addresses, request.stored, context)
                                                    : take_parts(request, context);
    state_taken(result, report);
    if (!result.encrypted.empty())
        report.warn(
            fmt::format("{} encrypted and not taken: {}{}; unpack what has a password first, and open "
                        "a disc's partition with your keys: --keys FILE",
                        counted(result.encrypted.size(), "part is", "parts are"), escaped(result.encrypted.front()),
                        result.encrypted.size() > 1 ? ", …" : ""));
    if (result.in_form2 != 0)
        report.warn(
            fmt::format("{} in sectors of form 2 (sound or film), of which only 2,048 of 2,324 bytes each were "
                        "taken; --raw takes whole sectors",
                        counted(result.in_form2, "part lies", "parts lie")));
    if (!result.links.empty())
        report.warn(fmt::format("{} not taken: {}{}", counted(result.links.size(), "link was", "links were"),
                                escaped(result.links.front()), result.links.size() > 1 ? ", …" : ""));
    Json damaged = Json::array();
    std::vector<std::string> lines;
    for (const auto& [name, why] : result.damaged) {
        damaged.push_back({{"name", as_utf8(name)}, {"why", as_utf8(why)}});
        lines.push_back(fmt::format("{}: {}", escaped(name), escaped(why)));
    }
    report.list("damaged", "damaged", lines, 12, damaged);
    std::uint64_t bytes = 0;
    for (const TakenPart& part : result.taken) bytes += part.size;
    if (!result.damaged.empty())
        return report.conclude(
            Mood::bad, "damaged",
            fmt::format("Took {}, {}; {} damaged and not taken.", counted(result.taken.size(), "part", "parts"),
                        size_text(bytes), counted(result.damaged.size(), "part is", "parts are")),
            ExitCode::bad_input);
    report.good("taken", fmt::format("Took {}, {}.", counted(result.taken.size(), "part", "parts"), size_text(bytes)));
}

}  // namespace hotstitch::cli
