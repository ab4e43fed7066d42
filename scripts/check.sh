#!/usr/bin/env bash
# clang-format and clang-tidy over all our code, what comments name, and the portable build. With --fix, formats in place first.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh clang-format clang-tidy
mapfile -t files < <(git ls-files --cached --others --exclude-standard '*.cc' '*.h')
[ "${1:-}" = --fix ] && clang-format -i "${files[@]}"
clang-format --dry-run --Werror "${files[@]}" && echo "clang-format: clean"

# Comments that name a test name one that exists.
for path in $(git ls-files src cli include | xargs cat | tr '\n' ' ' | sed 's| // | |g' | grep -oE '(Tested by|and|,) (tests/[a-z_0-9]+\.(cc|sh)|scripts/[a-z-]+\.sh)' | awk '{print $NF}' | sort -u); do
    [ -e "$path" ] || { echo "a comment names $path, which is not there" >&2; exit 1; }
done
echo "named tests: all there"

# Arrows only point down: a folder of src/ includes what its CMakeLists.txt names BELOW it, besides itself and the public headers.
for folder in src/*/; do
    folder=$(basename "$folder")
    allowed=$(tr '\n()' '   ' <"src/$folder/CMakeLists.txt" | sed -n 's/.*BELOW//p' | sed 's/NEEDS_FILES.*//')
    for other in $(grep -rhoE '^#include "[a-z_]+/' "src/$folder" | sed 's/.*"//; s|/||' | sort -u); do
        case " $folder hotstitch $allowed " in *" $other "*) ;; *) echo "src/$folder must not include $other/" >&2; exit 1 ;; esac
    done
    case $folder in io | job | kit | shelf | heap | tell) continue ;; esac
    ! grep -rlE '^#include "hotstitch/(file_io|inputs|delivery|job)\.h"' "src/$folder" || { echo "src/$folder knows of files" >&2; exit 1; }
done
! grep -rlE '^#include "(base|source|digest|edit|match|format|part|fit|record|patch|io|job|kit|shelf|tell)/' cli examples || { echo "only public headers there" >&2; exit 1; }
# Nor in a circle by way of public headers: each belongs to the folder that has a file of its name, else to the one whose files include it first.
scripts/layers.py || exit 1
echo "layers: as drawn"

# Every public header compiles alone.
for header in include/hotstitch/*.h; do
    g++ -std=c++20 -fsyntax-only -Wall -Wextra -Iinclude -x c++ "$header" 2>&1 | grep -v 'pragma once in main file' | grep -E 'error|warning: [^#]' && exit 1 || true
done
echo "public headers: each compiles alone"

# Every file compiles alone, not only together with its neighbours.
libraries=$(grep -oE '^option\(HOTSTITCH_WITH_[A-Z0-9]+' CMakeLists.txt | sed 's/option(/-D/; s/$/=1/')
git ls-files -z --cached --others --exclude-standard 'src/*.cc' 'cli/*.cc' |
    xargs -0 -P "$(nproc)" -n 1 g++ -std=c++20 -fsyntax-only -Iinclude -Isrc -Icli -DHOTSTITCH_BUILDING \
        '-DHOTSTITCH_VERSION="0"' $libraries && echo "files: each compiles alone"

# The library without the system's files: sources and sinks of the caller only.
cmake --preset core >/dev/null && cmake --build --preset core >/dev/null && build/core/examples/mend_rom >/dev/null && echo "core build: works"

# The library without its optional libraries, shared, has to build and work; each layer of it links without those above.
cmake --preset portable -D HOTSTITCH_LAYERS=ON >/dev/null && cmake --build --preset portable >/dev/null && echo "layers: each links with those below alone"
(cd build/portable && rm -rf smoke && ./make_demo smoke && cd smoke && ../hotstitch create Kelp*1*.sfc "Night Tides.sfc" --checks -q &&
    mv "Night Tides.sfc" wanted.sfc && ../hotstitch apply Kelp*1*.sfc "Night Tides.bps" -q && cmp "Night Tides.sfc" wanted.sfc &&
    ../hotstitch describe "Night Tides.bps" -q && ../hotstitch undo "Night Tides.sfc" -q) >/dev/null && echo "portable build: works"
cmake -D BUILD="$PWD/build/portable" -D CONSUMER="$PWD/tests/install" -D COMPILER=g++ -P tests/install/run.cmake &&
    (cd build/portable && cpack -G DEB -B packages >/dev/null) && echo "shared library: installs, links and packs"

cmake --preset asan -D CMAKE_EXPORT_COMPILE_COMMANDS=ON >/dev/null
mapfile -t sources < <(git ls-files --cached --others --exclude-standard 'src/*.cc' 'cli/*.cc' 'examples/*.cc' 'demo/*.cc')
printf '%s\0' "${sources[@]}" | xargs -0 -P "$(nproc)" -n 4 clang-tidy -p build/asan --extra-arg=-I"$PWD/cli" --quiet 2>/dev/null && echo "clang-tidy: clean"
