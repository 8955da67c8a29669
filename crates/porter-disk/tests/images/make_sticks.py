"""Makes two small sticks with the same tree, sticks.fat.zst and sticks.exfat.zst, the list of what is on them, sticks.txt, and
each in a virtual drive: sticks.vhd.zst and sticks.vhdx.zst; and a third that is locked, locked.fat.zst, with its keys.

    make_sticks.py FOLDER      (root; dosfstools, mtools, exfatprogs, exfat-fuse, qemu-utils and zstd have to be installed)
"""
import hashlib
import os
import shutil
import subprocess
import sys

out = os.path.abspath(sys.argv[1])
tree, mount = os.path.join(out, "tree"), os.path.join(out, "mounted")
os.makedirs(out, exist_ok=True)
shutil.rmtree(tree, ignore_errors=True)


def run(*words):
    subprocess.run(words, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def write(root, name, content):
    path = os.path.join(root, name)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "wb") as file:
        file.write(content)
    # An even number of seconds: FAT knows no others.
    os.utime(path, (1_700_000_000 + 2 * len(content), 1_700_000_000 + 2 * len(content)))


def fill(root):
    for at in range(60):
        write(root, "many/photo number %02d é.jpg" % at, b"%02d" % at * (at * 20))
    for at in range(0, 60, 3):
        os.unlink(os.path.join(root, "many/photo number %02d é.jpg" % at))
    write(root, "KITES.TXT", b"short name")
    write(root, "plan.txt", b"small letters")
    write(root, "long/" + "n" * 180 + ".txt", b"long")
    write(root, "long/" + "ж" * 80 + ".txt", b"Cyrillic")
    write(root, "empty.dat", b"")
    write(root, "/".join("d%d" % at for at in range(9)) + "/leaf.txt", b"far down")
    # It lies in the gaps that the deleted ones left.
    write(root, "in pieces.bin", b"".join(b"%d kites, " % at for at in range(9000)))


fill(tree)
fat, exfat = os.path.join(out, "sticks.fat"), os.path.join(out, "sticks.exfat")
for image, megabytes in ((fat, 2), (exfat, 4)):
    with open(image, "wb") as file:
        file.truncate(megabytes << 20)
run("mkfs.vfat", "-n", "KITESTICK", fat)
for name in sorted(os.listdir(tree)):
    run("mcopy", "-s", "-m", "-i", fat, os.path.join(tree, name), "::/")
run("mkfs.exfat", "-n", "Kitestick", exfat)
os.makedirs(mount, exist_ok=True)
loop = subprocess.run(["losetup", "-f", "--show", exfat], check=True, capture_output=True, text=True).stdout.strip()
try:
    run("mount.exfat-fuse", loop, mount)
    fill(mount)
    run("umount", mount)
    run("sync")
finally:
    run("losetup", "-d", loop)
rows = []
for folder, _, files in os.walk(tree):
    for name in files:
        path = os.path.join(folder, name)
        content = open(path, "rb").read()
        row = f"{len(content)}:{hashlib.sha256(content).hexdigest()} {int(os.stat(path).st_mtime)} {os.path.relpath(path, tree)}"
        rows.append(row)
with open(os.path.join(out, "sticks.txt"), "w") as file:
    file.write("\n".join(sorted(rows)) + "\n")
with open(fat, "r+b") as file:
    file.seek(62)
    file.write(bytes(510 - 62))
with open(exfat, "r+b") as file:
    for at in (120, 12 * 512 + 120):
        file.seek(at)
        file.write(bytes(390))
# A third, of which the beginning is encrypted.
small, locked = os.path.join(out, "small.fat"), os.path.join(out, "locked.fat")
with open(small, "wb") as file:
    file.truncate(400 << 10)
run("mkfs.vfat", "-n", "LOCKED", small)
for name in ("KITES.TXT", "plan.txt"):
    run("mcopy", "-m", "-i", small, os.path.join(tree, name), "::/")
with open(small, "r+b") as file:
    file.seek(62)
    file.write(bytes(510 - 62))
script = os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../../../.ci/locked_volume.py")
keys = subprocess.run([sys.executable, script, small, locked, "8004", "65536"], check=True, capture_output=True, text=True).stdout
with open(os.path.join(out, "locked.txt"), "w") as file:
    file.write(keys)
os.unlink(small)
vhd, vhdx = os.path.join(out, "sticks.vhd"), os.path.join(out, "sticks.vhdx")
run("qemu-img", "convert", "-f", "raw", "-O", "vpc", fat, vhd)
run("qemu-img", "convert", "-f", "raw", "-O", "vhdx", "-o", "block_size=1M", exfat, vhdx)
for image in (fat, exfat, vhd, vhdx, locked):
    run("zstd", "-q", "-f", "--ultra", "-22", "--rm", image)
os.rmdir(mount)
shutil.rmtree(tree)
