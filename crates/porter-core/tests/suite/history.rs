//! The records of earlier restores, also when they are cut short or somebody else's.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_core::journal::EntryKey;
use porter_core::journal::History;
use porter_core::journal::Journal;
use porter_core::journal::runs_in;
use porter_core::journal::{FORMAT, JournalLine, PathField};
use porter_kinds::crossing::accounts::{AccountsError, match_accounts};
use porter_kinds::receipt::Reason;
use porter_machine::{Machine, recognise};
use porter_source::HostFolder;
use porter_trunk::{Attributes, Content, Entry, EntryAddress, TrunkId};
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use time::{Duration, OffsetDateTime};

fn machine(root: &Path, accounts: &[&str]) -> Machine {
    for folder in ["Windows/System32", "ProgramData"] {
        fs::create_dir_all(root.join(folder)).unwrap();
    }
    for account in accounts {
        fs::create_dir_all(root.join("Users").join(account)).unwrap();
    }
    recognise(Arc::new(HostFolder::open(root).unwrap()), "PC".to_owned()).unwrap()
}

fn entry(name: &str) -> Entry {
    Entry {
        item: "odile/folder/documents".to_owned(),
        address: EntryAddress {
            owner: Some("odile".to_owned()),
            place: "documents".to_owned(),
            path: crate::stand_ins::path(name),
            safe_path: None,
        },
        content: Content::Folder,
        modified_utc: None,
        created_utc: None,
        attributes: Attributes::default(),
        unix_mode: None,
        streams: Vec::new(),
        held: None,
        extents: porter_trunk::Extents::None,
        same_file: None,
        sparse: false,
        missing: Vec::new(),
        kept_from_utc: None,
    }
}

fn key(name: &str) -> EntryKey {
    EntryKey::of(&entry(name).address)
}

fn at(text: &str) -> PathField {
    PathField(crate::stand_ins::path(text))
}

fn begin(trunk_id: &TrunkId, account: &str, item: &str) -> JournalLine {
    JournalLine::Begin {
        format: FORMAT.to_owned(),
        trunk_id: trunk_id.clone(),
        from: "OLD".to_owned(),
        mark: String::new(),
        started_utc: crate::stand_ins::NOW,
        accounts: BTreeMap::from([("odile".to_owned(), account.to_owned())]),
        items: BTreeSet::from([item.to_owned()]),
        land_held: Vec::new(),
    }
}

fn land(entry: EntryKey, at: PathField, renamed: bool) -> JournalLine {
    let (aside, kept_existing, link, blake3) = (None, false, false, None);
    JournalLine::Land { entry, at, aside, renamed, kept_existing, link, adapted: false, blake3 }
}

fn records(root: &Path) -> PathBuf {
    let records = root.join("ProgramData/Loyal Porter");
    fs::create_dir_all(&records).unwrap();
    records
}

#[test]
fn later_restores_count_over_earlier_ones_and_other_trunks_not_at_all() {
    let root = tempfile::tempdir().unwrap();
    let machine = machine(root.path(), &["odile"]);
    let (ours, theirs) = (TrunkId::random().unwrap(), TrunkId::random().unwrap());
    let before = History::load(&machine, &ours, "LOFT-PC");
    assert!(before.includes("anything"), "nothing was restored yet, so everything is to be checked");

    let first =
        Journal::begin(&records(root.path()), &begin(&ours, "odile", "odile/folder/documents")).unwrap();
    first.write(&[land(key("NUL"), at("x/NUL~1"), true)]).unwrap();
    first.write(&[land(key("b"), at("x/b~1"), true)]).unwrap();
    let refused = Reason::NotWritten { detail: "full".to_owned() };
    first.write(&[JournalLine::Refused { entry: key("c"), reason: refused.clone() }]).unwrap();
    first.write(&[JournalLine::Refused { entry: key("d"), reason: refused.clone() }]).unwrap();
    // Within the same second: the number in its name puts it after the first.
    let second = Journal::begin(&records(root.path()), &begin(&ours, "bram", "odile/folder/music")).unwrap();
    second.write(&[land(key("b"), at("x/b"), false)]).unwrap();
    second.write(&[land(key("c"), at("x/c"), false)]).unwrap();
    second.write(&[JournalLine::FoundAs { entry: key("e"), at: at("x/e~1") }]).unwrap();
    second.end(crate::stand_ins::NOW).unwrap();
    let strange = Journal::begin(&records(root.path()), &begin(&theirs, "zelda", "all")).unwrap();
    strange.write(&[JournalLine::Refused { entry: key("b"), reason: refused.clone() }]).unwrap();

    let history = History::load(&machine, &ours, "LOFT-PC");
    assert_eq!(history.accounts["odile"], "bram");
    assert!(history.includes("odile/folder/documents") && history.includes("odile/folder/music"));
    assert!(!history.includes("odile/folder/videos") && !history.includes("all"));
    assert_eq!(history.landed_as(&entry("NUL")), Some(&crate::stand_ins::path("x/NUL~1")));
    assert_eq!(history.landed_as(&entry("b")), None, "the second restore gave it its own name");
    assert_eq!(history.landed_as(&entry("e")), Some(&crate::stand_ins::path("x/e~1")));
    assert_eq!(history.refused(&entry("c")), None, "the second restore landed it");
    assert_eq!(history.refused(&entry("d")), Some(&refused));
}

