"""What the reality lane does to NTFS volumes and bags, without porter: marks files, compares trees, flips a bit."""
import os
import sys

HOME = {"tamsin": "tamsin.okafor"}
# Mail that lay outside of its profile comes into it.
MOVED = {"Documents/Old mail/": "AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default/Mail/outside-1/Old mail/"}
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
                    for before, after in MOVED.items():
                        below = below.replace(before, after)
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


def reparse(path, tag, data):
    os.setxattr(path, "system.ntfs_reparse_data", tag.to_bytes(4, "little") + len(data).to_bytes(2, "little") + bytes(2) + data)


def moved_hive(old, new):
    """A person's registry in which a cloud's program has moved their documents; the path keeps its length."""
    before, after = ("%USERPROFILE%\\Documents".encode("utf-16-le"), "%USERPROFILE%\\Cloud\\Doc".encode("utf-16-le"))
    with open(old, "rb") as from_file, open(new, "wb") as to_file:
        hive = from_file.read()
        assert before in hive
        to_file.write(hive.replace(before, after))


def shut(root):
    """A cloud's folder with somebody's documents, a file in a cloud, one that Windows compressed, and a junction."""
    home = os.path.join(root, "Users/odile")
    reparse(os.path.join(home, "Cloud"), 0x9000701A, b"\1" * 16)
    reparse(os.path.join(home, "Pictures/dawn.jpg"), 0x9000301A, b"\1" * 16)
    reparse(os.path.join(home, "Pictures/small.txt"), 0x80000017, b"\1" * 16)
    exact, shown = ("\\??\\D:\\nowhere".encode("utf-16-le"), "D:\\nowhere".encode("utf-16-le"))
    numbers = [0, len(exact), len(exact) + 2, len(shown)]
    names = b"".join(n.to_bytes(2, "little") for n in numbers) + exact + bytes(2) + shown + bytes(2)
    reparse(os.path.join(home, "Pictures/Photos"), 0xA0000003, names)


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


COMMANDS = {
    "shut": shut, "moved_hive": moved_hive, "mark": mark, "hide": hide, "same_marks": same_marks, "compare": compare, "flip": flip, "forget": forget,
}
COMMANDS[sys.argv[1]](*sys.argv[2:])
