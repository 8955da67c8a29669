//! Chores of the developers.
#![allow(clippy::print_stdout, clippy::print_stderr, reason = "a tool for the terminal")]

mod bench;
mod crash;
mod datasets;
mod drives;
mod fuzz;
mod hives;
mod mail_bench;
mod mail_harm;
mod release;
mod slow;
mod time_zones;

use std::process::ExitCode;

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let done =
        match words[..] {
            ["bench", ref of @ ..] => {
                let numbers: Vec<f64> = of.iter().map_while(|word| word.parse().ok()).collect();
                let (rounds, scale) =
                    (numbers.first().copied().unwrap_or(5.0), numbers.get(1).copied().unwrap_or(1.0));
                let sets = &of[numbers.len()..];
                match sets.iter().find(|name| !datasets::NAMES.contains(name)) {
                    Some(unknown) => Err(format!("`{unknown}` is none of {}", datasets::NAMES.join(", "))),
                    None => bench::run(rounds as usize, scale, sets),
                }
            }
            ["dataset", name, folder] if datasets::NAMES.contains(&name) => {
                datasets::build(name, 1.0, std::path::Path::new(folder)).map_err(|cause| cause.to_string())
            }
            ["crash"] => crash::run(30, &[]),
            ["crash", count, ref parts @ ..] => {
                match (count.parse(), parts.iter().find(|part| !crash::PARTS.contains(part))) {
                    (Ok(count), None) => crash::run(count, parts),
                    (Err(_), _) => Err(format!("`{count}` is no number")),
                    (_, Some(unknown)) => {
                        Err(format!("`{unknown}` is none of {}", crash::PARTS.join(", ")))
                    }
                }
            }
            ["bench-scale", largest, ref sets @ ..] => match largest.parse() {
                Ok(largest) => bench::scale(sets, largest),
                Err(_) => Err(format!("`{largest}` is no number")),
            },
            ["bench-drive"] => drives::bench(1_000_000),
            ["bench-drive", files] => match files.parse() {
                Ok(files) => drives::bench(files),
                Err(_) => Err(format!("`{files}` is no number")),
            },
            ["bench-mail"] => mail_bench::bench(None),
            ["bench-mail", data_file] => mail_bench::bench(Some(std::path::Path::new(data_file))),
            ["harm-mail", file] => mail_harm::harm(std::path::Path::new(file), 200, 20),
            ["harm-mail", file, copies, bits] => match (copies.parse(), bits.parse()) {
                (Ok(copies), Ok(bits)) => mail_harm::harm(std::path::Path::new(file), copies, bits),
                _ => Err(format!("`{copies} {bits}` are no numbers")),
            },
            ["bench-slow"] => slow::run(),
            ["bench-survey"] => bench::survey(500_000, 5),
            ["bench-hive"] => hives::bench(),
            ["mutate-hives"] => hives::mutate(10_000_000),
            ["mutate-hives", times] => match times.parse() {
                Ok(times) => hives::mutate(times),
                Err(_) => Err(format!("`{times}` is no number")),
            },
            ["fuzz", seconds, ref formats @ ..] => match seconds.parse() {
                Ok(seconds) => fuzz::run(seconds, formats),
                Err(_) => Err(format!("`{seconds}` is no number")),
            },
            ["time-zones", folder] => time_zones::make(std::path::Path::new(folder)),
            ["release"] => release::release(),
            ["lane-program"] => release::lane_program().map(|path| println!("{}", path.display())),
            ["windows-build"] => release::windows_build(),
            ["windows-tests"] => release::windows_tests().map(|path| println!("{}", path.display())),
            _ => Err("cargo xtask bench [ROUNDS [SCALE]] [SET]...\n\
                                                 measure porter against cp, tar | zstd, sha256sum and b3sum\n\
                      cargo xtask dataset SET FOLDER     build the data that bench measures on\n\
                      cargo xtask crash [COUNT] [PART]...\n\
                                                 kill captures, top-ups, restores and undos, and let them go on\n\
                      cargo xtask bench-scale UNITS [SET]...\n\
                                                 the same steps for 0.1, 1 and UNITS times the data\n\
                      cargo xtask bench-survey           measure the survey of 500,000 files against du\n\
                      cargo xtask bench-drive [FILES]    measure the reading of an NTFS against cat and ntfs-3g (root)\n\
                      cargo xtask bench-mail [FILE.pst]  measure mailboxes, Thunderbird's folders, and a data file against readpst\n\
                      cargo xtask harm-mail FILE.pst [COPIES BITS]\n\
                                                 let bits fall over in copies of a data file, and read what is left\n\
                      cargo xtask bench-hive             time the walk through a registry hive of 60 MB\n\
                      cargo xtask mutate-hives [TIMES]   change bytes of a hive and read it, ten million times\n\
                      cargo xtask time-zones FOLDER      make the table of time zones anew from CLDR\n\
                      cargo xtask release                build the programs for Windows and Linux into target/handout\n\
                      cargo xtask lane-program           build the Linux program that the lanes try out, and say where it is\n\
                      cargo xtask windows-build          build all tests as Windows programs\n\
                      cargo xtask windows-tests          run all tests as Windows programs, and say where their porter.exe is"
                .to_owned()),
        };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(what) => {
            eprintln!("{what}");
            ExitCode::from(2)
        }
    }
}
