"""Compares a mounted NTFS with what libfsntfs, another reader of the volume, has in it: names, contents and named streams.

    library_entries.py VOLUME MOUNTED
"""
import hashlib
import os
import stat
import sys

import pyfsntfs

volume, mounted = pyfsntfs.volume(), sys.argv[2]
volume.open(sys.argv[1])


def digest(read):
    found, at = hashlib.sha256(), 0
    while piece := read(at):
        found.update(piece)
        at += len(piece)
    return at, found.hexdigest()


def of_library(entry, path, found):
    for at in range(entry.number_of_sub_file_entries):
        child = entry.get_sub_file_entry(at)
        if child.name in (".", "..") or (path == "" and child.name.startswith("$")):
            continue
        below = f"{path}/{child.name}"
        if child.has_directory_entries_index():
            found[below] = "folder"
            of_library(child, below, found)
            continue
        if child.size > 1 << 32:
            found[below] = child.size
            continue

        def read(offset):
            child.seek_offset(offset)
            return child.read_buffer(1 << 20)

        found[below] = digest(read)
        for number in range(child.number_of_alternate_data_streams):
            stream = child.get_alternate_data_stream(number)

            def read(offset):
                stream.seek_offset(offset)
                return stream.read_buffer(1 << 20)

            found[f"{below}:{stream.name}"] = digest(read)


def of_mount(folder, path, found):
    for child in os.scandir(folder):
        below, seen = f"{path}/{child.name}", child.stat(follow_symlinks=False)
        if stat.S_ISDIR(seen.st_mode):
            found[below] = "folder"
            of_mount(child.path, below, found)
        elif not stat.S_ISREG(seen.st_mode) or seen.st_size > 1 << 32:
            found[below] = seen.st_size
        else:
            with open(child.path, "rb") as file:
                found[below] = digest(lambda offset: file.read(1 << 20))
        for name in os.listxattr(child.path, follow_symlinks=False):
            if name.startswith("user."):
                content = os.getxattr(child.path, name, follow_symlinks=False)
                found[f"{below}:{name[5:]}"] = (len(content), hashlib.sha256(content).hexdigest())


one, other = {}, {}
of_library(volume.get_root_directory(), "", one)
of_mount(mounted, "", other)
# The library shows the record of a link, and the driver where it leads.
linked = {key for key in other if os.path.islink(mounted + key)}
differ = [key for key in sorted((one.keys() | other.keys()) - linked) if one.get(key) != other.get(key)]
for key in differ[:20]:
    print(key, one.get(key), other.get(key))
print(f"{len(one)} entries by a library, {len(differ)} of them differ")
sys.exit(1 if differ or not one else 0)
