//! Measures porter against the system's own tools on the same data in the same run, and prints ratios of
//! medians.
//!
//! Everything is warm (read once before) and on the medium before the clock stops. The rounds take turns, and
//! so do those that write the same files: who comes first finds memory that is dearer to who comes later.
//! Beside ratios that are not held stands the least that this machine can do.
//! Many small files are deleted only at the very end: ext4 makes files many times slower for minutes after a
//! large delete.

use crate::datasets;
use porter_demo::dice::Dice;
use porter_demo::writing::noise;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

/// The cost of one run.
#[derive(Debug, Clone, Copy, Default)]
struct Took {
    seconds: f64,
    processor_seconds: f64,
    peak_memory_in_mb: f64,
    written_in_mb: f64,
}

/// A comparison: name, ours, theirs, and the limit that we set ourselves for each set of data.
type Limit = (&'static str, &'static [&'static str], &'static [&'static str], [f64; 5]);

const NO_LIMIT: f64 = f64::INFINITY;
const LIMITS: [Limit; 8] = [
    ("capture / tar | zstd", &["capture"], &["tar | zstd"], [0.8, 0.7, 0.7, 0.7, 0.7]),
    (
        "capture with its read-back / tar | zstd",
        &["capture and read-back"],
        &["tar | zstd"],
        [0.6, 0.75, 0.5, 0.8, 0.45],
    ),
    ("capture / cp -a", &["capture"], &["cp -a"], [NO_LIMIT, NO_LIMIT, 1.1, NO_LIMIT, 1.1]),
    ("restore / unpacking", &["restore"], &["zstd -d | tar"], [0.7, 0.45, 0.5, 0.5, 0.35]),
    ("restore / cp -a", &["restore"], &["cp -a"], [0.9, NO_LIMIT, 0.9, NO_LIMIT, 1.0]),
    ("check trunk / b3sum of the source", &["check trunk"], &["b3sum"], [0.7, 2.5, 1.0, 4.0, 1.2]),
    ("check machine / b3sum", &["check machine"], &["b3sum"], [0.5, 0.7, 0.8, 0.95, 1.0]),
    (
        "capture + checks / cp -a + sha256sum of both",
        &["capture", "check trunk", "check machine"],
        &["cp -a", "sha256sum of both"],
        [0.35, 0.3, 0.3, 0.3, 0.3],
    ),
];
/// The least that any program can do here: without lists, a journal and proof, or without waiting for the
/// processor. Each by the name of the limit that it belongs to.
const LEAST: [(&str, &str, &str); 6] = [
    ("capture with its read-back / tar | zstd", "the drive alone", "tar | zstd"),
    ("restore / unpacking", "two cp -a at once", "zstd -d | tar"),
    ("restore / cp -a", "two cp -a at once", "cp -a"),
    ("check trunk / b3sum of the source", "two b3sum at once", "b3sum"),
    ("check machine / b3sum", "two b3sum at once", "b3sum"),
    ("capture / cp -a", "the drive alone", "cp -a"),
];
const SIZE_LIMITS: [f64; 5] = [0.85, 1.0, 1.0, 0.85, 1.0];

/// Measures on some sets of data, all if none is named, each `scale` times as large as usual.
pub(crate) fn run(rounds: usize, scale: f64, sets: &[&str]) -> Result<(), String> {
    let porter = build_porter()?;
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    let mut all_hold = true;
    for (at, name) in datasets::NAMES.into_iter().enumerate() {
        if sets.is_empty() || sets.contains(&name) {
            all_hold &= measure_set(&porter, &bench, name, at, rounds, scale)?;
        }
    }
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())?;
    println!("\n{}", if all_hold { "All limits hold." } else { "Not all limits hold." });
    Ok(())
}

/// Builds the program as it is shipped, unless `PORTER` in the environment names one that is built already.
/// Cargo's variables are not handed on: with them it would rebuild much of it.
pub(crate) fn build_porter() -> Result<PathBuf, String> {
    if let Some(built) = std::env::var_os("PORTER") {
        return Ok(built.into());
    }
    let mut build = Command::new("cargo");
    build.args(["build", "--profile", "dist", "--package", "porter"]);
    for (name, _) in std::env::vars_os() {
        let shown = name.to_string_lossy();
        if shown.starts_with("CARGO_") && name != "CARGO_HOME" {
            build.env_remove(name);
        }
    }
    if !build.status().is_ok_and(|status| status.success()) {
        return Err("porter could not be built".to_owned());
    }
    PathBuf::from("target/dist/porter").canonicalize().map_err(|cause| cause.to_string())
}

fn measure_set(
    porter: &Path,
    bench: &Path,
    name: &str,
    at: usize,
    rounds: usize,
    scale: f64,
) -> Result<bool, String> {
    let folder = bench.join(name);
    let pc = folder.join("PC");
    datasets::build(name, scale, &pc).map_err(|cause| cause.to_string())?;
    let (pc, porter) = (pc.display().to_string(), porter.display().to_string());
    let documents = format!("{pc}/Users/odile/Documents");
    let all_of = |folder: &str| format!("find '{folder}' -type f -print0 | xargs -0");
    let inside = format!("find '{documents}' -mindepth 1 -maxdepth 1 -print0");
    let by_two_folders = by_two(&inside)?;
    let by_two_files = by_two(&format!("find '{documents}' -type f -print0"))?;
    let mut runs: BTreeMap<&'static str, Vec<Took>> = BTreeMap::new();
    let mut sizes = (0.0, 0.0);
    // Warm, and everything on the medium.
    took(&format!("{} cat > /dev/null; sync", all_of(&documents)))?;
    for round in 0..rounds {
        let there = |what: &str| folder.join(format!("{what}-{round}")).display().to_string();
        let (copy, tar, trunk, new, untar) =
            (there("copy"), there("tar"), there("trunk"), there("new"), there("untar"));
        let (new_documents, sync) =
            (format!("{new}/Users/odile/Documents"), format!("sync -f {}", folder.display()));
        for made in [
            format!("{new}/Windows/System32"),
            new_documents.clone(),
            format!("{new}/ProgramData"),
            untar.clone(),
        ] {
            fs::create_dir_all(made).map_err(|cause| cause.to_string())?;
        }
        let mut measure = |what: &'static str, command: &str| -> Result<(), String> {
            let one = took(command)?;
            // Writes that the clock did not wait for must not burden the next run.
            took(&sync)?;
            runs.entry(what).or_default().push(one);
            Ok(())
        };
        measure("capture", &format!("{porter} capture --quiet --prove-later {pc} {trunk}"))?;
        let proved = there("proved trunk");
        measure("capture and read-back", &format!("{porter} capture --quiet {pc} '{proved}'"))?;
        measure("tar | zstd", &format!("tar -cf - -C {pc} Users | zstd -q -T0 -3 -o {tar} && {sync}"))?;
        measure("check trunk", &format!("{porter} check --quiet {trunk}"))?;
        let drive_alone = "for pack in *; do dd if=\"$pack\" of=../dd bs=4M oflag=direct && \
                           dd if=../dd of=/dev/null bs=4M iflag=direct || exit 1; done 2>&1";
        measure("the drive alone", &format!("cd '{proved}' && {drive_alone}"))?;
        let two = there("two");
        fs::create_dir_all(&two).map_err(|cause| cause.to_string())?;
        let mut writers = [
            ("cp -a", format!("cp -a '{documents}' {copy} && {sync}")),
            ("restore", format!("{porter} restore --quiet --yes {trunk} {new}")),
            ("zstd -d | tar", format!("zstd -q -d -c {tar} | tar -xf - -C {untar} && {sync}")),
            ("two cp -a at once", format!("{inside} | {by_two_folders} cp -a -t {two} && {sync}")),
        ];
        writers.rotate_left(round % 4);
        for (what, command) in &writers {
            measure(what, command)?;
        }
        measure("check machine", &format!("{porter} check --quiet {trunk} {new}"))?;
        measure("b3sum", &format!("{} b3sum", all_of(&new_documents)))?;
        let two_sums =
            format!("find '{new_documents}' -type f -print0 | {by_two_files} b3sum --num-threads 1");
        measure("two b3sum at once", &two_sums)?;
        let both = format!("{} sha256sum; {} sha256sum", all_of(&documents), all_of(&copy));
        measure("sha256sum of both", &both)?;
        sizes = (size_of(Path::new(&trunk))?, size_of(Path::new(&tar))?);
        if name != "small" {
            for folder in [&copy, &tar, &trunk, &proved, &new, &untar, &two] {
                let path = Path::new(folder);
                let _ = if path.is_dir() { fs::remove_dir_all(path) } else { fs::remove_file(path) };
            }
        }
    }
    println!("\n{name}: medians of {rounds} rounds");
    println!("  {:<22} {:>8} {:>10} {:>10} {:>12}", "", "wall s", "processor s", "memory MB", "written MB");
    let median = |what: &str, of: fn(&Took) -> f64| {
        let mut all: Vec<f64> = runs.get(what).into_iter().flatten().map(of).collect();
        all.sort_by(f64::total_cmp);
        all.get(all.len() / 2).copied().unwrap_or(f64::NAN)
    };
    for what in runs.keys() {
        println!(
            "  {what:<22} {:>8.2} {:>10.2} {:>10.0} {:>12.0}",
            median(what, |took| took.seconds),
            median(what, |took| took.processor_seconds),
            median(what, |took| took.peak_memory_in_mb),
            median(what, |took| took.written_in_mb)
        );
    }
    let mut all_hold = true;
    // Limits have one or two decimals, and so have the ratios that are compared with them.
    let mut show = |what: &str, ratio: f64, limit: f64, rounds: &str| {
        let holds = (ratio * 100.0).round() <= (limit * 100.0).round();
        all_hold &= holds;
        let verdict = match (limit.is_finite(), holds) {
            (false, _) => String::new(),
            (true, true) => format!("(at most {limit})"),
            (true, false) => format!("(at most {limit}) NOT HELD"),
        };
        println!("  {what:<46} {ratio:6.2} {verdict:<23} {rounds}");
        holds
    };
    for (what, ours, theirs, limits) in LIMITS {
        let of_medians = |of: &[&str]| of.iter().map(|of| median(of, |took| took.seconds)).sum::<f64>();
        let in_round = |of: &[&str], round: usize| -> f64 {
            of.iter().filter_map(|of| Some(runs.get(of)?.get(round)?.seconds)).sum()
        };
        // Two runs in a row met the machine in the same mood.
        let mut by_round: Vec<f64> =
            (0..rounds).map(|round| in_round(ours, round) / in_round(theirs, round)).collect();
        by_round.sort_by(f64::total_cmp);
        let span = match by_round[..] {
            [lowest, .., highest] => {
                format!("rounds {lowest:.2} to {highest:.2}, median {:.2}", by_round[by_round.len() / 2])
            }
            _ => String::new(),
        };
        let held = show(what, of_medians(ours) / of_medians(theirs), limits[at], &span);
        let least = LEAST.into_iter().find(|(of, ..)| *of == what);
        if let Some((_, least, theirs)) = least.filter(|_| !held) {
            println!("    {least:<44} {:6.2}", of_medians(&[least]) / of_medians(&[theirs]));
        }
    }
    show("size of trunk / tar.zst", sizes.0 / sizes.1, SIZE_LIMITS[at], "");
    Ok(all_hold)
}

/// A tenth of each set, all of it, and ten times as much: what each step takes for the same share of the
/// data. Equal numbers are a straight line.
pub(crate) fn scale(sets: &[&str], largest: f64) -> Result<(), String> {
    let porter = build_porter()?.display().to_string();
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    let sets = if sets.is_empty() { &datasets::NAMES[..] } else { sets };
    for name in sets {
        println!("\n{name}: seconds for each unit of data, memory in MB");
        println!(
            "  {:>6} {:>10} {:>12} {:>10} {:>15}",
            "units", "capture", "check trunk", "restore", "check machine"
        );
        for units in [0.1, 1.0, largest] {
            let at = |what: &str| bench.join(format!("{name} {units}/{what}")).display().to_string();
            let (pc, trunk, new) = (at("PC"), at("trunk"), at("new"));
            datasets::build(name, units, Path::new(&pc)).map_err(|cause| cause.to_string())?;
            for made in ["Windows/System32", "ProgramData", "Users/odile/Documents"] {
                fs::create_dir_all(Path::new(&new).join(made)).map_err(|cause| cause.to_string())?;
            }
            took("sync")?;
            let mut cells = String::new();
            for step in [
                format!("{porter} capture --quiet --prove-later '{pc}' '{trunk}'"),
                format!("{porter} check --quiet '{trunk}'"),
                format!("{porter} restore --quiet --yes '{trunk}' '{new}'"),
                format!("{porter} check --quiet '{trunk}' '{new}'"),
            ] {
                let one = took(&step)?;
                cells.push_str(&format!(" {:>6.3}, {:>3.0}", one.seconds / units, one.peak_memory_in_mb));
                took("sync")?;
            }
            println!("  {units:>6}{cells}");
        }
        fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())?;
    }
    Ok(())
}

