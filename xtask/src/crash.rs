//! Kills captures, top-ups, mending, restores and undos at random moments, lets them go on, and compares the
//! result with an undisturbed run.
//!
//! Some runs are killed (SIGKILL), others meet a file system that takes nothing more: a tmpfs of just too
//! small a size, which is then made larger.

mod failing;
mod mending;
mod take_back;

use crate::bench::build_porter;
use porter_demo::browser::{Profile, gecko};
use porter_demo::dice::Dice;
use porter_demo::tree::Tree;
use porter_demo::writing::{noise, text};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// The parts; each can be run alone.
pub(crate) const PARTS: [&str; 8] =
    ["capture", "two-sticks", "top-up", "failing", "mend", "undo", "beside", "full-stick"];

/// How trunks are made, in turn.
const WAYS: [&[&str]; 3] = [&[], &["--spare", "8%"], &["--seal", "--spare", "8%"]];

/// Opens what is sealed. Each command has it, so that none asks.
const PASSPHRASE: &str = "forty kites at four";

/// Kills this many captures, a third as many continued on a second stick, top-ups and commands that mend, and
/// two thirds as many restores and undos; all parts if none is named.
pub(crate) fn run(count: usize, parts: &[&str]) -> Result<(), String> {
    let porter = build_porter()?;
    let bench = tempfile_folder()?;
    let crash = Crash { porter, pc: bench.join("PC"), bench: bench.clone() };
    let said = crash.all(count, parts);
    let _ = Command::new("umount").arg(bench.join("stick")).stderr(Stdio::null()).status();
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())?;
    said
}

fn started(command: &[String]) -> Result<std::process::Child, String> {
    Command::new(&command[0])
        .args(&command[1..])
        .env("PORTER_PASSPHRASE", PASSPHRASE)
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|cause| cause.to_string())
}

fn tempfile_folder() -> Result<PathBuf, String> {
    let folder = std::env::temp_dir().join(format!("porter-crash-{}", std::process::id()));
    fs::create_dir_all(&folder).map_err(|cause| cause.to_string())?;
    Ok(folder)
}

struct Crash {
    porter: PathBuf,
    bench: PathBuf,
    pc: PathBuf,
}

/// Every file of a tree with its content.
type Contents = BTreeMap<PathBuf, Vec<u8>>;

impl Crash {
    fn all(&self, count: usize, parts: &[&str]) -> Result<(), String> {
        let wanted = |part: &str| parts.is_empty() || parts.contains(&part);
        self.build_machine().map_err(|cause| cause.to_string())?;
        let undisturbed = self.bench.join("undisturbed");
        let mut took = [Duration::ZERO; WAYS.len()];
        for way in (0..WAYS.len()).rev() {
            let _ = fs::remove_dir_all(&undisturbed);
            took[way] = self.timed(&self.capture(&undisturbed, way))?;
        }
        let whole = self.taken(&undisturbed)?;
        if whole != tree(&self.documents())? {
            return Err("an undisturbed capture does not hold what is on the machine".to_owned());
        }

        let mut dice = Dice::named("crash");
        if wanted("capture") {
            self.captures(count, &took, &whole, &mut dice)?;
        }
        if wanted("two-sticks") {
            self.two_sticks(count.div_ceil(3), &took, &whole, &mut dice)?;
        }
        if wanted("top-up") {
            self.top_ups(count.div_ceil(3), &took, &whole, &mut dice)?;
        }
        if wanted("failing") {
            self.failing(count.div_ceil(10), &whole, &mut dice)?;
        }
        if wanted("mend") {
            self.mending(count.div_ceil(3), &whole, &mut dice)?;
        }
        if wanted("undo") {
            self.take_back(&undisturbed, count.div_ceil(3) * 2, &mut dice)?;
        }
        if wanted("beside") {
            self.beside(&undisturbed, count.div_ceil(3), &mut dice)?;
        }
        if wanted("full-stick") { self.full_stick(&whole, count.div_ceil(10), &mut dice) } else { Ok(()) }
    }

