"""Shows a folder as a failing drive would: what fails stands in a JSON file that is read again at every call.

    failing_source.py SOURCE MOUNT FAULTS.json

sectors: by path, ranges that give EIO; unlistable: folders that give EIO; wavering: by path, how many readings fail first; slow: by path,
milliseconds for each reading; gone: true once the drive is unplugged. A fourth argument lets things be written to it.
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

    def is_same(self, name, handle):
        try:
            return os.path.samestat(os.stat(os.path.join(self.source, name)), os.fstat(handle))
        except FileNotFoundError:
            return False

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
        return os.open(self.at(path), flags & ~os.O_NOATIME)

    def read(self, path, length, offset, handle):
        faults, name = self.faults(), path.lstrip("/")
        time.sleep(faults.get("slow", {}).get(name, 0) / 1000)
        for bad, sectors in faults.get("sectors", {}).items():
            # They are the file's, whatever other names it has by now.
            if any(offset < end and begin < offset + length for begin, end in sectors) and self.is_same(bad, handle):
                raise FuseOSError(errno.EIO)
        if self.failed.get(name, 0) < faults.get("wavering", {}).get(name, 0):
            self.failed[name] = self.failed.get(name, 0) + 1
            raise FuseOSError(errno.EIO)
        return os.pread(handle, length, offset)

    def release(self, path, handle):
        os.close(handle)

    def create(self, path, mode, info=None):
        return os.open(self.at(path), os.O_RDWR | os.O_CREAT | os.O_EXCL, mode)

    def write(self, path, data, offset, handle):
        return os.pwrite(handle, data, offset)

    def truncate(self, path, length, handle=None):
        os.truncate(self.at(path), length)

    def fsync(self, path, only_data, handle):
        os.fsync(handle)

    def link(self, new, old):
        self.faults()
        os.link(self.at(old), self.at(new), follow_symlinks=False)

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

    def utimens(self, path, times=None):
        os.utime(self.at(path), times)

    def readlink(self, path):
        return os.readlink(self.at(path))

    def statfs(self, path):
        found = os.statvfs(self.source)
        return {"f_bsize": found.f_bsize, "f_frsize": found.f_frsize, "f_blocks": found.f_blocks, "f_bavail": found.f_bavail}


FUSE(FailingDrive(sys.argv[1], sys.argv[3]), sys.argv[2], foreground=True, nothreads=True, direct_io=True, attr_timeout=0, ro=len(sys.argv) < 5)
