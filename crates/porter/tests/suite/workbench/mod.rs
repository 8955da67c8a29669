//! A workbench for tests that drive the real program: machines in a temporary folder, and what a run said.
#![allow(dead_code, reason = "each test file uses a part of it")]
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use porter_demo::{DemoSize, build_loft_pc, build_tidewater};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::SystemTime;

/// A temporary folder with machines in it; gone when dropped.
pub struct Workbench {
    folder: tempfile::TempDir,
}

/// The output of one run of the program.
#[derive(Debug)]
pub struct Said {
    pub status: i32,
    pub out: String,
    pub err: String,
}

impl Said {
    /// Panics with everything that was said unless the exit status is as expected.
    #[track_caller]
    pub fn with_status(self, expected: i32) -> Self {
        assert_eq!(self.status, expected, "--- out\n{}\n--- err\n{}", self.out, self.err);
        self
    }

    #[track_caller]
    pub fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|cause| panic!("{cause}: {}", self.out))
    }
}

impl Workbench {
    pub fn new() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    /// With `LOFT-PC` and `TIDEWATER` in the small size.
    pub fn with_demo_machines() -> Self {
        let bench = Self::new();
        build_loft_pc(&bench.path("LOFT-PC"), DemoSize::Small).unwrap();
        build_tidewater(&bench.path("TIDEWATER")).unwrap();
        bench
    }

    /// With `LOFT-PC` captured into `trunk`.
    pub fn with_trunk() -> Self {
        let bench = Self::with_demo_machines();
        bench.porter(&["capture", "LOFT-PC", "trunk", "--quiet"]).with_status(0);
        bench
    }

    /// The same with an open trunk.
    pub fn with_open_trunk() -> Self {
        let bench = Self::with_demo_machines();
        bench.porter(&["capture", "LOFT-PC", "trunk", "--form", "open", "--quiet"]).with_status(0);
        bench
    }

    pub fn path(&self, below: &str) -> PathBuf {
        if below.is_empty() { self.folder.path().to_path_buf() } else { self.folder.path().join(below) }
    }

    /// Writes a file and the folders above it.
    pub fn write(&self, below: &str, content: impl AsRef<[u8]>) {
        let path = self.path(below);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }

    /// Lays a program down so that it can be started at once.
    ///
    /// Another process writes it. If this one did, a test beside this one that starts a program just then
    /// would hold the file open for writing for a moment, and a system starts no program that is written to.
    #[cfg(unix)]
    pub fn program(&self, below: &str, content: &Path) {
        let target = self.path(below);
        fs::create_dir_all(target.parent().unwrap()).unwrap();
        let mut install = Command::new("install");
        let said = install.args(["-m", "755"]).arg(content).arg(target).status();
        assert!(said.unwrap().success(), "{below}");
    }

    pub fn read(&self, below: &str) -> String {
        String::from_utf8(fs::read(self.path(below)).unwrap_or_else(|cause| panic!("{below}: {cause}")))
            .unwrap()
    }

    /// The smallest machine: one account, nothing in it.
    pub fn empty_machine(&self, name: &str, account: &str) {
        self.write(&format!("{name}/Windows/System32/kernel32.dll"), "x");
        self.write(&format!("{name}/Users/{account}/NTUSER.DAT"), "x");
        for folder in ["ProgramData".to_owned(), format!("Users/{account}/Documents")] {
            fs::create_dir_all(self.path(&format!("{name}/{folder}"))).unwrap();
        }
    }

    /// Runs the program in the workbench's folder, with nobody to be asked.
    pub fn porter(&self, words: &[&str]) -> Said {
        run(self.command(words))
    }

    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_porter"));
        command.args(words).current_dir(self.folder.path()).stdin(std::process::Stdio::null());
        // Rules of the person who runs the tests must not count.
        command
            .env("NO_COLOR", "1")
            .env("TZ", "UTC")
            .env_remove("COLUMNS")
            .env("XDG_CONFIG_HOME", self.path("config"))
            .env("APPDATA", self.path("config"));
        command
    }

    /// The journal of the only restore that a Windows machine has seen.
    pub fn journal_on(&self, machine: &str) -> PathBuf {
        let records = fs::read_dir(self.path(&format!("{machine}/ProgramData/Loyal Porter"))).unwrap();
        let mut rows = records.flatten().map(|row| row.path());
        rows.find(|path| path.extension().is_some_and(|end| end == "jsonl")).unwrap()
    }

    /// Every entry below a folder: what it is, its content or target, and when it was changed.
    pub fn snapshot(&self, below: &str) -> BTreeMap<PathBuf, (String, Vec<u8>, Option<SystemTime>)> {
        let root = self.path(below);
        let mut seen = BTreeMap::new();
        let mut folders = vec![root.clone()];
        while let Some(folder) = folders.pop() {
            for row in fs::read_dir(folder).unwrap() {
                let path = row.unwrap().path();
                let found = fs::symlink_metadata(&path).unwrap();
                let entry = if found.is_symlink() {
                    let target = fs::read_link(&path).unwrap();
                    ("link".to_owned(), target.to_string_lossy().into_owned().into_bytes(), None)
                } else if found.is_dir() {
                    folders.push(path.clone());
                    ("folder".to_owned(), Vec::new(), None)
                } else if found.is_file() {
                    ("file".to_owned(), fs::read(&path).unwrap(), found.modified().ok())
                } else {
                    ("device".to_owned(), Vec::new(), None)
                };
                seen.insert(path.strip_prefix(&root).unwrap().to_path_buf(), entry);
            }
        }
        seen
    }
}

pub fn run(mut command: Command) -> Said {
    // Wine now and then fails to start a program.
    let more_tries = if cfg!(windows) { 2 } else { 0 };
    let output = (0..more_tries).map(|_| command.output()).find_map(Result::ok);
    let output = output.unwrap_or_else(|| command.output().unwrap());
    Said {
        status: output.status.code().unwrap_or(-1),
        out: String::from_utf8(output.stdout).unwrap(),
        err: String::from_utf8(output.stderr).unwrap(),
    }
}

/// Rewrites one list of a trunk and everything that proves it, as a stranger could who wants to be believed.
pub fn forge(trunk: &Path, list: &str, change: impl FnOnce(String) -> String) {
    use sha2::{Digest, Sha512};
    let text = fs::read_to_string(trunk.join(list)).unwrap();
    fs::write(trunk.join(list), change(text)).unwrap();
    let proofs = fs::read_to_string(trunk.join("tagmanifest-sha512.txt")).unwrap();
    let proofs: String = proofs
        .lines()
        .map(|line| {
            let (_, name) = line.split_once("  ").unwrap();
            let hash = Sha512::digest(fs::read(trunk.join(name)).unwrap());
            let hash: String = hash.iter().map(|byte| format!("{byte:02x}")).collect();
            format!("{hash}  {name}\n")
        })
        .collect();
    fs::write(trunk.join("tagmanifest-sha512.txt"), proofs).unwrap();
}
