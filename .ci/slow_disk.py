"""Shows a folder as a slow disk would: so many megabytes a second, and so many milliseconds to go elsewhere.

    slow_disk.py SOURCE MOUNT COUNTS.json MEGABYTES_A_SECOND MILLISECONDS_A_SEEK

When it is unmounted it writes down what was asked of it: bytes read and written, seeks, flushes, and calls.
"""
import json
import os
import sys
import time

from fusepy import FUSE
from shown_folder import ShownFolder

AHEAD_IN_SECONDS = 0.05


class SlowDisk(ShownFolder):
    def __init__(self, source, counts, rate, seek):
        super().__init__(source)
        self.file, self.rate, self.seek = counts, rate * 1e6, seek / 1e3
        self.where, self.free_at = None, 0.0
        self.counts = {"read_in_bytes": 0, "written_in_bytes": 0, "seeks": 0, "flushes": 0, "calls": 0}

    def destroy(self, path):
        with open(self.file, "w") as file:
            json.dump(self.counts, file)

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

    def open(self, path, flags):
        return os.open(self.at(path), flags & ~(os.O_NOATIME | os.O_DIRECT))

    def read(self, path, length, offset, handle):
        data = os.pread(handle, length, offset)
        self.counts["read_in_bytes"] += len(data)
        if data:
            self.turn(handle, offset, len(data))
        return data

    def write(self, path, data, offset, handle):
        self.counts["written_in_bytes"] += len(data)
        self.turn(handle, offset, len(data))
        return os.pwrite(handle, data, offset)

    def fsync(self, path, only_data, handle):
        self.counts["flushes"] += 1

    def symlink(self, new, target):
        os.symlink(target, self.at(new))

    def chown(self, path, user, group):
        os.chown(self.at(path), user, group, follow_symlinks=False)


SOURCE, MOUNT, COUNTS, RATE, SEEK = sys.argv[1:]
FUSE(SlowDisk(SOURCE, COUNTS, float(RATE), float(SEEK)), MOUNT, foreground=True, nothreads=True, big_writes=True, max_readahead=8388608)
