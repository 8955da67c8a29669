//! Captures from drives that die: what can be read is in the trunk, what cannot is named, and what the trunk
//! had stays.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]
#![allow(clippy::single_range_in_vec_init, reason = "one stretch of bad sectors is meant")]

use crate::stand_ins::{FailingTrunk, NOW, Script, ScriptedVolume, TrunkFailure};
use porter_core::capture::{CaptureError, CaptureReport};
use porter_core::check::{check_machine, check_trunk};
use porter_core::restore::run_plan;
use porter_kinds::choice::Selection;
use porter_kinds::existing::Existing;
use porter_kinds::receipt::Reason;
use porter_machine::{Machine, recognise};
use porter_source::HostFolder;
use porter_trunk::open_form::OpenTrunk;
use porter_trunk::packed_form::{PackedOptions, PackedTrunk, PackedTrunkWriter};
use porter_trunk::{Content, ContentHash, Depth, Entry, LeftReason, Trunk};
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::Arc;

const DOCUMENTS: &str = "Users/odile/Documents";

fn noise(seed: u64, length: usize) -> Vec<u8> {
    let mut dice = porter_demo::dice::Dice::named(&seed.to_string());
    (0..length.div_ceil(8)).flat_map(|_| dice.roll().to_le_bytes()).take(length).collect()
}

/// A capture into a packed trunk, new or there already, that began on a day of November.
fn captured(machine: &Machine, trunk: &Path, day: u8) -> Result<CaptureReport, CaptureError> {
    let mut label = crate::stand_ins::label(&["odile"]);
    label.started_utc = NOW.replace_day(day).unwrap();
    let options = PackedOptions::default();
    let writer = if trunk.exists() {
        PackedTrunkWriter::go_on(&[trunk.to_path_buf()], None, label, None, &options).unwrap()
    } else {
        PackedTrunkWriter::create(trunk, label, None, &options).unwrap()
    };
    let found = crate::stand_ins::surveyed(machine);
    let mut report = None;
    crate::stand_ins::undisturbed(&mut |conduct| {
        report = Some(crate::stand_ins::capture_all(machine, &found, &writer, conduct));
    });
    report.unwrap()
}

/// A trunk's entries in Documents, by path and by whether they are incomplete.
fn held(trunk: &dyn Trunk) -> BTreeMap<(String, bool), Entry> {
    let entries = trunk.entries().unwrap().map(Result::unwrap);
    let files =
        entries.filter(|entry| entry.address.place == "documents" && entry.content != Content::Folder);
    files.map(|entry| ((entry.address.path.to_string(), entry.is_incomplete()), entry)).collect()
}

fn is_of(entry: &Entry, content: &[u8]) -> bool {
    matches!(&entry.content, Content::File { hash, .. } if *hash == ContentHash::of(content))
}

fn codes(report: &CaptureReport) -> Vec<(String, &'static str)> {
    let attention = report.left_behind.iter().filter(|row| row.reason.needs_attention());
    let name = |path: &porter_names::RelativePath| path.to_string().replace(&format!("{DOCUMENTS}/"), "");
    let mut codes: Vec<_> = attention.map(|row| (name(&row.volume_path), row.reason.code())).collect();
    codes.sort();
    codes
}

fn with(scripts: &[(&str, Script)]) -> Machine {
    let mut volume = ScriptedVolume::windows();
    for (name, script) in scripts {
        volume.add(&format!("{DOCUMENTS}/{name}"), script.clone());
    }
    volume.recognised()
}

