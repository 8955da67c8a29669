"""Makes kites.ntfs.zst and kites.txt: a small volume with all that is hard to read, written by ntfs-3g, and what it shows of it.

    make.py FOLDER      (root; ntfs-3g, zstd and libwim have to be installed)

The code that starts a PC is cut out of the first sectors: it is the maker's, and nobody reads it here.
"""
import ctypes
import hashlib
import os
import random
import struct
import subprocess
import sys

SIZE = 6 << 20
dice = random.Random(28)
out = os.path.abspath(sys.argv[1])
image, mount = os.path.join(out, "kites.ntfs"), os.path.join(out, "mounted")
os.makedirs(mount, exist_ok=True)
with open(image, "wb") as file:
    file.truncate(SIZE)
subprocess.run(["mkntfs", "-q", "-F", "-c", "512", "-L", "Kites", image], check=True, stderr=subprocess.DEVNULL)


def mounted(options):
    subprocess.run(["ntfs-3g", "-o", options, image, mount], check=True)


def write(name, content):
    path = os.path.join(mount, name)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "wb") as file:
        file.write(content)
    return path


wim = ctypes.CDLL("libwim.so.15")
wim.wimlib_create_compressor.argtypes = [ctypes.c_int, ctypes.c_size_t, ctypes.c_uint, ctypes.POINTER(ctypes.c_void_p)]
wim.wimlib_compress.argtypes = [ctypes.c_char_p, ctypes.c_size_t, ctypes.c_char_p, ctypes.c_size_t, ctypes.c_void_p]
wim.wimlib_compress.restype = ctypes.c_size_t


def packed(content, kind, chunk):
    """Chunk by chunk, behind a table of where each ends; a chunk that does not become shorter stays as it is."""
    compressor = ctypes.c_void_p()
    assert wim.wimlib_create_compressor(kind, chunk, 50, ctypes.byref(compressor)) == 0
    pieces = []
    for at in range(0, len(content), chunk):
        piece = content[at:at + chunk]
        room = ctypes.create_string_buffer(len(piece))
        length = wim.wimlib_compress(piece, len(piece), room, len(piece) - 1, compressor)
        pieces.append(room.raw[:length] if length else piece)
    places, at = b"", 0
    for piece in pieces[:-1]:
        at += len(piece)
        places += struct.pack("<I", at)
    return places + b"".join(pieces)


# Words, calls of x86 programs, and noise, so that each kind of block is used.
words = b"".join(b"Kite %d of Saltmarsh, tail of %d bows. " % (at, at * 7 % 50) for at in range(1500))
calls = b"".join(b"\x55\x89\xe5\xe8" + struct.pack("<i", (at * 977) % 5000 - at) + b"\x5d\xc3" for at in range(3000))
noise = dice.randbytes(5_000)
mixed = words + noise + calls + bytes(20_000)

mounted("compression,streams_interface=xattr")
for at in range(40):
    write("many/letter %02d é.txt" % at, b"Dear Odile, %d" % at)
for at in range(0, 40, 3):
    os.unlink(os.path.join(mount, "many/letter %02d é.txt" % at))
write("/".join("step %d" % at for at in range(12)) + "/leaf.txt", b"far down")
write("long/" + "n" * 240 + ".txt", b"long")
write("long/" + "\U0001fa81" * 60 + ".jpg", b"kite")
write("Plan.txt", b"one twin")
write("PLAN.TXT", b"another twin")
write("empty.txt", b"")
write("small.txt", b"in its record")
os.makedirs(os.path.join(mount, "packed"))
os.setxattr(os.path.join(mount, "packed"), "system.ntfs_attrib_be", struct.pack(">I", 0x810))
write("packed/words.txt", words)
write("packed/mixed.bin", mixed)
write("packed/noise.bin", noise)
streams = write("streams.txt", b"main")
os.setxattr(streams, "user.Zone.Identifier", b"[ZoneTransfer]\r\nZoneId=3\r\n")
os.setxattr(streams, "user.note", words[:3000])
linked = write("links/one.txt", b"one content")
for at in range(30):
    os.link(linked, os.path.join(mount, "links/a further name of the same content, number %02d.txt" % at))
