"""Fills a folder with all that is hard to carry, as far as its file system takes it.

    worst_tree.py FOLDER ntfs|stick
"""
import os
import random
import struct
import sys

root, kind = sys.argv[1:]
dice = random.Random(7)


def write(name, content):
    path = os.path.join(root, name)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "wb") as file:
        file.write(content)
    if kind == "stick":
        # An even number of seconds: FAT knows no others.
        os.utime(path, (1_700_000_000 + 2 * (len(content) % 9999),) * 2)
    return path


for at in range(400):
    write("many/photo number %04d é.jpg" % at, dice.randbytes(dice.randint(0, 4000)))
for at in range(0, 400, 4):
    os.unlink(os.path.join(root, "many/photo number %04d é.jpg" % at))
for at in range(12):
    write("/".join("step %d" % step for step in range(at + 1)) + "/leaf.bin", dice.randbytes(500))
write("long/" + "n" * 200 + ".txt", b"long")
write("long/" + "ж" * 80 + ".txt", b"Cyrillic")
write("empty.dat", b"")
write("KITES.TXT", b"short name")
write("lower.txt", b"small letters")
write("big.bin", dice.randbytes(5_000_000))
if kind == "stick":
    # It lies in the gaps that the deleted ones left.
    write("in pieces.bin", dice.randbytes(600_000))
    sys.exit()
write("long/" + "\U0001fa81" * 60 + ".jpg", b"kite")
os.makedirs(os.path.join(root, "packed"))
os.setxattr(os.path.join(root, "packed"), "system.ntfs_attrib_be", struct.pack(">I", 0x810))
write("packed/words.txt", b"Saltmarsh Kiteworks makes kites. " * 20_000)
pieces = [dice.randbytes(65_536), bytes(65_536), b"ab" * 32_768, bytes(dice.choices(b"abcdefgh", k=70_000))]
write("packed/mixed.bin", b"".join(dice.choice(pieces) for _ in range(40)))
write("packed/noise.bin", dice.randbytes(500_000))
write("packed/zeros.bin", bytes(3_000_000))
streams = write("streams.txt", b"main")
os.setxattr(streams, "user.Zone.Identifier", b"[ZoneTransfer]\r\nZoneId=3\r\n")
os.setxattr(streams, "user.note", dice.randbytes(50_000))
linked = write("links/one.txt", b"one content " * 100)
os.link(linked, os.path.join(root, "many/two.txt"))
for at in range(60):
    os.link(linked, os.path.join(root, "links/another long name of the same content, number %03d.txt" % at))
os.symlink("../big.bin", os.path.join(root, "links/symbolic"))
for name, end in (("holes.bin", 50_000_000), ("far.bin", 4_000_000_000_000)):
    with open(os.path.join(root, name), "wb") as file:
        file.seek(end // 5)
        file.write(b"middle" * 1000)
        file.seek(end)
        file.write(b"end")
with open(os.path.join(root, "pieces a.bin"), "wb") as first, open(os.path.join(root, "pieces b.bin"), "wb") as second:
    for at in range(1200):
        for file in (first, second):
            file.write(dice.randbytes(4096))
            file.flush()
        if at % 50 == 0:
            os.fsync(first.fileno())
os.utime(os.path.join(root, "empty.dat"), (1e9, 1e9 + 0.5))
os.setxattr(os.path.join(root, "big.bin"), "system.ntfs_attrib_be", struct.pack(">I", 0x23))
