#!/usr/bin/env bash
# Apply and create of whole files against "cp --reflink=never" + "sync FILE" of the same file, in one run: medians of
# five, warm cache, on the file system of build/. Then the same work in memory. Needs about 5 GB of disk.
# bench.sh WORD runs only the rows of whole files whose name holds the word, for example "1 GiB"; "describe" only what
# recognising a ROM costs beside the checksums, "payload" only packing and unpacking, "disc" only discs, "copy" only compressed copies and
# an encrypted partition, "fields" only fields and charts, "kit" only kits.
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/measured.sh
scripts/setup.sh libdivsufsort-dev >/dev/null
scripts/build.sh bench
PATH=$PWD/build/bench:$PWD/build/bench/bench:$PATH
folder=build/bench-files
mkdir -p "$folder"
trap 'rm -rf "$folder"' EXIT

# Seconds of one run of the command in $2…; the file $1 is removed before, outside the time.
seconds() {
    local out=$1 begin end
    shift
    rm -f "$out"
    sync
    begin=$EPOCHREALTIME
    "$@" >/dev/null
    end=$EPOCHREALTIME
    echo $(( (${end/[.,]/} - ${begin/[.,]/}) ))
}
copy() { cp --reflink=never "$1" "$2" && sync "$2"; }
middle() { sort -n | sed -n 3p; }

row() {  # row NAME FILE-TO-COPY COMMAND…: what the command makes is $folder/out
    local cps='' runs='' cp run kib
    for _ in 1 2 3 4 5; do
        cps+="$(seconds "$folder/out" copy "$2" "$folder/out")"$'\n'
        runs+="$(rm -f "$folder"/out*; seconds "$folder/out" "${@:3}")"$'\n'
    done
    cp=$(printf %s "$cps" | middle) run=$(printf %s "$runs" | middle)
    rm -f "$folder"/out*
    kib=$(anonymous "${@:3}")
    rm -f "$folder"/out*
    awk -v n="$1" -v c="$cp" -v r="$run" -v k="$kib" 'BEGIN { printf "%-28s cp+sync %6.3f s  this %6.3f s = %.2f x  anonymous %.1f MiB\n", n, c/1e6, r/1e6, r/c, k/1024 }'
}

only=${1:-}
pair() {  # pair NAME SIZE EDITS FORMAT [OPTION…]
    [[ $1 == *"$only"* ]] || return 0
    local s=$folder/source t=$folder/target p=$folder/patch o=$folder/out
    local how=(--format "${@:4}")
    make_bench_data "$2" "$3" "$s" "$t"
    hotstitch create "$s" "$t" -o "$p" "${how[@]}" -q >/dev/null
    cat "$s" "$t" >/dev/null
    local cps='' applies='' receipts='' creates='' cp apply receipt create kib
    for _ in 1 2 3 4 5; do
        cps+="$(seconds "$o" copy "$s" "$o")"$'\n'
        applies+="$(seconds "$o" hotstitch apply "$s" "$p" -o "$o" -q --no-receipt)"$'\n'
        receipts+="$(seconds "$o" hotstitch apply "$s" "$p" -o "$o" -q)"$'\n'
        creates+="$(seconds "$p" hotstitch create "$s" "$t" -o "$p" "${how[@]}" -q)"$'\n'
    done
    cp=$(printf %s "$cps" | middle) apply=$(printf %s "$applies" | middle) receipt=$(printf %s "$receipts" | middle) create=$(printf %s "$creates" | middle)
    rm -f "$o"
    kib=$(anonymous hotstitch apply "$s" "$p" -o "$o" -q)
    cmp -s "$o" "$t" || { echo "$1: the result is wrong" >&2; exit 1; }
    awk -v n="$1" -v c="$cp" -v a="$apply" -v r="$receipt" -v m="$create" -v k="$kib" 'BEGIN {
        printf "%-19s cp+sync %6.3f s  apply %6.3f s = %.2f x  with receipt %6.3f s = %.2f x  create %6.3f s = %.2f x  anonymous %.1f MiB\n",
            n, c/1e6, a/1e6, a/c, r/1e6, r/c, m/1e6, m/c, k/1024 }'
    rm -f "$s" "$t" "$p" "$o"*
}

echo "Whole files (median of 5; x = times cp+sync of the source in the same run)"
pair "16 MiB, ips" $((16 << 20)) 2000 ips
pair "16 MiB, bps" $((16 << 20)) 2000 bps
pair "1 GiB, ips32" $((1 << 30)) 20000 ips32
pair "1 GiB, ups" $((1 << 30)) 20000 ups
pair "1 GiB, bps" $((1 << 30)) 20000 bps
pair "1.4 GiB, vcdiff" $((1434 << 20)) 20000 vcdiff --plain
pair "1.4 GiB, vcdiff lzma" $((1434 << 20)) 20000 vcdiff
if [ -z "$only" ] || [ "$only" = describe ]; then
    echo
    echo "Recognising a ROM beside its checksums"
    describe_bench
