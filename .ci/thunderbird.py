"""Drives a real Thunderbird for `.ci/mail`: it makes a profile, and says what it sees in one."""

import datetime
import json
import mailbox
import os
import pathlib
import re
import subprocess
import sys

from marionette import Marionette

PROGRAM = ("thunderbird", "--offline")

MAKE = """
const { MailServices } = ChromeUtils.importESModule("resource:///modules/MailServices.sys.mjs");
const { cal } = ChromeUtils.importESModule("resource:///modules/calendar/calUtils.sys.mjs");
const { CalEvent } = ChromeUtils.importESModule("resource:///modules/CalEvent.sys.mjs");
const { CalTodo } = ChromeUtils.importESModule("resource:///modules/CalTodo.sys.mjs");
const letter = (number, to) => `From - Mon Mar  5 08:00:00 2012\\nX-Mozilla-Status: 0000\\nX-Mozilla-Status2: 00000000\\n` +
    `From: Ines <ines${number}@saltmarsh.example>\\nTo: ${to}\\nSubject: Kite ${number}\\nMessage-ID: <${to}.${number}@saltmarsh.example>\\n` +
    `Date: Mon, 05 Mar 2012 08:00:00 +0000\\n\\nFrom-not the beginning of a letter\\n>From here on the wind was good\\n\\n`;
const fill = (folder, letters) => {
    folder.QueryInterface(Ci.nsIMsgLocalMailFolder);
    for (let number = 1; number <= letters; number++) folder.addMessage(letter(number, folder.name));
    const read = [...folder.messages].slice(0, Math.floor(letters / 2));
    folder.markMessagesRead(read, true);
    if (read.length) folder.markMessagesFlagged([read[0]], true);
};
const make = (parent, name, letters) => {
    parent.QueryInterface(Ci.nsIMsgLocalMailFolder);
    const folder = parent.createLocalSubfolder(name);
    fill(folder, letters);
    return folder;
};
try { MailServices.accounts.createLocalMailAccount(); } catch (e) { /* It is there. */ }
const local = MailServices.accounts.localFoldersServer.rootFolder;
const kites = make(local, "Kites", 7);
make(make(kites, "Jobs 2012", 3), "Rokkaku \u00e9", 2);
// Names that no Windows holds.
make(make(local, "Wind? Yes: often", 3), "con", 2);
// Letters of a file each.
const pop = MailServices.accounts.createIncomingServer("odile", "pop.saltmarsh.example", "pop3");
pop.setStringValue("storeContractID", "@mozilla.org/msgstore/maildirstore;1");
const identity = MailServices.accounts.createIdentity();
identity.email = "odile@saltmarsh.example";
identity.fullName = "Odile Marchetti";
const account = MailServices.accounts.createAccount();
account.addIdentity(identity);
account.incomingServer = pop;
pop.rootFolder.QueryInterface(Ci.nsIMsgLocalMailFolder);
make(pop.rootFolder, "Stall", 5);
const imap = MailServices.accounts.createIncomingServer("odile", "imap.saltmarsh.example", "imap");
imap.port = 993;
imap.socketType = 3;
imap.loginAtStartUp = false;
const second = MailServices.accounts.createAccount();
second.addIdentity(identity);
second.incomingServer = imap;

const book = MailServices.ab.directories.find(one => one.dirPrefId == "ldap_2.servers.pab");
const cards = [];
for (const name of ["Ines Albrecht", "Ben \u00d8rsted", "Ferry office"]) {
    const card = Cc["@mozilla.org/addressbook/cardproperty;1"].createInstance(Ci.nsIAbCard);
    card.displayName = name;
    card.primaryEmail = name.split(" ")[0].toLowerCase() + "@windrose.example";
    cards.push(book.addCard(card));
}
const list = Cc["@mozilla.org/addressbook/directoryproperty;1"].createInstance(Ci.nsIAbDirectory);
list.isMailList = true;
list.dirName = "Stall holders";
book.addMailList(list).addCard(cards[0]);

const calendar = cal.manager.createCalendar("storage", Services.io.newURI("moz-storage-calendar://"));
calendar.name = "Flying days";
cal.manager.registerCalendar(calendar);
for (let day = 1; day <= 4; day++) {
    await calendar.addItem(new CalEvent(`BEGIN:VEVENT\\nUID:day-${day}\\nSUMMARY:Flying day ${day}\\nDTSTART:2026110${day}T100000Z\\n` +
        `DTEND:2026110${day}T120000Z\\n${day == 1 ? "RRULE:FREQ=WEEKLY;COUNT=3\\n" : ""}END:VEVENT`));
}
await calendar.addItem(new CalEvent("BEGIN:VEVENT\\nUID:fair\\nSUMMARY:Summer fair\\nLOCATION:Harbour green\\nDTSTART;TZID=Europe/Lisbon:20260704T100000\\n" +
    "DTEND;TZID=Europe/Lisbon:20260704T160000\\nRRULE:FREQ=YEARLY;COUNT=3\\nBEGIN:VALARM\\nACTION:DISPLAY\\nTRIGGER:-PT30M\\nDESCRIPTION:x\\nEND:VALARM\\nEND:VEVENT"));
await calendar.addItem(new CalEvent("BEGIN:VEVENT\\nUID:closed\\nSUMMARY:Closed\\nDTSTART;VALUE=DATE:20260810\\nDTEND;VALUE=DATE:20260815\\nEND:VEVENT"));
await calendar.addItem(new CalTodo("BEGIN:VTODO\\nUID:mend\\nSUMMARY:Mend the rokkaku\\nEND:VTODO"));

const login = Cc["@mozilla.org/login-manager/loginInfo;1"].createInstance(Ci.nsILoginInfo);
login.init("imap://imap.saltmarsh.example", null, "imap://imap.saltmarsh.example", "odile", "forty kites at four", "", "");
await Services.logins.addLoginAsync(login);
MailServices.accounts.saveAccountInfo();
Services.prefs.savePrefFile(null);
return true;
"""

