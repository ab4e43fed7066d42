#!/usr/bin/env bash
# clang-format and clang-tidy over all our code, what comments name, and the portable build. With --fix, formats in place first.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh clang-format clang-tidy
mapfile -t files < <(git ls-files --cached --others --exclude-standard '*.cc' '*.h')
[ "${1:-}" = --fix ] && clang-format -i "${files[@]}"
clang-format --dry-run --Werror "${files[@]}" && echo "clang-format: clean"

# Comments that name a test name one that exists.
for path in $(git grep -hoE 'Tested by [^ ,;]+[a-z]' -- src cli include | awk '{print $3}' | sort -u); do
    [ -e "$path" ] || { echo "a comment names $path, which is not there" >&2; exit 1; }
done
echo "named tests: all there"

# The library without its optional libraries, shared, has to build and work.
cmake --preset portable >/dev/null && cmake --build --preset portable >/dev/null
(cd build/portable && rm -rf smoke && ./make_demo smoke && cd smoke && ../hotstitch create Kelp*1*.sfc "Night Tides.sfc" --checks -q &&
    mv "Night Tides.sfc" wanted.sfc && ../hotstitch apply Kelp*1*.sfc "Night Tides.bps" -q && cmp "Night Tides.sfc" wanted.sfc &&
    ../hotstitch describe "Night Tides.bps" -q && ../hotstitch undo "Night Tides.sfc" -q) >/dev/null && echo "portable build: works"

cmake --preset asan -D CMAKE_EXPORT_COMPILE_COMMANDS=ON >/dev/null
mapfile -t sources < <(git ls-files --cached --others --exclude-standard 'src/*.cc' 'cli/*.cc' 'examples/*.cc' 'demo/*.cc')
printf '%s\0' "${sources[@]}" | xargs -0 -P "$(nproc)" -n 4 clang-tidy -p build/asan --quiet 2>/dev/null && echo "clang-tidy: clean"
