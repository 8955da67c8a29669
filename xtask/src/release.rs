//! The programs that are handed out: one for 64-bit Windows 7 and later, and one for any 64-bit Linux, which
//! needs no library of the system it starts on.
//!
//! Rust's own distribution has no standard library for Windows 7, so it is built along, with the compiler and
//! the sources that Debian packages (`rustc-web`, `cargo-web`, `rust-web-src`, `gcc-mingw-w64-x86-64`).

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

const WINDOWS_7: &str = "x86_64-win7-windows-gnu";
const LINUX: &str = "x86_64-unknown-linux-gnu";
/// The profile of what is handed out.
const HANDED_OUT: &str = "dist";
/// The profile of what is only tried out, and the folder of what it builds.
const TRIED_OUT: &str = "dev";
const TRIED_OUT_FOLDER: &str = "debug";
/// Names a program that is there already, so that none is built for the lanes.
const PROGRAM: &str = "PORTER_PROGRAM";

/// Leaves `porter` and `porter.exe` in `target/handout`.
pub(crate) fn release() -> Result<(), String> {
    run(&mut cargo_for_any_linux(HANDED_OUT))?;
    let mut windows = cargo_for_windows_7("build", "std,panic_abort");
    windows.args([
        "--profile",
        HANDED_OUT,
        "--package",
        "porter",
        "--config",
        "profile.dist.panic=\"abort\"",
    ]);
    run(&mut windows)?;

    let to = root().join("target/handout");
    fs::create_dir_all(&to).map_err(|cause| format!("{}: {cause}", to.display()))?;
    for (built, name) in [
        (format!("target/static/{LINUX}/{HANDED_OUT}/porter"), "porter"),
        (format!("target/win7/{WINDOWS_7}/{HANDED_OUT}/porter.exe"), "porter.exe"),
    ] {
        let size_in_bytes =
            fs::copy(root().join(&built), to.join(name)).map_err(|cause| format!("{built}: {cause}"))?;
        println!("{size_in_bytes:>9} bytes  target/handout/{name}");
    }
    Ok(())
}

/// Builds the Linux program that the lanes try out, unless one is named, and returns where it is.
pub(crate) fn lane_program() -> Result<PathBuf, String> {
    if std::env::var_os(PROGRAM).is_none() {
        run(&mut cargo_for_any_linux(TRIED_OUT))?;
    }
    Ok(lane_program_path())
}

/// Where [`lane_program`] leaves it.
pub(crate) fn lane_program_path() -> PathBuf {
    let named = std::env::var_os(PROGRAM).map(PathBuf::from);
    named.unwrap_or_else(|| root().join(format!("target/static/{LINUX}/{TRIED_OUT_FOLDER}/porter")))
}

/// The packages that are not the same on Windows. The others decode bytes, and know of no system.
const WITH_WINDOWS: [&str; 6] =
    ["porter", "porter-core", "porter-machine", "porter-names", "porter-source", "porter-trunk"];

/// Runs tests as Windows programs, with the runner in Cargo's environment
/// (`CARGO_TARGET_X86_64_WIN7_WINDOWS_GNU_RUNNER`). Leaves the `porter.exe` that they drive, and returns
/// where it is.
pub(crate) fn windows_tests() -> Result<PathBuf, String> {
    // Otherwise each test is a program of its own, and one after the other: Wine now and then fails to start
    // one of many. The words of a test before it aborts would be lost with it.
    let how = ["--", "-Zunstable-options", "--force-run-in-process", "--test-threads=1", "--nocapture"];
    run(cargo_for_windows_tests().args(how))?;
    Ok(root().join(format!("target/win7/{WINDOWS_7}/{TRIED_OUT_FOLDER}/porter.exe")))
}

/// Builds what [`windows_tests`] runs.
pub(crate) fn windows_build() -> Result<(), String> {
    run(cargo_for_windows_tests().arg("--no-run"))
}

fn cargo_for_windows_tests() -> Command {
    let mut tests = cargo_for_windows_7("test", "std,panic_abort,test");
    tests.args(WITH_WINDOWS.iter().flat_map(|package| ["--package", package]));
    tests
        .args(["--quiet", "--no-fail-fast", "--config", "profile.dev.panic=\"abort\"", "-Zpanic-abort-tests"])
        // Debian's compiler takes minutes for what a test does not notice.
        .args(["--config", "profile.dev.package.porter-trunk.opt-level=1"])
        .args(["--lib", "--bins", "--tests"]);
    tests
}

fn cargo_for_any_linux(profile: &str) -> Command {
    let mut cargo = Command::new(env!("CARGO"));
    cargo
        .args(["build", "--profile", profile, "--package", "porter", "--target", LINUX])
        .env("RUSTFLAGS", "-C target-feature=+crt-static")
        .env("CARGO_TARGET_DIR", root().join("target/static"));
    cargo
}

fn cargo_for_windows_7(what: &str, standard_library: &str) -> Command {
    let mut cargo = Command::new("/usr/bin/cargo");
    cargo
        .args([what, "--target", WINDOWS_7, &format!("-Zbuild-std={standard_library}")])
        .env("RUSTC", "/usr/bin/rustc")
        .env("RUSTDOC", "/usr/bin/rustdoc")
        // The sources of the standard library are for a compiler that may use what is not stable.
        .env("RUSTC_BOOTSTRAP", "1")
        .env("CARGO_TARGET_X86_64_WIN7_WINDOWS_GNU_LINKER", "x86_64-w64-mingw32-gcc")
        .env("CC_x86_64_win7_windows_gnu", "x86_64-w64-mingw32-gcc")
        .env("CARGO_TARGET_DIR", root().join("target/win7"));
    cargo
}

fn run(command: &mut Command) -> Result<(), String> {
    let program = command.get_program().to_string_lossy().into_owned();
    let status = command.current_dir(root()).status().map_err(|cause| {
        format!("{program} cannot be run ({cause}); docs/developing.md tells what to install")
    })?;
    if status.success() { Ok(()) } else { Err(format!("{program}: {status}")) }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map(Path::to_path_buf).unwrap_or_default()
}
