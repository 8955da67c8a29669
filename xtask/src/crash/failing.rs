//! Top-ups from a failing drive that are killed: neither what the trunk had nor what can still be read is
//! lost.

use super::{Contents, Crash, output, tree, words};
use porter_demo::dice::Dice;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// The failing places: a part of a file that changed, and a folder with new files.
const FAULTS: &str = r#"{"sectors": {"Users/odile/Documents/scan 05.bin": [[4000000, 4004096]]},
    "unlistable": ["Users/odile/Documents/folder 03"]}"#;
const HURT_FILE: &str = "scan 05.bin";
const HURT_FILE_IN_PART: &str = "scan 05 (incomplete).bin";
const HURT_FOLDER: &str = "folder 03";

/// A mounted folder that shows another one, with faults.
struct FailingDrive {
    at: PathBuf,
    faults: PathBuf,
    shown_by: Child,
}

impl FailingDrive {
    /// None where nothing can be mounted.
    fn mount(of: &Path, at: PathBuf) -> Result<Option<Self>, String> {
        let failed = |cause: std::io::Error| cause.to_string();
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../.ci/failing_source.py");
        let faults = at.with_extension("json");
        fs::create_dir_all(&at).map_err(failed)?;
        fs::write(&faults, "{}").map_err(failed)?;
        // The packages of the system's own Python have it.
        let mut shows = Command::new("/usr/bin/python3");
        shows.arg(script).args([of, &at, &faults]).stderr(Stdio::null());
        let shown_by = shows.spawn().map_err(failed)?;
        let drive = Self { at, faults, shown_by };
        for _ in 0..50 {
            if drive.at.join("Users").is_dir() {
                return Ok(Some(drive));
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        Ok(None)
    }

    fn fail(&self, faults: &str) -> Result<(), String> {
        let new = self.faults.with_extension("new");
        let put = fs::write(&new, faults).and_then(|()| fs::rename(&new, &self.faults));
        put.map_err(|cause| cause.to_string())
    }
}

impl Drop for FailingDrive {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.at).stderr(Stdio::null()).status();
        let _ = self.shown_by.kill();
        let _ = self.shown_by.wait();
    }
}

impl Crash {
    /// The machine is changed for it, and is then as it was.
    pub(super) fn failing(&self, count: usize, whole: &Contents, dice: &mut Dice) -> Result<(), String> {
        let Some(drive) = FailingDrive::mount(&self.pc, self.bench.join("drive"))? else {
            println!("failing drive: left out, because nothing can be mounted here");
            return Ok(());
        };
        let (made, trunk) = (self.bench.join("made"), self.bench.join("trunk"));
        let top_up = |trunk: &Path| {
            let shown = self.shown();
            words(&[&shown, "capture", "--quiet", "--pack-size", "16MiB"], &[&drive.at, trunk])
        };
        let took = self.timed(&top_up(&made))?;
        self.change_machine().map_err(|cause| cause.to_string())?;
        let later = tree(&self.documents())?;
        let expected = in_part(whole, &later);
        let (mut killed, mut before) = (0, 0);
        for number in 0..count {
            let what = format!("failing drive {number}");
            self.well(&words(&["cp", "-a"], &[&made, &trunk]))?;
            drive.fail(FAULTS)?;
            for _ in 0..1 + dice.below(2) {
                if !self.killed_after(&top_up(&trunk), took, dice)? {
                    continue;
                }
                killed += 1;
                let state = self.taken_in_part(&trunk)?;
                if state == *whole {
                    before += 1;
                } else {
                    is_as_expected(state, &expected, &later)
                        .map_err(|said| format!("{what}, cut off: {said}"))?;
                }
            }
            let said = output(&top_up(&trunk))?;
            if said.status.code() != Some(3) {
                return Err(format!("{what}: status {:?} instead of 3", said.status.code()));
            }
            let state = self.taken_in_part(&trunk)?;
            is_as_expected(state, &expected, &later).map_err(|said| format!("{what}: {said}"))?;

            drive.fail("{}")?;
            self.well(&top_up(&trunk))?;
            self.compare(&trunk, &later, &what)?;
            self.is_tidy(&trunk, 0, &what)?;
            self.remove(&trunk)?;
        }
        println!(
            "failing drive: {count} trunks, {killed} runs killed, {before} times the earlier state was found whole: what the drive \
             could not read stayed as it was, what it could is there, and when it could again all was equal"
        );
        drop(drive);
        self.remove(&made)?;
        self.change_back().map_err(|cause| cause.to_string())
    }
}

/// The expected contents of the trunk: the later state, and the earlier one of files that could not be read.
fn in_part(earlier: &Contents, later: &Contents) -> Contents {
    let is_hurt = |path: &Path| path == Path::new(HURT_FILE) || path.starts_with(HURT_FOLDER);
    let of = |state: &Contents, hurt: bool| {
        let rows = state.iter().filter(|(path, _)| is_hurt(path) == hurt);
        rows.map(|(path, content)| (path.clone(), content.clone())).collect::<Vec<_>>()
    };
    of(later, false).into_iter().chain(of(earlier, true)).collect()
}

fn is_as_expected(mut found: Contents, expected: &Contents, later: &Contents) -> Result<(), String> {
    const NEAR_IN_BYTES: usize = 4096;
    let in_part = found.remove(Path::new(HURT_FILE_IN_PART)).ok_or("the part that was read is missing")?;
    let whole = &later[Path::new(HURT_FILE)];
    let differs = |at: &usize| in_part.get(*at) != Some(&whole[*at]);
    let is_far = |at: &usize| !(4_000_000 - NEAR_IN_BYTES..4_004_096 + NEAR_IN_BYTES).contains(at);
    if in_part.len() != whole.len() || (0..whole.len()).filter(differs).any(|at| is_far(&at)) {
        return Err("more than the bad sectors is missing".to_owned());
    }
    match expected.iter().find(|(path, content)| found.get(*path) != Some(content)) {
        Some((path, _)) => Err(format!("{} is missing, or another", path.display())),
        None if found.len() > expected.len() => Err("there is more than was read".to_owned()),
        None => Ok(()),
    }
}
