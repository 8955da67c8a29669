"""Compares the letters that porter took out of Outlook's data files with what libpff reads there: by folder the subjects, texts, headers and files.

    same_letters.py OUT FILE...      OUT has a folder for each file, called after it, with a mailbox for each folder
"""
import collections
import email.policy
import hashlib
import mailbox
import os
import re
import sys

import pypff

out, *files = sys.argv[1:]


def plain(text):
    return re.sub(r"\s+", " ", text.replace("\0", "")).strip()


def of_porter(folder):
    found = {}
    for path, _, names in os.walk(folder):
        for name in names:
            letters = mailbox.mbox(os.path.join(path, name), factory=lambda file: email.message_from_binary_file(file, policy=email.policy.default))
            found[name.removesuffix(".mbox")] = collections.Counter(map(letter_of_porter, letters))
    return found


def letter_of_porter(letter):
    contents, text, inside = [], None, 0
    # What is in a letter that is inside of this one is its own.
    waiting = [letter]
    while waiting:
        part = waiting.pop(0)
        if part.get_content_type() == "message/rfc822":
            inside += 1
        elif part.is_multipart():
            waiting[:0] = part.get_payload()
        elif part.get_content_disposition() in ("attachment", "inline"):
            contents.append(hashlib.sha256(part.get_payload(decode=True)).hexdigest())
        elif part.get_content_type() == "text/plain" and text is None:
            text = plain(part.get_payload(decode=True).decode(part.get_content_charset() or "utf-8"))
    return plain(letter["Subject"] or ""), plain(letter["Message-ID"] or ""), tuple(sorted(contents)), inside, text


def of_library(folder, found):
    letters = [letter_of_library(letter) for letter in folder.sub_messages]
    kind = "".join(
        entry.data_as_string or "" for set_ in folder.record_sets for entry in set_.entries if entry.entry_type == 0x3613
    )
    if letters and (not kind or kind.startswith("IPF.Note")):
        found[folder.name] = collections.Counter(letters)
    for below in folder.sub_folders:
        of_library(below, found)


def property_of(letter, number):
    for record_set in letter.record_sets:
        for entry in record_set.entries:
            if entry.entry_type == number and entry.value_type in (0x1E, 0x1F):
                return entry.data_as_string
    return None


def letter_of_library(letter):
    contents, inside = [], 0
    for number in range(letter.number_of_attachments):
        attachment = letter.get_attachment(number)
        try:
            contents.append(hashlib.sha256(attachment.read_buffer(attachment.size)).hexdigest())
        except OSError:
            inside += 1
    headers = letter.transport_headers or ""
    identifier = re.search(r"^message-id:\s*(\S+)", headers, re.I | re.M)
    identifier = identifier.group(1) if identifier else property_of(letter, 0x1035) or ""
    text = letter.plain_text_body
    text = None if text is None else plain(text if isinstance(text, str) else text.decode("utf-8", "replace"))
    return plain(letter.subject or ""), plain(identifier), tuple(sorted(contents)), inside, text or None


total = 0
for file in files:
    volume = pypff.file()
    volume.open(file)
    theirs = {}
    of_library(volume.root_folder, theirs)
    ours = of_porter(os.path.join(out, os.path.basename(file)))
    for name in sorted(theirs.keys() | ours.keys()):
        one, other = ours.get(name, collections.Counter()), theirs.get(name, collections.Counter())
        assert sum(one.values()) == sum(other.values()), (file, name, sum(one.values()), sum(other.values()))
        # Of a letter without a plain text the library tells none.
        bare = {letter[:4] for letter in other if letter[4] is None}
        differ = [letter for letter in one if other[letter] != one[letter] and letter[:4] not in bare]
        for letter in differ[:3]:
            print("differs:", letter, *[there for there in other if there[0] == letter[0]], sep="\n    ")
        assert not differ, (file, name)
        total += sum(one.values())
print(f"{total} letters are the same")
