//! The steps of a job with one slow disk in them: how long each takes against what the disk alone would need,
//! and what is asked of the disk. Needs root, `python3-fusepy` and `fuse3`.

use crate::bench::build_porter;
use crate::datasets;
use std::fs;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const MEGABYTES_A_SECOND: f64 = 30.0;
const SECONDS_A_SEEK: f64 = 0.008;
/// Sets of data and their scale: a few hundred megabytes in few files, and some thousand files.
const SETS: [(&str, f64); 2] = [("photos", 0.3), ("small", 0.04)];

/// The calls that a disk has had.
#[derive(Debug, serde::Deserialize)]
struct Counts {
    read_in_bytes: f64,
    written_in_bytes: f64,
    seeks: f64,
    flushes: u64,
}

/// Runs each step once and prints a table.
pub(crate) fn run() -> Result<(), String> {
    let porter = build_porter()?.display().to_string();
    let bench = std::env::temp_dir().join(format!("porter-slow-{}", std::process::id()));
    for (name, scale) in SETS {
        let folder = bench.join(name);
        datasets::build(name, scale, &folder.join("PC")).map_err(|cause| cause.to_string())?;
        for made in ["trunk", "slow", "new", "slow new"] {
            for below in ["", "/Windows/System32", "/ProgramData", "/Users/odile/Documents"] {
                if below.is_empty() || made.ends_with("new") {
                    fs::create_dir_all(folder.join(format!("{made}{below}")))
                        .map_err(|cause| cause.to_string())?;
                }
            }
        }
        let at = |what: &str| format!("'{}'", folder.join(what).display());
        println!(
            "\n{name}, one slow disk of {MEGABYTES_A_SECOND} MB/s and {} ms a seek",
            SECONDS_A_SEEK * 1e3
        );
        println!(
            "  {:<38} {:>7} {:>9} {:>8} {:>8} {:>7} {:>8}",
            "", "s", "disk's s", "read MB", "wrote MB", "seeks", "flushes"
        );
        let (slow, pc, new) = (at("slow"), at("PC"), at("new"));
        let one = |what: &str, disk: &str, command: String| step(&folder, what, disk, &command);
        one(
            "capture from it",
            "PC",
            format!("{porter} capture --quiet --prove-later --spinning {slow} {}", at("trunk/first")),
        )?;
        one("capture to it", "trunk", format!("{porter} capture --quiet --prove-later {pc} {slow}/second"))?;
        one("check of the trunk on it", "trunk", format!("{porter} check --quiet --spinning {slow}/first"))?;
        one(
            "restore from it",
            "trunk",
            format!("{porter} restore --quiet --yes --spinning {slow}/first {new}"),
        )?;
        let first = at("trunk/first");
        one(
            "restore to it",
            "slow new",
            format!("{porter} restore --quiet --yes --spinning {first} {slow}"),
        )?;
        one(
            "check of the machine on it",
            "new",
            format!("{porter} check --quiet --spinning {first} {slow}"),
        )?;
        println!("  packs: {}", packs_in(&folder.join("trunk/second"))?);
    }
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())
}

fn packs_in(trunk: &Path) -> Result<usize, String> {
    let rows = fs::read_dir(trunk).map_err(|cause| cause.to_string())?.flatten();
    Ok(rows.filter(|row| row.path().extension().is_some_and(|ending| ending == "pack")).count())
}

/// Runs a command while one folder is shown as a slow disk.
fn step(folder: &Path, what: &str, disk: &str, command: &str) -> Result<(), String> {
    let counts = folder.join("counts.json");
    let at = folder.join("slow");
    let slow = SlowDisk::mount(&folder.join(disk), &at, &counts)?;
    let began = Instant::now();
    let said = Command::new("sh").args(["-c", command]).output().map_err(|cause| cause.to_string())?;
    let seconds = began.elapsed().as_secs_f64();
    slow.unmount()?;
    if !said.status.success() {
        return Err(format!("failed: {command}\n{}", String::from_utf8_lossy(&said.stderr)));
    }
    let text = fs::read_to_string(counts).map_err(|cause| cause.to_string())?;
    let Counts { read_in_bytes, written_in_bytes, seeks, flushes } =
        serde_json::from_str(&text).map_err(|cause| cause.to_string())?;
    let alone = (read_in_bytes + written_in_bytes) / 1e6 / MEGABYTES_A_SECOND + seeks * SECONDS_A_SEEK;
    println!(
        "  {what:<38} {seconds:>7.1} {alone:>9.1} {:>8.1} {:>8.1} {seeks:>7.0} {flushes:>8}",
        read_in_bytes / 1e6,
        written_in_bytes / 1e6
    );
    Ok(())
}

struct SlowDisk<'p> {
    shows: Child,
    at: &'p Path,
}

impl<'p> SlowDisk<'p> {
    fn mount(source: &Path, at: &'p Path, counts: &Path) -> Result<Self, String> {
        let shows = Command::new("/usr/bin/python3")
            .arg(".ci/slow_disk.py")
            .args([source, at, counts])
            .args([MEGABYTES_A_SECOND.to_string(), (SECONDS_A_SEEK * 1e3).to_string()])
            .stderr(Stdio::inherit())
            .spawn()
            .map_err(|cause| format!("/usr/bin/python3: {cause}"))?;
        let shown = at.display().to_string();
        for _ in 0..100 {
            if fs::read_to_string("/proc/self/mounts").is_ok_and(|mounts| mounts.contains(&shown)) {
                return Ok(Self { shows, at });
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        Err(format!("{shown} was not mounted"))
    }

    fn unmount(mut self) -> Result<(), String> {
        let unmounted = Command::new("fusermount3").arg("-u").arg(self.at).status();
        if !unmounted.is_ok_and(|status| status.success()) {
            return Err(format!("{} was not unmounted", self.at.display()));
        }
        self.shows.wait().map(drop).map_err(|cause| cause.to_string())
    }
}
