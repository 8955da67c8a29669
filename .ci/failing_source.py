"""Shows a folder as a failing drive would: what fails stands in a JSON file that is read again at every call.

    failing_source.py SOURCE MOUNT FAULTS.json

sectors: by path, ranges that give EIO; unlistable: folders that give EIO; wavering: by path, how many readings fail first; slow: by path,
milliseconds for each reading; weak: by path, ranges with how many of their readings fail first, and how many milliseconds each takes; gone: true
once the drive is unplugged. A fourth argument lets things be written to it.
"""
import errno
import json
import os
import sys
import time

from fusepy import FUSE, FuseOSError
from shown_folder import ShownFolder


class FailingDrive(ShownFolder):
    def __init__(self, source, faults):
        super().__init__(source)
        self.file, self.failed = faults, {}

    def faults(self):
        with open(self.file) as file:
            faults = json.load(file)
        if faults.get("gone"):
            raise FuseOSError(errno.ENODEV)
        return faults

    def is_same(self, name, handle):
        try:
            return os.path.samestat(os.stat(os.path.join(self.source, name)), os.fstat(handle))
        except FileNotFoundError:
            return False

    def getattr(self, path, handle=None):
        self.faults()
        return super().getattr(path, handle)

    def readdir(self, path, handle):
        if path.lstrip("/") in self.faults().get("unlistable", []):
            raise FuseOSError(errno.EIO)
        return super().readdir(path, handle)

    def open(self, path, flags):
        self.faults()
        return os.open(self.at(path), flags & ~os.O_NOATIME)

    def read(self, path, length, offset, handle):
        faults, name = self.faults(), path.lstrip("/")
        time.sleep(faults.get("slow", {}).get(name, 0) / 1000)
        for bad, sectors in faults.get("sectors", {}).items():
            # They are the file's, whatever other names it has by now.
            if any(offset < end and begin < offset + length for begin, end in sectors) and self.is_same(bad, handle):
                raise FuseOSError(errno.EIO)
        for begin, end, failures, slow in faults.get("weak", {}).get(name, []):
            if offset < end and begin < offset + length:
                time.sleep(slow / 1000)
                self.failed[begin] = self.failed.get(begin, 0) + 1
                if self.failed[begin] <= failures:
                    raise FuseOSError(errno.EIO)
        if self.failed.get(name, 0) < faults.get("wavering", {}).get(name, 0):
            self.failed[name] = self.failed.get(name, 0) + 1
            raise FuseOSError(errno.EIO)
        return os.pread(handle, length, offset)

    def write(self, path, data, offset, handle):
        return os.pwrite(handle, data, offset)

    def fsync(self, path, only_data, handle):
        os.fsync(handle)

    def link(self, new, old):
        self.faults()
        super().link(new, old)


FUSE(FailingDrive(sys.argv[1], sys.argv[3]), sys.argv[2], foreground=True, nothreads=True, direct_io=True, attr_timeout=0, ro=len(sys.argv) < 5)