    fn captures(
        &self,
        count: usize,
        took: &[Duration],
        whole: &Contents,
        dice: &mut Dice,
    ) -> Result<(), String> {
        let mut killed = 0;
        for number in 0..count {
            let way = number % WAYS.len();
            let trunk = self.bench.join("trunk");
            let capture = self.capture(&trunk, way);
            // Several times, so that what a resumed run leaves is cut off too.
            for _ in 0..1 + dice.below(3) {
                killed += u32::from(self.killed_after(&capture, took[way], dice)?);
            }
            self.well(&capture)?;
            let what = format!("capture {number} {:?}", WAYS[way]);
            self.compare(&trunk, whole, &what)?;
            self.is_tidy(&trunk, way, &what)?;
            self.remove(&trunk)?;
        }
        println!("capture: {count} trunks, {killed} runs killed: every trunk equals the undisturbed one");
        Ok(())
    }

    /// Captures that are cut off on a first stick and go on on a second one, where they are cut off again.
    fn two_sticks(
        &self,
        count: usize,
        took: &[Duration],
        whole: &Contents,
        dice: &mut Dice,
    ) -> Result<(), String> {
        let mut killed = 0;
        for number in 0..count {
            let way = number % WAYS.len();
            let (trunk, second) = (self.bench.join("trunk"), self.second_stick());
            // Killed at the very beginning there is nothing yet to go on with.
            while !trunk.join("label.json").exists() {
                killed += u32::from(self.killed_after(&self.capture(&trunk, way), took[way], dice)?);
            }
            let mut capture = self.capture(&trunk, way);
            capture.extend(["--continue-on".to_owned(), second.display().to_string()]);
            for _ in 0..dice.below(3) {
                killed += u32::from(self.killed_after(&capture, took[way], dice)?);
            }
            self.well(&capture)?;
            let what = format!("two sticks {number} {:?}", WAYS[way]);
            self.compare(&trunk, whole, &what)?;
            self.is_tidy(&trunk, way, &what)?;
            self.is_tidy(&second, way, &what)?;
            self.remove(&trunk)?;
            self.remove(&second)?;
        }
        println!("two sticks: {count} trunks, {killed} runs killed: every trunk equals the undisturbed one");
        Ok(())
    }

    /// The machine is changed for it, and is then as it was.
    fn top_ups(
        &self,
        tops: usize,
        took: &[Duration],
        whole: &Contents,
        dice: &mut Dice,
    ) -> Result<(), String> {
        let earlier = |way: usize| self.bench.join(format!("earlier {way}"));
        (0..WAYS.len()).try_for_each(|way| self.well(&self.capture(&earlier(way), way)))?;
        self.change_machine().map_err(|cause| cause.to_string())?;
        let later = tree(&self.documents())?;
        let (mut killed, mut before) = (0, 0);
        for number in 0..tops {
            let way = number % WAYS.len();
            let trunk = self.bench.join("trunk");
            self.well(&words(&["cp", "-a"], &[&earlier(way), &trunk]))?;
            let top_up = self.capture(&trunk, way);
            if self.killed_after(&top_up, took[way], dice)? {
                killed += 1;
                // Until a top-up is finished the earlier state stays whole; after that the later one is
                // there.
                let state = self.taken_in_part(&trunk)?;
                if state == *whole {
                    before += 1;
                } else if state != later {
                    return Err(format!("top-up {number}: neither the earlier state nor the later one"));
                }
            }
            self.well(&top_up)?;
            let what = format!("top-up {number} {:?}", WAYS[way]);
            self.compare(&trunk, &later, &what)?;
            self.is_tidy(&trunk, way, &what)?;
            self.remove(&trunk)?;
        }
        println!(
            "top-up: {tops} trunks, {killed} runs killed, {before} times the earlier state was found whole: all equal"
        );
        self.change_back().map_err(|cause| cause.to_string())
    }

    /// A stick that takes nothing more in mid-run, and is then made larger.
    fn full_stick(&self, whole: &Contents, count: usize, dice: &mut Dice) -> Result<(), String> {
        let stick = self.bench.join("stick");
        fs::create_dir_all(&stick).map_err(|cause| cause.to_string())?;
        let mount = |options: &str| {
            let done =
                Command::new("mount").args(["-t", "tmpfs", "-o", options, "tmpfs"]).arg(&stick).status();
            done.is_ok_and(|status| status.success())
        };
        if !mount("size=1m") {
            println!("full stick: left out, because nothing can be mounted here");
            return Ok(());
        }
        for number in 0..count {
            let trunk = stick.join("trunk");
            let _ = fs::remove_dir_all(&trunk);
            if !mount(&format!("remount,size={}k", 1000 + dice.below(20_000))) {
                return Err("the stick cannot be made smaller".to_owned());
            }
            let way = number % WAYS.len();
            let mut capture = self.capture(&trunk, way);
            capture.push("--may-not-fit".to_owned());
            let said = output(&capture)?;
            if said.status.code() == Some(1) {
                let words = String::from_utf8_lossy(&said.stderr).into_owned();
                if !words.contains("is full") || words.contains("panicked") {
                    return Err(format!("full stick {number}: {words}"));
                }
            } else if !said.status.success() {
                return Err(format!("full stick {number}: status {:?}", said.status.code()));
            }
            if !mount("remount,size=200m") {
                return Err("the stick cannot be made larger".to_owned());
            }
            self.well(&capture)?;
            let what = format!("full stick {number} {:?}", WAYS[way]);
            self.compare(&trunk, whole, &what)?;
            self.is_tidy(&trunk, way, &what)?;
        }
        println!("full stick: {count} trunks: clear words, and every one went on to the undisturbed one");
        Ok(())
    }

