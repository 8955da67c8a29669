"""What the Windows lane looks at without porter: two trunks' lists, and a tree with names that Windows cannot hold."""
import json
import os
import sys


def entries(trunk):
    """Each entry without what the two systems tell differently of one tree: the time of creation and the archive mark,
    which only Windows' interface gives, and the permissions, which only Linux has."""
    found = {}
    for line in open(os.path.join(trunk, "porter/entries.jsonl"), encoding="utf-8"):
        entry = json.loads(line)
        entry.pop("created_utc", None)
        entry.pop("mode", None)
        attributes = [mark for mark in entry.pop("attributes", []) if mark != "archive"]
        key = (entry["item"], entry.get("path_hex") or entry["path"])
        assert key not in found, key
        found[key] = (entry, attributes)
    return found


def same_entries(first, second):
    """The same entries, with the same hashes, times and marks."""
    one, other = entries(first), entries(second)
    assert one.keys() == other.keys(), sorted(one.keys() ^ other.keys())[:10]
    for key, entry in one.items():
        assert entry == other[key], (entry, other[key])
    marked = sum(1 for _, attributes in one.values() if attributes)
    assert marked, "no file is marked"
    print(f"{len(one)} entries are the same, {marked} of them hidden, system or read-only")


def registry_landed(receipt, at_least):
    """All values that came into the registry are there."""
    counts = [count for item in json.load(open(receipt, encoding="utf-8"))["items"] for count in item["counts"]]
    values = [count for count in counts if count["name"] == "registry values"]
    assert all(count["captured"] == count["landed"] for count in values), values
    landed = sum(count["landed"] for count in values)
    assert landed >= int(at_least), landed
    print(f"{landed} values are in the registry")


ODD = ["NUL", "aux.txt", "dots at the end...", "Plan.txt", "plan.TXT", "a<b>c.txt"]


def odd_tree(documents):
    """Names that Windows cannot hold, and a file 400 characters deep."""
    for name in ODD:
        with open(os.path.join(documents, name), "w", encoding="utf-8") as file:
            file.write(f"the content of {name}")
    deep = os.path.join(documents, *(["forty characters of folder name, of them"] * 10))
    os.makedirs(deep)
    with open(os.path.join(deep, "at the bottom.txt"), "w", encoding="utf-8") as file:
        file.write("the content of at the bottom.txt")


def odd_landed(documents, receipt):
    """Every content is there, once, and each safe name is on the receipt with the name it stands for."""
    there = {}
    for folder, _, names in os.walk(documents):
        for name in names:
            text = open(os.path.join(folder, name), encoding="utf-8").read()
            if text.startswith("the content of "):
                there[text.removeprefix("the content of ")] = os.path.join(folder, name)
    assert sorted(there) == sorted(ODD + ["at the bottom.txt"]), there
    assert len(there["at the bottom.txt"]) - len(documents) > 400
    document = json.load(open(receipt, encoding="utf-8"))
    landed_as = {}
    for item in document["items"]:
        for finding in item["reasons"]:
            if finding["details"]["code"] == "landed-as":
                landed_as[finding["path"]] = os.path.basename(finding["details"]["path"])
    for name in ODD:
        actual = os.path.basename(there[name])
        assert actual == name or landed_as[name] == actual, (name, actual, landed_as)
    assert len(landed_as) == 5, landed_as
    print("under safe names:", ", ".join(f"{old} is {new}" for old, new in sorted(landed_as.items())))


def same_bytes(old, new):
    """Every file of every person in `old` is in `new`, byte for byte; what the carry rules leave is not looked for."""
    files = 0
    for account in ("odile", "tamsin", "bram"):
        for place in ("Desktop", "Documents", "Downloads", "Favorites", "Music", "Pictures", "Videos"):
            start = os.path.join(old, "Users", account, place)
            for folder, _, names in os.walk(start):
                for name in names:
                    source = os.path.join(folder, name)
                    if os.path.islink(source) or name.lower() in ("desktop.ini", "thumbs.db"):
                        continue
                    target = os.path.join(new, "users", account, os.path.relpath(source, os.path.join(old, "Users", account)))
                    with open(source, "rb") as a, open(target, "rb") as b:
                        assert a.read() == b.read(), target
                    files += 1
    print(f"{files} files are the same on both machines")


if __name__ == "__main__":
    globals()[sys.argv[1]](*sys.argv[2:])
