//! Every decoder of what comes from strangers, fed with changed files of its format: no panic, no runaway.
//!
//! Each runs for some seconds, two beside each other. The caller bounds the memory (`ulimit -v`).

mod drives;

use porter_core::journal::JournalLine;
use porter_core::packing::PackingList;
use porter_demo::dice::Dice;
use porter_formats::calendar::{Part, WrittenCalendar, joined, to_calendar, to_calendar_of};
use porter_formats::chromium::local_state::LocalState;
use porter_formats::contacts::{
    VcardVersion, from_ldif, from_table, from_vcards, from_windows_contact, to_ldif, to_table, to_vcards,
};
use porter_formats::gecko::{extensions, logins, moz_lz4, places, prefs, session};
use porter_formats::gvdb::{Table, Variant};
use porter_formats::inf::Inf;
use porter_formats::ini::Ini;
use porter_formats::ipp::Message;
use porter_formats::mail::head::summary;
use porter_formats::mail::mapi::letter::Letter;
use porter_formats::mail::mapi::{contact, event, rtf, task};
use porter_formats::mail::mbox_reader::MboxReader;
use porter_formats::mail::msg::MsgFile;
use porter_formats::mail::msg_writer::to_msg;
use porter_formats::mail::parts;
use porter_formats::mail::pst::mailbox::Mailbox;
use porter_formats::mail::{apple_accounts, autocomplete, dbx, mbox, pst, tnef};
use porter_formats::print_defaults::PrintDefaults;
use porter_formats::scheduled_task::ScheduledTask;
use porter_formats::wifi::Network;
use porter_formats::{chromium, mork, ppd, property_list, safari, shortcut};
use porter_hive::Hive;
use porter_hive::walk::Sight;
use porter_kinds::catalogue::CarryRule;
use porter_machine::cups::files;
use porter_machine::cups::queue::Queue;
use porter_machine::cups::requests::{Make, queues_in, set};
use porter_machine::hosts;
use porter_machine::layout::Family;
use porter_source::reparse_point::ReparsePoint;
use porter_trunk::outside::Outside;
use porter_trunk::packed_form::PackedTrunk;
use porter_trunk::{Entry, Label, Trunk};
use rusqlite::Connection;
use std::io::Read;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// A description of a printer.
const PPD: &[u8] = b"*PPD-Adobe: \"4.3\"\n*NickName: \"Ropewalk Laser 200\"\n*cupsFilter: \"application/vnd.cups-raster 0 rastertokite\"\n\
    *OpenUI *PageSize/Media Size: PickOne\n*DefaultPageSize: A4/A4\n*CloseUI: *PageSize\n";

/// No file of these sizes takes a second, on whatever machine.
const LONGEST: Duration = Duration::from_secs(10);

type Decode = fn(&[u8], &Path);

struct Format {
    name: &'static str,
    seeds: Vec<Vec<u8>>,
    decode: Decode,
}

/// A letter with a file and another letter in it, as Outlook keeps one by itself.
fn outlook_letter() -> Vec<u8> {
    let letter = b"From: a@x\r\nTo: b@x\r\nSubject: kites\r\nContent-Type: multipart/mixed; boundary=m\r\n\r\n--m\r\nContent-Type: text/plain\r\n\r\n\
                   Caf\xe9\r\n--m\r\nContent-Disposition: attachment; filename=a.pdf\r\n\r\n%PDF\r\n--m\r\nContent-Type: message/rfc822\r\n\r\nSubject: x\r\n\r\nx\r\n--m--\r\n";
    to_msg(letter, &summary(letter)).unwrap_or_default()
}

