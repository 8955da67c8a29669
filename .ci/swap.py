"""Exchanges a folder and a link in its place, again and again, as somebody would who wants root to write elsewhere.

    swap.py FOLDER LINK-TARGET     until it is killed; the folder is back in its place then
"""
import ctypes
import os
import signal
import sys

folder, target = sys.argv[1:]
link = folder + ".link"
libc = ctypes.CDLL(None, use_errno=True)
stopped = []
signal.signal(signal.SIGTERM, lambda *_: stopped.append(True))
os.symlink(target, link)
turns = 0
while not (stopped and turns % 2 == 0):
    # RENAME_EXCHANGE: both names are there at every moment.
    if libc.renameat2(-100, folder.encode(), -100, link.encode(), 2) == 0:
        turns += 1
    elif stopped:
        break
os.unlink(link if os.path.islink(link) else folder)
