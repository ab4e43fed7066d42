#!/usr/bin/env bash
# faults.sh [MINUTES]: every command that writes, killed and failing at each system call that changes something, on full
# disks, and two processes on one file 600 times for each pair, and on one shelf; then again until the time is over. Prints what was tried
# and what failed, row by row.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh
scripts/build.sh release hotstitch_tool fault_tests kit_tests
export HOTSTITCH_TOOL=$PWD/build/release/hotstitch FAULT_ROUNDS=30
end=$((SECONDS + ${1:-20} * 60))
round=0
while [ "$round" -eq 0 ] || [ "$SECONDS" -lt "$end" ]; do
    round=$((round + 1))
    echo "Round $round"
    build/release/tests/fault_tests --gtest_brief=1
    build/release/tests/kit_tests --gtest_brief=1 --gtest_filter='Shelf*'
done