/// A letter of Outlook in one file: a subject, somebody, and a file with a letter in it.
fn packed_letter() -> Vec<u8> {
    let attribute = |level: u8, id: u16, content: &[u8]| {
        let length = (content.len() as u32).to_le_bytes();
        [&[level][..], &id.to_le_bytes(), &[6, 0], &length, content, &[0, 0]].concat()
    };
    let begin = b"\x78\x9f\x3e\x22\x01\0";
    let text = b"\x1f\0\x37\0\x01\0\0\0\x06\0\0\0K\0i\0t\0\0\0";
    let named = b"\x1f\x10\x01\x80\x29\x03\x02\0\0\0\0\0\xc0\0\0\0\0\0\0\x46\x01\0\0\0\x04\0\0\0K\0s\0\x01\0\0\0\x02\0\0\0F\0\0\0";
    let list = |rows: &[&[u8]]| [&(rows.len() as u32).to_le_bytes()[..], &rows.concat()].concat();
    let inside = [&begin[..], &attribute(1, 0x9003, &list(&[text]))].concat();
    let object = [&b"\x07\x03\x02\0\0\0\0\0\xc0\0\0\0\0\0\0\x46"[..], &inside].concat();
    let length = (object.len() as u32).to_le_bytes();
    let object = [&b"\x0d\0\x01\x37\x01\0\0\0"[..], &length, &object, &[0; 3]].concat();
    let method = b"\x03\0\x05\x37\x05\0\0\0";
    [
        begin.to_vec(),
        attribute(1, 0x8004, b"Kites\0"),
        attribute(1, 0x9004, &[&[1, 0, 0, 0][..], &list(&[text])].concat()),
        attribute(1, 0x9003, &list(&[text, named])),
        attribute(2, 0x9002, &[0; 14]),
        attribute(2, 0x9005, &list(&[method, &object])),
    ]
    .concat()
}

/// A person's settings of a desktop.
fn desktop_settings() -> Vec<u8> {
    let variants = [
        ("/org/gnome/desktop/input-sources/sources", Variant::pairs(&[("xkb", "gb"), ("xkb", "fr+bepo")])),
        ("/org/gnome/desktop/peripherals/mouse/left-handed", Variant::boolean(true)),
        ("/org/gnome/desktop/background/picture-uri", Variant::text("file:///home/odile/kite.jpg")),
    ];
    let variants = variants.map(|(name, value)| (name.to_owned(), value)).into();
    Table { variants, ..Table::default() }.to_bytes()
}

/// Runs the formats of these names, or all.
pub(crate) fn run(seconds_each: u64, names: &[&str]) -> Result<(), String> {
    let bench = tempfile::tempdir().map_err(|cause| cause.to_string())?;
    let mut formats = formats(bench.path())?;
    formats.retain(|format| names.is_empty() || names.contains(&format.name));
    // A lane throws the same dice every day; a person who looks for faults throws other dice each time.
    let is_lane = std::env::var_os("CI").is_some();
    let throw = if is_lane { 0 } else { std::time::UNIX_EPOCH.elapsed().map_or(0, |since| since.as_nanos()) };
    let queue = Mutex::new(formats);
    let failures: Mutex<Vec<String>> = Mutex::new(Vec::new());
    let total = Mutex::new(0_u64);
    std::thread::scope(|scope| {
        for number in 0..2 {
            let (queue, failures, total, bench) = (&queue, &failures, &total, bench.path());
            scope.spawn(move || {
                let own = bench.join(number.to_string());
                while let Some(format) = queue.lock().ok().and_then(|mut queue| queue.pop()) {
                    match feed(&format, Duration::from_secs(seconds_each), throw, &own) {
                        Ok(count) => {
                            if let Ok(mut total) = total.lock() {
                                *total += count;
                            }
                        }
                        Err(what) => {
                            if let Ok(mut failures) = failures.lock() {
                                failures.push(what);
                            }
                        }
                    }
                }
            });
        }
    });
    let total = total.into_inner().unwrap_or_default();
    println!("{total} changed files in all");
    let failures = failures.into_inner().unwrap_or_default();
    if failures.is_empty() { Ok(()) } else { Err(failures.join("\n")) }
}

fn feed(format: &Format, time: Duration, throw: u128, own: &Path) -> Result<u64, String> {
    // A file that fails is kept.
    let mut dice = Dice::named(&format!("{} {throw}", format.name));
    let began = Instant::now();
    let (mut count, mut slowest) = (0, Duration::ZERO);
    while began.elapsed() < time {
        let seed = &format.seeds[dice.below(format.seeds.len())];
        let other = &format.seeds[dice.below(format.seeds.len())];
        let file = changed(seed, other, &mut dice);
        let one = Instant::now();
        let done = catch_unwind(AssertUnwindSafe(|| (format.decode)(&file, own)));
        let took = one.elapsed();
        slowest = slowest.max(took);
        count += 1;
        if done.is_err() || took > LONGEST {
            let kept = std::env::temp_dir().join(format!("fuzz-{}-{count}", format.name));
            std::fs::write(&kept, &file).map_err(|cause| cause.to_string())?;
            let what = if done.is_err() { "a panic" } else { "too long" };
            return Err(format!("{}: {what} after {count} files: {}", format.name, kept.display()));
        }
    }
    println!("{:>10} {:<18} the slowest took {slowest:.1?}", count, format.name);
    Ok(count)
}

