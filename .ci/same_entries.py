"""Compares the lists of two trunks, entry by entry: contents by their hashes, streams, times, marks, links.

    same_entries.py FIRST SECOND [FIELD]...     leaves these fields out
"""
import glob
import os
import sys

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), "..", "docs"))
import recover  # noqa: E402

first, second, *left_out = sys.argv[1:]


def entries(trunk):
    found, names = {}, {}
    newest = sorted(glob.glob(os.path.join(trunk, "*.list")))[-1:]
    for entry in recover.read_entries(newest).values():
        key = entry.get("owner"), entry.get("item"), entry["place"], entry.get("path_hex") or entry["path"]
        found[key] = {name: value for name, value in entry.items() if name not in ("at", *left_out)}
        if "same_file" in entry:
            names.setdefault(entry["same_file"], []).append(key)
    # The number of a file is another one for each reader; which names share one is not.
    for keys in names.values():
        for key in keys:
            if "same_file" in found[key]:
                found[key]["same_file"] = sorted(keys, key=str)
    return found


one, other = entries(first), entries(second)
differ = 0
for key in sorted(one.keys() | other.keys(), key=str):
    a, b = one.get(key), other.get(key)
    if a != b:
        differ += 1
        if differ <= 20:
            fields = {name for name in (a or {}).keys() | (b or {}).keys() if (a or {}).get(name) != (b or {}).get(name)}
            print(key, {name: ((a or {}).get(name), (b or {}).get(name)) for name in fields} if a and b else "only in one")
print(f"{len(one)} entries, {differ} of them differ")
sys.exit(1 if differ or not one else 0)