    fn second_stick(&self) -> PathBuf {
        self.bench.join("second")
    }

    /// The options that name the second stick, if there is one.
    fn other_stick(&self) -> Vec<String> {
        let second = self.second_stick();
        if second.exists() { words(&["--with"], &[&second]) } else { Vec::new() }
    }

    fn shown(&self) -> String {
        self.porter.display().to_string()
    }

    fn documents(&self) -> PathBuf {
        self.pc.join("Users/odile/Documents")
    }

    fn capture(&self, trunk: &Path, way: usize) -> Vec<String> {
        // Small packs, so that their ends are among the moments too.
        let porter = self.shown();
        let first = [&[porter.as_str(), "capture", "--quiet", "--pack-size", "16MiB"], WAYS[way]].concat();
        words(&first, &[&self.pc, trunk])
    }

    /// Starts a command and kills it at a random moment of the time that it usually takes. False if it was
    /// done before.
    fn killed_after(&self, command: &[String], took: Duration, dice: &mut Dice) -> Result<bool, String> {
        let moment = took.mul_f64(dice.below(1000) as f64 / 1000.0);
        let mut child = started(command)?;
        std::thread::sleep(moment);
        child.kill().map_err(|cause| cause.to_string())?;
        let status = child.wait().map_err(|cause| cause.to_string())?;
        Ok(!status.success())
    }

    fn timed(&self, command: &[String]) -> Result<Duration, String> {
        let began = Instant::now();
        self.well(command)?;
        Ok(began.elapsed())
    }

    fn well(&self, command: &[String]) -> Result<(), String> {
        let said = output(command)?;
        if said.status.success() {
            return Ok(());
        }
        Err(format!("failed: {}\n{}", command.join(" "), String::from_utf8_lossy(&said.stderr)))
    }

    /// The documents in a trunk.
    fn taken(&self, trunk: &Path) -> Result<Contents, String> {
        let out = self.bench.join("taken");
        let mut take = words(&[&self.shown(), "take", "--quiet"], &[trunk]);
        take.push("odile/folder/documents".to_owned());
        take.push(out.display().to_string());
        take.extend(self.other_stick());
        self.well(&take)?;
        let found = tree(&out)?;
        self.remove(&out)?;
        Ok(found)
    }

    /// The documents in a trunk that announces more than it holds: a later capture was cut off, or could not
    /// read all.
    fn taken_in_part(&self, trunk: &Path) -> Result<Contents, String> {
        let out = self.bench.join("taken");
        let mut take = words(&[&self.shown(), "take", "--quiet"], &[trunk]);
        take.push("odile/folder/documents".to_owned());
        take.push(out.display().to_string());
        let said = output(&take)?;
        if !matches!(said.status.code(), Some(0 | 3)) {
            return Err(String::from_utf8_lossy(&said.stderr).into_owned());
        }
        let found = tree(&out)?;
        self.remove(&out)?;
        Ok(found)
    }

    fn check(&self, trunk: &Path, what: &str) -> Result<(), String> {
        let mut check = words(&[&self.shown(), "check", "--quiet"], &[trunk]);
        check.extend(self.other_stick());
        self.well(&check).map_err(|said| format!("{what}: {said}"))
    }

    fn compare(&self, trunk: &Path, expected: &Contents, what: &str) -> Result<(), String> {
        self.check(trunk, what)?;
        if self.taken(trunk)? == *expected { Ok(()) } else { Err(format!("{what}: another result")) }
    }

