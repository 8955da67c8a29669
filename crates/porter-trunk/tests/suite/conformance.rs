//! The duties of every form of trunk, whatever it is made of. A new form runs the same suite.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_names::{NameRules, RelativePath};
use porter_trunk::open_form::{OpenTrunk, OpenTrunkWriter};
use porter_trunk::packed_form::{Opener, PackedOptions, PackedTrunk, PackedTrunkWriter, Seal};
use porter_trunk::parked_form::{ParkedTrunk, ParkedTrunkWriter};
use porter_trunk::{
    AccountLabel, Attributes, Content, ContentHash, Depth, Entry, EntryAddress, Extents, Inventory, Label,
    LeftBehind, LeftReason, MachineLabel, MeaningCount, NamedStream, RegistryKey, RegistryValue, StoreError,
    Stored, SystemLabel, Tally, Trunk, TrunkError, TrunkId, TrunkItem, TrunkProgram, TrunkWriter,
};
use std::io::{self, Read, Write};
use std::path::Path;
use time::OffsetDateTime;
use time::macros::datetime;

const NOW: OffsetDateTime = datetime!(2026-11-23 08:00 UTC);

/// How to make and open a form of trunk.
struct Form {
    create: fn(&Path, Label) -> Made<dyn TrunkWriter>,
    load: fn(&Path) -> Made<dyn Trunk>,
}

type Made<T> = Result<Box<T>, TrunkError>;

const OPEN: Form = Form {
    create: |folder, label| Ok(Box::new(OpenTrunkWriter::create(folder, label)?)),
    load: |folder| Ok(Box::new(OpenTrunk::load(folder)?)),
};

const PACKED: Form = Form {
    create: |folder, label| {
        Ok(Box::new(PackedTrunkWriter::create(folder, label, None, &PackedOptions::default())?))
    },
    load: |folder| Ok(Box::new(PackedTrunk::load(&[folder.to_path_buf()], None)?)),
};

const PASSPHRASE: &str = "forty kites at four o'clock";

const SEALED: Form = Form {
    create: |folder, label| {
        let seal = Seal { passphrase: PASSPHRASE.to_owned().into(), workshop: None };
        Ok(Box::new(PackedTrunkWriter::create(folder, label, Some(&seal), &PackedOptions::default())?))
    },
    load: |folder| {
        let opener = Opener::Passphrase(PASSPHRASE.to_owned().into());
        Ok(Box::new(PackedTrunk::load(&[folder.to_path_buf()], Some(&opener))?))
    },
};

const PARKED: Form = Form {
    create: |folder, label| Ok(Box::new(ParkedTrunkWriter::begin(folder, label)?)),
    load: |folder| Ok(Box::new(ParkedTrunk::load(folder)?)),
};

fn label() -> Label {
    Label {
        format: porter_trunk::label::FORMAT.to_owned(),
        version: porter_trunk::label::FormatVersion { major: 1, minor: 7 },
        trunk_id: TrunkId::random().unwrap(),
        made_by: "a test".to_owned(),
        started_utc: NOW,
        machine: MachineLabel {
            name: "LOFT-PC \u{1b}[31m".to_owned(),
            system: SystemLabel {
                processor: None,
                family: "windows".to_owned(),
                product: "Windows".to_owned(),
                version: None,
            },
        },
        accounts: vec![AccountLabel {
            id: "odile".to_owned(),
            name: "Odile".to_owned(),
            ..AccountLabel::default()
        }],
        words: porter_trunk::LabelWords {
            job: Some("SK-1\nPayload-Oxum: 0.0".to_owned()),
            technician: None,
            workshop: None,
            owner: None,
            return_to: None,
            reminder: None,
        },
    }
}

fn item(captured: Tally) -> TrunkItem {
    TrunkItem {
        id: "odile/folder/documents".to_owned(),
        kind: "folder".to_owned(),
        account: Some("odile".to_owned()),
        title: "Documents".to_owned(),
        chosen: true,
        seen: captured,
        captured,
        left: Tally::default(),
        rule: None,
        parts: Vec::new(),
        facts: [("seats".to_owned(), "2".to_owned())].into(),
        registry: vec![RegistryKey {
            key: "Software\\Kite Planner".to_owned(),
            values: vec![RegistryValue { name: "Spar".to_owned(), kind: 3, data: vec![0, 0xd8, 7] }],
            held: None,
        }],
        needs: Vec::new(),
        counts: vec![MeaningCount {
            name: "plans".to_owned(),
            files: vec!["*.kite".to_owned()],
            captured: 1,
        }],
    }
}

