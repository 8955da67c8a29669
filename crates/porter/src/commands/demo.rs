//! `porter demo`.

use crate::failure::{Failure, Outcome};
use crate::paths;
use crate::screen::{BOLD, FAINT, say, styled};
use clap::Args;
use porter_demo::{
    DemoSize, build_drive_image, build_loft_pc, build_sailroom, build_tidewater, build_windsock,
};
use std::path::{Path, PathBuf};
use std::time::Instant;

/// Build made-up machines and run the whole job on them, command by command
#[derive(Debug, Args)]
pub(crate) struct DemoArguments {
    /// Folder for the machines: new, or empty. Without it, a new temporary one
    #[arg(value_parser = paths::typed())]
    folder: Option<PathBuf>,
    /// Everything in small
    #[arg(long, hide = true)]
    small: bool,
    /// Build the machines, and run nothing on them
    #[arg(long, hide = true)]
    build_only: bool,
}

/// Shows the whole job; `run_line` runs a command line, as the one that was typed is run.
pub(crate) fn run(
    arguments: &DemoArguments,
    run_line: &dyn Fn(&[&str]) -> Result<Outcome, Failure>,
) -> Result<Outcome, Failure> {
    let folder = match &arguments.folder {
        Some(folder) => free_folder(folder)?,
        None => temporary_folder()?,
    };
    let size = if arguments.small { DemoSize::Small } else { DemoSize::Full };
    let path = |name: &str| paths::shown(&folder.join(name));
    let (old, new, trunk) = (path("LOFT-PC"), path("TIDEWATER"), path("trunk"));
    let (page, json) = (path("receipt.html"), path("receipt.json"));

    say(format_args!("{} in {}", styled(BOLD, "Saltmarsh Kiteworks"), paths::shown(&folder)));
    say("The workshop replaces its PC of 2012, LOFT-PC, by a new one, TIDEWATER. Everything is made up.");
    let began = Instant::now();
    build_loft_pc(Path::new(&old), size)
        .and_then(|()| build_tidewater(Path::new(&new)))
        .and_then(|()| build_windsock(&folder.join("WINDSOCK"), size))
        .and_then(|()| build_drive_image(&folder.join("WINDSOCK"), &folder.join("WINDSOCK.img"), "WINDSOCK"))
        .and_then(|()| build_sailroom(&folder.join("SAILROOM"), size))
        .map_err(|cause| {
            Failure::new(
                format!("the demo machines cannot be built: {cause}"),
                "Name a folder with 400 MB of free space.",
            )
        })?;
    say(styled(FAINT, format_args!("The machines were built in {:.1} s.", began.elapsed().as_secs_f64())));

    if arguments.build_only {
        return Ok(Outcome::Well);
    }
    let steps: [(&str, Vec<&str>); 5] = [
        ("Look at the old machine: who is on it, what there is, what to beware of.", vec!["survey", &old]),
        (
            "Capture it into a trunk. The trunk is read back before it counts.",
            vec!["capture", &old, &trunk, "--job", "SK-2026-114", "--owner", "Odile Marchetti"],
        ),
        (
            "See what a restore would do. Tamsin's account has another name on the new machine.",
            vec!["restore", &trunk, &new, "--account", "tamsin=tamsin.okafor", "--try"],
        ),
        ("Restore.", vec!["restore", &trunk, &new, "--account", "tamsin=tamsin.okafor", "--yes"]),
        (
            "Prove that every item landed, byte for byte, and print the receipt.",
            vec!["check", &trunk, &new, "--page", &page, "--json", &json],
        ),
    ];
    let mut attention = false;
    for (why, words) in &steps {
        say("");
        say(styled(FAINT, format_args!("# {why}")));
        say(styled(
            BOLD,
            format_args!("$ porter {}", words.iter().map(|word| quoted(word)).collect::<Vec<_>>().join(" ")),
        ));
        attention |= run_line(words)? == Outcome::Attention;
    }
    say("");
    say(format_args!(
        "{} {:.1} s for everything. Look around in {}",
        styled(BOLD, "That was the job."),
        began.elapsed().as_secs_f64(),
        paths::shown(&folder)
    ));
    say(format_args!("  the receipt to print and sign   {page}"));
    say(format_args!("  what the trunk holds            porter look {}", quoted(&trunk)));
    say(format_args!(
        "  one thing taken out of it       porter take {} odile/folder/documents/Kites {}",
        quoted(&trunk),
        quoted(&path("taken"))
    ));
    let image = quoted(&path("WINDSOCK.img"));
    say(format_args!("  the drive of a failed laptop    porter machines {image}"));
    say(format_args!("                                  porter survey {image}"));
    say(format_args!("  the drive of an old Mac         porter survey {}", quoted(&path("SAILROOM"))));
    Ok(Outcome::attention_if(attention))
}

/// As a person would type it.
fn quoted(word: &str) -> String {
    if word.contains([' ', '*', '\'', '"', '&', ';', '(', ')']) {
        let quote = if cfg!(windows) { '"' } else { '\'' };
        format!("{quote}{word}{quote}")
    } else {
        word.to_owned()
    }
}

fn free_folder(folder: &Path) -> Result<PathBuf, Failure> {
    let failed = |cause: std::io::Error| {
        Failure::new(format!("`{}`: {cause}", paths::shown(folder)), "Name another folder for the demo.")
    };
    std::fs::create_dir_all(folder).map_err(failed)?;
    if std::fs::read_dir(folder).map_err(failed)?.next().is_some() {
        return Err(Failure::wrong_use(
            format!("`{}` is not empty", paths::shown(folder)),
            "Nothing was changed. Name a new or an empty folder for the demo.",
        ));
    }
    Ok(folder.to_path_buf())
}

fn temporary_folder() -> Result<PathBuf, Failure> {
    let above = std::env::temp_dir();
    for number in 1..1000 {
        let folder = above.join(format!("porter-demo-{number}"));
        match std::fs::create_dir(&folder) {
            Ok(()) => return Ok(folder),
            Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(cause) => {
                let what = format!("`{}` cannot be made: {cause}", paths::shown(&folder));
                return Err(Failure::new(what, "Name a folder for the demo."));
            }
        }
    }
    Err(Failure::new(
        format!("`{}` is full of demos", paths::shown(&above)),
        "Delete some, or name a folder.",
    ))
}
