//! `porter workshop-key`.

use crate::failure::{Failure, Outcome};
use crate::screen::say;
use crate::{keys, paths};
use clap::{Args, Subcommand};
use porter_names::screen::on_screen;
use porter_trunk::sealing::WorkshopKey;
use porter_trunk::signature::SigningKey;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Set up the workshop's keys: one that opens sealed trunks whose passphrase was forgotten, and one that
/// signs trunks and receipts
#[derive(Debug, Args)]
pub(crate) struct WorkshopKeyArguments {
    #[command(subcommand)]
    command: WorkshopKeyCommand,
}

#[derive(Debug, Subcommand)]
enum WorkshopKeyCommand {
    /// Make both. From now on trunks sealed here open with the recovery key too, and what is made here is
    /// signed
    New {
        /// File for the secret half of the recovery key: keep it in a safe place, and not on this computer
        #[arg(value_parser = paths::typed())]
        file: PathBuf,
        /// The name of the workshop, for signatures
        #[arg(long, value_name = "NAME", default_value = "the workshop")]
        name: String,
    },
    /// Make the signing key alone
    Signing {
        /// The name of the workshop
        #[arg(long, value_name = "NAME")]
        name: String,
    },
    /// Know another workshop by its signing key, as its `porter workshop-key show` prints it
    Trust {
        /// Its public signing key, 64 digits
        key: String,
        /// Its name
        name: String,
    },
    /// Show the public halves
    Show,
}

pub(crate) fn run(arguments: &WorkshopKeyArguments) -> Result<Outcome, Failure> {
    match &arguments.command {
        WorkshopKeyCommand::New { file, name } => {
            new(file)?;
            if keys::signing_key()?.is_none() { signing(name) } else { Ok(Outcome::Well) }
        }
        WorkshopKeyCommand::Signing { name } => signing(name),
        WorkshopKeyCommand::Trust { key, name } => trust(key, name),
        WorkshopKeyCommand::Show => show(),
    }
}

fn new(file: &Path) -> Result<Outcome, Failure> {
    let Some(public_file) = keys::workshop_file() else {
        return Err(no_settings());
    };
    if public_file.exists() {
        return Err(Failure::wrong_use(
            format!("there is a recovery key already: `{}`", paths::shown(&public_file)),
            "Nothing was done. Trunks sealed for it need its secret half; move that file away to start again.",
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
        "Keep it in a safe place, away from this computer: anyone who has it can open every trunk that is sealed here.",
    );
    say(format_args!("The public half is {public}"));
    say(format_args!("and is kept in `{}`.", paths::shown(&public_file)));
    Ok(Outcome::Well)
}

fn signing(name: &str) -> Result<Outcome, Failure> {
    let Some(file) = keys::signing_file() else { return Err(no_settings()) };
    if file.exists() {
        return Err(Failure::wrong_use(
            format!("there is a signing key already: `{}`", paths::shown(&file)),
            "Nothing was done. Earlier signatures are recognised by it; move that file away to start again.",
        ));
    }
    let key = SigningKey::generate(name)
        .map_err(|cause| Failure::new(format!("no key can be made: {cause}"), "Nothing was set up."))?;
    let folder = file.parent().unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder).map_err(|cause| {
        Failure::new(format!("`{}` cannot be made: {cause}", paths::shown(folder)), "Nothing was set up.")
    })?;
    let remark = "# The workshop's signing key of Loyal Porter. Its holder signs in the workshop's name.";
    let secret = zeroize::Zeroizing::new(format!("{remark}\n{}", key.to_text().as_str()));
    write(&file, secret.as_bytes())?;
    say(format_args!(
        "Trunks and receipts made here are signed as {}, with the key",
        on_screen(key.by().as_bytes())
    ));
    say(key.public());
    say(format_args!(
        "whose secret half is in `{}`. Other workshops learn to know it by",
        paths::shown(&file)
    ));
    say(format_args!("porter workshop-key trust {} NAME", key.public()));
    Ok(Outcome::Well)
}

fn trust(key: &str, name: &str) -> Result<Outcome, Failure> {
    let is_key = key.len() == 64 && key.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'a'..=b'f'));
    if !is_key || name.trim().is_empty() || name.chars().any(char::is_control) {
        return Err(Failure::wrong_use(
            "that is not a signing key with a name",
            "`porter workshop-key show` prints it there: 64 of the digits 0 to 9 and a to f, and then the name.",
        ));
    }
    let Some(file) = keys::known_signers_file() else { return Err(no_settings()) };
    let failed = |cause: std::io::Error| {
        Failure::new(format!("`{}` cannot be written: {cause}", paths::shown(&file)), "Nothing was changed.")
    };
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder).map_err(failed)?;
    }
    let mut to = File::options().create(true).append(true).open(&file).map_err(failed)?;
    writeln!(to, "{key} {}", name.trim()).map_err(failed)?;
    say(format_args!("Receipts signed with that key count as {}'s from now on.", name.trim()));
    Ok(Outcome::Well)
}

fn no_settings() -> Failure {
    Failure::new("there is no folder for settings", "Set XDG_CONFIG_HOME (or APPDATA on Windows).")
}

fn show() -> Result<Outcome, Failure> {
    match keys::workshop_public_key()? {
        Some(key) => say(format_args!("Trunks are sealed for {key}")),
        None => say("There is no recovery key. `porter workshop-key new FILE` makes one."),
    }
    match keys::signing_key()? {
        Some(key) => say(format_args!(
            "What is made here is signed as {}, with {}",
            on_screen(key.by().as_bytes()),
            key.public()
        )),
        None => say("There is no signing key. `porter workshop-key signing --name NAME` makes one."),
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