fn program() -> TrunkProgram {
    TrunkProgram {
        name: "KiteCAD".to_owned(),
        version: Some("4.2".to_owned()),
        publisher: None,
        installed_on: None,
        size_in_bytes: None,
        account: None,
    }
}

fn close(trunk: &dyn TrunkWriter, items: &[TrunkItem]) -> Result<(), TrunkError> {
    trunk.close(&Inventory { items, programs: &[program()] }, NOW)
}

/// An entry whose name may need a safe one.
fn entry(rules: NameRules, name: &[u8], content: Content) -> Entry {
    let path = RelativePath::from_bytes(name).unwrap();
    let safe: Vec<Vec<u8>> = path
        .steps()
        .map(|step| if rules.hold(step) { step.to_vec() } else { rules.safe_name(step).into_bytes() })
        .collect();
    let safe = RelativePath::from_bytes(&safe.join(&b'/')).unwrap();
    Entry {
        item: "odile/folder/documents".to_owned(),
        address: EntryAddress {
            owner: Some("odile".to_owned()),
            place: "documents".to_owned(),
            safe_path: (safe != path).then_some(safe),
            path,
        },
        content,
        modified_utc: Some(datetime!(2012-03-04 05:06:07.123_456_7 UTC)),
        created_utc: Some(datetime!(1601-01-01 00:00 UTC)),
        attributes: Attributes::from_windows_bits(0x27),
        unix_mode: Some(0o640),
        streams: vec![NamedStream { name: "Zone.Identifier".to_owned(), content: vec![0, 255, 10] }],
        held: None,
        extents: Extents::None,
        same_file: None,
        sparse: false,
        missing: Vec::new(),
        kept_from_utc: None,
    }
}

fn store(trunk: &dyn TrunkWriter, name: &[u8], content: &[u8]) -> Entry {
    let mut entry = entry(trunk.name_rules(), name, Content::Folder);
    let stored = store_bytes(trunk, &entry, content);
    assert_eq!(stored.hash, ContentHash::of(content));
    entry.content = Content::File { size_in_bytes: stored.size_in_bytes, hash: stored.hash };
    entry.extents = stored.extents;
    entry
}

/// From memory, or from a file for a form that keeps files alive.
fn store_bytes(trunk: &dyn TrunkWriter, entry: &Entry, content: &[u8]) -> Stored {
    // On the volume of the trunk, as the old machine's files are.
    let mut file = tempfile::NamedTempFile::new().unwrap();
    file.write_all(content).unwrap();
    match trunk.store_file(&|| Some(file.path().to_path_buf()), &|_| {}) {
        Some(stored) => stored.unwrap(),
        None => trunk.store(&entry.address, entry.modified_utc, &mut &content[..], &|_| {}).unwrap(),
    }
}

fn conforms(form: &Form) {
    everything_comes_back(form);
    it_is_no_trunk_before_it_is_published(form);
    a_second_name_of_a_file_and_a_hole_come_back(form);
    many_threads_may_store_at_once(form);
    a_hundred_thousand_entries_of_one_folder_come_back(form);
}

#[test]
fn the_open_form_conforms() {
    conforms(&OPEN);
    a_source_that_fails_leaves_nothing_behind(&OPEN);
    it_cannot_be_begun_twice(&OPEN);
    what_later_versions_wrote_is_refused(&OPEN);
}

#[test]
fn the_parked_form_conforms() {
    conforms(&PARKED);
}

#[test]
fn the_packed_form_conforms() {
    conforms(&PACKED);
    a_source_that_fails_leaves_nothing_behind(&PACKED);
    it_cannot_be_begun_twice(&PACKED);

    let folder = tempfile::tempdir().unwrap();
    let trunk = (PACKED.create)(folder.path(), label()).unwrap();
    close(&*trunk, &[]).unwrap();
    trunk.publish().unwrap();
    drop(trunk);
    let is_unsupported = || matches!((PACKED.load)(folder.path()), Err(TrunkError::Unsupported { .. }));
    let path = folder.path().join("label.json");
    let before = std::fs::read_to_string(&path).unwrap();
    std::fs::write(&path, before.replace("\"major\": 1", "\"major\": 2")).unwrap();
    assert!(is_unsupported());
    std::fs::write(&path, before.replace("porter-packed", "other-program")).unwrap();
    assert!(matches!((PACKED.load)(folder.path()), Err(TrunkError::NotATrunk { .. })));
    std::fs::write(&path, before).unwrap();
    // A list of a later version, whose own check is right.
    let path = folder.path().join("list-00001.list");
    let mut list = std::fs::read(&path).unwrap();
    list[8] = 2;
    let check: [u8; 32] = blake3::hash(&list[..56]).into();
    list[56..64].copy_from_slice(&check[..8]);
    std::fs::write(&path, list).unwrap();
    assert!(is_unsupported());
}