fi
if [ -z "$only" ] || [ "$only" = payload ]; then
    echo
    echo "Packing and unpacking 1 MiB by the codecs of consoles, beside zlib and a copy"
    git ls-files 'src/*.cc' 'docs/*.md' | xargs cat >"$folder/text"
    payload_bench "$folder/text" build/bench/hotstitch
fi
if [ -z "$only" ] || [ "$only" = disc ]; then
    echo
    echo "Sectors of discs, one core"
    sector_bench
    echo
    echo "A disc of 1.4 GB (median of 5; x = times cp+sync of the same bytes in the same run)"
    mkdir -p "$folder/tree" && head -c 1300M /dev/urandom >"$folder/tree/FILM.BIN" && head -c 50M /dev/urandom >"$folder/tree/DATA.BIN"
    genisoimage -quiet -R -o "$folder/disc.iso" "$folder/tree" && head -c 1M /dev/urandom >"$folder/new.bin"
    row "take a film of 1.3 GB" "$folder/tree/FILM.BIN" hotstitch take "$folder/disc.iso:FILM.BIN" -o "$folder/out" -q
    row "put 1 MiB, whole disc to -o" "$folder/disc.iso" hotstitch put "$folder/disc.iso" "DATA.BIN=$folder/new.bin" -o "$folder/out" -q
    rm -r "$folder/tree"
    # A disc of 4 GiB, most of it a hole: the film of zeros is one.
    mkdir "$folder/tree" && truncate -s 900M "$folder/tree/FILM.BIN" && head -c 1M /dev/urandom >"$folder/tree/DATA.BIN"
    genisoimage -quiet -R -o "$folder/disc.iso" "$folder/tree" && cp --sparse=always "$folder/disc.iso" "$folder/sparse.iso" && truncate -s 4G "$folder/sparse.iso"
    writes='' puts=''
    for _ in 1 2 3 4 5; do
        head -c 1M /dev/urandom >"$folder/new.bin"
        writes+="$(seconds "$folder/out" dd if="$folder/new.bin" of="$folder/out" bs=1M conv=fsync status=none)"$'\n'
        puts+="$(seconds "$folder/out" hotstitch put "$folder/sparse.iso" "DATA.BIN=$folder/new.bin" --in-place -q)"$'\n'
    done
    awk -v w="$(printf %s "$writes" | middle)" -v p="$(printf %s "$puts" | middle)" 'BEGIN {
        printf "put 1 MiB into 4 GiB in place: %.3f s; writing and flushing 1 MiB: %.3f s = %.1f x\n", p/1e6, w/1e6, p/w }'
    rm -r "$folder/tree" "$folder"/*.iso*
    mkdir -p "$folder/tree" && (cd "$folder/tree" && for d in $(seq 100); do mkdir "D$d" && (cd "D$d" && seq 500 | xargs touch); done)
    genisoimage -quiet -R -J -o "$folder/disc.iso" "$folder/tree"
    printf 'parts of a disc of 50,000 files: %.3f s\n' "$(seconds "$folder/out" hotstitch parts "$folder/disc.iso" -q | awk '{ print $1 / 1e6 }')"
    rm -r "$folder/tree"
fi
if [ -z "$only" ] || [ "$only" = copy ]; then
    echo
    echo "Compressed copies of a disc of 1.4 GB, read ahead on two cores"
    copy_bench "$folder" 1400000000
    hotstitch take "$folder/deflate.cso:content" -o "$folder/plain.iso" -q
    row "take deflate.cso:content" "$folder/plain.iso" hotstitch take "$folder/deflate.cso:content" -o "$folder/out" -q
    row "take zlib.gcz:content" "$folder/plain.iso" hotstitch take "$folder/zlib.gcz:content" -o "$folder/out" -q
    puts=''
    for _ in 1 2 3 4 5; do
        head -c 60000 /dev/urandom >"$folder/new.bin"
        puts+="$(seconds "$folder/out" hotstitch put "$folder/sparse.iso" "partition 0/files/opening.bin=$folder/new.bin" --keys "$folder/keys.txt" --in-place -q)"$'\n'
    done
    printf 'put 60 kB into an encrypted partition of 4.3 GB in place: %.3f s\n' "$(printf %s "$puts" | middle | awk '{ print $1 / 1e6 }')"
    rm -f "$folder"/*.iso* "$folder"/*.cso "$folder"/*.zso "$folder"/*.gcz
fi
if [ -z "$only" ] || [ "$only" = fields ]; then
    echo
    echo "100,000 records of five fields in 64 MiB, and a chart of 1.4 GB (median of 5; reading: cat of the same files)"
    make_bench_data $((64 << 20)) 20000 "$folder/a.dat" "$folder/b.dat"
    {
        printf 'hotstitch-map = 1\n[table.item]\nat = 0x10000\ncount = 100000\nstride = 64\n'
        at=0
        for type in u8 u16 u32 f32 s64; do
            printf '[[table.item.field]]\nname = "%s"\nat = %d\ntype = "%s"\n' "$type" "$at" "$type"
            at=$((at + 8))
        done
    } >"$folder/item.map.toml"
    time_of() {  # time_of NAME FILES-TO-READ… -- COMMAND…
        local name=$1 reads='' runs='' files=()
        shift
        while [ "$1" != -- ]; do files+=("$1"); shift; done
        shift
        for _ in 1 2 3 4 5; do
            reads+="$(seconds "$folder/out" cat "${files[@]}")"$'\n'
            runs+="$(seconds "$folder/out" "$@" || true)"$'\n'
        done
        awk -v n="$name" -v c="$(printf %s "$reads" | middle)" -v r="$(printf %s "$runs" | middle)" \
            'BEGIN { printf "%-34s reading %6.3f s  this %6.3f s = %.2f x\n", n, c/1e6, r/1e6, r/c }'
    }
    different() { hotstitch "$@" || [ $? -eq 1 ]; }
    time_of "fields: show as text" "$folder/a.dat" -- hotstitch fields "$folder/a.dat" item
    time_of "fields: show as JSON" "$folder/a.dat" -- hotstitch fields "$folder/a.dat" item --json
    time_of "fields: compare" "$folder/a.dat" "$folder/b.dat" -- different fields "$folder/a.dat" --compare "$folder/b.dat"
    make_bench_data 1400000000 100000 "$folder/a.iso" "$folder/b.iso"
    hotstitch create "$folder/a.iso" "$folder/b.iso" --effort quick -o "$folder/p.bps" -q
    time_of "chart: from a patch" "$folder/p.bps" -- hotstitch chart "$folder/a.iso" "$folder/p.bps" -q
    time_of "chart: by comparing" "$folder/a.iso" "$folder/b.iso" -- hotstitch chart "$folder/a.iso" "$folder/b.iso" -q
    rm -f "$folder"/*.dat "$folder"/*.iso "$folder"/*.toml "$folder"/*.bps
fi
[ -z "$only" ] || exit 0
echo
echo "In memory, 16 MiB of noise"
memory_bench --benchmark_counters_tabular=true 2>/dev/null
if [ -z "$only" ] || [ "$only" = kit ]; then
    echo
    echo "Kits of two discs, laid out anew: a third of the files changed, one grown, one added, one moved (median of 5)"
    for size in 120 1250; do
        mkdir -p "$folder/tree/DATA" "$folder/tree/VOICES"
        files=$((size < 1000 ? 45 : 110))
        head -c "${size}M" /dev/urandom >"$folder/tree/FILM.BIN" && head -c 5M /dev/urandom >"$folder/tree/VOICES/OLD.BIN"
        for i in $(seq $files); do { head -c 700K /dev/urandom && git ls-files 'src/*.cc' | xargs cat | head -c 300K; } >"$folder/tree/DATA/F$i.BIN"; done
        genisoimage -quiet -R -o "$folder/old.iso" "$folder/tree"
        for i in $(seq 1 3 $files); do printf 'mod %d' "$i" | dd of="$folder/tree/DATA/F$i.BIN" bs=1 seek=$((i * 1000)) conv=notrunc status=none; done
        head -c 100K /dev/urandom >>"$folder/tree/DATA/F2.BIN" && head -c 2M /dev/urandom >"$folder/tree/DATA/NEW.BIN"
        mv "$folder/tree/VOICES/OLD.BIN" "$folder/tree/VOICES/MOVED.BIN"
        genisoimage -quiet -R -o "$folder/new.iso" "$folder/tree"
        rm -r "$folder/tree"
        hotstitch create "$folder/old.iso" "$folder/new.iso" --format vcdiff --effort best -o "$folder/one.xdelta" -q >/dev/null
        hotstitch create "$folder/old.iso" "$folder/new.iso" --format kit -o "$folder/disc.kit" -q >/dev/null
        awk -v n="$(stat -c %s "$folder/new.iso")" -v k="$(stat -c %s "$folder/disc.kit")" -v p="$(stat -c %s "$folder/one.xdelta")" 'BEGIN {
            printf "disc of %.0f MB: kit %d bytes, best single patch %d = %.3f x\n", n/1e6, k, p, k/p }'
        row "apply the kit" "$folder/new.iso" hotstitch apply "$folder/old.iso" "$folder/disc.kit" -o "$folder/out" -q
        rm -f "$folder"/*.iso "$folder"/*.kit "$folder"/*.xdelta
    done
fi