/// Hands what `find` lists to two programs at once, in some eight shares: with fewer, one waits for the other
/// at the end.
fn by_two(find: &str) -> Result<String, String> {
    let listed = Command::new("sh").args(["-c", find]).output().map_err(|cause| cause.to_string())?;
    let names = listed.stdout.iter().filter(|byte| **byte == 0).count();
    Ok(format!("xargs -0 -P2 -n{}", names.div_ceil(8).max(1)))
}

/// All that a file or folder holds.
fn size_of(path: &Path) -> Result<f64, String> {
    let found = fs::metadata(path).map_err(|cause| cause.to_string())?;
    if found.is_file() {
        return Ok(found.len() as f64);
    }
    let rows = fs::read_dir(path).map_err(|cause| cause.to_string())?.flatten();
    Ok(rows.filter_map(|row| row.metadata().ok()).map(|found| found.len() as f64).sum())
}

/// Runs a command and asks GNU time what it took.
fn took(command: &str) -> Result<Took, String> {
    let began = Instant::now();
    let output = Command::new("/usr/bin/time")
        .args(["-f", "%U %S %M %O", "sh", "-c", command])
        .stdout(Stdio::null())
        .output()
        .map_err(|cause| format!("/usr/bin/time: {cause}"))?;
    let seconds = began.elapsed().as_secs_f64();
    let said = String::from_utf8_lossy(&output.stderr);
    let numbers: Vec<f64> = said
        .lines()
        .last()
        .unwrap_or_default()
        .split_whitespace()
        .filter_map(|word| word.parse().ok())
        .collect();
    match (output.status.success(), &numbers[..]) {
        (true, [user, system, kilobytes, blocks]) => Ok(Took {
            seconds,
            processor_seconds: user + system,
            peak_memory_in_mb: kilobytes / 1000.0,
            written_in_mb: blocks * 512.0 / 1e6,
        }),
        _ => Err(format!("failed: {command}\n{said}")),
    }
}