#[test]
fn the_packed_form_conforms_when_it_is_sealed() {
    conforms(&SEALED);
    a_source_that_fails_leaves_nothing_behind(&SEALED);
}

fn everything_comes_back(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    let trunk = (form.create)(&folder.path().join("trunk"), label()).unwrap();
    let rules = trunk.name_rules();
    let contents: [(&[u8], Vec<u8>); 7] = [
        (b"plain.txt", b"plain".to_vec()),
        (b"empty", Vec::new()),
        (b"deep/er/and/deeper.bin", vec![0x5a; 1_000_003]),
        (b"bad \xff \xed\xa0\x80 name?.txt", b"ill-formed".to_vec()),
        (b"NUL", b"a device elsewhere".to_vec()),
        ("Café 100% \u{2028}.txt".as_bytes(), b"line separator".to_vec()),
        (&[b'x'; 255], b"as long as names get".to_vec()),
    ];
    let mut written = vec![
        entry(rules, b"deep", Content::Folder),
        entry(rules, b"link", Content::Link { target: b"..\\\xffelsewhere".to_vec() }),
    ];
    written.extend(contents.iter().map(|(name, content)| store(&*trunk, name, content)));
    written[3].held = Some("kept".to_owned());
    let mut tally = Tally::FOLDER + Tally::LINK;
    for entry in &written {
        trunk.record(entry).unwrap();
        if matches!(entry.content, Content::File { .. }) {
            tally += Tally::file(entry.size_in_bytes());
        }
    }
    let left = LeftBehind {
        item: Some("odile/folder/documents".to_owned()),
        volume_path: RelativePath::from_bytes(b"Users/odile/\xff.pst").unwrap(),
        reason: LeftReason::Medium { detail: "bad sector".to_owned() },
        tally: Some(Tally::file(9)),
        kept: None,
    };
    trunk.record_left(&left).unwrap();
    close(&*trunk, &[item(tally)]).unwrap();
    trunk.publish().unwrap();

    let trunk = (form.load)(&folder.path().join("trunk")).unwrap();
    assert_eq!(trunk.label().machine.name, label().machine.name);
    assert_eq!(trunk.items(), [item(tally)]);
    assert_eq!(trunk.programs(), [program()]);
    let read: Vec<Entry> = trunk.entries().unwrap().map(Result::unwrap).collect();
    assert_eq!(read, written, "in the order in which they were recorded");
    assert_eq!(trunk.left().unwrap().map(Result::unwrap).collect::<Vec<_>>(), [left]);
    for (entry, (name, content)) in read[2..].iter().zip(&contents) {
        let mut found = Vec::new();
        trunk.open_content(entry).unwrap().read_to_end(&mut found).unwrap();
        assert_eq!(&found, content, "{name:?}");
    }
    let mut audit = trunk.audit(Depth::Full).unwrap();
    assert!(read.iter().all(|entry| audit.see(entry, true).is_none()));
    assert_eq!(audit.finish().unwrap(), []);
    // An entry that nobody reads is missed.
    let mut audit = trunk.audit(Depth::Full).unwrap();
    assert!(read[..read.len() - 1].iter().all(|entry| audit.see(entry, true).is_none()));
    assert_eq!(audit.finish().unwrap().len(), 1);
}

fn it_is_no_trunk_before_it_is_published(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trunk");
    let is_unfinished = || matches!((form.load)(&path), Err(TrunkError::Unfinished(_)));
    assert!(matches!((form.load)(&path), Err(TrunkError::NotATrunk { .. })));
    let trunk = (form.create)(&path, label()).unwrap();
    assert!(is_unfinished());
    let entry = store(&*trunk, b"a.txt", b"a");
    trunk.record(&entry).unwrap();
    assert!(is_unfinished());
    close(&*trunk, &[item(Tally::file(1))]).unwrap();
    assert!(is_unfinished());
    // The maker may look into it, to prove it.
    assert_eq!(trunk.read_back().unwrap().entries().unwrap().count(), 1);
    trunk.publish().unwrap();
    assert_eq!((form.load)(&path).unwrap().items().len(), 1);
}

