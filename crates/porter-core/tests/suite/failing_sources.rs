//! Captures from machines and onto drives that fail: nothing is lost in silence, and nothing half-done
//! counts.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{FailingTrunk, Script, ScriptedVolume, TrunkFailure};
use porter_core::capture::{CaptureError, CaptureReport, Shape, forecast};
use porter_core::survey::survey;
use porter_kinds::caution::Caution;
use porter_kinds::choice::Selection;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::open_form::OpenTrunk;
use porter_trunk::{Content, Trunk, TrunkError};
use std::collections::BTreeMap;
use std::path::Path;

fn captured(machine: &Machine, folder: &Path, failure: TrunkFailure) -> Result<CaptureReport, CaptureError> {
    let found = crate::stand_ins::surveyed(machine);
    let trunk = FailingTrunk::create(folder, failure);
    let mut report = None;
    crate::stand_ins::undisturbed(&mut |conduct| {
        report = Some(crate::stand_ins::capture_all(machine, &found, &trunk, conduct));
    });
    report.unwrap()
}

/// Entries that were left and need attention, by path.
fn left(report: &CaptureReport) -> BTreeMap<String, &'static str> {
    let attention = report.left_behind.iter().filter(|row| row.reason.needs_attention());
    attention.map(|row| (row.volume_path.to_string(), row.reason.code())).collect()
}

#[test]
fn each_way_to_fail_is_named_and_the_rest_is_captured() {
    let mut volume = ScriptedVolume::windows();
    let documents = "Users/odile/Documents";
    let large = vec![7; 3_000_000];
    for (name, script) in [
        ("good.txt", Script::File(b"good".to_vec())),
        ("bad sector.mdb", Script::BadSectorAfter(1_000_000, large)),
        ("grew.log", Script::Listed(3, b"longer now".to_vec())),
        ("shrank.log", Script::Listed(1 << 40, b"short".to_vec())),
        ("vanishes.tmp", Script::Vanishes),
        ("open in a program.docx", Script::InUse),
        ("encrypted.docx", Script::EncryptedForAnother),
        ("streams.doc", Script::WithStreams(b"content".to_vec())),
        ("shut", Script::ShutFolder),
        ("only in the cloud.docx", Script::InTheCloud(vec![0; 4096])),
        ("server", Script::Mounted),
        ("server/a.txt", Script::File(b"another volume's".to_vec())),
        ("pipe", Script::Pipe),
        ("link", Script::Link(b"good.txt".to_vec())),
        ("empty", Script::Folder),
    ] {
        volume.add(&format!("{documents}/{name}"), script);
    }
    let folder = tempfile::tempdir().unwrap();
    let report = captured(&volume.recognised(), &folder.path().join("trunk"), TrunkFailure::Never).unwrap();

    let expected = [
        ("bad sector.mdb", "incomplete"),
        ("encrypted.docx", "encrypted"),
        ("only in the cloud.docx", "cloud-only"),
        ("open in a program.docx", "in-use"),
        ("pipe", "not-a-file"),
        ("server", "other-volume"),
        ("shut", "permission-denied"),
        ("streams.doc:huge", "stream-not-read"),
        ("vanishes.tmp", "gone"),
    ];
    let expected: BTreeMap<String, &str> =
        expected.iter().map(|(name, code)| (format!("{documents}/{name}"), *code)).collect();
    assert_eq!(left(&report), expected);
    assert_eq!(report.seen, report.captured + report.left);
    // Registry, good, grew, shrank and streams, by the sizes they really have.
    assert_eq!((report.captured.files, report.captured.size_in_bytes), (6, 8 + 4 + 10 + 5 + 7 + 3_000_000));

    let trunk = OpenTrunk::load(&folder.path().join("trunk")).unwrap();
    let documents = folder.path().join("trunk/data/odile/documents");
    assert!(!documents.join("bad sector.mdb").exists(), "half a file has the name of a whole one");
    let readable = std::fs::read(documents.join("bad sector (incomplete).mdb")).unwrap();
    assert!(readable.len() == 3_000_000 && readable[..1_000_000].iter().all(|byte| *byte == 7));
    let entries: Vec<_> = trunk.entries().unwrap().map(Result::unwrap).collect();
    let streams =
        entries.iter().find(|entry| entry.address.path == crate::stand_ins::path("streams.doc")).unwrap();
    assert_eq!(streams.streams[0].content, b"a note");
    assert_eq!(streams.attributes.windows_bits(), 0x22);
    assert!(
        entries
            .iter()
            .any(|entry| matches!(&entry.content, Content::Link { target } if target == b"good.txt"))
    );
    let shrank =
        entries.iter().find(|entry| entry.address.path == crate::stand_ins::path("shrank.log")).unwrap();
    assert!(
        matches!(shrank.content, Content::File { size_in_bytes: 5, .. }),
        "a listed length is not believed"
    );
}

