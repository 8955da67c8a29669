"""A folder, shown as a drive through FUSE: what every such drive does alike."""
import os

from fusepy import FuseOSError, Operations

FACTS = ("st_mode", "st_size", "st_mtime", "st_ctime", "st_atime", "st_nlink", "st_uid", "st_gid", "st_ino")


class ShownFolder(Operations):
    def __init__(self, source):
        self.source = source

    def at(self, path):
        return os.path.join(self.source, path.lstrip("/"))

    def getattr(self, path, handle=None):
        try:
            found = os.lstat(self.at(path))
        except OSError as error:
            raise FuseOSError(error.errno)
        return {name: getattr(found, name) for name in FACTS}

    def readdir(self, path, handle):
        return [".", "..", *os.listdir(self.at(path))]

    def release(self, path, handle):
        os.close(handle)

    def create(self, path, mode, info=None):
        return os.open(self.at(path), os.O_RDWR | os.O_CREAT | os.O_EXCL, mode)

    def truncate(self, path, length, handle=None):
        os.truncate(self.at(path), length)

    def link(self, new, old):
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