/// The survey alone, of many files: four fifths of them documents, the rest what programs keep, for which
/// rules are asked.
pub(crate) fn survey(files: usize, rounds: usize) -> Result<(), String> {
    build_porter()?;
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    println!("building {files} files in {}", bench.display());
    build(&bench, files / 5 * 4, "Documents")
        .and_then(|()| build(&bench, files / 10, "AppData/Roaming/KiteCAD"))
        .and_then(|()| build(&bench, files / 10, "AppData/Roaming/Thunderbird"))
        .map_err(|cause| cause.to_string())?;
    let du = format!("du -s {}", bench.display());
    let survey = format!("target/dist/porter survey --quiet {}", bench.display());
    time(&du)?;
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for round in 1..=rounds {
        let (du, survey) = (time(&du)?, time(&survey)?);
        println!("round {round}: du -s {du:.2} s, survey {survey:.2} s");
        theirs.push(du);
        ours.push(survey);
    }
    ours.sort_by(f64::total_cmp);
    theirs.sort_by(f64::total_cmp);
    let ratio = ours[rounds / 2] / theirs[rounds / 2];
    println!("ratio of medians {ratio:.2}, peak memory {:.0} MB", peak_memory_in_mb(&survey)?);
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())
}

pub(crate) fn time(command: &str) -> Result<f64, String> {
    let began = Instant::now();
    let status = Command::new("sh").args(["-c", command]).stdout(Stdio::null()).status();
    let seconds = began.elapsed().as_secs_f64();
    if status.is_ok_and(|status| status.success()) { Ok(seconds) } else { Err(format!("failed: {command}")) }
}