SEE = """
const { MailServices } = ChromeUtils.importESModule("resource:///modules/MailServices.sys.mjs");
const { cal } = ChromeUtils.importESModule("resource:///modules/calendar/calUtils.sys.mjs");
const all = [];
for (const server of MailServices.accounts.allServers) {
    for (const folder of server.rootFolder.descendants) {
        try { folder.updateFolder(null); } catch (e) { /* There is no server. */ }
        all.push([server, folder]);
    }
}
// A timer that nobody holds may be swept away before it rings.
const timer = Cc["@mozilla.org/timer;1"].createInstance(Ci.nsITimer);
await new Promise(resolve => timer.initWithCallback({ notify: resolve }, 3000, 0));
// As they are shown: the file of a folder may have another name.
const shown = folder => folder.isServer ? [] : [...shown(folder.parent), folder.name];
const folders = {};
for (const [server, folder] of all) {
    // Waste baskets and the like appear and go by themselves.
    let starred = 0;
    try { starred = [...folder.messages].filter(one => one.isFlagged).length; } catch (e) { /* A folder of a server. */ }
    if (folder.getTotalMessages(false)) {
        folders[`${server.type} ${shown(folder).join("/")}`] =
            [folder.getTotalMessages(false), folder.getNumUnread(false), starred];
    }
}
const contacts = [];
const lists = [];
for (const book of MailServices.ab.directories) {
    contacts.push(...book.childCards.filter(card => !card.isMailList).map(card => card.displayName));
    lists.push(...book.childNodes.map(list => [list.dirName, list.childCards.length]));
}
const events = [];
const details = {};
for (const calendar of cal.manager.getCalendars()) {
    const found = await calendar.getItemsAsArray(Ci.calICalendar.ITEM_FILTER_ALL_ITEMS | Ci.calICalendar.ITEM_FILTER_COMPLETED_ALL, 0, null, null);
    events.push(...found.map(one => `${calendar.name}: ${one.title}`));
    for (const one of found) {
        const begin = one.startDate || one.dueDate;
        details[one.title] = {
            place: one.getProperty("LOCATION") || "", begin: begin ? begin.getInTimezone(cal.dtz.UTC).icalString : "",
            rules: one.recurrenceInfo ? one.recurrenceInfo.getRecurrenceItems().map(rule => rule.icalString.trim()) : [],
            moved: one.recurrenceInfo ? one.recurrenceInfo.getExceptionIds().length : 0,
            alarms: one.getAlarms().map(alarm => alarm.offset ? alarm.offset.icalString : "at"), guests: one.getAttendees().length,
        };
    }
}
const logins = await Services.logins.getAllLogins();
const profiles = Cc["@mozilla.org/toolkit/profile-service;1"].getService(Ci.nsIToolkitProfileService);
return JSON.stringify({
    profile: Services.dirsvc.get("ProfD", Ci.nsIFile).leafName,
    listed: [...profiles.profiles].map(one => one.rootDir.leafName).sort(),
    accounts: MailServices.accounts.accounts.map(one => one.incomingServer && one.incomingServer.type).sort(),
    details, folders, contacts: contacts.sort(), lists: lists.sort(), events: events.sort(), logins: logins.map(one => [one.origin, one.username, one.password]),
});
"""


def started(home):
    """Thunderbird on the machine that a home is of: `ROOT/home/ACCOUNT`."""
    home = pathlib.Path(home)
    return Marionette(f"/home/{home.name}", PROGRAM, root=home.parent.parent)


def make(home):
    program = started(home)
    program.run(MAKE)
    program.quit()


