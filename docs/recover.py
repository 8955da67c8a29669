#!/usr/bin/env python3
"""Gets every file out of an unsealed packed trunk, without porter.

    python3 recover.py TRUNK [TRUNK-PART ...] FOLDER

Needs Python 3.9 and the package `zstandard`. Proves each content by the checks that the trunk holds, except BLAKE3 of whole
files: install the package `blake3` too, and that is compared as well. What cannot be read is named, and the rest goes on.
The format is described in trunk-format.md.
"""
import json
import os
import struct
import sys

import zstandard

try:
    from blake3 import blake3
except ImportError:
    blake3 = None

CONTENTS, ENTRIES = 1, 2
problems = 0


def problem(words):
    global problems
    problems += 1
    print(words, file=sys.stderr)


def blocks(path):
    """Every block of a pack or list, one after the other; a damaged place is passed over."""
    with open(path, "rb") as file:
        data = file.read()
    if data[:8] not in (b"PORTERPK", b"PORTERLS"):
        # Its beginning is hurt. What it would say is known: that it is not sealed.
        problem(f"{path}: its beginning is damaged")
    elif struct.unpack_from("<H", data, 8)[0] != 1:
        sys.exit(f"{path} is of a later version")
    elif data[12]:
        sys.exit(f"{path} is sealed: only porter, with the passphrase, can open it")
    at = 64
    while at + 72 <= len(data) and data[at:at + 8] != b"PORTEREN":
        kind, codec = data[at + 4], data[at + 5]
        number, directory, stored, raw = struct.unpack_from("<4I", data, at + 8)
        end = at + 72 + directory + stored
        if data[at:at + 4] != b"PBLK" or end > len(data) or directory % 20:
            problem(f"{path}: damaged at byte {at}")
            at = data.find(b"PBLK", at + 1)
            if at < 0:
                return
            continue
        rows = [length for _, length in struct.iter_unpack("<16sI", data[at + 72:at + 72 + directory])]
        body = data[at + 72 + directory:end]
        try:
            if codec == 1:
                body = zstandard.ZstdDecompressor().decompress(body, max_output_size=raw)
            yield kind, number, rows, body
        except zstandard.ZstdError as cause:
            problem(f"{path}: block {number} is damaged: {cause}")
        at = end


def read_entries(paths):
    """The entries that these files tell of, by where they belong; later ones count."""
    entries = {}
    for path in paths:
        for kind, _, _, body in blocks(path):
            if kind == ENTRIES:
                for line in body.splitlines():
                    entry = json.loads(line)
                    key = entry.get("owner"), entry["place"], entry.get("path_hex") or entry["path"]
                    # Beside a whole file from an earlier capture there may be what of it could be read later.
                    entries[key + ("missing" in entry,)] = entry
                    if "missing" not in entry and "kept_from_utc" not in entry:
                        entries.pop(key + (True,), None)
    return entries


def incomplete(path):
    """The name of a file of which only a part could be read."""
    folder, name = os.path.split(path)
    stem, dot, ending = name.rpartition(b".")
    marked = stem + b" (incomplete)" + dot + ending if stem else name + b" (incomplete)"
    return os.path.join(folder, marked)


def made(entry, target):
    """Makes an entry's file or folder. False if this system cannot: its name may be too long for it."""
    try:
        os.makedirs(target if entry["kind"] == "folder" else os.path.dirname(target), exist_ok=True)
        if entry["kind"] == "file":
            with open(target, "wb") as file:
                file.truncate(entry["size"])
        return True
    except OSError as cause:
        problem(f"cannot be made here: {entry['path']!r}: {cause.strerror}")
        return False


def main():
    *folders, out = sys.argv[1:] or [""]
    if not folders or not all(os.path.isdir(folder) for folder in folders):
        sys.exit(__doc__)
    lists, packs = [], []
    for folder in folders:
        for name in sorted(os.listdir(folder)):
            if name.endswith(".list"):
                lists.append((name, os.path.join(folder, name)))
            elif name.endswith(".pack") or (name.startswith("pack-") and name.endswith(".part")):
                packs.append(os.path.join(folder, name))
    # The newest list names all entries. Without one, the packs do: later ones count.
    sources = [path for _, path in sorted(lists)[-1:]] or packs
    entries = read_entries(sources)
    if problems and sources != packs:
        # What the list does not tell any more, the packs do.
        entries = {**read_entries(packs), **entries}
    for entry in entries.values():
        path = bytes.fromhex(entry["path_hex"]) if "path_hex" in entry else entry["path"].encode()
        if path.startswith(b"/") or b".." in path.split(b"/"):
            problem(f"left out, its path leads elsewhere: {path!r}")
            continue
        if "missing" in entry:
            path = incomplete(path)
            lost = sum(length for _, length in entry["missing"])
            problem(f"incomplete, {lost} of {entry['size']} bytes could not be read from the old drive: {entry['path']}")
        target = os.path.join(os.fsencode(out), (entry.get("owner") or "machine").encode(), entry["place"].encode(), path)
        if entry["kind"] in ("file", "folder") and made(entry, target):
            entry["target"] = target
    # First the lengths: an extent's place in its file follows from all the extents before it. Then the bytes; a content is
    # kept once for all its files.
    lengths = {}
    for path in packs:
        for kind, number, rows, _ in blocks(path):
            if kind == CONTENTS:
                lengths[number] = rows
    places = {}
    for entry in entries.values():
        offset = 0
        for extent in entry.get("at", []):
            if len(extent) == 1:
                offset += extent[0]
                continue
            block, first, count = extent
            if block not in lengths:
                problem(f"lost in part, because block {block} is gone: {entry['path']}")
                break
            for row in range(first, first + count):
                if "target" not in entry:
                    break
                places.setdefault((block, row), []).append((entry["target"], offset))
                offset += lengths[block][row]
    for path in packs:
        for kind, number, rows, body in blocks(path):
            if kind != CONTENTS:
                continue
            if sum(rows) != len(body):
                problem(f"{path}: block {number} is damaged")
                continue
            begin = 0
            for row, length in enumerate(rows):
                for target, offset in places.get((number, row), []):
                    with open(target, "r+b") as file:
                        file.seek(offset)
                        file.write(body[begin:begin + length])
                begin += length
    files = 0
    for entry in entries.values():
        if entry["kind"] != "file" or "target" not in entry:
            continue
        files += 1
        if blake3 is not None:
            hasher = blake3()
            with open(entry["target"], "rb") as file:
                while piece := file.read(1 << 20):
                    hasher.update(piece)
            if hasher.hexdigest() != entry["blake3"]:
                problem(f"not what was captured: {entry['path']}")
    print(f"{files} files in {out}, {problems} problems")
    sys.exit(1 if problems else 0)


if __name__ == "__main__":
    main()
