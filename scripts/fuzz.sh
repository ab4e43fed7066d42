#!/usr/bin/env bash
# Fuzzes every target for the given minutes, two at a time: fuzz.sh MINUTES [TARGET…]
# A library that is refused too large a piece of memory has to cope, as it does outside: so ASan says no and goes on.
# New inputs are kept in build/fuzz/corpus/; a finding is left as build/fuzz/TARGET-* and ends with exit 1.
set -euo pipefail
cd "$(dirname "$0")/.."
[ $# -ge 1 ] || { echo "usage: scripts/fuzz.sh MINUTES [TARGET…]" >&2; exit 2; }
minutes=$1
shift
targets=("$@")
[ ${#targets[@]} -gt 0 ] || targets=(ips ups bps vcdiff window huffman lzma apply archive image create record pe elf ps_x dol payload packing disc volume udf cue
    console partition cartridge copy chunk keys map edits kit)

scripts/setup.sh
scripts/build.sh fuzz
export ASAN_OPTIONS=allocator_may_return_null=1
printf '%s\n' "${targets[@]}" | xargs -P 2 -I{} bash -c '
    set -u
    mkdir -p build/fuzz/corpus/{}
    if build/fuzz/fuzz/fuzz_{} -max_total_time=$(( 60 * $1 )) -max_len=8192 -timeout=10 -rss_limit_mb=2048 \
        -artifact_prefix=build/fuzz/{}- build/fuzz/corpus/{} fuzz/seeds/{} >build/fuzz/{}.log 2>&1; then
        echo "{}: no finding; $(grep -E "^Done " build/fuzz/{}.log), $(grep -oE "cov: [0-9]+ ft: [0-9]+" build/fuzz/{}.log | tail -n 1)"
    else
        tail -n 30 build/fuzz/{}.log
        echo "{}: FINDING, see build/fuzz/{}-*"
        exit 1
    fi' _ "$minutes"
