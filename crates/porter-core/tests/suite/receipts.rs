//! Verdicts: how the findings of a check add up, whichever way things went wrong.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_core::check::{check_machine, check_trunk};
use porter_core::restore::{Action, RestoreError, plan_take, run_plan};
use porter_kinds::choice::Selection;
use porter_kinds::existing::Existing;
use porter_kinds::receipt::{Reason, Receipt, Verdict};
use porter_machine::{Machine, recognise};
use porter_names::host::to_host;
use porter_source::HostFolder;
use porter_trunk::open_form::{OpenTrunk, OpenTrunkWriter};
use porter_trunk::{Trunk, TrunkError};
use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};

struct Bench {
    folder: tempfile::TempDir,
}

impl Bench {
    /// A trunk of a machine on which one file could not be read, and a new machine.
    fn new() -> Self {
        let mut volume = ScriptedVolume::windows();
        for (name, script) in [
            ("letter.txt", Script::File(b"Dear Odile".to_vec())),
            ("marked.txt", Script::WithStreams(b"marked".to_vec())),
            ("Kites/plan.txt", Script::File(b"12 mm spar".to_vec())),
            ("Kites/empty", Script::Folder),
            ("broken.mdb", Script::BadSectorAfter(0, b"lost".to_vec())),
            ("link", Script::Link(b"Kites".to_vec())),
            ("away", Script::Link(b"D:\\Stuff".to_vec())),
        ] {
            volume.add(&format!("Users/odile/Documents/{name}"), script);
        }
        volume.add("Users/odile/Music/song.wav", Script::File(b"la".to_vec()));
        Self::of(volume)
    }

    /// The same for any machine.
    fn of(volume: ScriptedVolume) -> Self {
        let old = volume.recognised();
        let bench = Self { folder: tempfile::tempdir().unwrap() };
        let found = crate::stand_ins::surveyed(&old);
        let writer =
            OpenTrunkWriter::create(&bench.path("trunk"), crate::stand_ins::label(&["odile"])).unwrap();
        crate::stand_ins::undisturbed(&mut |conduct| {
            crate::stand_ins::capture_all(&old, &found, &writer, conduct).unwrap();
        });
        for below in ["Windows/System32", "ProgramData", "Users/odile/Documents"] {
            fs::create_dir_all(bench.path("new").join(below)).unwrap();
        }
        bench
    }

    fn path(&self, below: &str) -> PathBuf {
        self.folder.path().join(below)
    }

    fn document(&self, name: &str) -> PathBuf {
        self.path("new/Users/odile/Documents").join(name)
    }

    fn trunk(&self) -> OpenTrunk {
        OpenTrunk::load(&self.path("trunk")).unwrap()
    }

    fn machine(&self) -> Machine {
        recognise(Arc::new(HostFolder::open(&self.path("new")).unwrap()), "NEW".to_owned()).unwrap()
    }

    fn restore(&self) {
        let machine = self.machine();
        let records = to_host(&self.path("new"), &machine.records_folder().unwrap()).unwrap();
        crate::stand_ins::undisturbed(&mut |conduct| {
            let trunk = self.trunk();
            let plan = crate::stand_ins::planned(&trunk, &machine, Existing::SetAside, conduct).unwrap();
            run_plan(&trunk, plan, Some(&records), &crate::stand_ins::now, conduct).unwrap();
        });
    }

    fn check(&self) -> Receipt {
        let mut receipt = None;
        crate::stand_ins::undisturbed(&mut |conduct| {
            let (machine, trunk) = (self.machine(), self.trunk());
            let selection = Selection::default();
            let found = check_machine(
                &trunk,
                &machine,
                &crate::stand_ins::kinds(),
                &BTreeMap::new(),
                &selection,
                crate::stand_ins::NOW,
                conduct,
            );
            receipt = Some(found.unwrap());
        });
        receipt.unwrap()
    }
}

/// The findings in an item, by path, as a short text each.
fn findings(receipt: &Receipt, item: &str) -> BTreeMap<String, String> {
    let item = receipt.items.iter().find(|row| row.id == item).unwrap();
    let text = |reason: &Reason| serde_json::to_value(reason).unwrap()["code"].as_str().unwrap().to_owned();
    item.findings
        .iter()
        .map(|f| (f.path.to_string(), format!("{} {}", f.verdict.words(), text(&f.reason))))
        .collect()
}

const DOCUMENTS: &str = "odile/folder/documents";
const BROKEN: (&str, &str) = ("Users/odile/Documents/broken.mdb", "not read left-at-capture");
const AWAY: (&str, &str) = ("away", "left behind link-leads-out");

