"""Shows a folder as a slow disk would: so many megabytes a second, and so many milliseconds to go elsewhere.

    slow_disk.py SOURCE MOUNT COUNTS.json MEGABYTES_A_SECOND MILLISECONDS_A_SEEK

When it is unmounted it writes down what was asked of it: bytes read and written, seeks, flushes, and calls.
"""
import json
import os
import sys
import time

from fusepy import FUSE, FuseOSError, Operations


AHEAD_IN_SECONDS = 0.05


class SlowDisk(Operations):
    def __init__(self, source, counts, rate, seek):
        self.source, self.file, self.rate, self.seek = source, counts, rate * 1e6, seek / 1e3
        self.where, self.free_at = None, 0.0
        self.counts = {"read_in_bytes": 0, "written_in_bytes": 0, "seeks": 0, "flushes": 0, "calls": 0}

    def destroy(self, path):
        with open(self.file, "w") as file:
            json.dump(self.counts, file)

    def at(self, path):
        return os.path.join(self.source, path.lstrip("/"))

    def turn(self, handle, offset, length):
        """Waits as long as the disk would take for a stretch."""
        self.counts["calls"] += 1
        number = os.fstat(handle).st_ino
        takes = length / self.rate
        if self.where != (number, offset):
            self.counts["seeks"] += 1
            takes += self.seek
        self.where = (number, offset + length)
        now = time.monotonic()
        # A disk works on while its reader is busy, because the system asks for some of it ahead.
        self.free_at = max(self.free_at, now - AHEAD_IN_SECONDS) + takes
        if self.free_at > now:
            time.sleep(self.free_at - now)

    def getattr(self, path, handle=None):
        try:
            found = os.lstat(self.at(path))
        except OSError as error:
            raise FuseOSError(error.errno)
        names = ("st_mode", "st_size", "st_mtime", "st_ctime", "st_atime", "st_nlink", "st_uid", "st_gid", "st_ino")
        return {name: getattr(found, name) for name in names}

    def readdir(self, path, handle):
        return [".", "..", *os.listdir(self.at(path))]

    def open(self, path, flags):
        return os.open(self.at(path), flags & ~(os.O_NOATIME | os.O_DIRECT))

    def read(self, path, length, offset, handle):
        data = os.pread(handle, length, offset)
        self.counts["read_in_bytes"] += len(data)
        if data:
            self.turn(handle, offset, len(data))
        return data

    def release(self, path, handle):
        os.close(handle)

    def create(self, path, mode, info=None):
        return os.open(self.at(path), os.O_RDWR | os.O_CREAT | os.O_EXCL, mode)

    def write(self, path, data, offset, handle):
        self.counts["written_in_bytes"] += len(data)
        self.turn(handle, offset, len(data))
        return os.pwrite(handle, data, offset)

    def truncate(self, path, length, handle=None):
        os.truncate(self.at(path), length)

    def fsync(self, path, only_data, handle):
        self.counts["flushes"] += 1

    def link(self, new, old):
        os.link(self.at(old), self.at(new), follow_symlinks=False)

    def symlink(self, new, target):
        os.symlink(target, self.at(new))

    def mkdir(self, path, mode):
        os.mkdir(self.at(path), mode)

    def rmdir(self, path):
        os.rmdir(self.at(path))

    def unlink(self, path):
        os.unlink(self.at(path))

    def rename(self, old, new):
        os.rename(self.at(old), self.at(new))

    def chmod(self, path, mode):
        os.chmod(self.at(path), mode)

    def chown(self, path, user, group):
        os.chown(self.at(path), user, group, follow_symlinks=False)

    def utimens(self, path, times=None):
        os.utime(self.at(path), times)

    def readlink(self, path):
        return os.readlink(self.at(path))

    def statfs(self, path):
        found = os.statvfs(self.source)
        return {"f_bsize": found.f_bsize, "f_frsize": found.f_frsize, "f_blocks": found.f_blocks, "f_bavail": found.f_bavail}


SOURCE, MOUNT, COUNTS, RATE, SEEK = sys.argv[1:]
FUSE(SlowDisk(SOURCE, COUNTS, float(RATE), float(SEEK)), MOUNT, foreground=True, nothreads=True, big_writes=True, max_readahead=8388608)