/// Some bytes changed, moved, left out, doubled, or taken from another file.
fn changed(seed: &[u8], other: &[u8], dice: &mut Dice) -> Vec<u8> {
    const NUMBERS: [&[u8]; 8] = [
        &[0xff; 4],
        &[0; 4],
        &[0x7f, 0xff, 0xff, 0xff],
        &[0xff, 0xff, 0xff, 0x7f],
        &[0; 8],
        &[0xff; 8],
        b"99999999999999999999",
        b"-1",
    ];
    let mut file = seed.to_vec();
    for _ in 0..=dice.below(5) {
        if file.is_empty() {
            file.push(0);
        }
        let at = dice.below(file.len());
        let length = dice.below(64).min(file.len() - at);
        match dice.below(9) {
            0 => file[at] ^= 1 << dice.below(8),
            1 => file[at] = dice.below(256) as u8,
            2 => {
                let number = NUMBERS[dice.below(NUMBERS.len())];
                let end = (at + number.len()).min(file.len());
                file[at..end].copy_from_slice(&number[..end - at]);
            }
            3 => file.truncate(at),
            4 => drop(file.drain(at..at + length)),
            5 => {
                let piece = file[at..at + length].to_vec();
                file.splice(at..at, piece);
            }
            6 if !other.is_empty() => {
                let from = dice.below(other.len());
                let piece = &other[from..(from + 64).min(other.len())];
                file.splice(at..at + length, piece.iter().copied());
            }
            7 => {
                let piece = file[at..at + length].to_vec();
                let times = 1 + dice.below(200);
                file.splice(at..at, piece.repeat(times));
            }
            _ => {
                let number = dice.below(usize::MAX).to_string();
                file.splice(at..at + length.min(4), number.into_bytes());
            }
        }
    }
    file
}

