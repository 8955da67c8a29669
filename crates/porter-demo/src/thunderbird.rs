//! A profile of Thunderbird: mailboxes (RFC 4155), contacts, a calendar, and the settings of its accounts.

use crate::browser::LAST_IN_SECONDS;
use crate::sqlite::database;
use crate::tree::Tree;
use crate::writing;
use porter_formats::gecko::install_hash::install_hash;
use std::io;

/// One profile of a Windows.
#[derive(Debug, Clone, Copy)]
pub struct Profile<'p> {
    /// The person's name for it.
    pub name: &'p str,
    /// Its folder.
    pub folder: &'p str,
    /// Whose it is: the account, and the first part of the address.
    pub owner: &'p str,
    /// The program that last used it.
    pub version: &'p str,
    /// Letters in each of its mailboxes.
    pub letters: usize,
    /// A folder below the person's own in which its local folders lie, if they are not in the profile.
    pub local_folders: Option<&'p str>,
}

/// Where the program is installed.
const PROGRAM: &str = "C:\\Program Files\\Mozilla Thunderbird";

/// A person's Thunderbird, with one profile.
pub fn thunderbird(tree: &mut Tree, home: &str, profile: &Profile<'_>) -> io::Result<()> {
    let root = format!("{home}/AppData/Roaming/Thunderbird");
    let Profile { name, folder, owner, version, letters, local_folders } = *profile;
    let installation = install_hash(PROGRAM);
    let list = format!(
        "[Install{installation}]\r\nDefault=Profiles/{folder}\r\nLocked=1\r\n\r\n[Profile0]\r\nName={name}\r\nIsRelative=1\r\n\
         Path=Profiles/{folder}\r\nDefault=1\r\n\r\n[General]\r\nStartWithLastProfile=1\r\nVersion=2\r\n"
    );
    tree.file(&format!("{root}/profiles.ini"), list.as_bytes())?;
    let installs = format!("[{installation}]\r\nDefault=Profiles/{folder}\r\nLocked=1\r\n");
    tree.file(&format!("{root}/installs.ini"), installs.as_bytes())?;
    let at = format!("{root}/Profiles/{folder}");
    let on_windows = |path: &str| format!("C:\\{}", path.replace('/', "\\")).replace('\\', "\\\\");
    let (local, relative) = match local_folders {
        Some(below) => (format!("{home}/{below}"), format!("[ProfD]../../../../../{below}")),
        None => (format!("{at}/Mail/Local Folders"), "[ProfD]Mail/Local Folders".to_owned()),
    };
    let settings = [
        ("mail.accountmanager.accounts", "account1,account2"),
        ("mail.accountmanager.defaultaccount", "account1"),
        ("mail.account.account1.server", "server1"),
        ("mail.account.account1.identities", "id1"),
        ("mail.account.account2.server", "server2"),
        ("mail.server.server1.type", "pop3"),
        ("mail.server.server1.hostname", "mail.saltmarsh.example"),
        ("mail.server.server1.userName", owner),
        ("mail.server.server1.name", &format!("{owner}@saltmarsh.example")),
        ("mail.server.server1.directory", &on_windows(&format!("{at}/Mail/mail.saltmarsh.example"))),
        ("mail.server.server1.directory-rel", "[ProfD]Mail/mail.saltmarsh.example"),
        ("mail.server.server2.type", "none"),
        ("mail.server.server2.hostname", "Local Folders"),
        ("mail.server.server2.userName", "nobody"),
        ("mail.server.server2.name", "Local Folders"),
        ("mail.server.server2.directory", &on_windows(&local)),
        ("mail.server.server2.directory-rel", &relative),
        ("mail.identity.id1.fullName", &capitalised(owner)),
        ("mail.identity.id1.useremail", &format!("{owner}@saltmarsh.example")),
        ("mail.identity.id1.smtpServer", "smtp1"),
        ("mail.smtpservers", "smtp1"),
        ("mail.smtp.defaultserver", "smtp1"),
        ("mail.smtpserver.smtp1.hostname", "smtp.saltmarsh.example"),
        ("mail.smtpserver.smtp1.username", owner),
    ];
    let numbers = [
        ("mail.server.server1.port", "995"),
        ("mail.server.server1.socketType", "3"),
        ("mail.server.server1.leave_on_server", "true"),
        ("mail.smtpserver.smtp1.port", "587"),
        ("mail.smtpserver.smtp1.try_ssl", "2"),
    ];
    let mut prefs = "// Mozilla User Preferences\r\n\r\n".to_owned();
    for (name, value) in settings {
        prefs.push_str(&format!("user_pref(\"{name}\", \"{value}\");\r\n"));
    }
    for (name, value) in numbers {
        prefs.push_str(&format!("user_pref(\"{name}\", {value});\r\n"));
    }
    tree.file(&format!("{at}/prefs.js"), prefs.as_bytes())?;
    let compatibility = format!("[Compatibility]\r\nLastVersion={version}_20240606181944/20240606181944\r\n");
    tree.file(&format!("{at}/compatibility.ini"), compatibility.as_bytes())?;
    for name in ["Inbox", "Sent", "Customers"] {
        mailbox(tree, &format!("{at}/Mail/mail.saltmarsh.example/{name}"), name, owner, letters)?;
    }
    let filters = "version=\"9\"\nlogging=\"no\"\nname=\"Orders\"\nenabled=\"yes\"\ntype=\"17\"\naction=\"Mark read\"\ncondition=\"AND (subject,contains,order)\"\n";
    tree.file(&format!("{at}/Mail/mail.saltmarsh.example/msgFilterRules.dat"), filters.as_bytes())?;
    if letters > 0 {
        mailbox(tree, &format!("{local}/Kept letters"), "Kept letters", owner, letters.div_ceil(4))?;
    }
    contacts(tree, &at, owner, letters.div_ceil(4))?;
    calendar(tree, &at, letters.div_ceil(10))?;
    tree.file(&format!("{at}/parent.lock"), b"")?;
    tree.file(&format!("{at}/startupCache/startupCache.8.little"), &writing::noise("start-up cache", 30_000))
}

