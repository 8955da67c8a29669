//! For chance trees, old and new, and each way to treat what is there: after a restore, what is on the new
//! machine together with what was set aside holds every byte that either side had, and a check finds
//! everything. After the undo of every restore the machine is as it was, to the times of its folders.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_core::check::check_machine;
use porter_core::journal::runs_in;
use porter_core::restore::{RestoreError, RestoreReport, run_plan};
use porter_core::undo::{UndoGrounds, take_back};
use porter_demo::dice::Dice;
use porter_kinds::choice::Selection;
use porter_kinds::existing::Existing;
use porter_machine::{Machine, recognise};
use porter_names::host::to_host;
use porter_source::HostFolder;
use porter_trunk::open_form::{OpenTrunk, OpenTrunkWriter};
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

fn machine(root: &Path) -> Machine {
    for folder in ["Windows/System32", "Users/odile/Documents", "Users/odile/Desktop", "ProgramData"] {
        fs::create_dir_all(root.join(folder)).unwrap();
    }
    recognise(Arc::new(HostFolder::open(root).unwrap()), "PC".to_owned()).unwrap()
}

/// Few names, so that old and new meet often, in all combinations of file, folder and link.
fn scatter(root: &Path, dice: &mut Dice) {
    const NAMES: [&str; 9] =
        ["a", "A", "letter.txt", "Letter.TXT", "b.", "NUL", "é", "e\u{301}", "plan (1).doc"];
    for _ in 0..40 {
        let mut at = root.join(dice.pick(&["Users/odile/Documents", "Users/odile/Desktop", "Kite Plans"]));
        for _ in 0..dice.below(4) {
            at.push(dice.pick(&NAMES));
        }
        if fs::create_dir_all(&at).is_err() {
            continue;
        }
        let name = at.join(dice.pick(&NAMES));
        // The present file stays: the first one wins.
        if fs::symlink_metadata(&name).is_ok() {
            continue;
        }
        match dice.below(8) {
            0 => fs::create_dir(&name).unwrap(),
            1 => std::os::unix::fs::symlink(dice.pick(&["a", "../a", "/etc", "b./x"]), &name).unwrap(),
            _ => fs::write(&name, format!("content {}", dice.below(12))).unwrap(),
        }
    }
}

/// Every content and every link target below a folder, without porter's own records.
fn contents(root: &Path) -> BTreeSet<Vec<u8>> {
    let mut found = BTreeSet::new();
    let mut folders = vec![root.to_path_buf()];
    while let Some(folder) = folders.pop() {
        for row in fs::read_dir(folder).unwrap() {
            let path = row.unwrap().path();
            let kind = fs::symlink_metadata(&path).unwrap();
            if path.ends_with("Loyal Porter") {
                continue;
            }
            if kind.is_symlink() {
                found.insert(fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes());
            } else if kind.is_dir() {
                folders.push(path);
            } else {
                assert!(!path.to_string_lossy().ends_with(".part"), "left over: {}", path.display());
                found.insert(fs::read(&path).unwrap());
            }
        }
    }
    found
}

/// All that is below a folder, by path: what it is, and when it last changed. Without porter's own records.
fn snapshot(root: &Path) -> BTreeMap<PathBuf, (Vec<u8>, SystemTime)> {
    let mut found = BTreeMap::new();
    let mut folders = vec![root.to_path_buf()];
    while let Some(folder) = folders.pop() {
        for row in fs::read_dir(folder).unwrap() {
            let path = row.unwrap().path();
            let metadata = fs::symlink_metadata(&path).unwrap();
            if path.ends_with("Loyal Porter") {
                continue;
            }
            let content = if metadata.is_symlink() {
                [b"to ", fs::read_link(&path).unwrap().as_os_str().as_encoded_bytes()].concat()
            } else if metadata.is_dir() {
                folders.push(path.clone());
                b"folder".to_vec()
            } else {
                fs::read(&path).unwrap()
            };
            found.insert(path, (content, metadata.modified().unwrap()));
        }
    }
    found
}