/// As GNU time reports it.
pub(crate) fn peak_memory_in_mb(command: &str) -> Result<f64, String> {
    let output = Command::new("/usr/bin/time")
        .args(["-f", "%M", "sh", "-c", &format!("exec {command}")])
        .stdout(Stdio::null())
        .output()
        .map_err(|cause| format!("/usr/bin/time: {cause}"))?;
    let said = String::from_utf8_lossy(&output.stderr);
    let kilobytes = said.lines().last().and_then(|line| line.trim().parse::<f64>().ok());
    kilobytes.map(|kilobytes| kilobytes / 1000.0).ok_or_else(|| format!("no number in {said}"))
}

/// Fifty small files to a folder, as documents and caches are.
fn build(machine: &Path, files: usize, below_home: &str) -> std::io::Result<()> {
    for folder in ["Windows/System32", "ProgramData"] {
        fs::create_dir_all(machine.join(folder))?;
    }
    let content = noise("bench", 1 << 20);
    let mut dice = Dice::named("bench");
    let documents = machine.join("Users/odile").join(below_home);
    for number in 0..files {
        let folder = documents.join(format!("set {:03}/folder {:02}", number / 2000, number / 50 % 40));
        if number % 50 == 0 {
            fs::create_dir_all(&folder)?;
        }
        let length = [200, 900, 3000, 9000, 20_000][dice.below(5)];
        let start = dice.below(content.len() - length);
        fs::write(folder.join(format!("file {number:06}.txt")), &content[start..start + length])?;
    }
    Ok(())
}
