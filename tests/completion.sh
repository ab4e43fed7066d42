#!/usr/bin/env bash
# Asks the shells themselves what they complete. Usage: completion.sh TOOL FOLDER; a shell that is not installed is
# passed over, and said so.
set -euo pipefail
tool=$1 folder=$2
docs=$(cd "$(dirname "$0")/../docs" && pwd)
rm -rf "$folder" && mkdir -p "$folder/zsh" && cd "$folder"
"$tool" --completion bash >bash.sh
"$tool" --completion zsh >zsh/_hotstitch
"$tool" --completion fish >fish.fish
touch "Kelp Harbour.sfc"

expect() {  # what is completed, the word wanted, the words got
    grep -qF -- "$2" <<<"$3" || { echo "$1: wanted $2, got: $3" >&2; exit 1; }
}

in_bash() { bash --norc -c 'source bash.sh; COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _hotstitch; printf "%s\n" "${COMPREPLY[@]}"' - hotstitch "$@"; }
expect bash apply "$(in_bash ap)"
expect bash --keep-representation "$(in_bash apply --ke)"
expect bash vcdiff "$(in_bash create --format v)"
expect bash attach "$(in_bash header at)"
expect bash "Kelp Harbour.sfc" "$(in_bash apply Ke)"
expect bash --schemas "$(in_bash --sc)"
echo "bash: completes"

# The manual and all three scripts name every option that --help does, and no help has a word that is cut.
manual=$(sed 's/\\-/-/g' "$docs/hotstitch.1")
for command in "" $("$tool" --help | sed -n '/^Subcommands/,/^$/p' | grep -oE '^  [a-z]+'); do
    help=$("$tool" $command --help)
    awk 'length > 80 { print "longer than 80: " $0; exit 1 }' <<<"$help"
    ! grep -F '{' <<<"$help" | grep -F -- '--no-' || exit 1
    for option in $(grep -oE -- '(^  |,)--[a-z-]+' <<<"$help" | grep -oE -- '--[a-z-]+'); do
        expect "the manual" "$option" "$manual"
        expect "bash.sh" "$option" "$(cat bash.sh)"
        expect "zsh" "$option" "$(cat zsh/_hotstitch)"
        expect "fish" "-l ${option#--}" "$(cat fish.fish)"
    done
done
echo "manual: names every option"

if command -v fish >/dev/null; then
    in_fish() { HOME=$folder XDG_CONFIG_HOME=$folder fish -N -c "source fish.fish; complete -C '$1'"; }
    expect fish apply "$(in_fish "hotstitch ap")"
    expect fish --keep-representation "$(in_fish "hotstitch apply --ke")"
    expect fish vcdiff "$(in_fish "hotstitch create --format v")"
    echo "fish: completes"
else
    echo "fish: not installed, passed over"
fi

if command -v zsh >/dev/null; then
    # A shell in a terminal of its own, typed into; a line break ends each try.
    typed() {
        zsh -f -c '
            zmodload zsh/zpty
            zpty shell "TERM=dumb zsh -f -i"
            zpty -w shell "PS1=; fpath=($1 \$fpath); autoload -U compinit; compinit -u -D; unsetopt beep; print ready"
            while zpty -r shell line && [[ $line != ready* ]]; do :; done
            zpty -w -n shell "print -r -- $2"$'"'\\t'"'
            sleep 1
            zpty -w shell ""
            sleep 0.2
            while zpty -r -t shell line; do print -rn -- "$line"; done
            zpty -d shell' - "$folder/zsh" "$1"
    }
    expect zsh "--keep-representation" "$(typed "x; hotstitch apply --keep-rep")"
    expect zsh "vcdiff" "$(typed "x; hotstitch create --format vcd")"
    echo "zsh: completes"
else
    echo "zsh: not installed, passed over"
fi
