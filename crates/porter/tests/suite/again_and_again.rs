//! The life of a workshop in short: the old machine is used on, captured again, restored again, people work
//! on the new one, and restores are taken back. No order of these loses a person's work, and a restore that
//! was taken back leaves no trace.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::dice::Dice;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::PathBuf;

/// A few names, so that things meet; two of them are one name for Windows.
const NAMES: [&str; 9] = [
    "plan.txt",
    "Plan.TXT",
    "letters/to odile.txt",
    "letters/to bram.txt",
    "kites/2014/job.txt",
    "kites/2014",
    "kites.txt",
    "letters",
    "a b/c d/e f.txt",
];

struct Life {
    bench: Workbench,
    dice: Dice,
    /// Numbers every content, so that no two are alike.
    written: usize,
    /// Files that people wrote on the new machine and left alone.
    theirs: BTreeMap<PathBuf, String>,
}

impl Life {
    fn new(seed: u64) -> Self {
        let bench = Workbench::new();
        for name in ["OLD", "NEW"] {
            bench.empty_machine(name, "odile");
        }
        bench.write("OLD/Users/odile/Documents/plan.txt", "the first");
        Self { bench, dice: Dice::named(&format!("life {seed}")), written: 0, theirs: BTreeMap::new() }
    }

    /// Somebody saves a file. Returns its path and its content before; none if a folder or a file is in the
    /// way.
    fn save(&mut self, machine: &str) -> Option<(PathBuf, String)> {
        let path = self.bench.path(&format!("{machine}/Users/odile/Documents/{}", self.dice.pick(&NAMES)));
        fs::create_dir_all(path.parent()?).ok()?;
        self.written += 1;
        let content = format!("content {} of {machine} {}", self.written, "x".repeat(self.dice.below(3000)));
        fs::write(&path, &content).ok()?;
        Some((path, content))
    }

    fn contents(&self) -> BTreeSet<Vec<u8>> {
        let files = self.bench.snapshot("NEW/Users").into_values().filter(|(kind, ..)| kind == "file");
        files.map(|(_, content, _)| content).collect()
    }

    fn restore(&mut self, existing: &str) {
        let before = self.contents();
        self.bench
            .porter(&["restore", "trunk", "NEW", "--yes", "--quiet", "--existing", existing])
            .with_status(0);
        let after = self.contents();
        let lost: Vec<String> = before
            .difference(&after)
            .map(|content| String::from_utf8_lossy(&content[..30.min(content.len())]).into())
            .collect();
        assert!(lost.is_empty(), "a restore lost {lost:?}");
        self.bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
        let again = self
            .bench
            .porter(&["restore", "trunk", "NEW", "--yes", "--json", "--existing", existing])
            .with_status(0)
            .json();
        assert_eq!(again["written"]["files"], 0, "a second time there is nothing to write: {again}");
        // It is the last one now, and took nothing; the one before is wanted.
        self.bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    }
}

#[test]
fn nobodys_work_is_lost_in_any_order_of_captures_restores_and_undos() {
    // Programs start slowly on what only acts as Windows.
    for seed in 0..if cfg!(windows) { 1 } else { 6 } {
        let mut life = Life::new(seed);
        for _ in 0..3 {
            for _ in 0..4 {
                life.save("OLD");
            }
            life.bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
            for _ in 0..3 {
                if let Some((path, content)) = life.save("NEW") {
                    life.theirs.insert(path, content);
                }
            }
            let before = life.bench.snapshot("NEW/Users");
            let existing = life.dice.pick(&["set-aside", "keep", "newer"]);
            life.restore(existing);

            // Untouched, it is taken back to the last byte, name and time.
            if life.dice.below(2) == 0 {
                life.bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
                let after = life.bench.snapshot("NEW/Users");
                let differs: Vec<_> = before
                    .keys()
                    .chain(after.keys())
                    .filter(|path| before.get(*path) != after.get(*path))
                    .collect();
                assert!(differs.is_empty(), "seed {seed}: {differs:?} are not as before");
                life.restore(existing);
            }
            // Worked on, what somebody changed stays, whatever is taken back.
            if life.dice.below(2) == 0 {
                let saved = life.save("NEW");
                let said = life.bench.porter(&["undo", "NEW", "--yes"]);
                assert!([0, 3].contains(&said.status), "seed {seed}: {said:?}");
                if let Some((path, content)) = saved {
                    let there = life.contents();
                    assert!(there.contains(content.as_bytes()), "seed {seed}: {} is gone", path.display());
                    life.theirs.insert(path, content);
                }
            }
            let there = life.contents();
            for (path, content) in &life.theirs {
                assert!(there.contains(content.as_bytes()), "seed {seed}: {} is gone", path.display());
            }
        }
    }
}
