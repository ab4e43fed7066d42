#!/usr/bin/env python3
"""Which folders of src/ use which, by the owner of each public header too; ends with 1 where they go in a circle.

The owner of include/hotstitch/x.h is the folder that has an x.cc which includes it; else the one whose .cc files include it first most often.
A header that nobody includes first is everybody's.
"""
import collections
import pathlib
import re
import sys

root = pathlib.Path(__file__).resolve().parent.parent
sources = [path for path in (root / "src").rglob("*") if path.suffix in (".cc", ".h")]
headers = list((root / "include/hotstitch").glob("*.h"))


def folder_of(path):
    return path.relative_to(root / "src").parts[0]


def includes_of(path):
    return re.findall(r'^#include "([^"]+)"', path.read_text(), re.M)


first, owner = collections.defaultdict(collections.Counter), {}
for path in sources:
    names = includes_of(path)
    if path.suffix == ".cc" and names and names[0].startswith("hotstitch/"):
        first[names[0]][folder_of(path)] += 1
for header, counts in first.items():
    owner[header] = counts.most_common(1)[0][0]
for path in sources:
    if path.suffix == ".cc" and f"hotstitch/{path.stem}.h" in includes_of(path):
        owner[f"hotstitch/{path.stem}.h"] = folder_of(path)

uses = collections.defaultdict(dict)


def note(user, path, name):
    used = owner.get(name) if name.startswith("hotstitch/") else name.split("/")[0]
    if user and used and used != user and (root / "src" / used).is_dir():
        uses[user].setdefault(used, f"{path.relative_to(root)} includes {name}")


for path in sources:
    for name in includes_of(path):
        note(folder_of(path), path, name)
for path in headers:
    for name in includes_of(path):
        note(owner.get(f"hotstitch/{path.name}"), path, name)


def reached(folder):
    seen, ahead = set(), [folder]
    while ahead:
        for other in uses[ahead.pop()]:
            if other not in seen:
                seen.add(other)
                ahead.append(other)
    return seen


circle = sorted(folder for folder in list(uses) if folder in reached(folder))
for folder in circle:
    for other, why in uses[folder].items():
        if other in circle:
            print(f"{folder} -> {other}: {why}", file=sys.stderr)
sys.exit(1 if circle else 0)
