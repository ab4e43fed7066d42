// SPDX-License-Identifier: MIT
// A newer version of a kit came out: the receipt knows the bases and the place. Tested by tests/kit/cli_kit_test.cc.
#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "job/as_made.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

KitRequest plan_kit_renewal(const fs::path& named, std::vector<std::string> newer) {
    constexpr std::string_view ending = ".receipt.json";
    std::string name = really_absolute(named).string();
    if (name.ends_with(ending)) name.resize(name.size() - ending.size());
    const fs::path file = name, folder = file.parent_path();
    clear_leftovers(file);  // of a call that was killed: what stood there stands there again
    auto found = receipt_of(file);
    // Stopped when what was made before had been undone: its receipt is kept.
    std::error_code code;
    if (!found && fs::exists(fs::symlink_status(renewal_path(file), code))) found = read_receipt(renewal_path(file));
    if (!found || found->kits.empty())
        throw Error(found ? ErrorCode::usage : ErrorCode::io,
                    file.string() + (found ? " was not made by a kit" : " has no receipt"))
            .in("receipt")
            .hint("undo it where that can be, then apply the kit");
    Receipt receipt = *found;
    if (receipt.in_place) {
        KitRequest request{.given = {file.string()}, .kits = std::move(newer), .in_place = true};
        request.replace = Replace::keep_backup;
        request.renews = std::move(receipt);
        return request;
    }
    KitRequest request;
    for (const ReceiptSource& base : receipt.sources)
        request.given.push_back(path_from_receipt(base.file.path, folder).string());
    request.kits = std::move(newer);
    const fs::path root = path_from_receipt(receipt.root, folder);
    const ReceiptOutput& first = receipt.target();
    const bool proven = is_proven(first, path_from_receipt(first.file.path, folder));
    if (!is_inside(root / "x", folder) && !proven)
        throw Error(ErrorCode::refused,
                    fmt::format("the receipt names the folder {}, which is not its own", root.string()))
            .in("root")
            .hint(
                "nothing proves that the receipt was written here; apply the kit with -o and the folder that you mean");
    request.output = (root / "").string();
    request.renews = std::move(receipt), request.renews_in = folder;
    return request;
}

}  // namespace hotstitch