#[test]
fn a_top_up_from_a_dying_drive_keeps_what_the_trunk_had() {
    let bench = tempfile::tempdir().unwrap();
    let trunk = bench.path().join("trunk");
    let letters: Vec<(String, Vec<u8>)> =
        (0..40).map(|number| (format!("letters/{number}.txt"), noise(number, 500))).collect();
    let mailbox = noise(100, 900_000);
    let mut before: Vec<(&str, Script)> =
        letters.iter().map(|(name, content)| (name.as_str(), Script::File(content.clone()))).collect();
    before.push(("mailbox.mbox", Script::File(mailbox.clone())));
    before.push(("plan.txt", Script::File(b"spar 12 mm".to_vec())));
    captured(&with(&before), &trunk, 20).unwrap();

    // The mailbox changed, and then its sectors went bad; the folder and the plan cannot be read at all any
    // more.
    let newer = noise(101, 950_000);
    let dying = with(&[
        ("letters", Script::ShutFolder),
        ("mailbox.mbox", Script::BadSectors(vec![400_000..500_000], newer.clone())),
        ("plan.txt", Script::InUse),
    ]);
    for day in [21, 22] {
        let report = captured(&dying, &trunk, day).unwrap();
        assert_eq!(
            codes(&report),
            [
                ("letters".to_owned(), "permission-denied"),
                ("mailbox.mbox".to_owned(), "incomplete"),
                ("plan.txt".to_owned(), "in-use")
            ]
        );
        let kept: Vec<u64> =
            report.left_behind.iter().filter_map(|row| Some(row.kept.as_ref()?.tally.files)).collect();
        assert_eq!(kept.iter().sum::<u64>(), 42, "the summary says what is kept: {kept:?}");
        assert_eq!(report.seen, report.captured + report.left);

        let trunk = PackedTrunk::load(std::slice::from_ref(&trunk), None).unwrap();
        let held = held(&trunk);
        assert_eq!(held.len(), 43);
        for (name, content) in &letters {
            let entry = &held[&(name.clone(), false)];
            assert!(is_of(entry, content), "{name}");
            assert_eq!(entry.kept_from_utc, Some(NOW.replace_day(20).unwrap()), "{name}");
        }
        assert!(is_of(&held[&("mailbox.mbox".to_owned(), false)], &mailbox), "whole, as it was");
        let part = &held[&("mailbox.mbox".to_owned(), true)];
        // 400,000 lies in a sector: what stands before it there can be read, and what is behind 500,000 not
        // from its sector's beginning.
        assert!((99_000..=101_000).contains(&part.missing_in_bytes()), "{:?}", part.missing);
        crate::stand_ins::undisturbed(&mut |conduct| {
            let receipt = check_trunk(&trunk, Depth::Full, NOW, conduct).unwrap();
            assert!(receipt.general.is_empty(), "{:?}", receipt.general);
            assert!(receipt.needs_attention());
        });
    }

    // The drive comes to itself once more: what can be read whole replaces both.
    let well = with(&[
        ("mailbox.mbox", Script::File(newer.clone())),
        ("plan.txt", Script::wavering(2, b"spar 14 mm".to_vec())),
    ]);
    let report = captured(&well, &trunk, 23).unwrap();
    assert_eq!(codes(&report), []);
    let held = held(&PackedTrunk::load(&[trunk], None).unwrap());
    assert_eq!(held.len(), 2, "what is not there any more is not kept");
    assert!(is_of(&held[&("mailbox.mbox".to_owned(), false)], &newer));
    assert!(is_of(&held[&("plan.txt".to_owned(), false)], b"spar 14 mm"));
}

#[test]
fn the_readable_part_of_a_file_lands_under_a_name_that_says_so() {
    let bench = tempfile::tempdir().unwrap();
    let (trunk, new) = (bench.path().join("trunk"), bench.path().join("new"));
    let content = noise(1, 9_000_000);
    let machine = with(&[
        (
            "mailbox.mbox",
            Script::BadSectors(vec![1_000_448..1_000_960, 5_000_192..5_100_032], content.clone()),
        ),
        ("nothing of it.doc", Script::BadSectors(vec![0..usize::MAX], vec![1; 9000])),
        ("wavers.doc", Script::wavering(3, vec![2; 9000])),
    ]);
    let report = captured(&machine, &trunk, 20).unwrap();
    assert_eq!(
        codes(&report),
        [("mailbox.mbox".to_owned(), "incomplete"), ("nothing of it.doc".to_owned(), "medium")]
    );
    let incomplete = report.left_behind.iter().find_map(|row| match row.reason {
        LeftReason::Incomplete { missing_in_bytes, .. } => Some(missing_in_bytes),
        _ => None,
    });
    assert_eq!(incomplete, Some(512 + 99_840), "the two holes, in whole sectors");

    lands_in_part(&PackedTrunk::load(&[trunk], None).unwrap(), &new.join("of packed"), &content);
    // In an open trunk it has the name already under which it lands.
    let open = bench.path().join("open");
    let writer = FailingTrunk::create(&open, TrunkFailure::Never);
    let survey = crate::stand_ins::surveyed(&machine);
    crate::stand_ins::undisturbed(&mut |conduct| {
        crate::stand_ins::capture_all(&machine, &survey, &writer, conduct).unwrap();
    });
    lands_in_part(&OpenTrunk::load(&open).unwrap(), &new.join("of open"), &content);
}

