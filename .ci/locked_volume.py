"""Encrypts a volume into BitLocker's published layout, with made-up keys and each kind of way in.

    locked_volume.py PLAIN LOCKED METHOD [PART_IN_BYTES]     METHOD: 8000 to 8005, as the layout numbers them;
                                                             8000vista in the layout of Windows Vista

Writes LOCKED, LOCKED.bek (the key file), and prints the passphrase and the recovery key, a line each. With PART_IN_BYTES only the
beginning is encrypted. `open` as METHOD suffix (8004open) leaves the key open, as in a suspended volume.
"""
import hashlib
import random
import struct
import sys
import zlib

from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes
from cryptography.hazmat.primitives.ciphers.aead import AESCCM

plain_path, locked_path, method_text, *rest = sys.argv[1:]
suspended = method_text.endswith("open")
vista = method_text.endswith("vista")
method = int(method_text.removesuffix("open").removesuffix("vista"), 16)
plain = bytearray(open(plain_path, "rb").read())
SECTOR, COPY, MOVED = 512, 65_536, 16
dice = random.Random(f"{method_text} kites")
encrypted_size = int(rest[0]) if rest else len(plain)

GUID = bytes.fromhex("3bd66749292ed84a8399f6a339e3d001")
STAMP = struct.pack("<Q", 130_000_000_000_000_000)


def datum(kind, value_kind, body):
    return struct.pack("<4H", 8 + len(body), kind, value_kind, 1) + body


def key_datum(algorithm, key):
    return datum(0, 1, struct.pack("<2H", algorithm, 0) + key)


counter = 0


def wrapped(kind, inner, with_key):
    global counter
    counter += 1
    nonce = STAMP + struct.pack("<I", counter)
    sealed = AESCCM(with_key, tag_length=16).encrypt(nonce, inner, None)
    return datum(kind, 5, nonce + sealed[-16:] + sealed[:-16])


def stretched(first_hash, salt):
    last = bytes(32)
    for count in range(0x100000):
        last = hashlib.sha256(last + first_hash + salt + struct.pack("<Q", count)).digest()
    return last


length = {0x8000: 64, 0x8001: 64, 0x8002: 16, 0x8003: 32, 0x8004: 32, 0x8005: 64}[method]
sector_key, master = dice.randbytes(length), dice.randbytes(32)
passphrase = "forty kites at four"
parts = [dice.randrange(65_536) for _ in range(8)]
recovery = "-".join("%06d" % (part * 11) for part in parts)
external = dice.randbytes(32)


def master_datum(protection, guid, nested):
    return datum(2, 8, guid + STAMP + struct.pack("<2H", 0, protection) + nested)


inner = key_datum(0x2003, master)
entries = b""
if suspended:
    clear = dice.randbytes(32)
    entries += master_datum(0, dice.randbytes(16), key_datum(0x2003, clear) + wrapped(0, inner, clear))
for protection, first_hash in (
    (0x2000, hashlib.sha256(hashlib.sha256(passphrase.encode("utf-16-le")).digest()).digest()),
    (0x0800, hashlib.sha256(struct.pack("<8H", *parts)).digest()),
):
    salt = dice.randbytes(16)
    with_key = stretched(first_hash, salt)
    stretch = datum(0, 3, struct.pack("<2H", 0x1000, 0) + salt + wrapped(0, key_datum(0x2003, with_key), master))
    entries += master_datum(protection, dice.randbytes(16), stretch + wrapped(0, inner, with_key))
key_file_guid = dice.randbytes(16)
entries += master_datum(0x0200, key_file_guid, datum(0, 4, struct.pack("<2H", 0x2002, 0)) + wrapped(0, inner, external))
entries += wrapped(3, key_datum(method, sector_key), master)


def dataset(body):
    return struct.pack("<4I", 48 + len(body), 1, 48, 48 + len(body)) + dice.randbytes(16) + struct.pack("<I2H", counter + 1, method, 0) + STAMP + body


# Places that the file system does not use: they are zeros there, and stay so.
places, at = [], (len(plain) - COPY - 4096) // 4096 * 4096
while len(places) < 4 and at > 0:
    if not any(plain[at:at + COPY]):
        places.append(at)
        at -= COPY
    at -= 4096
