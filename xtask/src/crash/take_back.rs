//! Restores that are killed, then gone on with or taken back at once, and undos that are killed too: in the
//! end the machine is as it was, to the last name, byte and time.

use super::{Crash, tree, words};
use porter_demo::browser::Profile;
use porter_demo::dice::Dice;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// Every file and folder with its content and time of change.
type State = BTreeMap<PathBuf, (Option<Vec<u8>>, SystemTime)>;

impl Crash {
    /// A number of restores, each killed.
    pub(super) fn take_back(&self, trunk: &Path, count: usize, dice: &mut Dice) -> Result<(), String> {
        let to = self.bench.join("NEW");
        let whole = self.taken(trunk)?;
        self.build_new(&to, &whole)?;
        let restore = words(&[&self.shown(), "restore", "--quiet", "--yes"], &[trunk, &to]);
        let undo = words(&[&self.shown(), "undo", "--quiet", "--yes"], &[&to]);
        let before = state(&to)?;
        let restore_took = self.timed(&restore)?;
        let undo_took = self.timed(&undo)?;
        self.expect(&to, &before, "an undisturbed undo")?;

        let (mut killed, mut undos_killed, mut gone_on) = (0, 0, 0);
        for number in 0..count {
            let mut runs = 1;
            if !self.killed_after(&restore, restore_took, dice)? {
                gone_on += 1;
            } else {
                killed += 1;
                if dice.below(2) == 0 {
                    gone_on += 1;
                    runs += 1;
                    self.well(&restore)?;
                    // With the times of the folders, whichever run made them.
                    self.well(&words(&[&self.shown(), "check", "--quiet"], &[trunk, &to]))?;
                    let landed = tree(&to.join("Users/odile/Documents"))?;
                    if let Some((path, _)) = whole.iter().find(|(path, is)| landed.get(*path) != Some(*is)) {
                        return Err(format!("restore {number}: {} did not land", path.display()));
                    }
                }
            }
            // A restore that was killed before it wrote anything down has nothing to undo.
            for _ in 0..runs {
                for _ in 0..dice.below(3) {
                    undos_killed += u32::from(self.killed_after(&undo, undo_took, dice)?);
                }
                let said = super::output(&undo)?;
                let words = String::from_utf8_lossy(&said.stderr).into_owned();
                if !said.status.success() && !words.contains("no restore to take back") {
                    let out = String::from_utf8_lossy(&said.stdout);
                    return Err(format!("undo {number}: {:?} {words}{out}", said.status.code()));
                }
            }
            self.expect(&to, &before, &format!("restore {number}"))?;
            // Each round reads the journals of all before it.
            self.forget_records(&to)?;
        }
        println!(
            "restore and undo: {count} restores, {killed} killed, {gone_on} gone on with, {undos_killed} undos killed: \
             everything landed, and after the undo all was as before"
        );
        self.remove(&to)
    }

    /// Restores during which somebody asks for an undo: one at a time works on a machine, and whatever came
    /// first, an undo in the end takes all of it back.
    pub(super) fn beside(&self, trunk: &Path, count: usize, dice: &mut Dice) -> Result<(), String> {
        let to = self.bench.join("NEW");
        self.build_new(&to, &self.taken(trunk)?)?;
        let restore = words(&[&self.shown(), "restore", "--quiet", "--yes"], &[trunk, &to]);
        let undo = words(&[&self.shown(), "undo", "--quiet", "--yes"], &[&to]);
        let check = words(&[&self.shown(), "check", "--quiet"], &[trunk, &to]);
        let before = state(&to)?;
        let took = self.timed(&restore)?;
        self.well(&undo)?;
        let mut kept_out = 0;
        for number in 0..count {
            let mut running = super::started(&restore)?;
            std::thread::sleep(took.mul_f64(dice.below(1000) as f64 / 1000.0));
            let said = super::output(&undo)?;
            let words = String::from_utf8_lossy(&said.stderr).into_owned();
            kept_out += u32::from(words.contains("is at work"));
            let known = ["is at work", "no restore to take back"];
            if !said.status.success() && !known.iter().any(|known| words.contains(known)) {
                return Err(format!("undo {number} beside a restore: {words}"));
            }
            if !running.wait().map_err(|cause| cause.to_string())?.success() {
                return Err(format!("restore {number} beside an undo failed"));
            }
            // It landed as a whole, to the times of its folders, unless it was over when the undo began.
            if !said.status.success() {
                self.well(&check).map_err(|said| format!("restore {number} beside an undo: {said}"))?;
                self.well(&undo)?;
            }
            self.expect(&to, &before, &format!("restore {number} beside an undo"))?;
            self.forget_records(&to)?;
        }
        println!(
            "beside: {count} restores with an undo beside them, {kept_out} kept out: all was as before in the end"
        );
        self.remove(&to)
    }

    /// The time of the folder above is one of those that are compared.
    fn forget_records(&self, to: &Path) -> Result<(), String> {
        let above = to.join("ProgramData");
        let was =
            fs::metadata(&above).and_then(|found| found.modified()).map_err(|cause| cause.to_string())?;
        let records = above.join("Loyal Porter");
        if records.exists() {
            self.remove(&records)?;
        }
        fs::File::open(&above).and_then(|folder| folder.set_modified(was)).map_err(|cause| cause.to_string())
    }

    fn expect(&self, to: &Path, before: &State, what: &str) -> Result<(), String> {
        let now = state(to)?;
        let differs = before.iter().find(|(path, is)| now.get(*path) != Some(*is)).map(|(path, _)| path);
        match differs.or_else(|| now.keys().find(|path| !before.contains_key(*path))) {
            None => Ok(()),
            Some(path) => Err(format!("{what}: {} is not as it was", path.display())),
        }
    }

    /// A machine with things of its own: some the same as the trunk's, some different under the same names,
    /// some in the way.
    fn build_new(&self, to: &Path, whole: &super::Contents) -> Result<(), String> {
        let failed = |cause: std::io::Error| cause.to_string();
        let documents = to.join("Users/odile/Documents");
        for folder in ["Windows/System32", "ProgramData", "Users/odile/Documents"] {
            fs::create_dir_all(to.join(folder)).map_err(failed)?;
        }
        for (number, (path, content)) in whole.iter().enumerate() {
            let at = documents.join(path);
            let content = match number % 7 {
                0 => content.clone(),
                1 => format!("its own {number}").into_bytes(),
                _ => continue,
            };
            fs::create_dir_all(at.parent().unwrap_or(&documents)).map_err(failed)?;
            fs::write(at, content).map_err(failed)?;
        }
        let own = [Profile { name: "own", folder: "0wn0wn00.own", pages: 4, passwords: 0 }];
        self.add_browser(to, &own).map_err(failed)?;
        fs::write(documents.join("its own.txt"), "stays").map_err(failed)
    }
}

fn state(root: &Path) -> Result<State, String> {
    let mut found = State::new();
    let mut folders = vec![root.to_path_buf()];
    let failed = |cause: std::io::Error| cause.to_string();
    while let Some(folder) = folders.pop() {
        for row in fs::read_dir(folder).map_err(failed)? {
            let path = row.map_err(failed)?.path();
            // porter's own records stay.
            if path.ends_with("Loyal Porter") {
                continue;
            }
            let metadata = fs::symlink_metadata(&path).map_err(failed)?;
            let content = if metadata.is_dir() { None } else { Some(fs::read(&path).map_err(failed)?) };
            if metadata.is_dir() {
                folders.push(path.clone());
            }
            found.insert(path, (content, metadata.modified().map_err(failed)?));
        }
    }
    Ok(found)
}