fn expected(rows: &[(&str, &str)]) -> BTreeMap<String, String> {
    let always = [BROKEN, AWAY, ("Users/odile/Documents/marked.txt:huge", "not read left-at-capture")];
    let rows = always.iter().chain(rows);
    rows.map(|(path, text)| ((*path).to_owned(), (*text).to_owned())).collect()
}

#[test]
fn what_could_not_be_captured_stays_on_every_receipt() {
    let bench = Bench::new();
    let mut alone = None;
    crate::stand_ins::undisturbed(&mut |conduct| {
        alone = Some(
            check_trunk(&bench.trunk(), porter_trunk::Depth::Full, crate::stand_ins::NOW, conduct).unwrap(),
        );
    });
    let alone = alone.unwrap();
    assert!(alone.needs_attention() && alone.machine.is_none());
    assert_eq!(alone.totals().1.not_read, 1);

    bench.restore();
    let receipt = bench.check();
    assert_eq!(findings(&receipt, DOCUMENTS), expected(&[]));
    let documents = receipt.items.iter().find(|row| row.id == DOCUMENTS).unwrap();
    assert_eq!(
        documents.verdict,
        Verdict::LeftBehind,
        "three files landed, but one was lost to the old drive"
    );
    let music = receipt.items.iter().find(|row| row.id == "odile/folder/music").unwrap();
    assert_eq!((music.verdict, music.files.landed, music.bytes.landed), (Verdict::Landed, 1, 2));
    let (items, files, bytes) = receipt.totals();
    assert_eq!((items.landed, items.left_behind), (3, 1));
    // The registry is kept in the trunk, as planned.
    assert_eq!((files.landed, files.kept_in_trunk, files.not_read), (4, 1, 1));
    assert_eq!(bytes.landed, 10 + 6 + 10 + 2);
}

#[test]
fn each_thing_that_goes_wrong_later_has_its_verdict_and_reason() {
    let bench = Bench::new();
    bench.restore();
    fs::remove_file(bench.document("letter.txt")).unwrap();
    fs::create_dir(bench.document("letter.txt")).unwrap();
    fs::remove_dir(bench.document("Kites/empty")).unwrap();
    fs::write(bench.document("Kites/plan.txt"), "13 mm spar").unwrap();
    fs::remove_file(bench.document("link")).unwrap();
    std::os::unix::fs::symlink("letter.txt", bench.document("link")).unwrap();
    let hour_ago = SystemTime::now() - Duration::from_secs(3600);
    fs::File::options()
        .write(true)
        .open(bench.document("marked.txt"))
        .unwrap()
        .set_modified(hour_ago)
        .unwrap();
    let receipt = bench.check();
    let rows = [
        ("letter.txt", "changed other-kind-there"),
        ("Kites/empty", "missing gone-since"),
        ("Kites/plan.txt", "changed changed-since"),
        ("link", "changed link-differs"),
        ("marked.txt", "landed time-differs"),
    ];
    assert_eq!(findings(&receipt, DOCUMENTS), expected(&rows));
    let documents = receipt.items.iter().find(|row| row.id == DOCUMENTS).unwrap();
    assert_eq!(documents.verdict, Verdict::Missing, "the gravest counts");
    assert_eq!((documents.files.changed, documents.files.missing, documents.files.landed), (2, 0, 1));

    // The whole place gone, or the account.
    fs::remove_dir_all(bench.path("new/Users/odile/Music")).unwrap();
    assert_eq!(findings(&bench.check(), "odile/folder/music")["song.wav"], "missing gone-since");
    fs::rename(bench.path("new/Users/odile"), bench.path("new/Users/somebody")).unwrap();
    let receipt = bench.check();
    assert_eq!(findings(&receipt, "odile/folder/music")["song.wav"], "missing no-account");
    assert!(receipt.accounts.is_empty());
}

