//! Machines whose people keep their folders on a further drive: captured from there, restored to there, and
//! proved there.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{FailingTrunk, TrunkFailure};
use porter_core::capture::{CaptureError, Shape, forecast};
use porter_core::check::check_machine;
use porter_core::restore::{Wishes, plan_restore, run_plan};
use porter_kinds::choice::Selection;
use porter_kinds::existing::Existing;
use porter_kinds::receipt::Verdict;
use porter_machine::facts::{AccountFacts, SystemFacts};
use porter_machine::{Here, Machine, Place, recognise_with};
use porter_source::HostFolder;
use porter_trunk::open_form::OpenTrunk;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::Arc;

/// A machine with its system in `folder/c`, and a further drive in `folder/d`, where odile keeps her
/// documents.
fn machine(folder: &Path) -> Machine {
    for below in ["c/Windows/System32", "c/ProgramData", "c/Users/odile/Desktop", "d/Papers"] {
        fs::create_dir_all(folder.join(below)).unwrap();
    }
    fs::write(folder.join("c/Users/odile/NTUSER.DAT"), "x").unwrap();
    let volume = HostFolder::open(&folder.join("c")).unwrap().with_drive(b"D:", &folder.join("d")).unwrap();
    let odile = AccountFacts {
        name: b"odile".to_vec(),
        home: crate::stand_ins::path("Users/odile"),
        places: BTreeMap::from([(Place::Documents, crate::stand_ins::path("D:/Papers"))]),
        ..AccountFacts::default()
    };
    let facts = SystemFacts { accounts: vec![odile], ..SystemFacts::default() };
    recognise_with(Arc::new(volume), "LOFT-PC".to_owned(), Some(facts)).unwrap()
}

#[test]
fn documents_on_a_further_drive_are_carried_from_there_to_there() {
    let bench = tempfile::tempdir().unwrap();
    let (old, new) = (bench.path().join("old"), bench.path().join("new"));
    let from = machine(&old);
    fs::create_dir_all(old.join("d/Papers/Kites")).unwrap();
    fs::write(old.join("d/Papers/Kites/plan.txt"), "spar 12 mm").unwrap();
    fs::write(old.join("d/elsewhere.txt"), "not a place of anybody").unwrap();
    let to = machine(&new);
    fs::write(new.join("d/Papers/Kites"), "a file in the way").unwrap();

    let survey = crate::stand_ins::surveyed(&from);
    let trunk = bench.path().join("trunk");
    let writer = FailingTrunk::create(&trunk, TrunkFailure::Never);
    crate::stand_ins::undisturbed(&mut |conduct| {
        let report = crate::stand_ins::capture_all(&from, &survey, &writer, conduct).unwrap();
        assert_eq!(report.seen, report.captured + report.left);
    });
    assert!(trunk.join("data/odile/documents/Kites/plan.txt").is_file());

    let trunk = OpenTrunk::load(&trunk).unwrap();
    crate::stand_ins::undisturbed(&mut |conduct| {
        let given = BTreeMap::new();
        let all = Selection::default();
        let plan = plan_restore(
            &trunk,
            &to,
            &crate::stand_ins::kinds(),
            &Wishes {
                land_held: &Default::default(),
                accounts: &given,
                selection: &all,
                kinds: &Default::default(),
                now_utc: crate::stand_ins::NOW,
            },
            &mut |_| Existing::SetAside,
            conduct,
        )
        .unwrap();
        let records = to.records_on_host().unwrap();
        run_plan(&trunk, plan, Some(&records), &crate::stand_ins::now, conduct).unwrap();
        let receipt = check_machine(
            &trunk,
            &to,
            &crate::stand_ins::kinds(),
            &given,
            &all,
            crate::stand_ins::NOW,
            conduct,
        )
        .unwrap();
        assert!(
            !receipt.needs_attention() && receipt.items.iter().all(|item| item.verdict == Verdict::Landed)
        );
    });
    assert_eq!(fs::read(new.join("d/Papers/Kites/plan.txt")).unwrap(), b"spar 12 mm");
    assert_eq!(fs::read(new.join("d/Papers/Kites (set aside 2026-11-23)")).unwrap(), b"a file in the way");
    assert!(new.join("c/ProgramData/Loyal Porter").is_dir(), "the records are with the system");
    assert!(!new.join("c/Users/odile/Documents").exists() && !new.join("d/elsewhere.txt").exists());
}

#[test]
fn the_running_machine_keeps_its_trunk_out_of_what_it_captures() {
    let bench = tempfile::tempdir().unwrap();
    let mut machine = machine(bench.path());
    for file in ["c/Users/odile/Desktop/note.txt", "d/Papers/plan.txt"] {
        fs::write(bench.path().join(file), "x").unwrap();
    }
    let survey = crate::stand_ins::surveyed(&machine);
    let refused = |machine: &Machine, trunk: &str| {
        forecast(machine, &survey, &bench.path().join(trunk), Shape::Files, false).err()
    };
    // A mounted machine is not written to at all.
    assert!(matches!(refused(&machine, "c/trunk"), Some(CaptureError::TrunkOnOldMachine(_))));
    machine.here = Some(Here { as_administrator: true });
    for (trunk, item) in [
        ("c/Users/odile/Desktop/trunk", "odile/folder/desktop"),
        ("c/Users/odile/trunk", "odile/folder/home"),
        ("d/Papers/trunk", "odile/folder/documents"),
    ] {
        let refused = refused(&machine, trunk);
        assert!(
            matches!(&refused, Some(CaptureError::TrunkInItem { item: named, .. }) if named == item),
            "{trunk}: {refused:?}"
        );
    }
    assert!(refused(&machine, "d/trunk").is_none() && refused(&machine, "stick/trunk").is_none());
}
