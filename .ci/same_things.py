"""Compares what porter took out of Outlook's data files beside letters with what other readers find there.

    same_things.py real CALENDAR FILE...             events of real files: libpff's titles, and days that everybody knows
    same_things.py demo VCARDS CALENDAR UNPACKED     people and events of the demo: readpst's cards and calendars
    same_things.py pairs OUT PAIRS                   letters that were a file each, beside what their authors say they hold
    same_things.py outlook LETTERS FILES             letters as `.msg`, read by another reader, beside the same as `.eml`
    same_things.py folders OUT MBOX...               a Maildir for each folder, as many letters and marks as in the mailboxes
"""
import collections
import datetime
import email
import email.policy
import hashlib
import json
import mailbox
import pathlib
import re
import sys

import icalendar
import vobject

KNOWN = {"Christmas Day": (12, 25), "Halloween": (10, 31), "Independence Day": (7, 4), "New Year's Eve": (12, 31), "Flag Day": (6, 14)}


def events_in(text):
    return list(icalendar.Calendar.from_ical(text).walk("VEVENT"))


def at(value):
    value = value.dt
    return value.astimezone(datetime.timezone.utc) if isinstance(value, datetime.datetime) else value


def real(calendar, *files):
    import pypff

    titles = collections.Counter()

    def look(folder):
        kind = "".join(entry.data_as_string or "" for rows in folder.record_sets for entry in rows.entries if entry.entry_type == 0x3613)
        if kind.startswith("IPF.Appointment"):
            titles.update(letter.subject for letter in folder.sub_messages)
        for below in folder.sub_folders:
            look(below)

    for path in files:
        file = pypff.file()
        file.open(path)
        look(file.root_folder)
    events = events_in(pathlib.Path(calendar).read_bytes())
    found = collections.Counter(str(event["SUMMARY"]) for event in events)
    # The drive has each file several times.
    copies = found.total() // titles.total()
    expected = collections.Counter({title: number * copies for title, number in titles.items()})
    assert found == expected, (found - expected, expected - found)
    yearly = 0
    for event in events:
        known = KNOWN.get(str(event["SUMMARY"]))
        if known and "RRULE" in event:
            begin, rule = event["DTSTART"].dt, event["RRULE"]
            assert (begin.month, begin.day) == known and (rule["BYMONTH"], rule["BYMONTHDAY"]) == ([known[0]], [known[1]]), event
            yearly += 1
    assert yearly >= len(KNOWN)
    weekly = next(event for event in events if event["SUMMARY"] == "repeats every monday for 10 weeks")
    assert weekly["RRULE"]["BYDAY"] == ["MO"] and weekly["RRULE"]["COUNT"] == [10] and weekly["DTSTART"].dt.weekday() == 0
    print(f"{len(events)} events, titles as libpff has them, {yearly} of them on days that everybody knows")


