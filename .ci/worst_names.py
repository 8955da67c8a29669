"""Fills the folder argv[1] with argv[2] files of the worst names that a Linux drive can hold, in folders of such names."""
import os
import random
import sys

random.seed(40)
root, count = sys.argv[1].encode(), int(sys.argv[2])
BAD = [b"CON", b"aux.txt", b"NUL", b"com1.log", b"a<b>c", b"what?", b"star*", b'quo"te', b"pipe|", b"back\\slash", b"colon:stream", b"dot.", b"space ",
       b" lead", b"tab\tin", b"line\nbreak", b"\xff\xfe raw", b"caf\xc3\xa9", b"cafe\xcc\x81", b"CAF\xc3\x89", b"Letter.TXT", b"letter.txt", b"LETTER.txt",
       "大凧".encode(), "🪁".encode(), b"x" * 240, b"%41%", b"~", b"$HOME", b"-rf", b"...", b"\xe2\x80\xaertl", b"a" * 100 + b"...", b"semi;colon", b"'q'", b"\x01ctl"]
os.makedirs(root)
made = folders = 0
while made < count:
    folder = root
    for _ in range(random.randrange(1, 6)):
        folder += b"/" + random.choice(BAD) + (b" %d" % random.randrange(3) if random.random() < 0.5 else b"")
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError:
        continue
    folders += 1
    for number in range(random.randrange(20, 80)):
        name = random.choice(BAD)
        name = (b"%d " % number + name)[:255] if random.random() < 0.5 else name
        path = folder + b"/" + name
        if not os.path.lexists(path):
            with open(path, "xb") as file:
                file.write(b"%d %s" % (made, name) * random.randrange(20))
            made += 1
print(made, "files")