os.symlink("../small.txt", os.path.join(mount, "links/symbolic"))
with open(os.path.join(mount, "holes.bin"), "wb") as file:
    file.seek(3_000_000)
    file.write(b"middle")
    file.seek(40_000_000)
    file.write(b"end")
# Written in turns, so that the pieces of both lie between each other.
first, second = (open(os.path.join(mount, name), "wb", buffering=0) for name in ("pieces a.bin", "pieces b.bin"))
for at in range(400):
    first.write(bytes([at * 7 % 251]) * 512)
    second.write(bytes([at % 251]) * 512)
    if at % 20 == 0:
        os.fsync(first.fileno())
first.close()
second.close()
os.utime(os.path.join(mount, "small.txt"), (10**9, 10**9))
os.setxattr(os.path.join(mount, "small.txt"), "system.ntfs_attrib_be", struct.pack(">I", 0x23))
subprocess.run(["umount", mount], check=True)

mounted("streams_interface=windows")
truth = {}
for number, (kind, chunk) in {0: (1, 4096), 1: (2, 32768), 2: (1, 8192), 3: (1, 16384)}.items():
    name = "compact/mixed %d.bin" % number
    path = write(name, b"")
    os.truncate(path, len(mixed))
    with open(path + ":WofCompressedData", "wb") as stream:
        stream.write(packed(mixed, kind, chunk))
    os.setxattr(path, "system.ntfs_reparse_data", struct.pack("<IHHIIII", 0x80000017, 16, 0, 1, 2, 1, number))
    truth[name] = mixed
subprocess.run(["umount", mount], check=True)

# Deleted last, so that nothing has taken their records and clusters since.
mounted("streams_interface=none")
write("gone/inner/film.bin", bytes(range(251)) * 100)
write("many/late letter.txt", b"Dear Odile, too late")
subprocess.run(["umount", mount], check=True)
mounted("streams_interface=none")
os.unlink(os.path.join(mount, "gone/inner/film.bin"))
os.unlink(os.path.join(mount, "many/late letter.txt"))
os.removedirs(os.path.join(mount, "gone/inner"))
subprocess.run(["umount", mount], check=True)

with open(os.path.join(out, "words.lzx"), "wb") as file:
    file.write(packed((words + calls)[-32768:], 2, 32768))
with open(os.path.join(out, "words.xpress"), "wb") as file:
    file.write(packed((words + calls)[-16384:], 1, 16384))

mounted("ro,streams_interface=xattr")
rows = []
for folder, folders, files in os.walk(mount):
    for name in folders + files:
        path = os.path.join(folder, name)
        shown = os.path.relpath(path, mount)
        if os.path.islink(path) and shown not in truth:
            rows.append(f"link {os.readlink(path)} {shown}")
        elif os.path.isdir(path):
            rows.append(f"folder - {shown}")
        else:
            content = truth.get(shown)
            content = open(path, "rb").read() if content is None else content
            rows.append(f"file {len(content)}:{hashlib.sha256(content).hexdigest()} {shown}")
subprocess.run(["umount", mount], check=True)
os.rmdir(mount)
with open(os.path.join(out, "kites.txt"), "w") as file:
    file.write("\n".join(sorted(rows)) + "\n")
with open(image, "r+b") as file:
    file.seek(0x54)
    file.write(bytes(510 - 0x54))
    file.seek(512)
    file.write(bytes(15 * 512))
    file.seek(SIZE - 512 + 0x54)
    file.write(bytes(510 - 0x54))
subprocess.run(["zstd", "-q", "-f", "--ultra", "-22", "--rm", image], check=True)