fn it_cannot_be_begun_twice(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trunk");
    let trunk = (form.create)(&path, label()).unwrap();
    close(&*trunk, &[]).unwrap();
    trunk.publish().unwrap();
    assert!(matches!((form.create)(&path, label()), Err(TrunkError::HoldsTrunk(_))));
}

fn a_second_name_of_a_file_and_a_hole_come_back(form: &Form) {
    /// Ten times that in the release build takes seconds too.
    const HOLE_IN_BYTES: u64 = 1_000_000_000;
    let folder = tempfile::tempdir().unwrap();
    let trunk = (form.create)(&folder.path().join("trunk"), label()).unwrap();
    let mut first = store(&*trunk, b"first name.txt", b"one file");
    first.same_file = Some(7);
    let mut second = entry(trunk.name_rules(), b"second name.txt", first.content.clone());
    // Where contents are kept once, the second name needs no reading.
    second.extents = if trunk.keeps_contents_once() {
        first.extents.clone()
    } else {
        store_bytes(&*trunk, &second, b"one file").extents
    };
    second.same_file = Some(7);
    let hole = tempfile::NamedTempFile::new().unwrap();
    hole.as_file().set_len(HOLE_IN_BYTES).unwrap();
    let mut sparse = entry(trunk.name_rules(), b"disk.img", Content::Folder);
    sparse.sparse = true;
    let stored = match trunk.store_file(&|| Some(hole.path().to_path_buf()), &|_| {}) {
        Some(stored) => stored.unwrap(),
        None => trunk.store(&sparse.address, None, &mut hole.reopen().unwrap(), &|_| {}).unwrap(),
    };
    sparse.content = Content::File { size_in_bytes: stored.size_in_bytes, hash: stored.hash };
    sparse.extents = stored.extents;
    let mut tally = Tally::default();
    for entry in [&first, &second, &sparse] {
        trunk.record(entry).unwrap();
        tally += Tally::file(entry.size_in_bytes());
    }
    close(&*trunk, &[item(tally)]).unwrap();
    let back = trunk.read_back().unwrap();
    assert_eq!(
        back.entries().unwrap().map(Result::unwrap).collect::<Vec<_>>(),
        [first, second.clone(), sparse.clone()]
    );
    let mut found = Vec::new();
    back.open_content(&second).unwrap().read_to_end(&mut found).unwrap();
    assert_eq!(found, b"one file");
    let found = ContentHash::of_reader(&mut *back.open_content(&sparse).unwrap()).unwrap();
    assert!(sparse.content == Content::File { size_in_bytes: HOLE_IN_BYTES, hash: found });
    // A hole takes no room.
    let taken: u64 = walk(folder.path()).iter().map(|path| room_of(path)).sum();
    assert!(taken < 10_000_000 || form.load as usize == OPEN.load as usize, "{taken}");
}

fn room_of(path: &Path) -> u64 {
    #[cfg(unix)]
    return std::os::unix::fs::MetadataExt::blocks(&std::fs::metadata(path).unwrap()) * 512;
    #[cfg(not(unix))]
    if path.components().any(|step| step.as_os_str() == "kept") {
        0
    } else {
        std::fs::metadata(path).unwrap().len()
    }
}

fn walk(folder: &Path) -> Vec<std::path::PathBuf> {
    let rows = std::fs::read_dir(folder).unwrap().map(|row| row.unwrap().path());
    rows.flat_map(|path| if path.is_dir() { walk(&path) } else { vec![path] }).collect()
}