fn lands_in_part(trunk: &dyn Trunk, new: &Path, content: &[u8]) {
    for folder in ["Windows/System32", "Users/odile/Documents", "ProgramData"] {
        fs::create_dir_all(new.join(folder)).unwrap();
    }
    fs::write(new.join("Users/odile/Documents/mailbox.mbox"), "of the new machine").unwrap();
    let target = recognise(Arc::new(HostFolder::open(new).unwrap()), "NEW".to_owned()).unwrap();
    crate::stand_ins::undisturbed(&mut |conduct| {
        let plan = crate::stand_ins::planned(trunk, &target, Existing::SetAside, conduct).unwrap();
        assert!(
            matches!(plan.changes.notes()[..], [(_, Reason::Incomplete { .. })]),
            "{:?}",
            plan.changes.notes()
        );
        let records = new.join("ProgramData/records");
        run_plan(trunk, plan, Some(&records), &crate::stand_ins::now, conduct).unwrap();
        let documents = new.join("Users/odile/Documents");
        assert_eq!(fs::read(documents.join("mailbox.mbox")).unwrap(), b"of the new machine");
        let landed = fs::read(documents.join("mailbox (incomplete).mbox")).unwrap();
        let wrong = (0..content.len()).filter(|at| landed[*at] != content[*at]);
        assert!(wrong.clone().count() <= 100_352 && wrong.clone().all(|at| landed[at] == 0));

        let receipt = check_machine(
            trunk,
            &target,
            &crate::stand_ins::kinds(),
            &BTreeMap::new(),
            &Selection::default(),
            NOW,
            conduct,
        )
        .unwrap();
        let documents = receipt.items.iter().find(|item| item.id == "odile/folder/documents").unwrap();
        let attention: Vec<_> = documents.findings.iter().filter(|finding| finding.needs_attention).collect();
        let said: Vec<String> = attention.iter().map(|finding| finding.path.to_string()).collect();
        assert_eq!(said, ["mailbox (incomplete).mbox", &format!("{DOCUMENTS}/nothing of it.doc")]);
        assert!(matches!(attention[0].reason, Reason::Incomplete { missing_in_bytes: 100_352, .. }));
        assert_eq!((documents.files.changed, documents.files.landed), (1, 1));
    });
}

#[test]
fn a_file_that_is_written_to_is_read_again_and_named_if_that_never_ends() {
    let bench = tempfile::tempdir().unwrap();
    let soon_quiet = with(&[("log.txt", Script::WrittenTo(2, b"three lines".to_vec()))]);
    assert_eq!(codes(&captured(&soon_quiet, &bench.path().join("quiet"), 20).unwrap()), []);
    let never_quiet = with(&[("log.txt", Script::WrittenTo(99, b"three lines".to_vec()))]);
    let trunk = bench.path().join("never");
    let report = captured(&never_quiet, &trunk, 20).unwrap();
    assert_eq!(codes(&report), [("log.txt".to_owned(), "changed-while-read")]);
    assert_eq!(held(&PackedTrunk::load(&[trunk], None).unwrap()).len(), 1, "it is carried all the same");
}

#[test]
fn a_drive_that_is_gone_ends_the_run_and_what_is_captured_stays() {
    let bench = tempfile::tempdir().unwrap();
    let trunk = bench.path().join("trunk");
    let pulled = with(&[("a.txt", Script::File(noise(1, 5000))), ("b.txt", Script::Unplugged)]);
    assert!(matches!(captured(&pulled, &trunk, 20), Err(CaptureError::DriveGone)));
    let plugged = with(&[("a.txt", Script::File(noise(1, 5000))), ("b.txt", Script::File(noise(2, 5000)))]);
    captured(&plugged, &trunk, 21).unwrap();
    assert_eq!(held(&PackedTrunk::load(&[trunk], None).unwrap()).len(), 2);
}
