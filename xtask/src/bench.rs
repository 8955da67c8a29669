//! Measures porter against the system's own tools on the same data in the same run, and prints ratios of medians.
//!
//! Everything is warm (read once before). Nothing is deleted before all is measured: ext4 makes files many times
//! slower for minutes after a large delete. Every round writes to fresh folders, and the rounds take turns.

use porter_demo::dice::Dice;
use porter_demo::writing::noise;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

pub(crate) fn run(files: usize, rounds: usize) -> Result<(), String> {
    let built = Command::new("cargo").args(["build", "--release", "--package", "porter"]).status();
    if !built.is_ok_and(|status| status.success()) {
        return Err("porter could not be built".to_owned());
    }
    let porter = PathBuf::from("target/release/porter").canonicalize().map_err(|cause| cause.to_string())?;
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    let machine = bench.join("PC");
    println!("building {files} files in {}", bench.display());
    build(&machine, files, "Documents").map_err(|cause| cause.to_string())?;

    let at = |name: &str, round: usize| bench.join(format!("{name}-{round}")).display().to_string();
    let pc = machine.display().to_string();
    let porter = porter.display().to_string();
    let mut times: Vec<(&str, Vec<f64>)> = Vec::new();
    let mut measure = |name: &'static str, command: &str| -> Result<(), String> {
        let seconds = time(command)?;
        println!("  {name:<28} {seconds:8.2} s");
        match times.iter_mut().find(|(known, _)| *known == name) {
            Some((_, all)) => all.push(seconds),
            None => times.push((name, vec![seconds])),
        }
        Ok(())
    };
    time(&format!("du -s {pc}"))?;
    for round in 1..=rounds {
        println!("round {round} of {rounds}");
        measure("du -s", &format!("du -s {pc}"))?;
        measure("porter survey", &format!("{porter} survey --quiet {pc}"))?;
        measure("cp -a; sync", &format!("cp -a {pc} {0} && sync", at("copy", round)))?;
        measure("sha512sum", &format!("find {pc} -type f -print0 | xargs -0 sha512sum"))?;
        measure("sha256sum", &format!("find {pc} -type f -print0 | xargs -0 sha256sum"))?;
        measure(
            "tar | zstd; sync",
            &format!("tar -cf - {pc} | zstd -q -T0 -3 -o {} && sync", at("tar", round)),
        )?;
        measure("porter capture", &format!("{porter} capture --quiet {pc} {}", at("trunk", round)))?;
        let new = at("new", round);
        time(&format!("mkdir -p {new}/Windows/System32 {new}/Users/odile/Documents {new}/ProgramData"))?;
        measure("porter restore", &format!("{porter} restore --quiet --yes {} {new}", at("trunk", round)))?;
        measure("porter check", &format!("{porter} check --quiet {} {new}", at("trunk", round)))?;
    }
    let median = |name: &str| {
        let mut all =
            times.iter().find(|(known, _)| *known == name).map(|(_, all)| all.clone()).unwrap_or_default();
        all.sort_by(f64::total_cmp);
        all.get(all.len() / 2).copied().unwrap_or(f64::NAN)
    };
    println!("\nratios of medians over {rounds} rounds, {files} files");
    for (name, ours, theirs) in [
        ("survey / du -s", median("porter survey"), median("du -s")),
        (
            "capture / (cp -a + sha512sum)",
            median("porter capture"),
            median("cp -a; sync") + median("sha512sum"),
        ),
        ("capture / cp -a", median("porter capture"), median("cp -a; sync")),
        ("capture / tar | zstd", median("porter capture"), median("tar | zstd; sync")),
        ("restore / cp -a", median("porter restore"), median("cp -a; sync")),
        ("check / sha256sum", median("porter check"), median("sha256sum")),
    ] {
        println!("  {name:<32} {:6.2}   ({ours:.2} s / {theirs:.2} s)", ours / theirs);
    }
    for (name, command) in [
        ("survey", format!("{porter} survey --quiet {pc}")),
        ("capture", format!("{porter} capture --quiet {pc} {}", at("trunk", 0))),
        ("check", format!("{porter} check --quiet {} {}", at("trunk", 1), at("new", 1))),
    ] {
        println!("  peak memory of {name:<17} {:6.0} MB", peak_memory_in_mb(&command)?);
    }
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())
}

/// The survey alone, of many files: four fifths of them documents, the rest what programs keep, for which rules are asked.
pub(crate) fn survey(files: usize, rounds: usize) -> Result<(), String> {
    let built = Command::new("cargo").args(["build", "--release", "--package", "porter"]).status();
    if !built.is_ok_and(|status| status.success()) {
        return Err("porter could not be built".to_owned());
    }
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    println!("building {files} files in {}", bench.display());
    build(&bench, files / 5 * 4, "Documents")
        .and_then(|()| build(&bench, files / 10, "AppData/Roaming/KiteCAD"))
        .and_then(|()| build(&bench, files / 10, "AppData/Roaming/Thunderbird"))
        .map_err(|cause| cause.to_string())?;
    let du = format!("du -s {}", bench.display());
    let survey = format!("target/release/porter survey --quiet {}", bench.display());
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

fn time(command: &str) -> Result<f64, String> {
    let began = Instant::now();
    let status = Command::new("sh").args(["-c", command]).stdout(Stdio::null()).status();
    let seconds = began.elapsed().as_secs_f64();
    if status.is_ok_and(|status| status.success()) { Ok(seconds) } else { Err(format!("failed: {command}")) }
}

/// As GNU time tells it.
fn peak_memory_in_mb(command: &str) -> Result<f64, String> {
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
