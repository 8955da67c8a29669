"""Shows a folder as a failing drive would: what fails stands in a JSON file that is read again at every call.

    failing_source.py SOURCE MOUNT FAULTS.json

sectors: by path, ranges that give EIO; unlistable: folders that give EIO; wavering: by path, how many readings fail first; slow: by path,
milliseconds for each reading; gone: true once the drive is unplugged.
"""
import errno
import json
import os
import sys
import time

from fusepy import FUSE, FuseOSError, Operations


class FailingDrive(Operations):
    def __init__(self, source, faults):
        self.source, self.file, self.failed = source, faults, {}

    def faults(self):
        with open(self.file) as file:
            faults = json.load(file)
        if faults.get("gone"):
            raise FuseOSError(errno.ENODEV)
        return faults

    def at(self, path):
        return os.path.join(self.source, path.lstrip("/"))

    def getattr(self, path, handle=None):
        self.faults()
        try:
            found = os.lstat(self.at(path))
        except OSError as error:
            raise FuseOSError(error.errno)
        names = ("st_mode", "st_size", "st_mtime", "st_ctime", "st_atime", "st_nlink", "st_uid", "st_gid", "st_ino")
        return {name: getattr(found, name) for name in names}

    def readdir(self, path, handle):
        if path.lstrip("/") in self.faults().get("unlistable", []):
            raise FuseOSError(errno.EIO)
        return [".", "..", *os.listdir(self.at(path))]

    def open(self, path, flags):
        self.faults()
        return os.open(self.at(path), os.O_RDONLY)

    def read(self, path, length, offset, handle):
        faults, name = self.faults(), path.lstrip("/")
        time.sleep(faults.get("slow", {}).get(name, 0) / 1000)
        for begin, end in faults.get("sectors", {}).get(name, []):
            if offset < end and begin < offset + length:
                raise FuseOSError(errno.EIO)
        if self.failed.get(name, 0) < faults.get("wavering", {}).get(name, 0):
            self.failed[name] = self.failed.get(name, 0) + 1
            raise FuseOSError(errno.EIO)
        return os.pread(handle, length, offset)

    def release(self, path, handle):
        os.close(handle)

    def readlink(self, path):
        return os.readlink(self.at(path))

    def statfs(self, path):
        found = os.statvfs(self.source)
        return {"f_bsize": found.f_bsize, "f_frsize": found.f_frsize, "f_blocks": found.f_blocks, "f_bavail": found.f_bavail}


FUSE(FailingDrive(sys.argv[1], sys.argv[3]), sys.argv[2], foreground=True, nothreads=True, direct_io=True, ro=True)