    /// Nothing is left of runs that were cut off, and where there is to be spare data, every pack and the
    /// newest list has some.
    fn is_tidy(&self, trunk: &Path, way: usize, what: &str) -> Result<(), String> {
        let names: Vec<String> = tree(trunk)?.keys().map(|path| path.display().to_string()).collect();
        let newest = names.iter().rfind(|name| name.ends_with(".list"));
        let packs = names.iter().filter(|name| name.ends_with(".pack"));
        let bare = packs.chain(newest).find(|name| !names.contains(&format!("{name}.spare")));
        let left = names.iter().find(|name| name.contains("part") || name.ends_with(".new"));
        match left.or(bare.filter(|_| WAYS[way].contains(&"--spare"))) {
            Some(name) => Err(format!("{what}: {name} has no spare data, or was left over")),
            None => Ok(()),
        }
    }

    fn remove(&self, folder: &Path) -> Result<(), String> {
        fs::remove_dir_all(folder).map_err(|cause| cause.to_string())
    }

    /// Some thousand small files, and some that are cut into many pieces: 40 MB.
    fn build_machine(&self) -> std::io::Result<()> {
        for folder in ["Windows/System32", "ProgramData", "Users/odile/Documents"] {
            fs::create_dir_all(self.pc.join(folder))?;
        }
        for number in 0..2000 {
            let folder = self.documents().join(format!("folder {:02}", number / 100));
            fs::create_dir_all(&folder)?;
            fs::write(
                folder.join(format!("note {number}.txt")),
                text(&format!("note {number}"), 1 + number % 60),
            )?;
        }
        for number in 0..12 {
            let content = noise(&format!("scan {number}"), 3_000_000);
            fs::write(self.documents().join(format!("scan {number:02}.bin")), content)?;
        }
        let profile = |name, folder| Profile { name, folder, pages: 60, passwords: 3 };
        self.add_browser(&self.pc, &[profile("work", "p0w4yt9c.work"), profile("fair", "z3q8f6ab.fair")])?;
        std::thread::sleep(Duration::from_secs(3));
        Ok(())
    }

    /// Odile's browser, whose list of profiles a restore changes.
    fn add_browser(&self, machine: &Path, profiles: &[Profile<'_>]) -> std::io::Result<()> {
        let apart = self.bench.join("browser");
        let mut tree = Tree::begin(&apart, time::macros::datetime!(2026-10-30 16:42 UTC))?;
        gecko(&mut tree, "Users/odile/AppData/Roaming/Mozilla/Firefox", "115.12.0", "Users/odile", profiles)?;
        tree.finish()?;
        let copied = Command::new("cp").arg("-a").arg(apart.join("Users")).arg(machine).status()?;
        fs::remove_dir_all(&apart)?;
        if copied.success() { Ok(()) } else { Err(std::io::Error::other("cp failed")) }
    }

    fn change_machine(&self) -> std::io::Result<()> {
        for number in 0..300 {
            fs::write(
                self.documents().join(format!("folder 03/new {number}.txt")),
                text(&format!("new {number}"), 30),
            )?;
        }
        fs::write(self.documents().join("scan 05.bin"), noise("scan again", 9_000_000))?;
        fs::rename(self.documents().join("folder 07/note 700.txt"), self.documents().join("moved.txt"))
    }

    fn change_back(&self) -> std::io::Result<()> {
        fs::remove_dir_all(&self.pc)?;
        self.build_machine()
    }
}

fn words(first: &[&str], paths: &[&Path]) -> Vec<String> {
    let paths = paths.iter().map(|path| path.display().to_string());
    first.iter().map(|word| (*word).to_owned()).chain(paths).collect()
}

fn output(command: &[String]) -> Result<std::process::Output, String> {
    let mut started = Command::new(&command[0]);
    started.args(&command[1..]).env("PORTER_PASSPHRASE", PASSPHRASE).stdin(Stdio::null());
    started.output().map_err(|cause| format!("{}: {cause}", command[0]))
}

fn tree(root: &Path) -> Result<Contents, String> {
    let mut found = Contents::new();
    let mut folders = vec![root.to_path_buf()];
    let failed = |cause: std::io::Error| cause.to_string();
    while let Some(folder) = folders.pop() {
        for row in fs::read_dir(folder).map_err(failed)? {
            let path = row.map_err(failed)?.path();
            if path.is_dir() {
                folders.push(path);
            } else {
                let below = path.strip_prefix(root).unwrap_or(&path).to_path_buf();
                found.insert(below, fs::read(&path).map_err(failed)?);
            }
        }
    }
    Ok(found)
}
