// SPDX-License-Identifier: MIT
// A kit out of two states of a program's folder, looked at as a launcher would, and applied in place and back:
// make_kit FOLDER
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"

int main(int argc, char** argv) try {
    using namespace hotstitch;
    namespace fs = std::filesystem;
    const fs::path folder = argc > 1 ? fs::path(argv[1]) : fs::temp_directory_path() / "hotstitch-make-kit";
    fs::remove_all(folder);
    fs::create_directories(folder / "harbour");
    std::ofstream(folder / "harbour/berths.txt") << "North Quay 5\nOld Pier 4\n";
    fs::copy(folder / "harbour", folder / "deeper", fs::copy_options::recursive);
    std::ofstream(folder / "deeper/berths.txt") << "North Quay 5\nOld Pier 9\n";
    std::ofstream(folder / "deeper/fog.txt") << "All ferries wait.\n";

    KitCreateRequest request;
    request.pairs = {{(folder / "harbour").string(), (folder / "deeper").string(), {}}};
    request.output = (folder / "deeper.kit").string();
    request.name = "Deeper Berths";
    create_kit(request);

    KitRequest apply;
    apply.given = {(folder / "harbour").string()};
    apply.kits = {request.output};
    apply.in_place = true;
    KitJob job(apply, {});
    job.open();
    for (const KitStepPlan& planned : job.plan().steps) std::printf("will %s\n", words_for(*planned.step).c_str());
    if (job.run().answer != Answer::made) return 2;
    const bool made = fs::exists(folder / "harbour/fog.txt");
    undo(folder / "harbour");
    std::printf("%s, and back: %s\n", made ? "made" : "not made",
                fs::exists(folder / "harbour/fog.txt") ? "no" : "yes");
    fs::remove_all(folder);
    return made ? 0 : 1;
} catch (const hotstitch::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
}
