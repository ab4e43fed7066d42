#!/usr/bin/env bash
# The matcher's tables of docs/performance.md, in one run: ROM-shaped pairs against an exhaustive matcher, two versions
# of real files against what general compressors reach, disc-sized and near-equal files against cp and one CRC-32 pass,
# hard inputs. Fetches the real files by npm once, into build/pairs. Takes about 40 minutes, half of it the compressors
# the first time, and about 6 GB of disk.
# performance.sh WORD runs one part only: rom, real, whole or hard.
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/measured.sh
scripts/setup.sh libdivsufsort-dev zstd xz-utils genisoimage >/dev/null
scripts/build.sh bench
PATH=$PWD/build/bench:$PWD/build/bench/bench:$PATH
pairs=build/pairs
mkdir -p "$pairs"
part() { [ -z "${only:-}" ] || [ "$only" = "$1" ]; }
only=${1:-}

fetch() {  # fetch NAME PACKAGE OLD NEW PATH: the file PATH of two versions of an npm package
    local version number=1 unpacked
    for version in "$3" "$4"; do
        if [ ! -e "$pairs/$1.$number" ]; then
            unpacked=$(mktemp -d)
            (cd "$unpacked" && npm pack --silent "$2@$version" >/dev/null && tar xzf ./*.tgz)
            # shellcheck disable=SC2086 # a pattern
            mv "$unpacked"/package/$5 "$pairs/$1.$number"
            rm -rf "$unpacked"
        fi
        number=2
    done
}
fetch_all() {
    fetch script typescript 6.0.2 6.0.3 lib/typescript.js
    fetch data @mdn/browser-compat-data 8.1.7 8.1.9 data.json
    fetch program.exe @esbuild/win32-x64 0.28.1 0.28.2 esbuild.exe
    fetch wasm esbuild-wasm 0.28.1 0.28.2 esbuild.wasm
    fetch library.so @img/sharp-libvips-linux-x64 1.3.3 1.3.4 'lib/libvips-cpp.so*'
    fetch large.exe @biomejs/cli-win32-x64 2.5.14 2.5.15 biome.exe
    fetch large.so @next/swc-linux-x64-gnu 16.4.5 16.4.6 next-swc.linux-x64-gnu.node
}

# Bytes that a general compressor needs for the new file once it has seen the old one: the smaller of two.
joint() {
    [ -e "$pairs/$1.joint" ] || {
        local old=$pairs/$1.1 new=$pairs/$1.2
        local z=(zstd -q --ultra -22 --long=31 -c) x=(xz -T1 --lzma2=preset=9e,dict=512MiB -c)
        local by_z=$(($(cat "$old" "$new" | "${z[@]}" | wc -c) - $("${z[@]}" <"$old" | wc -c)))
        local by_x=$(($(cat "$old" "$new" | "${x[@]}" | wc -c) - $("${x[@]}" <"$old" | wc -c)))
        echo $((by_z < by_x ? by_z : by_x)) >"$pairs/$1.joint"
    }
    cat "$pairs/$1.joint"
}

if part rom; then
    echo "ROM-shaped pairs, BPS"
    match_bench 1 4 32
fi

fetch_all
if part real; then
    echo
    echo "Two versions of real files, VCDIFF"
    echo "| pair | MB | depth | plain bytes | MB/s | LZMA bytes | MB/s | joint bytes | x joint |"
    echo "|---|---:|---|---:|---:|---:|---:|---:|---:|"
    for pair in script data program.exe wasm library.so large.exe large.so; do
        pair_bench "$pair" "$pairs/$pair.1" "$pairs/$pair.2" "$(joint "$pair")"
    done
fi

folder=build/performance-files
mkdir -p "$folder"
trap 'rm -rf "$folder"' EXIT
seconds() {  # of a command
    local begin=$EPOCHREALTIME end
    "$@" >/dev/null
    end=$EPOCHREALTIME
    echo $((${end/[.,]/} - ${begin/[.,]/}))
}
middle() { sort -n | sed -n 2p; }
copy_and_crc() { rm -f "$folder/copy" && cp --reflink=never "$1" "$folder/copy" && crc_pass "$1" "$2"; }
whole() {  # whole NAME OLD NEW DEPTH
    local s=$2 t=$3 copies='' creates='' kib
    local create=(hotstitch create "$s" "$t" -o "$folder/patch" --replace --no-backup --format vcdiff --plain --effort "$4" -q)
    cat "$s" "$t" >/dev/null
    for _ in 1 2 3; do
        copies+="$(seconds copy_and_crc "$s" "$t")"$'\n'
        creates+="$(seconds "${create[@]}")"$'\n'
    done
    kib=$(anonymous "${create[@]}")
    awk -v n="$1" -v d="$4" -v b="$(stat -Lc %s "$t")" -v o="$(stat -Lc %s "$s")" -v p="$(stat -c %s "$folder/patch")" -v k="$kib" \
        -v c="$(printf %s "$copies" | middle)" -v m="$(printf %s "$creates" | middle)" 'BEGIN {
        printf "| %-28s | %-6s | %7.1f | %10d | %7.3f | %7.3f | %5.2f | %6.1f | %7.1f | %6.2f |\n",
            n, d, b/1e6, p, c/1e6, m/1e6, m/c, b/m, k/1024, k*1024/o }'
}
if part whole; then
    echo
    echo "Whole files by the tool, VCDIFF, plain sections"
    echo "| pair | depth | MB | patch bytes | cp + CRC-32 s | create s | x | MB/s | anonymous MiB | x source |"
    echo "|---|---|---:|---:|---:|---:|---:|---:|---:|---:|"
    make_bench_data $((1 << 30)) 12 "$folder/old" "$folder/new"
    whole "1 GiB, 12 edits" "$folder/old" "$folder/new" normal
    cp "$folder/old" "$folder/new"
    whole "1 GiB, equal" "$folder/old" "$folder/new" normal
    make_bench_data $((1336 << 20)) shifted "$folder/old" "$folder/new"
    for depth in quick normal; do whole "1.4 GB disc, 98 % shifted" "$folder/old" "$folder/new" "$depth"; done
    for version in 1 2; do
        mkdir "$folder/disc"
        for pair in script data program.exe wasm library.so large.exe large.so; do cp "$pairs/$pair.$version" "$folder/disc/$pair"; done
        genisoimage -quiet -r -o "$folder/iso.$version" "$folder/disc"
        rm -r "$folder/disc"
    done
    whole "ISO of the real files" "$folder/iso.1" "$folder/iso.2" normal
    whole "ISO of the real files" "$folder/iso.1" "$folder/iso.2" quick
    make_bench_data $((1 << 20)) 300 "$folder/old" "$folder/new"
    for depth in quick normal best; do whole "1 MiB, 300 edits" "$folder/old" "$folder/new" "$depth"; done
fi

if part hard; then
    echo
    echo "Hard inputs, BPS"
    hard_bench "$pairs/program.exe.1" "$pairs/program.exe.2"
fi