fn undo_all(new: &Path) {
    let machine = machine(new);
    let records = machine.records_on_host().unwrap();
    let target = machine.volume.host_tree().unwrap();
    let catalogue = crate::stand_ins::kinds();
    let grounds = UndoGrounds::new(&machine, &catalogue);
    crate::stand_ins::undisturbed(&mut |conduct| {
        for run in runs_in(&records).iter().rev() {
            let planned = take_back(run, target, &grounds, true, &crate::stand_ins::now, conduct).unwrap();
            let report = take_back(run, target, &grounds, false, &crate::stand_ins::now, conduct).unwrap();
            assert_eq!(report.kept, []);
            assert_eq!((planned.removed, planned.put_back), (report.removed, report.put_back));
        }
        assert!(runs_in(&records).iter().all(|run| run.undone.is_some()));
    });
}

fn capture_into(old: &Path, trunk: &Path) -> OpenTrunk {
    let machine = machine(old);
    let found = crate::stand_ins::surveyed(&machine);
    let writer = OpenTrunkWriter::create(trunk, crate::stand_ins::label(&["odile"])).unwrap();
    crate::stand_ins::undisturbed(&mut |conduct| {
        crate::stand_ins::capture_all(&machine, &found, &writer, conduct).unwrap();
    });
    OpenTrunk::load(trunk).unwrap()
}

fn restore_onto(
    trunk: &OpenTrunk,
    new: &Path,
    existing: Existing,
    stop_after: u64,
) -> Result<RestoreReport, RestoreError> {
    let machine = machine(new);
    let records = to_host(new, &machine.records_folder().unwrap()).unwrap();
    let mut done = None;
    crate::stand_ins::stopped_after(stop_after, &mut |conduct| {
        let plan = crate::stand_ins::planned(trunk, &machine, existing, conduct);
        done = Some(
            plan.and_then(|plan| run_plan(trunk, plan, Some(&records), &crate::stand_ins::now, conduct)),
        );
    });
    done.unwrap()
}

#[test]
fn no_byte_of_either_side_is_lost() {
    for round in 0..60 {
        let mut dice = Dice::named(&format!("round {round}"));
        let bench = tempfile::tempdir().unwrap();
        let (old, new) = (bench.path().join("old"), bench.path().join("new"));
        machine(&old);
        machine(&new);
        scatter(&old, &mut dice);
        scatter(&new, &mut dice);
        let (of_old, of_new, before) = (contents(&old), contents(&new), snapshot(&new));
        let existing = *dice.pick(&[&Existing::SetAside, &Existing::Keep, &Existing::Newer]);
        let trunk = capture_into(&old, &bench.path().join("trunk"));

        // Cut off somewhere first, in every other round.
        if round % 2 == 0 {
            let cut = restore_onto(&trunk, &new, existing, 3 + dice.below(60) as u64);
            assert!(matches!(cut, Ok(_) | Err(RestoreError::Cancelled)), "round {round}: {cut:?}");
            assert!(of_new.is_subset(&contents(&new)), "round {round}: a cut restore lost something");
        }
        let report = restore_onto(&trunk, &new, existing, u64::MAX).unwrap();
        let after = contents(&new);
        assert!(of_new.is_subset(&after), "round {round}: the new machine lost something");
        let refused: BTreeSet<String> =
            report.refused.iter().map(|refused| refused.path.to_string()).collect();
        let lost: Vec<_> = of_old.difference(&after).collect();
        assert!(lost.is_empty() || !refused.is_empty(), "round {round}: {lost:?} was lost in silence");

        // The check agrees: only the entries that the restore refused did not land.
        let target = machine(&new);
        crate::stand_ins::undisturbed(&mut |conduct| {
            let receipt = check_machine(
                &trunk,
                &target,
                &crate::stand_ins::kinds(),
                &BTreeMap::new(),
                &Selection::default(),
                crate::stand_ins::NOW,
                conduct,
            )
            .unwrap();
            for finding in receipt.items.iter().flat_map(|item| &item.findings).filter(|f| f.needs_attention)
            {
                assert!(refused.contains(&finding.path.to_string()), "round {round}: {finding:?}");
            }
        });
        let again = restore_onto(&trunk, &new, existing, u64::MAX).unwrap();
        assert_eq!(again.written.files, 0, "round {round}: a second restore wrote {:?}", again.set_aside);
        assert_eq!(contents(&new), after, "round {round}");
        undo_all(&new);
        assert_eq!(snapshot(&new), before, "round {round}, {existing:?}");
    }
}