fn capitalised(name: &str) -> String {
    let mut letters = name.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

fn mailbox(tree: &mut Tree, at: &str, name: &str, owner: &str, letters: usize) -> io::Result<()> {
    tree.file(at, &mbox(name, owner, letters))?;
    tree.file(&format!("{at}.msf"), b"// <!-- <mdb:mork:z v=\"1.4\"/> -->\n")
}

fn mbox(name: &str, owner: &str, letters: usize) -> Vec<u8> {
    let mut mbox = Vec::new();
    for number in 1..=letters {
        let head = format!(
            "From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: {:04x}\nFrom: Ines Albrecht <ines@{number}.example>\n\
             To: {owner}@saltmarsh.example\nSubject: Kite {number}\nMessage-ID: <{name}.{number}@saltmarsh.example>\n\n",
            // The last one is not read yet.
            u8::from(number < letters)
        );
        mbox.extend_from_slice(head.as_bytes());
        let body = String::from_utf8_lossy(&writing::text(&format!("{name} {number}"), 6)).replace('\r', "");
        mbox.extend_from_slice(body.replace("\nFrom ", "\n>From ").as_bytes());
        mbox.extend_from_slice(b"\n");
    }
    mbox
}

/// The book of the new form with the last person only in its log, and addresses that the program collected in
/// the old form.
fn contacts(tree: &mut Tree, at: &str, owner: &str, people: usize) -> io::Result<()> {
    const TABLES: &str = "
        CREATE TABLE properties (card TEXT, name TEXT, value TEXT);
        CREATE TABLE lists (uid TEXT PRIMARY KEY, name TEXT, nickName TEXT, description TEXT);
        CREATE TABLE list_cards (list TEXT, card TEXT, PRIMARY KEY (list, card));
        CREATE INDEX properties_card ON properties (card); CREATE INDEX properties_name ON properties (name);
        PRAGMA user_version = 4;";
    let insert =
        "INSERT INTO properties VALUES (?1, 'DisplayName', ?2), (?1, 'PrimaryEmail', ?3), (?1, '_vCard', ?4)";
    let person = |number: usize| {
        let (name, address) = (format!("Kite friend {number}"), format!("friend{number}@{owner}.example"));
        let card =
            format!("BEGIN:VCARD\r\nVERSION:4.0\r\nEMAIL;PREF=1:{address}\r\nFN:{name}\r\nEND:VCARD\r\n");
        (format!("card-{number}"), name, address, card)
    };
    database(
        tree,
        &format!("{at}/abook.sqlite"),
        people > 0,
        |database| {
            database.execute_batch(TABLES)?;
            for number in 1..people {
                database.execute(insert, person(number))?;
            }
            if people == 0 {
                return Ok(());
            }
            database.execute("INSERT INTO lists VALUES ('list-1', 'Stall holders', '', '')", [])?;
            database.execute("INSERT INTO list_cards VALUES ('list-1', 'card-1')", []).map(drop)
        },
        |database| if people > 0 { database.execute(insert, person(people)).map(drop) } else { Ok(()) },
    )?;
    let collected = "// <!-- <mdb:mork:z v=\"1.4\"/> -->\n<<(a=c)>(80=ns:addrbk:db:row:scope:card:all)(83=DisplayName)(84=PrimaryEmail)\
        (C0=ns:addrbk:db:table:kind:pab)>\n<(90=Ferry office)(91=ferry@windrose.example)>\n\
        {1:^80 {(k^C0:c)(s=9)} [1(^83^90)(^84^91)]}\n@$${1{@\n{1:^80 {(k^C0:c)(s=9)} [2(^84=tides@windrose.example)]}\n@$$}1}@\n";
    if people > 0 { tree.file(&format!("{at}/history.mab"), collected.as_bytes()) } else { Ok(()) }
}

/// Events and one task, the last event only in the log.
fn calendar(tree: &mut Tree, at: &str, events: usize) -> io::Result<()> {
    if events == 0 {
        return Ok(());
    }
    const TABLES: &str = "
        CREATE TABLE cal_calendar_schema_version (version INTEGER); INSERT INTO cal_calendar_schema_version VALUES (23);
        CREATE TABLE cal_events (cal_id TEXT, id TEXT, time_created INTEGER, last_modified INTEGER, title TEXT, priority INTEGER, privacy TEXT, ical_status TEXT, flags INTEGER, event_start INTEGER, event_end INTEGER, event_stamp INTEGER, event_start_tz TEXT, event_end_tz TEXT, recurrence_id INTEGER, recurrence_id_tz TEXT, alarm_last_ack INTEGER, offline_journal INTEGER);
        CREATE TABLE cal_todos (cal_id TEXT, id TEXT, time_created INTEGER, last_modified INTEGER, title TEXT, priority INTEGER, privacy TEXT, ical_status TEXT, flags INTEGER, todo_entry INTEGER, todo_due INTEGER, todo_completed INTEGER, todo_complete INTEGER, todo_entry_tz TEXT, todo_due_tz TEXT, todo_completed_tz TEXT, recurrence_id INTEGER, recurrence_id_tz TEXT, alarm_last_ack INTEGER, todo_stamp INTEGER, offline_journal INTEGER);
        INSERT INTO cal_todos (cal_id, id, title) VALUES ('c1', 'task-1', 'Mend the 2012 rokkaku');";
    let add = "INSERT INTO cal_events (cal_id, id, title, event_start, event_end, event_start_tz, event_end_tz, flags) VALUES ('c1', ?1, ?2, ?3, ?4, 'Europe/London', 'Europe/London', 0)";
    let event = |number: usize| {
        let start = (LAST_IN_SECONDS + number as i64 * 86_400) * 1_000_000;
        (format!("event-{number}"), format!("Flying day {number}"), start, start + 7_200_000_000)
    };
    database(
        tree,
        &format!("{at}/calendar-data/local.sqlite"),
        true,
        |database| {
            database.execute_batch(TABLES)?;
            (1..events).try_for_each(|number| database.execute(add, event(number)).map(drop))
        },
        |database| database.execute(add, event(events)).map(drop),
    )
}