fn a_hundred_thousand_entries_of_one_folder_come_back(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    let trunk = (form.create)(&folder.path().join("trunk"), label()).unwrap();
    let empty = Content::File { size_in_bytes: 0, hash: ContentHash::of(b"") };
    let one = store(&*trunk, b"crowd/one", b"one");
    let mut tally = Tally::file(3);
    trunk.record(&one).unwrap();
    let keeps_files = form.load as usize == OPEN.load as usize;
    for number in 0..if keeps_files { 1000 } else { 100_000 } {
        let name = format!("crowd/{number:06}");
        let entry = if keeps_files {
            store(&*trunk, name.as_bytes(), b"")
        } else {
            entry(trunk.name_rules(), name.as_bytes(), Content::Link { target: b"one".to_vec() })
        };
        assert!(!keeps_files || entry.content == empty);
        tally += if keeps_files { Tally::file(0) } else { Tally::LINK };
        trunk.record(&entry).unwrap();
    }
    close(&*trunk, &[item(tally)]).unwrap();
    trunk.publish().unwrap();
    drop(trunk);
    let trunk = (form.load)(&folder.path().join("trunk")).unwrap();
    let mut audit = trunk.audit(Depth::Full).unwrap();
    let seen = trunk.entries().unwrap().map(Result::unwrap).filter(|entry| audit.see(entry, false).is_none());
    assert_eq!(seen.count() as u64, tally.entries());
    assert_eq!(audit.finish().unwrap(), []);
}

fn a_source_that_fails_leaves_nothing_behind(form: &Form) {
    struct FailsHalfWay(usize);
    impl Read for FailsHalfWay {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            if self.0 == 0 {
                return Err(io::Error::other("bad sector"));
            }
            self.0 -= 1;
            Ok(buffer.len())
        }
    }
    let folder = tempfile::tempdir().unwrap();
    let trunk = (form.create)(&folder.path().join("trunk"), label()).unwrap();
    let address = entry(trunk.name_rules(), b"half.bin", Content::Folder).address;
    let failed = trunk.store(&address, None, &mut FailsHalfWay(3), &|_| {}).unwrap_err();
    assert!(matches!(failed, StoreError::Source(_)), "{failed}");
    // The same file, read again by other means, is welcome.
    let entry = store(&*trunk, b"half.bin", b"whole");
    trunk.record(&entry).unwrap();
    // An entry without content is a fault of the caller, not a line of the list.
    let mut never_stored = entry;
    never_stored.address.path = RelativePath::from_bytes(b"never.bin").unwrap();
    never_stored.extents = Extents::None;
    assert!(trunk.record(&never_stored).is_err());
}

fn many_threads_may_store_at_once(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    let trunk = (form.create)(&folder.path().join("trunk"), label()).unwrap();
    let mut entries: Vec<Entry> = std::thread::scope(|scope| {
        let store_some = |thread: u32| {
            let trunk = &*trunk;
            move || -> Vec<Entry> {
                let name = |number: u32| format!("folder {}/file {thread} {number}", number % 7);
                (0..200).map(|n| store(trunk, name(n).as_bytes(), name(n).repeat(50).as_bytes())).collect()
            }
        };
        let threads: Vec<_> = (0..4).map(|thread| scope.spawn(store_some(thread))).collect();
        threads.into_iter().flat_map(|thread| thread.join().unwrap()).collect()
    });
    entries.reverse();
    let mut tally = Tally::default();
    for entry in &entries {
        trunk.record(entry).unwrap();
        tally += Tally::file(entry.size_in_bytes());
    }
    close(&*trunk, &[item(tally)]).unwrap();
    let back = trunk.read_back().unwrap();
    assert_eq!(back.entries().unwrap().map(Result::unwrap).collect::<Vec<_>>(), entries);
    for entry in &entries {
        let Content::File { hash, .. } = entry.content else { continue };
        let found = ContentHash::of_reader(&mut *back.open_content(entry).unwrap()).unwrap();
        assert_eq!(found, hash);
    }
}

fn what_later_versions_wrote_is_refused(form: &Form) {
    let folder = tempfile::tempdir().unwrap();
    for (name, change, opens) in [
        ("minor", (|label| label.version.minor += 5) as fn(&mut Label), true),
        ("major", |label| label.version.major += 1, false),
        ("other", |label| label.format = "somebody-else".to_owned(), false),
    ] {
        let mut label = label();
        change(&mut label);
        let path = folder.path().join(name);
        let trunk = (form.create)(&path, label).unwrap();
        close(&*trunk, &[]).unwrap();
        trunk.publish().unwrap();
        match (form.load)(&path) {
            Ok(_) => assert!(opens, "{name}"),
            Err(error) => {
                assert!(!opens && matches!(error, TrunkError::Unsupported { .. }), "{name}: {error}");
            }
        }
    }
}