#[test]
fn a_record_that_was_cut_short_tells_what_it_has() {
    let root = tempfile::tempdir().unwrap();
    let machine = machine(root.path(), &["odile"]);
    let ours = TrunkId::random().unwrap();
    let journal =
        Journal::begin(&records(root.path()), &begin(&ours, "odile", "odile/folder/documents")).unwrap();
    journal.write(&[land(key("NUL"), at("x/NUL~1"), true)]).unwrap();
    let whole = fs::read(journal.path()).unwrap();
    // The power may fail at any byte.
    for cut in 0..whole.len() {
        fs::write(journal.path(), &whole[..cut]).unwrap();
        let history = History::load(&machine, &ours, "LOFT-PC");
        assert!(history.landed_as(&entry("NUL")).is_none() || cut == whole.len() - 1, "{cut}");
    }
    fs::write(journal.path(), &whole).unwrap();
    // Files of other kinds, and journals of later versions, do no harm.
    fs::write(records(root.path()).join("notes.jsonl"), b"\xff\xfe garbage\n").unwrap();
    let later =
        String::from_utf8(whole).unwrap().replace(FORMAT, "porter-journal/9").replace("odile/folder", "no");
    fs::write(records(root.path()).join("restore-9999.jsonl"), later).unwrap();
    let history = History::load(&machine, &ours, "LOFT-PC");
    assert!(history.landed_as(&entry("NUL")).is_some() && !history.includes("no/documents"));
    // A path that leads out is not believed, neither from a journal nor from a trunk.
    let hostile = r#"{"step":"land","entry":{"owner":"odile","place":"documents","path":"z"},"at":{"path":"../../z"},"renamed":true}"#;
    let mut text = fs::read_to_string(journal.path()).unwrap();
    text.push_str(hostile);
    fs::write(journal.path(), text).unwrap();
    assert!(History::load(&machine, &ours, "LOFT-PC").landed_as(&entry("z")).is_none());
}

#[test]
fn accounts_are_matched_by_hand_then_by_record_then_by_name() {
    let root = tempfile::tempdir().unwrap();
    let machine = machine(root.path(), &["Odile", "Tamsin Okafor", "bram"]);
    let label = crate::stand_ins::label(&["odile", "tamsin", "zelda"]);
    let pairs = |list: &[(&str, &str)]| -> BTreeMap<String, String> {
        list.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned())).collect()
    };
    let matched_for = |wanted: &[&str], given: &[(&str, &str)], before: &[(&str, &str)]| {
        let is_wanted = |id: &str| wanted.contains(&id);
        let map = match_accounts(&label, &machine, &pairs(given), &pairs(before), &is_wanted)?;
        let found = |old: &str| map[old].map(|account| account.shown_name()).unwrap_or_default();
        Ok::<_, AccountsError>(format!("{}/{}/{}", found("odile"), found("tamsin"), found("zelda")))
    };
    let matched = |given: &[(&str, &str)], before: &[(&str, &str)]| {
        matched_for(&["odile", "tamsin", "zelda"], given, before)
    };
    assert_eq!(matched(&[], &[]).unwrap(), "Odile//");
    let into_odile = [("tamsin", "odile")];
    assert!(matches!(matched(&into_odile, &[]), Err(AccountsError::TwoIntoOne { .. })));
    assert_eq!(matched_for(&["tamsin"], &into_odile, &[]).unwrap(), "/Odile/", "nothing of odile's lands");
    assert_eq!(matched(&[("TAMSIN", "tamsin okafor")], &[]).unwrap(), "Odile/Tamsin Okafor/");
    assert_eq!(matched(&[], &[("tamsin", "tamsin-okafor")]).unwrap(), "Odile/Tamsin Okafor/");
    assert_eq!(matched(&[("tamsin", "bram")], &[("tamsin", "tamsin-okafor")]).unwrap(), "Odile/bram/");
    assert!(
        matches!(matched(&[("nobody", "bram")], &[]), Err(AccountsError::NotInTrunk { has, .. }) if has.len() == 3)
    );
    assert!(
        matches!(matched(&[("zelda", "nobody")], &[]), Err(AccountsError::NotOnMachine { has, .. }) if has.len() == 3)
    );
    assert!(matches!(matched(&[("zelda", "odile")], &[]), Err(AccountsError::TwoIntoOne { .. })));
}

#[test]
fn restores_keep_their_order_within_a_second_and_when_the_clock_is_set_back() {
    let folder = tempfile::tempdir().unwrap();
    // A file that is not a journal counts for nothing, however much its name looks like one.
    for (name, content) in [("restore-9999.jsonl", "{}"), ("restore-9999-99-99T999999Z-x.jsonl", "{}")] {
        fs::write(folder.path().join(name), content).unwrap();
    }
    let mut trunks = Vec::new();
    let mut restore = |started_utc: OffsetDateTime| {
        let trunk = TrunkId::random().unwrap();
        let mut first = begin(&trunk, "odile", "odile/folder/documents");
        if let JournalLine::Begin { started_utc: begun, .. } = &mut first {
            *begun = started_utc;
        }
        Journal::begin(folder.path(), &first).unwrap();
        trunks.push(trunk);
    };
    // More than two digits count, and among random trunks there are some whose ids are in another order than
    // their restores.
    (0..120).for_each(|_| restore(crate::stand_ins::NOW));
    // An empty battery, and then the right time again.
    for back in
        [Duration::days(9000), Duration::days(8999), Duration::seconds(1), Duration::ZERO, -Duration::days(1)]
    {
        restore(crate::stand_ins::NOW - back);
    }
    let runs: Vec<TrunkId> = runs_in(folder.path()).into_iter().map(|run| run.trunk_id).collect();
    assert_eq!(runs, trunks);
}
