//! The drive of a failed machine may hold anything: files cut short, stretches of noise where a registry was,
//! lists that lie. A survey still reports the readable part, and a capture carries every byte as it is.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::dice::Dice;
use porter_demo::{DemoSize, build_loft_pc, build_sailroom, build_windsock};
use serde_json::Value;
use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

/// True for files that porter reads to understand a machine or a person's programs; all others are only
/// carried.
fn is_understood(path: &Path) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let ending = name.rsplit('.').next().unwrap_or_default();
    const ENDINGS: [&str; 12] =
        ["plist", "ini", "js", "json", "sqlite", "xml", "conf", "log1", "log2", "log", "url", "lnk"];
    const NAMES: [&str; 16] = [
        "sam",
        "system",
        "software",
        "security",
        "default",
        "ntuser.dat",
        "usrclass.dat",
        "bookmarks",
        "preferences",
        "secure preferences",
        "local state",
        "history",
        "login data",
        "web data",
        "favicons",
        "passwd",
    ];
    ENDINGS.contains(&ending) || NAMES.contains(&name.as_str())
}

/// Changes a file as a dying drive does, or as somebody who wants to do harm.
fn harm(path: &Path, dice: &mut Dice) {
    let mut bytes = fs::read(path).unwrap();
    let length = bytes.len().max(1);
    for _ in 0..1 + dice.below(4) {
        let at = dice.below(length).min(bytes.len());
        let end = (at + 1 + dice.below(600)).min(bytes.len());
        match dice.below(7) {
            0 => bytes.truncate(at),
            1 => bytes[at..end].fill(0),
            2 => bytes[at..end].fill(0xff),
            3 => bytes[at..end].iter_mut().for_each(|byte| *byte = byte.wrapping_mul(31).wrapping_add(7)),
            // The heads of most files are at their beginning.
            4 if bytes.len() > 64 => bytes[8 + dice.below(56)] = 0x7f,
            5 => drop(bytes.drain(at..end)),
            _ => {
                let stretch = bytes[at..end].to_vec();
                bytes.splice(at..at, stretch);
            }
        }
    }
    let modified = fs::metadata(path).and_then(|found| found.modified()).unwrap();
    fs::write(path, bytes).unwrap();
    fs::File::options().write(true).open(path).unwrap().set_modified(modified).unwrap();
}

fn files_below(root: &Path) -> Vec<PathBuf> {
    let (mut files, mut folders) = (Vec::new(), vec![root.to_path_buf()]);
    while let Some(folder) = folders.pop() {
        for path in fs::read_dir(folder).unwrap().map(|row| row.unwrap().path()) {
            match fs::symlink_metadata(&path).unwrap() {
                found if found.is_dir() => folders.push(path),
                found if found.is_file() => files.push(path),
                _ => {}
            }
        }
    }
    files.sort();
    files
}

/// On the old machine = carried + not needed + not chosen + not read; carried = the sum of its fates; and
/// every file is in one of them.
fn adds_up(capture: &Value, receipt: &Value) {
    for (count, total) in [("files", "files"), ("bytes", "bytes")] {
        let row = |name: &str| receipt["balance"][name][count].as_u64().unwrap();
        let sum = |names: &[&str]| names.iter().map(|name| row(name)).sum::<u64>();
        assert_eq!(row("on_old_machine"), sum(&["carried", "not_needed", "not_chosen", "not_read"]));
        let became = ["landed", "there_already", "worked_on", "kept_in_trunk", "left_behind"];
        assert_eq!(row("carried"), sum(&became));
        assert_eq!(row("on_old_machine"), capture["seen"][count].as_u64().unwrap(), "{}", receipt["balance"]);
        assert_eq!(row("carried"), capture["captured"][count].as_u64().unwrap(), "{}", receipt["balance"]);
        let verdicts = receipt["totals"][total].as_object().unwrap().values();
        assert_eq!(row("on_old_machine"), verdicts.map(|number| number.as_u64().unwrap()).sum::<u64>());
    }
}