/// The formats, with files of the demo for seeds.
fn formats(bench: &Path) -> Result<Vec<Format>, String> {
    let failed = |cause: std::io::Error| cause.to_string();
    porter_demo::build_loft_pc(&bench.join("LOFT-PC"), porter_demo::DemoSize::Small).map_err(failed)?;
    let home = bench.join("LOFT-PC/Users/odile");
    let found = |ending: &str| -> Vec<Vec<u8>> {
        let mut pending = vec![bench.join("LOFT-PC")];
        let mut files = Vec::new();
        while let Some(folder) = pending.pop() {
            for row in std::fs::read_dir(&folder).into_iter().flatten().flatten() {
                let Ok(kind) = row.file_type() else { continue };
                if kind.is_dir() {
                    pending.push(row.path());
                } else if kind.is_file() && row.path().to_string_lossy().ends_with(ending) && files.len() < 6
                {
                    files.extend(std::fs::read(row.path()).ok().filter(|file| file.len() < 600_000));
                }
            }
        }
        files
    };
    let desk = Queue {
        name: "desk".to_owned(),
        address: Some("ipp://192.0.2.20/ipp/print".to_owned()),
        denied: vec!["bram".to_owned()],
        ..Queue::default()
    };
    let text = |texts: &[&str]| texts.iter().map(|text| text.as_bytes().to_vec()).collect::<Vec<_>>();
    let trunk = bench.join("trunk");
    let program = crate::release::lane_program()?;
    let captured = std::process::Command::new(&program)
        .args(["capture".as_ref(), home.as_os_str(), trunk.as_os_str()])
        .args([
            "--as-person",
            "odile",
            "--only",
            "odile/folder/desktop",
            "--only",
            "odile/folder/favourites",
            "--quiet",
        ])
        .output()
        .map_err(failed)?;
    if !captured.status.success() {
        return Err(String::from_utf8_lossy(&captured.stderr).into_owned());
    }
    let receipt = bench.join("receipt.json");
    let check = [Path::new("check"), &trunk, Path::new("--json"), &receipt, Path::new("--quiet")];
    let checked = std::process::Command::new(program).args(check).output().map_err(failed)?;
    if !checked.status.success() {
        return Err(String::from_utf8_lossy(&checked.stderr).into_owned());
    }
    for number in 0..2 {
        let copy = bench.join(number.to_string());
        std::fs::create_dir_all(&copy).map_err(failed)?;
        for row in std::fs::read_dir(&trunk).map_err(failed)?.flatten() {
            std::fs::copy(row.path(), copy.join(row.file_name())).map_err(failed)?;
        }
    }
    let of_trunk = |name: &str| std::fs::read(trunk.join(name)).map(|file| vec![file]).map_err(failed);
    let mut lists = Vec::new();
    for (name, file, decode) in [
        ("list", "list-00001.list", (|file, own| in_trunk(file, own, "list-00001.list")) as Decode),
        ("pack", "pack-00001.pack", |file, own| in_trunk(file, own, "pack-00001.pack")),
        ("label", "label.json", |file, own| in_trunk(file, own, "label.json")),
    ] {
        lists.push(Format { name, seeds: of_trunk(file)?, decode });
    }
    let seal = r#"{"format":"porter-seal/1","age":"YWdlLWVuY3J5cHRpb24ub3JnL3YxCi0+IHNjcnlwdCB4IDEwCng="}"#;
    let dictionary = "<plist version=\"1.0\"><dict><key>a</key><array><integer>7</integer><data>eA==</data></array></dict></plist>";
    let formats = vec![
        Format {
            name: "hive",
            seeds: found("NTUSER.DAT"),
            decode: |file, _| {
                let Ok(hive) = Hive::from_bytes(file.to_vec()) else { return };
                if let Ok(root) = hive.root() {
                    drop(porter_machine::registry::settings::of_person(&root));
                }
                for sight in hive.walk() {
                    let Sight::Key(key, _) = sight else { continue };
                    key.values()
                        .filter_map(Result::ok)
                        .for_each(|value| drop(value.data().map(|data| data.len())));
                }
            },
        },
        Format {
            name: "printing",
            seeds: vec![
                set(&desk, &Make::Described(Vec::new()), "root").to_bytes().map_err(|cause| cause.to_string())?,
                PPD.to_vec(),
                b"<DefaultPrinter desk>\nDeviceURI ipp://192.0.2.20/ipp/print\nOption media a4\n</DefaultPrinter>\n".to_vec(),
            ],
            decode: |file, _| {
                if let Ok((message, _)) = Message::from_bytes(file) {
                    drop((message.to_bytes(), queues_in(&message)));
                }
                drop((ppd::choices(file), ppd::model(file), ppd::filters(file)));
                let queues = files::queues_in(Some(file), Some(file), &|_| Some(file.to_vec()));
                queues.iter().for_each(|queue| drop((queue.setting(), Queue::from_facts(&queue.facts()))));
            },
        },
        Format {
            name: "mork",
            seeds: found(".mab"),
            decode: |file, _| {
                drop(mork::address_book_counts(file));
                drop(mork::people(file));
                drop(mork::folder_summary(file));
            },
        },
        Format {
            name: "autocomplete",
            seeds: found("Stream_Autocomplete_0_2012.dat"),
            decode: |file, _| drop(autocomplete::addresses(file)),
        },
        Format {
            name: "mail",
            seeds: [found("Inbox"), found(".pst"), vec![dbx::to_bytes(80)]].concat(),
            decode: |file, _| {
                let mut counter = mbox::Counter::default();
                file.chunks(4096).for_each(|piece| counter.feed(piece));
                let _ = counter.letters();
                let read = |at: u64, buffer: &mut [u8]| {
                    let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
                    let length = rest.len().min(buffer.len());
                    buffer[..length].copy_from_slice(&rest[..length]);
                    Ok(length)
                };
                drop(pst::count(&read));
                if let Ok(mailbox) = Mailbox::open(&read) {
                    let rows = mailbox.folders.iter().flat_map(|folder| &folder.letters);
                    for thing in rows.take(50).filter_map(|row| mailbox.thing(row).ok()) {
                        drop((to_vcards(&[contact::contact(&thing), contact::list(&thing)], VcardVersion::Four), task::task(&thing)));
                        drop(event::event(&thing).map(|event| to_calendar(&[event])));
                        let letter = Letter::from(thing);
                        drop((letter.summary(), letter.write(&mut std::io::sink())));
                    }
                }
                let mut letters = Vec::new();
                drop(dbx::each_letter(&read, &mut |at| letters.push(at)));
                letters.iter().take(50).for_each(|at| drop(dbx::letter(&read, *at)));
                let mut reader = MboxReader::new(file);
                while let Ok(Some(_)) = reader.next_letter() {
                    drop(reader.body(&mut std::io::sink()));
                }
                drop(parts::readable(file));
            },
        },
        Format {
            name: "outlook-letters",
            seeds: vec![outlook_letter()],
            decode: |file, _| {
                let Ok(file) = MsgFile::open(file) else { return };
                let Ok(thing) = file.thing() else { return };
                drop((to_vcards(&[contact::contact(&thing)], VcardVersion::Four), task::task(&thing)));
                drop(event::event(&thing).map(|event| to_calendar(&[event])));
                let letter = Letter::from(thing);
                drop((letter.summary(), letter.write(&mut std::io::sink())));
            },
        },
        Format {
            name: "scheduled-task",
            seeds: text(&[
                "<Task version=\"1.3\"><Triggers><LogonTrigger><UserId>a</UserId></LogonTrigger></Triggers><Settings><Enabled>true</Enabled></Settings><Actions><Exec><Command>a &amp; b</Command><Arguments/></Exec></Actions></Task>",
            ]),
            decode: |file, _| {
                let Ok(task) = ScheduledTask::from_bytes(file) else { return };
                // The text of it is read again before a system takes it.
                if let Ok(again) = ScheduledTask::from_bytes(task.to_disabled().as_bytes()) {
                    assert!(!again.is_enabled());
                }
            },
        },
        Format {
            name: "packed-letters",
            seeds: vec![packed_letter()],
            decode: |file, _| drop(tnef::letter_in(file)),
        },
        Format {
            name: "cards",
            seeds: vec![
                b"BEGIN:VCARD\r\nVERSION:2.1\r\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:=D8rsted;Ben\r\nTEL;WORK;FAX:04 2\r\n\
                    PHOTO;ENCODING=BASE64:\r\n  /9j/\r\n\r\nBDAY:1979-03-07\r\nitem1.EMAIL;TYPE=\"a,b\":x@y\r\nEND:VCARD\r\n".to_vec(),
                b"BEGIN:VCALENDAR\r\nBEGIN:VTIMEZONE\r\nTZID:X\r\nEND:VTIMEZONE\r\nBEGIN:VEVENT\r\nUID:fair\r\nBEGIN:VALARM\r\n\
                    UID:a\r\nEND:VALARM\r\nEND:VEVENT\r\nBEGIN:VTODO\r\nUID:mend\r\nEND:VTODO\r\nEND:VCALENDAR\r\n".to_vec(),
                b"dn: cn=Ines\\, x,mail=i@x.example\nobjectclass: person\ncn:: SW5lcw==\nmail: i@x\n .example\n\nobjectclass: groupOfNames\n\
                    member: cn=a\\2C,mail=b@x.example\n".to_vec(),
                b"Name;E-mail Address;Phone 1 - Type;Phone 1 - Value;Birthday;Home Street\r\n\"a \"\"b\"\"\";a@x.example;Mobile;1 ::: 2;13/7/1979;\"x\ny\"\r\n".to_vec(),
                b"<c:contact xmlns:c=\"x\"><c:NameCollection><c:Name c:ModificationDate=\"2010-01-02T03:04:05Z\"><c:FormattedName>a &amp; b</c:FormattedName></c:Name></c:NameCollection>\
                    <c:PersonCollection><c:Person><c:PersonID>/EMAIL:\"a@x.example\"</c:PersonID><c:LabelCollection><c:Label>wab:Member</c:Label></c:LabelCollection></c:Person></c:PersonCollection></c:contact>".to_vec(),
            ],
            decode: |file, _| {
                let people = from_vcards(file);
                drop((to_vcards(&people, VcardVersion::Three), to_vcards(&people, VcardVersion::Four)));
                drop((from_ldif(to_ldif(&people).as_bytes()), from_table(to_table(&people).as_bytes())));
                drop((from_ldif(file), from_table(file), from_windows_contact(file)));
                let text = String::from_utf8_lossy(file);
                let calendar = WrittenCalendar::from_text(&text);
                let mut parts: Vec<Part> = calendar.parts.into_iter().map(Part::Written).collect();
                parts.iter_mut().for_each(|part| part.name("x"));
                let written = to_calendar_of(&parts, &calendar.zones);
                drop((joined(&text, &written), joined(&written, &text)));
            },
        },
        Format {
            name: "networks",
            seeds: vec![
                b"<WLANProfile><SSIDConfig><SSID><hex>4C6F</hex><name>Lo</name></SSID></SSIDConfig><MSM><security><authEncryption><authentication>WPA2PSK</authentication>\
                    </authEncryption><sharedKey><protected>false</protected><keyMaterial>forty &lt;kites</keyMaterial></sharedKey></security></MSM></WLANProfile>".to_vec(),
                b"[connection]\nid=x\n[wifi]\nssid=76;111;\nhidden=true\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=\\sforty\\\\kites\n".to_vec(),
                b"10.0.0.7 tide loft\n# x\nfd00::1\ttide\n".to_vec(),
            ],
            decode: |file, _| {
                let both = |network: &Network| drop((network.to_key_file("x"), network.to_profile()));
                let _ = Network::from_profile(file).as_ref().map(both);
                drop(Network::from_key_file(file).map(|network| network.and_then(|network| network.to_key_file("x"))));
                let names = [("tide", "10.0.0.8"), ("kite", "fd00::2 x")];
                drop(hosts::with_names(file, names.into_iter(), Family::Linux));
            },
        },
        Format {
            name: "desktop-settings",
            seeds: vec![desktop_settings()],
            decode: |file, _| {
                let Ok(table) = Table::from_bytes(file) else { return };
                for value in table.variants.values() {
                    drop((value.as_boolean(), value.as_text(), value.as_pairs()));
                }
                drop(Table::from_bytes(&table.to_bytes()));
            },
        },
        Format {
            name: "print-defaults",
            seeds: vec![[[0; 68].as_slice(), &[220, 0, 0, 0, 3, 0x19, 0, 0, 1, 0, 9, 0], &[0; 140]].concat()],
            decode: |file, _| {
                let Ok(defaults) = PrintDefaults::from_devmode(file) else { return };
                drop((defaults.facts(), PrintDefaults::from_options(&defaults.to_options())));
                defaults.enter(&mut file.to_vec());
            },
        },
        Format {
            name: "driver-inf",
            seeds: text(&[
                "[Version]\nClass=Printer\nCatalogFile.NTamd64=%c% ; k\n[Manufacturer]\n%m%=R,NTamd64,\\\nNTx86.6.1\n[R.NTamd64]\n\"A \"\"B\"\"\"=S,h\n[R.NTx86.6.1]\n%m%=S\n[Strings]\nm=\"100%%\"\nc=s.cat\n",
            ]),
            decode: |file, _| {
                let Ok(inf) = Inf::from_bytes(file) else { return };
                for processor in ["x64", "x86", "arm64"] {
                    drop((inf.has_model(processor, "A"), inf.catalogue(processor), inf.is_of_printers()));
                }
            },
        },
        Format {
            name: "rich-text",
            seeds: vec![
                b"\x2d\0\0\0\x2b\0\0\0LZFu\xf1\xc5\xc7\xa7\x03\0\x0a\0rcpg125B2\x0a\xf3 hel\x09\0 bw\x05\xb0ld}\x0a\x80\x0f\xa0".to_vec(),
                b"{\\rtf1\\ansicpg1252\\fromhtml1 {\\*\\htmltag19 <html>}\\htmlrtf {\\htmlrtf0 Caf\\'e9\\u8364?}}".to_vec(),
            ],
            decode: |file, _| {
                drop(rtf::content(file));
                drop(rtf::unpacked(file).map(|text| rtf::content(&text)));
            },
        },
        Format {
            name: "apple-accounts",
            seeds: vec![b"<plist><dict><key>MailAccounts</key><array><dict><key>Hostname</key><string>imap.saltmarsh.example</string>\
                <key>PortNumber</key><integer>993</integer><key>SMTPIdentifier</key><string>smtp</string></dict></array>\
                <key>DeliveryAccounts</key><array><dict><key>Hostname</key><string>smtp</string></dict></array></dict></plist>".to_vec()],
            decode: |file, _| drop(apple_accounts::accounts(file)),
        },
        Format {
            name: "property-list",
            seeds: [text(&[dictionary]), vec![binary_list()]].concat(),
            decode: |file, _| {
                drop(property_list::from_bytes(file));
                drop(safari::from_plist(file));
            },
        },
        Format {
            name: "entry",
            seeds: text(&[
                r#"{"item":"a/b","owner":"a","place":"home","path":"x/y","kind":"file","size":12,"blake3":"44c77418e27569db9213c6b43d9049ecffb5496f7d0e3d4254bb68410adecc3e","at":[[1,0,1],[5]],"missing":[[0,4]],"kept_from_utc":"2026-01-01T00:00:00Z"}"#,
                r#"{"item":"a/b","place":"home","path":"x","path_hex":"78ff","kind":"link","target":"../y","mode":420}"#,
            ]),
            decode: |file, _| drop(Entry::from_line(file, 1)),
        },
        Format { name: "seal", seeds: text(&[seal]), decode: |file, own| in_trunk(file, own, "seal.json") },
        Format {
            name: "journal",
            seeds: text(&[
                r#"{"step":"begin","format":"porter-journal/3","trunk_id":"00000000-0000-4000-8000-000000000000","started_utc":"2026-01-01T00:00:00Z","accounts":{"a":"b"},"items":["a/b"]}"#,
                r#"{"step":"land","entry":{"owner":"a","place":"home","path":"x"},"at":{"path":"Users/a/x"},"renamed":true,"blake3":"44c77418e27569db9213c6b43d9049ecffb5496f7d0e3d4254bb68410adecc3e"}"#,
                r#"{"step":"set","item":"a/b","control":"registry-value","owner":"S-1-5-21-1","becomes":{"key":"Software\\K","name":"x","type":"1","data":"00"}}"#,
                r#"{"step":"registry-value","item":"a/b","sid":"S-1-5-21-1","key":"Software\\K","was":{"name":"x","kind":1,"data":"00"}}"#,
            ]),
            decode: |file, _| drop(serde_json::from_slice::<JournalLine>(file)),
        },
        Format {
            name: "packing-list",
            seeds: text(&[
                "format = \"porter-packing-list/1\"\nmachine = \"A\"\nleave_files = [\"*.iso\"]\nalso = [\"a/b\"]\n[[item]]\nid = \"a/b\"\ncarry = true\nsize_in_bytes = 5\n",
            ]),
            decode: |file, _| drop(PackingList::from_toml(&String::from_utf8_lossy(file))),
        },
        Format {
            name: "rule",
            seeds: text(&[
                "id = \"a/b\"\ntitle = \"B\"\n[[find]]\nplace = \"shared-data\"\npath = \"*/{x,[y}]}\"\nexcept = [\"y*\"]\n[[leave]]\nfolders = [\"**/cache\"]\nwhy = \"w\"\n[prove]\nneeds = [\"*.k\"]\ncounts = { k = [\"*.k\"] }\n",
            ]),
            decode: |file, _| drop(CarryRule::from_toml(&String::from_utf8_lossy(file))),
        },
        Format {
            name: "profiles-ini",
            seeds: [found("profiles.ini"), text(&["[General]\nVersion=2\n"])].concat(),
            decode: |file, _| {
                let text = String::from_utf8_lossy(file);
                drop(Ini::from_text(&text).to_text());
                drop(shortcut::url_in(file));
            },
        },
        Format {
            name: "prefs",
            seeds: [found("prefs.js"), text(&["user_pref(\"a\", \"b\");\n"])].concat(),
            decode: |file, _| {
                let text = String::from_utf8_lossy(file);
                let _ = prefs::get_text(&text, "extensions.webextensions.uuids");
                drop(prefs::with_texts(&text, |_, value| prefs::Becomes::Text(value.to_owned())));
                let _ = prefs::all(&text).count();
            },
        },
        Format {
            name: "local-state",
            seeds: [found("Local State"), found("Preferences"), found("Bookmarks")].concat(),
            decode: |file, _| {
                if let Ok(mut state) = LocalState::from_bytes(file) {
                    drop(state.profiles());
                    drop(state.enter("Profile 7", "kites", true));
                    drop(state.to_bytes());
                }
                drop(chromium::preferences::read(Some(file), Some(file)));
                if let Ok(bookmarks) = chromium::bookmarks::BookmarksFile::from_bytes(file) {
                    drop(bookmarks.bookmarks());
                }
            },
        },
        Format {
            name: "moz-lz4",
            seeds: [
                found(".jsonlz4"),
                vec![moz_lz4::packed(
                    br#"{"windows":[{"tabs":[{"index":1,"entries":[{"url":"http://a/","title":"b"}]}]}]}"#,
                )],
            ]
            .concat(),
            decode: |file, _| {
                drop(moz_lz4::unpacked(file));
                drop(session::tabs(file));
                drop(chromium::session::tabs(file));
            },
        },
        Format {
            name: "places",
            seeds: found("places.sqlite"),
            decode: |file, _| {
                let Some(database) = database(file) else { return };
                drop(places::bookmarks(&database));
                drop(places::history_count(&database));
                drop(places::last_visit_utc(&database));
            },
        },
        Format {
            name: "logins",
            seeds: [found("logins.json"), found("extensions.json"), text(&[r#"{"logins":[{"id":1}]}"#])]
                .concat(),
            decode: |file, _| {
                drop(logins::in_json(file));
                drop(extensions::names(file));
            },
        },
        Format { name: "receipt", seeds: vec![std::fs::read(receipt).map_err(failed)?], decode: in_program },
        Format {
            name: "reparse-point",
            seeds: vec![
                [
                    &0xA000_0003_u32.to_le_bytes()[..],
                    &[24, 0, 0, 0, 0, 0, 8, 0, 10, 0, 4, 0],
                    &[65, 0, 66, 0, 67, 0, 68, 0, 0, 0, 65, 0, 66, 0, 0, 0],
                ]
                .concat(),
            ],
            decode: |file, _| drop(ReparsePoint::from_bytes(file)),
        },
    ];
    let mut all = formats;
    all.extend(lists);
    all.extend(drives::formats().map_err(failed)?);
    match all.iter().find(|format| format.seeds.is_empty()) {
        Some(empty) => Err(format!("the demo has no file for {}", empty.name)),
        None => Ok(all),
    }
}

fn binary_list() -> Vec<u8> {
    let mut list = b"bplist00".to_vec();
    // {"a": [7, "a"]}
    list.extend([0xd1, 1, 2, 0x51, b'a', 0xa2, 3, 1, 0x10, 7]);
    list.extend([8, 11, 13, 16]);
    list.extend([0, 0, 0, 0, 0, 0, 1, 1]);
    list.extend([4_u64, 0, 18].iter().flat_map(|number| number.to_be_bytes()));
    list
}

fn database(file: &[u8]) -> Option<Connection> {
    let mut database = Connection::open_in_memory().ok()?;
    database.deserialize_read_exact("main", file, file.len(), true).ok()?;
    Some(database)
}

/// Shows it by the program itself, which alone reads saved receipts.
fn in_program(file: &[u8], own: &Path) {
    let path = own.join("receipt.json");
    if std::fs::write(&path, file).is_err() {
        return;
    }
    let said =
        std::process::Command::new(crate::release::lane_program_path()).arg("receipt").arg(&path).output();
    let is_well = said.is_ok_and(|said| said.status.code().is_some_and(|status| (0..=3).contains(&status)));
    assert!(is_well, "the program did not end as documented");
}

/// Loads the trunk with one of its files changed, and reads all of it.
fn in_trunk(file: &[u8], own: &Path, name: &str) {
    let path: PathBuf = own.join(name);
    let was = std::fs::read(&path).ok();
    if std::fs::write(&path, file).is_err() {
        return;
    }
    drop(Outside::load(own));
    drop(serde_json::from_slice::<Label>(file));
    if let Ok(trunk) = PackedTrunk::load(&[own.to_path_buf()], None) {
        for entry in trunk.entries().into_iter().flatten().flatten().take(200) {
            if let Ok(from) = trunk.open_content(&entry) {
                drop(std::io::copy(&mut from.take(1 << 20), &mut std::io::sink()));
            }
        }
        let _ = trunk.flaws().len();
    }
    match was {
        Some(was) => drop(std::fs::write(&path, was)),
        None => drop(std::fs::remove_file(&path)),
    }
}