def start(home):
    """Thunderbird makes a profile, as on a new PC that somebody looked at."""
    program = started(home)
    program.run("return true;")
    program.quit()


def capture_open(home, porter, machine, trunk):
    """A capture while Thunderbird runs: it is named, and its databases are copied each in one piece."""
    program = started(home)
    program.run("return true;")
    said = subprocess.run([porter, "capture", machine, trunk, "--quiet"], capture_output=True, text=True)
    program.quit()
    if said.returncode not in (0, 3) or "Thunderbird is running" not in said.stderr:
        sys.exit(f"capture: {said.returncode}\n{said.stdout}\n{said.stderr}")
    print(next(line for line in said.stderr.splitlines() if "is running" in line))


def see(home, to):
    program = started(home)
    seen = json.loads(program.run(SEE))
    program.quit()
    pathlib.Path(to).write_text(json.dumps(seen))
    print(seen["profile"], {name: numbers[0] for name, numbers in seen["folders"].items()}, len(seen["contacts"]), "contacts,", len(seen["events"]), "events and tasks")


def held_by_windows(folders):
    """The folders by names without what Windows refuses, and without the mark that a safe name has."""
    return {re.sub(r"~[0-9a-f]{8}", "", re.sub(r'[<>:"|?*]', "_", name)): counts for name, counts in folders.items()}


def same(old, new, listed):
    """Everything that one Thunderbird saw the other one sees; and so many profiles are in its list."""
    old, new = (json.loads(pathlib.Path(path).read_text()) for path in (old, new))
    old["folders"], new["folders"] = (held_by_windows(seen["folders"]) for seen in (old, new))
    assert len(new["listed"]) == int(listed), new["listed"]
    assert new["profile"] in new["listed"], new
    for name in ("accounts", "folders", "contacts", "lists", "events", "logins"):
        assert old[name] == new[name], f"{name}: {old[name]} was there, and now {new[name]}"
    assert len(old["folders"]) == 6 and len(old["contacts"]) == 3 and len(old["events"]) == 7 and old["logins"], old


def brought(seen, *reports):
    """Thunderbird shows the folders of letters that porter says it brought, and no others."""
    expected = {}
    for report in reports:
        for row in json.loads(pathlib.Path(report).read_text())["letters"]["folders"]:
            if row["written"] and row["kind"] == "letters":
                expected["none " + "/".join(row["folder"])] = row["written"]
    shown = {name: numbers[0] for name, numbers in json.loads(pathlib.Path(seen).read_text())["folders"].items()}
    assert shown == expected and len(expected) >= 4, f"porter: {expected}, Thunderbird: {shown}"
    print(sum(shown.values()), "letters in", len(shown), "folders")
    seen = json.loads(pathlib.Path(seen).read_text())
    assert seen["contacts"] == ["Ines Albrecht", "Owen Tarrant", "Piet Visser"] and seen["lists"] == [["Stall holders", 2]], seen
    details = seen["details"]
    fair, course = details["Summer kite fair"], details["Sewing course"]
    assert (fair["begin"], fair["place"], fair["alarms"]) == ("20260704T090000Z", "Harbour green", ["-PT30M"]), fair
    assert course["rules"][0] == "RRULE:FREQ=WEEKLY;COUNT=10;BYDAY=TU" and len(course["rules"]) == 2 and course["moved"] == 1, course
    assert details["Order carbon spars"]["begin"] == "20260630" and details["Workshop closed"]["begin"] == "20260810", details
    print(len(seen["contacts"]), "contacts,", len(details), "events and tasks, with places, rules and alarms")


def taken(seen, calendar, cards):
    """What was taken out of a profile says what Thunderbird shows of it."""
    import icalendar
    import vobject

    seen = json.loads(pathlib.Path(seen).read_text())
    events = icalendar.Calendar.from_ical(pathlib.Path(calendar).read_text()).walk("VEVENT")
    assert len(events) == 6, events
    for event in events:
        shown, begin = seen["details"][event["SUMMARY"]], event["DTSTART"].dt
        begin = begin.astimezone(datetime.timezone.utc).strftime("%Y%m%dT%H%M%SZ") if isinstance(begin, datetime.datetime) else begin.strftime("%Y%m%d")
        alarms = [icalendar.vDDDTypes(alarm["TRIGGER"].dt).to_ical().decode() for alarm in event.walk("VALARM")]
        found = {"begin": begin, "place": event.get("LOCATION", ""), "alarms": alarms, "rules": len(shown["rules"])}
        assert found == {**{name: shown[name] for name in ("begin", "place", "alarms")}, "rules": int("RRULE" in event)}, (found, shown)
    names = sorted(card.fn.value for card in vobject.readComponents(pathlib.Path(cards).read_text()) if not hasattr(card, "kind"))
    assert names == seen["contacts"], names
    print(len(events), "events and", len(names), "contacts as Thunderbird shows them")


