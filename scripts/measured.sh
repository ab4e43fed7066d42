# Sourced by the benchmarks.

# Peak of anonymous memory in KiB while the command runs, from /proc.
anonymous() {
    local peak=0 now
    "$@" >/dev/null &
    while now=$(awk '/^RssAnon/ {print $2}' /proc/$!/status 2>/dev/null) && [ -n "$now" ]; do
        [ "$now" -gt "$peak" ] && peak=$now
    done
    wait $!
    echo "$peak"
}