#[test]
fn a_drive_that_fills_up_ends_the_run_and_leaves_no_trunk() {
    let mut volume = ScriptedVolume::windows();
    for number in 0..2000 {
        volume.add(&format!("Users/odile/Documents/{number}.txt"), Script::File(vec![1; 100]));
    }
    let folder = tempfile::tempdir().unwrap();
    let trunk = folder.path().join("trunk");
    let failed = captured(&volume.recognised(), &trunk, TrunkFailure::FullAfter(700)).unwrap_err();
    assert!(matches!(failed, CaptureError::Trunk(TrunkError::Full)), "{failed}");
    assert!(matches!(OpenTrunk::load(&trunk), Err(TrunkError::Unfinished(_))));
}

#[test]
fn a_file_too_large_for_the_drive_is_named_and_the_rest_goes_on() {
    let mut volume = ScriptedVolume::windows();
    volume.add("Users/odile/Documents/film.avi", Script::File(vec![1; 5000]));
    volume.add("Users/odile/Documents/letter.txt", Script::File(vec![1; 500]));
    let folder = tempfile::tempdir().unwrap();
    let failure = TrunkFailure::NothingLargerThan(4096);
    let report = captured(&volume.recognised(), &folder.path().join("trunk"), failure).unwrap();
    assert_eq!(
        left(&report),
        BTreeMap::from([("Users/odile/Documents/film.avi".to_owned(), "too-large-for-trunk")])
    );
    assert_eq!(report.captured.files, 2);
}

#[test]
fn a_drive_that_keeps_other_bytes_is_found_out_before_the_trunk_counts() {
    let mut volume = ScriptedVolume::windows();
    volume.add("Users/odile/Documents/letter.txt", Script::File(b"Dear Odile".to_vec()));
    let folder = tempfile::tempdir().unwrap();
    let trunk = folder.path().join("trunk");
    let failed = captured(&volume.recognised(), &trunk, TrunkFailure::Lies).unwrap_err();
    assert!(matches!(&failed, CaptureError::ReadBack { damage, .. } if damage.len() == 1), "{failed}");
    assert!(matches!(OpenTrunk::load(&trunk), Err(TrunkError::Unfinished(_))));
}

#[test]
fn a_run_that_is_stopped_ends_soon_and_leaves_no_trunk() {
    let mut volume = ScriptedVolume::windows();
    for number in 0..3000 {
        volume.add(&format!("Users/odile/Documents/{}/{number}.txt", number / 30), Script::File(vec![1; 10]));
    }
    let machine = volume.recognised();
    crate::stand_ins::stopped_after(10, &mut |conduct| {
        assert!(
            survey(
                &machine,
                &crate::stand_ins::kinds(),
                &Selection::default(),
                &crate::stand_ins::everything(),
                conduct
            )
            .is_err()
        );
    });
    let found = crate::stand_ins::surveyed(&machine);
    let folder = tempfile::tempdir().unwrap();
    // While copying, and while reading back.
    for (name, events) in [("early", 50), ("late", 9_500)] {
        let trunk = FailingTrunk::create(&folder.path().join(name), TrunkFailure::Never);
        crate::stand_ins::stopped_after(events, &mut |conduct| {
            let ended = crate::stand_ins::capture_all(&machine, &found, &trunk, conduct);
            assert!(matches!(ended, Err(CaptureError::Cancelled)), "{name}");
        });
        assert!(
            matches!(OpenTrunk::load(&folder.path().join(name)), Err(TrunkError::Unfinished(_))),
            "{name}"
        );
    }
}

#[test]
fn what_cannot_fit_is_refused_before_the_first_byte() {
    let mut volume = ScriptedVolume::windows();
    volume.add("Users/odile/Documents/impossible.vhd", Script::Listed(1 << 60, Vec::new()));
    let machine = volume.recognised();
    let folder = tempfile::tempdir().unwrap();
    let trunk = folder.path().join("not/there/yet");
    let refused =
        forecast(&machine, &crate::stand_ins::surveyed(&machine), &trunk, Shape::Files, false).unwrap_err();
    assert!(
        matches!(refused, CaptureError::NoRoom { needed_in_bytes, .. } if needed_in_bytes > 1 << 60),
        "{refused}"
    );
    assert!(!trunk.exists());
}