#[test]
fn a_plan_tells_what_it_will_do_and_a_machine_that_takes_nothing_is_told_so() {
    let bench = Bench::new();
    fs::write(bench.document("letter.txt"), "Dear Odile").unwrap();
    fs::write(bench.document("marked.txt"), "another").unwrap();
    let trunk = bench.trunk();
    let machine = bench.machine();
    crate::stand_ins::undisturbed(&mut |conduct| {
        let plan = crate::stand_ins::planned(&trunk, &machine, Existing::SetAside, conduct).unwrap();
        let action = |name: &str| {
            let path = crate::stand_ins::path(name);
            let mut due = plan.due(&trunk).unwrap().map(Result::unwrap);
            due.find(|due| due.entry.address.path == path).map(|due| due.step.action.clone())
        };
        assert_eq!(action("letter.txt"), Some(Action::Identical));
        assert_eq!(action("Kites/plan.txt"), Some(Action::Create));
        assert_eq!(action("Kites"), Some(Action::FolderMade));
        assert!(
            matches!(action("marked.txt"), Some(Action::SetAside(to)) if *to == *b"marked (set aside 2026-11-23).txt")
        );
        assert_eq!(action("away"), None);
        assert_eq!((plan.to_write.files, plan.identical.files), (3, 1));
        assert_eq!(plan.refused.iter().filter(|row| row.needs_attention).count(), 1);
        assert_eq!(plan.outline.account_names, [("odile".to_owned(), "odile".to_owned())]);

        // A volume without a folder here can be surveyed and captured, not restored to.
        let elsewhere = ScriptedVolume::windows().recognised();
        let refused = crate::stand_ins::planned(&trunk, &elsewhere, Existing::SetAside, conduct);
        assert!(matches!(refused, Err(RestoreError::ReadOnlyMachine)));
    });
}

/// A list of few entries is kept with the plan; one of many is read again while the plan is carried out.
#[test]
fn many_entries_are_read_again_and_a_list_that_was_exchanged_meanwhile_is_noticed() {
    const FILES: usize = 720;
    let name = |number: usize| format!("Kites/{}/kite {number}.txt", number % 7);
    let mut volume = ScriptedVolume::windows();
    for number in 0..FILES {
        let content = format!("kite {number}").into_bytes();
        volume.add(&format!("Users/odile/Documents/{}", name(number)), Script::WithLongNote(content));
    }
    let many = Bench::of(volume);
    let (few, another) = (Bench::new(), Bench::new());
    fs::remove_dir_all(another.path("trunk")).unwrap();
    fs::rename(many.path("trunk"), another.path("trunk")).unwrap();
    let (trunk_of_many, trunk_of_few) = (another.trunk(), few.trunk());
    crate::stand_ins::undisturbed(&mut |conduct| {
        let plan =
            crate::stand_ins::planned(&trunk_of_few, &few.machine(), Existing::SetAside, conduct).unwrap();
        let due = plan.due(&trunk_of_many).unwrap();
        assert_eq!(due.map(Result::unwrap).collect::<Vec<_>>().len(), 7, "the list of few was not kept");

        let machine = many.machine();
        let plan = crate::stand_ins::planned(&trunk_of_many, &machine, Existing::SetAside, conduct).unwrap();
        let found = plan.due(&trunk_of_few).unwrap().find_map(Result::err);
        assert!(matches!(found, Some(TrunkError::Damaged(_))), "an exchanged list is not noticed");
        assert_eq!(plan.due(&trunk_of_many).unwrap().filter(Result::is_ok).count(), FILES + 8);
        let records = to_host(&many.path("new"), &machine.records_folder().unwrap()).unwrap();
        let report = run_plan(&trunk_of_many, plan, Some(&records), &crate::stand_ins::now, conduct).unwrap();
        assert_eq!((report.written.files, report.refused.len()), (FILES as u64, 1));
    });
    for number in 0..FILES {
        assert_eq!(fs::read_to_string(many.document(&name(number))).unwrap(), format!("kite {number}"));
    }
}

#[test]
fn taking_writes_only_what_was_asked_for_and_no_records() {
    let bench = Bench::new();
    let trunk = bench.trunk();
    let take = |item: &str, below: &str, folder: &Path| {
        fs::create_dir_all(folder).unwrap();
        crate::stand_ins::undisturbed(&mut |conduct| {
            let below = crate::stand_ins::path(below);
            let plan =
                plan_take(&trunk, item, &below, &|_| true, folder, crate::stand_ins::NOW, conduct).unwrap();
            let report = run_plan(&trunk, plan, None, &crate::stand_ins::now, conduct).unwrap();
            assert!(report.journal.is_none());
        });
        let mut names: Vec<String> = fs::read_dir(folder)
            .unwrap()
            .map(|row| row.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        names
    };
    assert_eq!(take(DOCUMENTS, "Kites", &bench.path("a")), ["Kites"]);
    assert_eq!(take(DOCUMENTS, "Kites/plan.txt", &bench.path("b")), ["plan.txt"]);
    assert_eq!(take(DOCUMENTS, "", &bench.path("c")), ["Kites", "letter.txt", "link", "marked.txt"]);
    assert_eq!(take("odile/folder/home", "NTUSER.DAT", &bench.path("d")), ["NTUSER.DAT"]);
    assert_eq!(fs::metadata(bench.path("b/plan.txt")).unwrap().permissions().mode() & 0o222, 0o200);
    assert_eq!(trunk.items().len(), 4);
}
