//! Chores of the developers: `cargo xtask bench [FILES]`.
#![allow(clippy::print_stdout, clippy::print_stderr, reason = "a tool for the terminal")]

mod bench;

use std::process::ExitCode;

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let done = match words[..] {
        ["bench"] => bench::run(200_000),
        ["bench", files] => match files.parse() {
            Ok(files) => bench::run(files),
            Err(_) => Err(format!("`{files}` is no number of files")),
        },
        _ => Err("cargo xtask bench [FILES]   measure porter against du, cp, sha512sum and tar".to_owned()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(what) => {
            eprintln!("{what}");
            ExitCode::from(2)
        }
    }
}