def counted(seen, survey, item):
    """What porter counted is what Thunderbird shows, and what Python's reader of mailboxes finds in the files."""
    seen = json.loads(pathlib.Path(seen).read_text())
    counts = next(row["counts"] for row in json.loads(pathlib.Path(survey).read_text())["items"] if row["id"] == item)
    folders = seen["folders"].values()
    expected = {
        "messages": sum(row[0] for row in folders), "unread messages": sum(row[1] for row in folders), "folders of messages": len(folders),
        "contacts": len(seen["contacts"]), "lists of contacts": len(seen["lists"]), "events": 6, "tasks": 1, "passwords": len(seen["logins"]),
    }
    got = {name: counts.get(name) for name in expected}
    assert got == expected, f"porter: {got}, Thunderbird: {expected}"
    print("porter counts", got)


def data_files(drive, survey):
    """What porter counted in data files is what libpff finds in them, and nothing of them is called a document."""
    import pypff

    def letters(folder):
        kind = "".join(entry.data_as_string or "" for rows in folder.record_sets for entry in rows.entries if entry.entry_type == 0x3613)
        beside = kind.startswith(("IPF.Appointment", "IPF.Contact", "IPF.Task", "IPF.StickyNote"))
        own = folder.get_number_of_sub_messages()
        below = [letters(folder.get_sub_folder(at)) for at in range(folder.get_number_of_sub_folders())]
        return own + sum(row[0] for row in below), bool(own and not beside) + sum(row[1] for row in below)

    expected = [0, 0, 0]
    for path in pathlib.Path(drive).rglob("letters *.bak"):
        file = pypff.file()
        file.open(str(path))
        number, folders = letters(file.get_root_folder())
        expected[0] += number
        expected[1] += folders
        expected[2] += 1
    got = [0, 0, 0]
    for row in json.loads(pathlib.Path(survey).read_text())["items"]:
        if row["id"].endswith("/mail/data-files"):
            counts = row["counts"]
            got[0] += sum(counts.get(name, 0) for name in ("messages", "messages kept on a server", "contacts", "events", "tasks", "notes"))
            got[1] += counts["folders of messages"]
            got[2] += row["files"]
    assert got == expected and got[2] == 21, f"porter: {got}, libpff: {expected}"
    print(f"{got[0]} letters and other things, {got[1]} folders of letters, {got[2]} files")


def offered(list_of_addresses, table):
    """The addresses that porter takes out are those that libnk2 reads in the list."""
    import csv
    import pynk2

    file = pynk2.file()
    file.open(list_of_addresses)
    expected = []
    for item in file.items:
        texts = {entry.get_entry_type(): entry.get_data_as_string() for entry in item.entries if entry.get_value_type() == 0x1F}
        expected.append([texts[0x3001], texts[0x3003]])
    with open(table, newline="") as rows:
        got = list(csv.reader(rows))[1:]
    assert got == expected and got, f"porter: {got}, libnk2: {expected}"
    print(len(got), "addresses")


def mailboxes(folder):
    """The letters of all mailboxes below a folder, by Python's own reader."""
    number = 0
    for path in sorted(pathlib.Path(folder).rglob("*")):
        if path.is_file() and path.open("rb").read(5) == b"From ":
            number += len(mailbox.mbox(path, create=False))
    print(number)


def outside(profile, to):
    """Moves the local folders out of a profile, as a person does in the settings of the account."""
    prefs = pathlib.Path(profile, "prefs.js")
    text = prefs.read_text()
    folder = pathlib.Path(profile, "Mail/Local Folders")
    folder.rename(to)
    relative = "[ProfD]" + os.path.relpath(to, profile)
    was, now = (path[path.index("/home/"):] for path in (str(folder), to))
    assert was in text and "[ProfD]Mail/Local Folders" in text, text
    prefs.write_text(text.replace(was, now).replace("[ProfD]Mail/Local Folders", relative))
    shown = pathlib.Path(profile, "folderCache.json")
    shown.write_text(shown.read_text().replace(was, now))


def elsewhere(program, profile, to):
    """The lists name a profile where the machine's own root has it now."""
    for name in ("profiles.ini", "installs.ini"):
        path = pathlib.Path(program, name)
        sections = []
        for section in path.read_text().split("\n\n"):
            if f"Path={profile}\n" in section + "\n":
                section = section.replace("IsRelative=1", "IsRelative=0")
            sections.append(section.replace(f"={profile}", f"={to}"))
        path.write_text("\n\n".join(sections))
    shown = next(pathlib.Path(program).parent.rglob("folderCache.json"))
    shown.write_text(shown.read_text().replace(f"/home/{pathlib.Path(program).parent.name}/.thunderbird/{profile}", to))


if __name__ == "__main__":
    globals()[sys.argv[1].replace("-", "_")](*sys.argv[2:])