#[test]
fn a_survey_warns_of_what_will_be_trouble() {
    let mut volume = ScriptedVolume::windows();
    let deep = "a folder with a name of some length/".repeat(8);
    for (at, script) in [
        ("Users/odile/Documents/film.mkv".to_owned(), Script::Listed(5 << 30, Vec::new())),
        (format!("Users/odile/Documents/{deep}end.txt"), Script::File(b"x".to_vec())),
        ("Users/odile/Documents/what?.txt".to_owned(), Script::File(b"x".to_vec())),
        ("Users/odile/Documents/shut".to_owned(), Script::ShutFolder),
        ("Users/odile/Documents/elsewhere".to_owned(), Script::Link(b"D:\\Stuff".to_vec())),
        ("Users/odile/Documents/secret.docx".to_owned(), Script::EncryptedForAnother),
        ("Users/odile/AppData/Roaming/Thunderbird/profiles.ini".to_owned(), Script::File(b"x".to_vec())),
        ("hiberfil.sys".to_owned(), Script::File(b"HIBR and what was in memory".to_vec())),
        ("Users/odile/Pictures".to_owned(), Script::Link(b"D:\\Pictures".to_vec())),
        ("Users/odile/AppData/Roaming/KiteCAD/a.ini".to_owned(), Script::File(b"x".to_vec())),
        ("Users/copied by hand/Desktop/x.txt".to_owned(), Script::File(b"x".to_vec())),
        ("Windows.old/Users/bram/NTUSER.DAT".to_owned(), Script::File(b"x".to_vec())),
    ] {
        volume.add(&at, script);
    }
    let mut machine = volume.recognised();
    machine.state.encrypted_with = Some("BitLocker".to_owned());
    machine.without_folder = vec!["stall".to_owned()];
    machine.running = Some(["thunderbird".to_owned()].into());
    let found = crate::stand_ins::surveyed(&machine);
    let documents = found.items.iter().find(|row| row.item.id == "odile/folder/documents").unwrap();
    assert_eq!(
        documents.cautions,
        [
            Caution::Unreadable { count: 1 },
            Caution::EncryptedFiles { count: 1 },
            Caution::Links { count: 1 },
            Caution::TooLargeForFat32 { count: 1 },
            Caution::NamesWindowsCannotHold { count: 1 },
            // The last folder of the deep path, and the file in it.
            Caution::LongPaths { count: 3 },
        ]
    );
    let of_account = |id: &str| &found.accounts.iter().find(|row| row.id == id).unwrap().cautions;
    assert_eq!(of_account("odile"), &[Caution::PlaceIsLink { place: "pictures" }]);
    assert_eq!(of_account("copied-by-hand"), &[Caution::NoRegistry]);
    let of_machine = [
        Caution::RegistryMissing,
        Caution::Hibernated,
        Caution::DriveEncrypted { with: "BitLocker".to_owned() },
        Caution::WithoutFolder { names: vec!["stall".to_owned()] },
        Caution::EarlierWindows { path: "Windows.old".to_owned() },
    ];
    assert_eq!(found.cautions, of_machine);
    let mail = found.items.iter().find(|row| row.item.id == "odile/mail/thunderbird").unwrap();
    assert_eq!(mail.cautions, [Caution::ProgramRunning { programs: vec!["thunderbird".to_owned()] }]);
    let data = found.items.iter().find(|row| row.item.id == "odile/folder/roaming-data").unwrap();
    assert!(data.cautions.is_empty());
    assert!(!found.items.iter().any(|row| row.item.id == "odile/folder/pictures"), "a link was followed");
    assert!(!found.items.iter().any(|row| row.item.id.contains("windows-old")));
}

#[test]
fn names_of_any_bytes_are_kept_exactly() {
    let mut volume = ScriptedVolume::windows();
    let documents = crate::stand_ins::path("Users/odile/Documents");
    // Latin-1, a lone surrogate as WTF-8, a line end, and a name that turns the reading direction.
    let names: [&[u8]; 4] =
        [b"caf\xe9.txt", b"lone \xed\xa0\x80.txt", b"two\nlines.txt", "\u{202e}txt.exe".as_bytes()];
    for name in names {
        volume.add_exact(&documents.join(name).unwrap(), Script::File(name.to_vec()));
    }
    let folder = tempfile::tempdir().unwrap();
    captured(&volume.recognised(), &folder.path().join("trunk"), TrunkFailure::Never).unwrap();
    let trunk = OpenTrunk::load(&folder.path().join("trunk")).unwrap();
    let entries: Vec<_> = trunk.entries().unwrap().map(Result::unwrap).collect();
    for name in names {
        let exact = RelativePath::root().join(name).unwrap();
        let entry = entries.iter().find(|entry| entry.address.path == exact).unwrap();
        let mut content = Vec::new();
        trunk.open_content(entry).unwrap().read_to_end(&mut content).unwrap();
        assert_eq!(content, name);
    }
    let mut audit = trunk.audit(porter_trunk::Depth::Full).unwrap();
    assert!(entries.iter().all(|entry| audit.see(entry, true).is_none()));
    assert_eq!(audit.finish().unwrap(), []);
}