def demo(cards, calendar, unpacked):
    ours = list(vobject.readComponents(pathlib.Path(cards).read_text()))
    name = lambda card: (card.n.value.family, card.n.value.given)
    people = {card.email.value: name(card) for card in ours if card.version.value == "3.0"}
    theirs, begins = {}, {}
    for path in pathlib.Path(unpacked).rglob("*"):
        text = path.read_text(errors="replace") if path.is_file() else ""
        if "BEGIN:VCARD" in text:
            for card in vobject.readComponents(text, ignoreUnreadable=True):
                if hasattr(card, "email"):
                    theirs[card.email.value] = name(card)
        if "BEGIN:VEVENT" in text:
            body = text[text.index("BEGIN:VEVENT"):text.rindex("END:VEVENT")] + "END:VEVENT\r\n"
            for event in events_in("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + body.replace("END:VCALENDAR", "").replace("BEGIN:VCALENDAR", "") + "END:VCALENDAR\r\n"):
                begins[str(event["SUMMARY"])] = at(event["DTSTART"])
    assert theirs == people and len(people) == 2, (theirs, people)
    events = events_in(pathlib.Path(calendar).read_bytes())
    ours = {str(event["SUMMARY"]): at(event["DTSTART"]) for event in events if "RECURRENCE-ID" not in event}
    # readpst gives whole days as points in time.
    timed = {title: begin for title, begin in begins.items() if isinstance(ours[title], datetime.datetime)}
    assert len(timed) == 2 and all(ours[title] == begin for title, begin in timed.items()), (begins, ours)
    print(f"{len(theirs)} people and {len(timed)} events as readpst has them")


def letter_in(path):
    letter = email.message_from_bytes(pathlib.Path(path).read_bytes(), policy=email.policy.default)
    parts = [part for part in letter.walk() if not part.is_multipart()]
    texts = [part for part in parts if part.get_content_type() == "text/plain" and part.get_content_disposition() != "attachment"]
    pictures = {hashlib.sha256(part.get_payload(decode=True)).hexdigest() for part in parts if part.get_content_type().startswith("image/")}
    return letter, " ".join(texts[0].get_content().split()), pictures


def pairs(out, truth):
    theirs = sorted(pathlib.Path(truth).glob("*.eml"))
    ours = sorted(pathlib.Path(out).rglob("*.eml"))
    assert len(ours) == len(theirs) > 5
    for our, their in zip(ours, theirs):
        (letter, text, pictures), (expected, expected_text, expected_pictures) = letter_in(our), letter_in(their)
        for name in ("Subject", "From", "To", "Cc", "Message-ID"):
            assert expected[name] is None or letter[name] == expected[name], (their, name, letter[name], expected[name])
        # A signed one is given as it was signed.
        assert expected_pictures <= pictures and (text == expected_text or letter.get_content_type() == "multipart/signed"), (their, text, expected_text)
    print(f"{len(ours)} letters of Outlook's own form are what their authors say")


def folders(out, *mailboxes):
    for path in mailboxes:
        letters = mailbox.mbox(path, factory=lambda file: email.message_from_binary_file(file))
        expected = collections.Counter((letter["Message-ID"], letter["X-Mozilla-Status"] != "0000") for letter in letters)
        folder = pathlib.Path(out) / pathlib.Path(path).parent.name / pathlib.Path(path).stem
        maildir = mailbox.Maildir(str(folder), create=False)
        found = collections.Counter((letter["Message-ID"], "S" in letter.get_flags()) for letter in maildir)
        assert found == expected and found, (found, expected)
        print(f"{sum(found.values())} letters in the Maildir {folder.name}, as in the mailbox")


def cards(folder, taken):
    """Every line of a card or calendar that somebody else wrote stands in what was taken; other readers read it."""
    def lines(text):
        return {line.rstrip() for line in text.replace("\r\n", "\n").split("\n") if line.strip()}

    def read(name):
        return pathlib.Path(f"{taken}.{name}").read_bytes().decode()

    written = {name: lines(read(name)) for name in ("contacts", "calendar", "tasks")}
    number, events, tasks = 0, 0, 0
    for path in sorted(pathlib.Path(folder).iterdir()):
        text = path.read_bytes().decode("utf-8", "replace").replace("\r\n", "\n")
        for card in re.findall(r"(?ims)^BEGIN:VCARD[ ]*$.*?^END:VCARD[ ]*$", text):
            number += 1
            if not re.search("(?im)^VERSION:2.1", card):
                assert lines(card) <= written["contacts"], (path, lines(card) - written["contacts"])
        for kind, form in (("VEVENT", "calendar"), ("VTODO", "tasks")):
            for part in re.findall(rf"(?ms)^BEGIN:{kind}$.*?^END:{kind}$", text):
                assert lines(part) <= written[form], (path, lines(part) - written[form])
                events, tasks = events + (kind == "VEVENT"), tasks + (kind == "VTODO")
    for name in ("contacts", "contacts-v4"):
        found = len(list(vobject.readComponents(read(name), ignoreUnreadable=True)))
        assert found == number > 60, (name, found, number)
    assert read("contacts-ldif").count("\ndn:") == number
    assert len(icalendar.Calendar.from_ical(read("calendar")).walk("VEVENT")) >= 18
    print(number, "cards,", events, "events,", tasks, "tasks, with all their lines")


def packed(folder, taken):
    """The files in each letter are those that another reader finds in its one file, to the byte."""
    import tnefparse

    number = 0
    for path in sorted(pathlib.Path(folder).glob("*.tnef")):
        # That reader takes an object for its bytes, with or without the name of its interface; ours for what it is.
        theirs = collections.Counter()
        for file in tnefparse.TNEF(path.read_bytes(), do_checksum=False).attachments:
            if not bytes(file.data).startswith((b"\x78\x9f\x3e\x22", b"\xd0\xcf\x11\xe0", b"\x0b\0\0\0")):
                theirs[(file.long_filename() or "").rstrip("\0"), hashlib.sha256(bytes(file.data)).hexdigest()] += 1
        written = next(pathlib.Path(taken).rglob(f"{path.stem}/*.eml"))
        letter = email.message_from_bytes(written.read_bytes(), policy=email.policy.default)
        parts = [(part.get_filename(), part.get_payload(decode=True) or b"") for part in letter.walk() if part.get_filename()]
        ours = collections.Counter((name, hashlib.sha256(content).hexdigest()) for name, content in parts)
        assert not theirs - ours, (path, theirs - ours)
        number += sum(theirs.values())
    assert number > 20, number
    print(number, "files in packed letters are the same")


def outlook(letters, files):
    import extract_msg

    number = parts_seen = 0
    for path in sorted(pathlib.Path(letters).rglob("*.eml")):
        written = pathlib.Path(files, path.relative_to(letters)).with_suffix(".msg")
        letter = email.message_from_bytes(path.read_bytes(), policy=email.policy.default)
        with extract_msg.openMsg(str(written)) as found:
            def people(*names):
                rows = email.utils.getaddresses([str(value) for name in names for value in letter.get_all(name, [])])
                return sorted(address.replace('"', '') for _, address in rows if "@" in address)

            assert (found.subject or "").strip() == (letter["subject"] or "").strip(), (path, found.subject, letter["subject"])
            assert (found.messageId or "").strip() == (letter["message-id"] or "").strip(), path
            if letter["date"]:
                assert found.date and abs((found.date - letter["date"].datetime).total_seconds()) < 1, (path, found.date, letter["date"])
            assert sorted(one.email for one in found.recipients if "@" in (one.email or "")) == people("to", "cc", "bcc"), (path, [one.email for one in found.recipients])
            plain = [part for part in letter.walk() if part.get_content_type() == "text/plain" and not part.get_filename() and part.get_content_disposition() != "attachment"]
            # What is in a letter inside belongs to a file.
            if not any(part.get_content_type() == "message/rfc822" for part in letter.walk()) and plain:
                words = " ".join("".join(part.get_content() for part in plain).split())
                assert " ".join((found.body or "").split()) == words, (path, found.body, words)
            if letter.get_content_type() == "multipart/signed":
                continue
            theirs = collections.Counter(hashlib.sha256(file.data).hexdigest() for file in found.attachments if isinstance(file.data, bytes))
            ours = collections.Counter(
                hashlib.sha256(part.get_payload(decode=True) or b"").hexdigest()
                for part in letter.walk() if part.get_filename() and not part.is_multipart()
            )
            assert not ours - theirs, (path, ours - theirs)
            parts_seen += sum(ours.values())
        number += 1
    assert number > 50 and parts_seen > 10, (number, parts_seen)
    print(number, "letters and", parts_seen, "files at them are the same to another reader of Outlook's form")


def evolution(seen, *reports):
    """Evolution's own libraries find each letter, event and task that porter says it brought, and its marks."""
    seen = json.loads(pathlib.Path(seen).read_text())
    expected = collections.Counter()
    for report in reports:
        for row in json.loads(pathlib.Path(report).read_text())["letters"]["folders"]:
            if row["kind"] == "letters" and row["written"]:
                expected["/".join(row["folder"])] += row["written"]
    shown = collections.Counter({folder: len(rows) for folders in seen["letters"].values() for folder, rows in folders.items()})
    assert shown == expected and len(expected) >= 3, (shown, expected)
    rows = [row for folders in seen["letters"].values() for rows in folders.values() for row in rows]
    unread = sum(not row["read"] for row in rows)
    assert 0 < unread < len(rows), rows
    events = sorted(name for names in seen["events"].values() for name in names)
    tasks = sorted(name for names in seen["tasks"].values() for name in names)
    assert {"Summer kite fair", "Sewing course", "Workshop closed"} <= set(events) and tasks == ["Order carbon spars"], (events, tasks)
    print(len(rows), "letters,", unread, "of them unread,", len(events), "events and", len(tasks), "tasks are in Evolution")


globals()[sys.argv[1]](*sys.argv[2:])