/// The table that a person reads: each row is the sum of those that stand one step further in below it.
fn printed_adds_up(said: &str) {
    let table = said.lines().skip_while(|line| !line.starts_with("on the old machine"));
    let rows: Vec<(usize, u64)> = table
        .take_while(|line| !line.is_empty())
        .map(|line| {
            let depth = (line.len() - line.trim_start().len()) / 2;
            let number = line.split("  ").map(str::trim).find_map(|word| {
                word.strip_suffix(" files")
                    .or(word.strip_suffix(" file"))?
                    .trim()
                    .replace(',', "")
                    .parse()
                    .ok()
            });
            (depth, number.unwrap_or_else(|| panic!("no files in {line}")))
        })
        .collect();
    assert!(rows.len() > 1, "{said}");
    for (at, (depth, number)) in rows.iter().enumerate() {
        let below = rows[at + 1..].iter().take_while(|(other, _)| other > depth);
        let below: Vec<u64> =
            below.filter(|(other, _)| *other == depth + 1).map(|(_, number)| *number).collect();
        assert!(below.is_empty() || below.iter().sum::<u64>() == *number, "{rows:?} in {said}");
    }
}

#[test]
fn a_harmed_machine_is_surveyed_and_captured_whatever_its_files_hold() {
    // More of them: PORTER_HARM=100 cargo test -p porter --test any_machine
    let usual = if cfg!(windows) { 1 } else { 4 };
    let seeds: u64 =
        std::env::var("PORTER_HARM").ok().and_then(|number| number.parse().ok()).unwrap_or(usual);
    for name in ["LOFT-PC", "WINDSOCK", "SAILROOM"] {
        for seed in 0..seeds {
            let bench = Workbench::new();
            let machine = bench.path(name);
            match name {
                "LOFT-PC" => build_loft_pc(&machine, DemoSize::Small).unwrap(),
                "WINDSOCK" => build_windsock(&machine, DemoSize::Small).unwrap(),
                _ => build_sailroom(&machine, DemoSize::Small).unwrap(),
            }
            let mut dice = Dice::named(&format!("{name} {seed}"));
            let understood: Vec<PathBuf> =
                files_below(&machine).into_iter().filter(|path| is_understood(path)).collect();
            assert!(understood.len() >= 10, "{name}: {understood:?}");
            let harmed: BTreeSet<&PathBuf> =
                (0..understood.len() / 3).map(|_| &understood[dice.below(understood.len())]).collect();
            harmed.iter().for_each(|path| harm(path, &mut dice));
            let before = bench.snapshot(name);

            let told = |what: &str, words: &[&str]| -> Value {
                let said = bench.porter(words);
                assert!(
                    [0, 3].contains(&said.status) && !said.err.contains("panicked"),
                    "{name} {seed}, {what}: {said:?}\nharmed: {harmed:#?}"
                );
                said.json()
            };
            let survey = told("survey", &["survey", name, "--json"]);
            assert!(!survey["accounts"].as_array().unwrap().is_empty(), "{name} {seed}: somebody was there");
            let capture = told("capture", &["capture", name, "trunk", "--json"]);
            let sums = |part: &str| capture[part]["files"].as_u64().unwrap();
            assert_eq!(sums("seen"), sums("captured") + sums("left"), "{name} {seed}");
            let receipt = told("check", &["check", "trunk", "--json", "-"]);
            assert_eq!(receipt["totals"]["items"]["changed"], 0, "{name} {seed}");
            assert_eq!(receipt["totals"]["items"]["missing"], 0, "{name} {seed}");
            assert!(bench.snapshot(name) == before, "{name} {seed}: the old machine was written to");
            adds_up(&capture, &receipt);

            // The same for a new machine with the same people, and for what the commands print.
            for account in survey["accounts"].as_array().unwrap() {
                let id = account["id"].as_str().unwrap();
                bench.write(&format!("NEW/Users/{id}/NTUSER.DAT"), "x");
            }
            bench.empty_machine("NEW", "somebody");
            let restored = told("restore", &["restore", "trunk", "NEW", "--yes", "--json"]);
            let receipt = told("check", &["check", "trunk", "NEW", "--json", "-"]);
            adds_up(&capture, &receipt);
            let balance = |row: &str| receipt["balance"][row]["files"].as_u64().unwrap();
            let written = restored["written"]["files"].as_u64().unwrap();
            assert!(
                balance("landed") <= written && written < balance("landed") + 12,
                "{name} {seed}: {receipt}"
            );
            assert_eq!(balance("there_already"), restored["identical"]["files"].as_u64().unwrap());
            printed_adds_up(&bench.porter(&["check", "trunk", "NEW", "--quiet"]).out);
            printed_adds_up(&bench.porter(&["check", "trunk", "--quiet"]).out);
            printed_adds_up(&bench.porter(&["capture", name, "again", "--quiet"]).out);
        }
    }
}
