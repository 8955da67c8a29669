//! `porter workshop-key`.

use crate::failure::{Failure, Outcome};
use crate::screen::say;
use crate::{keys, paths};
use clap::{Args, Subcommand};
use porter_trunk::sealing::WorkshopKey;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Set up the workshop's recovery key: it opens sealed trunks whose passphrase was forgotten
#[derive(Debug, Args)]
pub(crate) struct WorkshopKeyArguments {
    #[command(subcommand)]
    command: WorkshopKeyCommand,
}

#[derive(Debug, Subcommand)]
enum WorkshopKeyCommand {
    /// Make a recovery key. From now on trunks sealed here open with it too
    New {
        /// File for the secret half: keep it in a safe place, and not on this computer
        #[arg(value_parser = paths::typed())]
        file: PathBuf,
    },
    /// Show the public half that trunks are sealed for
    Show,
}

pub(crate) fn run(arguments: &WorkshopKeyArguments) -> Result<Outcome, Failure> {
    match &arguments.command {
        WorkshopKeyCommand::New { file } => new(file),
        WorkshopKeyCommand::Show => show(),
    }
}

fn new(file: &Path) -> Result<Outcome, Failure> {
    let Some(public_file) = keys::workshop_file() else {
        return Err(Failure::new(
            "there is no folder for settings",
            "Set XDG_CONFIG_HOME (or APPDATA on Windows).",
        ));
    };
    if public_file.exists() {
        return Err(Failure::wrong_use(
            format!("there is a recovery key already: `{}`", paths::shown(&public_file)),
            "Nothing was done. Trunks sealed for it need its secret half; move that file away to begin anew.",
        ));
    }
    let key = WorkshopKey::generate();
    let public = key.public().to_string();
    let remark = "# Secret half of the workshop's recovery key of Loyal Porter. It opens every trunk that was sealed for it.";
    let secret = zeroize::Zeroizing::new(format!("{remark}\n{}\n", key.to_text().as_str()));
    write(file, secret.as_bytes())?;
    let folder = public_file.parent().unwrap_or(Path::new("."));
    let done =
        std::fs::create_dir_all(folder).map_err(|cause| (folder.to_path_buf(), cause)).and_then(|()| {
            std::fs::write(&public_file, format!("{public}\n")).map_err(|cause| (public_file.clone(), cause))
        });
    if let Err((path, cause)) = done {
        let _ = std::fs::remove_file(file);
        return Err(Failure::new(
            format!("`{}` cannot be written: {cause}", paths::shown(&path)),
            "Nothing was set up.",
        ));
    }
    say(format_args!("The secret half is in `{}`.", paths::shown(file)));
    say(
        "Keep it in a safe place, away from this computer: whoever has it opens every trunk that is sealed here.",
    );
    say(format_args!("The public half is {public}"));
    say(format_args!("and is kept in `{}`.", paths::shown(&public_file)));
    Ok(Outcome::Well)
}

fn show() -> Result<Outcome, Failure> {
    match keys::workshop_public_key()? {
        Some(key) => say(format_args!("Trunks are sealed for {key}")),
        None => say("There is no recovery key. `porter workshop-key new FILE` makes one."),
    }
    Ok(Outcome::Well)
}

/// A new file that only its owner reads.
fn write(path: &Path, content: &[u8]) -> Result<(), Failure> {
    let mut options = File::options();
    options.write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    options.open(path).and_then(|mut file| file.write_all(content).and_then(|()| file.sync_all())).map_err(
        |cause| {
            Failure::new(
                format!("`{}` cannot be written: {cause}", paths::shown(path)),
                "Nothing was done. Name a new file.",
            )
        },
    )
}
