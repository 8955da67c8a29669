"""What the reality lane does to NTFS volumes and bags, without porter: marks files, compares trees, flips a bit."""
import os
import sys

HOME = {"tamsin": "tamsin.okafor"}
ATTRIBUTES = "system.ntfs_attrib_be"
CREATED = "system.ntfs_crtime_be"


def mark(root):
    """Hidden, system and read-only files, a named stream, a creation time."""
    documents = os.path.join(root, "Users/odile/Documents")
    rules = os.path.join(documents, "Workshop rules.txt")
    os.setxattr(rules, "user.Zone.Identifier", b"[ZoneTransfer]\r\nZoneId=3\r\n")
    os.setxattr(rules, CREATED, (130_000_000_000_000_000).to_bytes(8, "big"))
    for name, bits in [("Price list.csv", 0x22), ("Workshop rules.txt", 0x26), ("Kites/2014/Job 001 - notes.txt", 0x21)]:
        os.setxattr(os.path.join(documents, name), ATTRIBUTES, bits.to_bytes(4, "big"))


def hide(path):
    """As Windows has a person's registry."""
    os.setxattr(path, ATTRIBUTES, (0x26).to_bytes(4, "big"))


def same_marks(one, other):
    """A file that was written anew has the marks and the rights of what it was."""
    for name in [ATTRIBUTES, "system.ntfs_acl"]:
        assert os.getxattr(one, name) == os.getxattr(other, name), name
    assert int.from_bytes(os.getxattr(other, ATTRIBUTES), "big") & 0x06 == 0x06
    print("a registry that was written anew is hidden as before, with the same rights")


def compare(old, new):
    """Every file of every person: bytes, time, attributes, creation time, streams."""
    files = 0
    for account in os.listdir(os.path.join(old, "Users")):
        for place in ["Desktop", "Documents", "Downloads", "Favorites", "Music", "Pictures", "Videos"]:
            start = os.path.join(old, "Users", account, place)
            if account in ("Default", "Public") or os.path.islink(os.path.join(old, "Users", account)):
                continue
            for folder, _, names in os.walk(start):
                for name in names:
                    source = os.path.join(folder, name)
                    if os.path.islink(source) or name.lower() in ("desktop.ini", "thumbs.db"):
                        continue
                    below = os.path.relpath(source, os.path.join(old, "Users", account))
                    target = os.path.join(new, "Users", HOME.get(account, account), below)
                    same(source, target)
                    files += 1
    rules = os.path.join(new, "Users/odile/Documents/Workshop rules.txt")
    assert os.getxattr(rules, "user.Zone.Identifier").startswith(b"[ZoneTransfer]")
    assert os.getxattr(rules, CREATED) == (130_000_000_000_000_000).to_bytes(8, "big")
    aside = [n for n in os.listdir(os.path.join(new, "Users/odile/Documents")) if n.startswith("Price list (set aside")]
    assert len(aside) == 1, aside
    print(f"{files} files are the same on both volumes: bytes, times, attributes, streams")
    assert files > 2500, files


def same(source, target):
    with open(source, "rb") as a, open(target, "rb") as b:
        assert a.read() == b.read(), target
    times = [os.stat(path).st_mtime_ns for path in (source, target)]
    assert times[0] == times[1], (target, times)
    assert os.getxattr(source, ATTRIBUTES) == os.getxattr(target, ATTRIBUTES), target
    assert sorted(os.listxattr(source)) == sorted(os.listxattr(target)), target


def flip(path):
    with open(path, "r+b") as file:
        first = file.read(1)[0]
        file.seek(0)
        file.write(bytes([first ^ 4]))


def forget(*paths):
    """Out of the system's memory: whoever looks at them next has to go to the drive."""
    for path in paths:
        file = os.open(path, os.O_RDONLY)
        os.posix_fadvise(file, 0, 0, os.POSIX_FADV_DONTNEED)
        os.close(file)


COMMANDS = {"mark": mark, "hide": hide, "same_marks": same_marks, "compare": compare, "flip": flip, "forget": forget}
COMMANDS[sys.argv[1]](*sys.argv[2:])