assert len(places) == 4, "the volume is too full"
moved_to, copies = places[0], sorted(places[1:])
if not vista:
    entries += datum(0x0F, 0x0F, struct.pack("<2Q", moved_to, MOVED * SECTOR))
body = dataset(entries)
total = (64 + len(body) + 15) // 16 * 16
if vista:
    # Vista counts its length in bytes, and later systems in sixteens.
    header = b"-FVE-FS-" + struct.pack("<4HQ2I", total, 1, 4, 4, encrypted_size, 0, 0) + struct.pack("<3Q", *copies) + plain[0x38:0x40]
else:
    header = b"-FVE-FS-" + struct.pack("<4HQ2I", total // 16, 2, 4, 4, encrypted_size, 0, MOVED) + struct.pack("<4Q", *copies, moved_to)
records = (header + body).ljust(total, b"\0")
records += struct.pack("<2HI", 8, 2, zlib.crc32(records))
first = bytearray(plain[:SECTOR])
first[3:11] = b"-FVE-FS-"
if vista:
    first[0x38:0x40] = struct.pack("<Q", copies[0] // (SECTOR * plain[13]))
else:
    first[:3] = b"\xeb\x58\x90"
    first[0x38:0x40] = bytes(8)
    first[160:176] = GUID
    first[176:200] = struct.pack("<3Q", *copies)

ecb = Cipher(algorithms.AES(sector_key[:32 if method in (0x8001, 0x8003) else 16]), modes.ECB()).encryptor()
second = None
if method in (0x8000, 0x8001):
    second = Cipher(algorithms.AES(sector_key[32:64 if method == 0x8001 else 48]), modes.ECB()).encryptor()


def diffused(sector):
    words = list(struct.unpack("<128I", sector))
    turn = lambda word, by: (word << by | word >> (32 - by)) & 0xffffffff if by else word
    for _ in range(5):
        for at in reversed(range(128)):
            words[at] = (words[at] - (words[at - 2] ^ turn(words[at - 5], (9, 0, 13, 0)[at % 4]))) & 0xffffffff
    for _ in range(3):
        for at in reversed(range(128)):
            words[at] = (words[at] - (words[(at + 2) % 128] ^ turn(words[(at + 5) % 128], (0, 10, 0, 25)[at % 4]))) & 0xffffffff
    return struct.pack("<128I", *words)


def encrypted(sector, place):
    if place >= encrypted_size:
        return sector
    if method >= 0x8004:
        tweak = struct.pack("<QQ", place // SECTOR, 0)
        return Cipher(algorithms.AES(sector_key), modes.XTS(tweak)).encryptor().update(sector)
    where = struct.pack("<QQ", place, 0)
    if second:
        mask = second.update(where) + second.update(where[:15] + b"\x80")
        sector = diffused(bytes(a ^ b for a, b in zip(sector, mask * 16)))
    cbc = Cipher(algorithms.AES(sector_key[:32 if method in (0x8001, 0x8003) else 16]), modes.CBC(ecb.update(where))).encryptor()
    return cbc.update(sector)


locked = bytearray(plain)
for at in range(0, len(plain), SECTOR):
    locked[at:at + SECTOR] = encrypted(bytes(plain[at:at + SECTOR]), at)
for number in range(MOVED if not vista else 0):
    place = moved_to + number * SECTOR
    locked[place:place + SECTOR] = encrypted(bytes(plain[number * SECTOR:(number + 1) * SECTOR]), place)
if vista:
    locked[:MOVED * SECTOR] = plain[:MOVED * SECTOR]
locked[:SECTOR] = first
kept = 16_384 if vista else COPY
for at in copies:
    locked[at:at + kept] = records.ljust(kept, b"\0")
open(locked_path, "wb").write(locked)
bek = datum(6, 9, key_file_guid + STAMP + datum(2, 2, "ExternalKey\0".encode("utf-16-le")) + key_datum(0x2002, external))
open(locked_path + ".bek", "wb").write(dataset(bek))
print(passphrase)
print(recovery)
