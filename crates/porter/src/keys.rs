//! Keys of a sealed trunk: passphrases and the workshop's recovery key. They are never on the command line,
//! but come from a file, from an environment variable, or from a question if somebody is there to be asked.

use crate::arguments::{ImageArguments, KeyArguments};
use crate::failure::Failure;
use crate::paths;
use crate::rules_folder::config_folder;
use crate::screen::{CARE, FAINT, styled, tell};
use crate::views::machines::way_in_words;
use porter_disk::lock::{Key, Keyring, Protector};
use porter_names::screen::on_screen;
use porter_trunk::outside::Outside;
use porter_trunk::packed_form::Opener;
use porter_trunk::sealing::{WorkshopKey, WorkshopPublicKey};
use porter_trunk::signature::{Signature, SigningKey};
use std::io::{IsTerminal, Read};
use std::path::{Path, PathBuf};
use zeroize::Zeroizing;

/// Holds the passphrase, where no file and no person supplies it.
const VARIABLE: &str = "PORTER_PASSPHRASE";
/// Holds the new one, when it is changed.
const NEW_VARIABLE: &str = "PORTER_NEW_PASSPHRASE";

/// Holds what opens a locked drive.
pub(crate) const UNLOCK_VARIABLE: &str = "PORTER_UNLOCK";

/// Keys of locked drives: from a file, from the environment, or from a question.
pub(crate) struct DriveKeys {
    file: Option<Zeroizing<Vec<u8>>>,
}

impl DriveKeys {
    /// Reads the file at once: what cannot be read is said before anything else.
    pub(crate) fn of(given: &ImageArguments) -> Result<Self, Failure> {
        /// Key files are shorter.
        const LONGEST_IN_BYTES: u64 = 65_536;
        let load = |path: &PathBuf| {
            let mut bytes = Zeroizing::new(Vec::new());
            let read = std::fs::File::open(path)
                .and_then(|file| file.take(LONGEST_IN_BYTES).read_to_end(&mut bytes));
            read.map(|_| bytes).map_err(|cause| {
                let what = format!("`{}` cannot be read: {cause}", paths::shown(path));
                Failure::about_name(
                    &cause,
                    what,
                    "Name a file with the recovery key, the passphrase, or a key file.",
                )
            })
        };
        Ok(Self { file: given.unlock_file.as_ref().map(load).transpose()? })
    }
}

/// The first line of a file that somebody typed. Notepad puts a mark before the text that nobody would type.
fn first_line(text: &str) -> Zeroizing<String> {
    Zeroizing::new(text.trim_start_matches('\u{feff}').lines().next().unwrap_or_default().to_owned())
}

impl Keyring for DriveKeys {
    fn key_for(&self, protectors: &[Protector]) -> Option<Key> {
        if let Some(bytes) = &self.file {
            let text = std::str::from_utf8(bytes).ok().filter(|text| !text.contains('\0'));
            return Some(text.map_or_else(|| Key::File(bytes.clone()), |text| Key::Typed(first_line(text))));
        }
        if let Ok(typed) = std::env::var(UNLOCK_VARIABLE) {
            return Some(Key::Typed(Zeroizing::new(typed)));
        }
        if !std::io::stdin().is_terminal() {
            return None;
        }
        tell("The drive is locked by BitLocker. It opens with");
        for protector in protectors {
            tell(format_args!("  {}", way_in_words(protector)));
        }
        asked("Passphrase or recovery key: ").ok().map(Key::Typed)
    }
}

/// The key for a trunk with this outside. None if no key was given and nobody is there to be asked.
pub(crate) fn opener(given: &KeyArguments, outside: &Outside) -> Result<Option<Opener>, Failure> {
    let ask = || {
        let reminder = outside.words.reminder.as_deref();
        if let Some(reminder) = reminder {
            tell(format_args!("{} {}", styled(FAINT, "Reminder:"), on_screen(reminder.as_bytes())));
        }
        asked(&format!("Passphrase of trunk {}: ", outside.trunk_id.short()))
    };
    given_or_asked(given, ask)
}

/// The key for a sealed trunk whose label is lost.
pub(crate) fn opener_without_label(given: &KeyArguments) -> Result<Opener, Failure> {
    given_or_asked(given, || asked("Passphrase of the trunk: "))?.ok_or_else(nobody_there)
}

fn given_or_asked(
    given: &KeyArguments,
    ask: impl FnOnce() -> Result<Zeroizing<String>, Failure>,
) -> Result<Option<Opener>, Failure> {
    if let Some(path) = &given.workshop_key {
        let text = Zeroizing::new(std::fs::read_to_string(path).map_err(|cause| {
            Failure::new(
                format!("`{}` cannot be read: {cause}", paths::shown(path)),
                "Name the file that `porter workshop-key new` made.",
            )
        })?);
        let key = WorkshopKey::from_text(&text).ok_or_else(|| {
            Failure::wrong_use(
                format!("`{}` holds no recovery key", paths::shown(path)),
                "Name the file that `porter workshop-key new` made.",
            )
        })?;
        return Ok(Some(Opener::Workshop(key)));
    }
    let passphrase = passphrase(given.passphrase_file.as_deref(), VARIABLE, ask)?;
    Ok(passphrase.map(Opener::Passphrase))
}

/// The same where the trunk has to be opened; none if it is not sealed.
pub(crate) fn opener_if_sealed(given: &KeyArguments, outside: &Outside) -> Result<Option<Opener>, Failure> {
    if outside.sealed { opener(given, outside)?.map(Some).ok_or_else(nobody_there) } else { Ok(None) }
}

/// The passphrase for a trunk that is to be sealed.
pub(crate) fn new_passphrase(given: &KeyArguments) -> Result<Zeroizing<String>, Failure> {
    strong(passphrase(given.passphrase_file.as_deref(), VARIABLE, asked_twice)?)
}

/// The passphrase that takes the place of another one.
pub(crate) fn other_passphrase(file: Option<&Path>) -> Result<Zeroizing<String>, Failure> {
    strong(passphrase(file, NEW_VARIABLE, asked_twice)?)
}

/// A finder of the trunk tries fewer by hand.
const FEWEST_LETTERS: usize = 4;

fn strong(passphrase: Option<Zeroizing<String>>) -> Result<Zeroizing<String>, Failure> {
    let passphrase = passphrase.ok_or_else(nobody_there)?;
    if passphrase.chars().filter(|letter| !letter.is_whitespace()).count() < FEWEST_LETTERS {
        return Err(Failure::wrong_use(
            format!("the passphrase has fewer than {FEWEST_LETTERS} letters"),
            "Nothing was done. Give one of several words.",
        ));
    }
    if let Some(hint) = weakness(&passphrase) {
        tell(styled(CARE, format_args!("! {hint}")));
    }
    Ok(passphrase)
}

pub(crate) fn nobody_there() -> Failure {
    Failure::wrong_use(
        "nobody is there to be asked for the passphrase",
        format!("Give it in a file with --passphrase-file, or in the environment variable {VARIABLE}."),
    )
}

fn passphrase(
    file: Option<&Path>,
    variable: &str,
    ask: impl FnOnce() -> Result<Zeroizing<String>, Failure>,
) -> Result<Option<Zeroizing<String>>, Failure> {
    let not_empty = |passphrase: Zeroizing<String>| {
        if passphrase.is_empty() {
            Err(Failure::wrong_use("the passphrase is empty", "Nothing was done. Give one of several words."))
        } else {
            Ok(Some(passphrase))
        }
    };
    if let Some(path) = file {
        let text = Zeroizing::new(std::fs::read_to_string(path).map_err(|cause| {
            Failure::new(
                format!("`{}` cannot be read: {cause}", paths::shown(path)),
                "Name a file whose first line is the passphrase.",
            )
        })?);
        return not_empty(first_line(&text));
    }
    if let Ok(passphrase) = std::env::var(variable) {
        return not_empty(Zeroizing::new(passphrase));
    }
    if std::io::stdin().is_terminal() { not_empty(ask()?) } else { Ok(None) }
}

fn asked(prompt: &str) -> Result<Zeroizing<String>, Failure> {
    rpassword::prompt_password(prompt).map(Zeroizing::new).map_err(|cause| {
        Failure::new(format!("the passphrase cannot be asked for: {cause}"), "Use --passphrase-file.")
    })
}

fn asked_twice() -> Result<Zeroizing<String>, Failure> {
    tell("Several words that do not belong together make a good passphrase.");
    let first = asked("New passphrase: ")?;
    if asked("The same again: ")? == first {
        Ok(first)
    } else {
        Err(Failure::wrong_use("the two passphrases differ", "Nothing was done. Try again."))
    }
}

/// Why a passphrase is easy to guess. It is a hint, not a verdict: it counts letters and words, and knows no
/// dictionaries.
fn weakness(passphrase: &str) -> Option<&'static str> {
    let letters = passphrase.chars().count();
    let mut kinds: Vec<char> = passphrase.chars().collect();
    kinds.sort_unstable();
    kinds.dedup();
    let words = passphrase.split_whitespace().count();
    if letters < 10 {
        Some("That passphrase is short: a program guesses it within days. Four words or more are better.")
    } else if kinds.len() < 6 {
        Some("That passphrase repeats itself: it is easy to guess.")
    } else if passphrase.chars().all(|letter| letter.is_ascii_digit()) {
        Some("That passphrase is all digits: words are harder to guess.")
    } else if letters < 16 && words < 3 {
        Some("That passphrase is fair. Four words or more are better.")
    } else {
        None
    }
}

/// Where the public half of the workshop's recovery key is kept.
pub(crate) fn workshop_file() -> Option<PathBuf> {
    Some(config_folder()?.join("workshop-key.txt"))
}

/// The public half of the workshop's recovery key, if it set one up.
pub(crate) fn workshop_public_key() -> Result<Option<WorkshopPublicKey>, Failure> {
    let Some(path) = workshop_file() else { return Ok(None) };
    let text = match std::fs::read_to_string(&path) {
        Ok(text) => text,
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        Err(cause) => {
            return Err(Failure::new(
                format!("the workshop's recovery key `{}` cannot be read: {cause}", paths::shown(&path)),
                "Nothing was done. Without it a forgotten passphrase is the end of a trunk.",
            ));
        }
    };
    WorkshopPublicKey::from_text(&text).map(Some).ok_or_else(|| {
        Failure::new(
            format!("`{}` holds no public half of a recovery key", paths::shown(&path)),
            "Nothing was done. Set it up again with `porter workshop-key new FILE`.",
        )
    })
}

/// Where the key is kept that trunks and receipts are signed with.
pub(crate) fn signing_file() -> Option<PathBuf> {
    Some(config_folder()?.join("signing-key.txt"))
}

/// Where the keys of other workshops are kept: a line for each, the key and then the name.
pub(crate) fn known_signers_file() -> Option<PathBuf> {
    Some(config_folder()?.join("known-signers.txt"))
}

/// The key that trunks and receipts are signed with, if the workshop set one up.
pub(crate) fn signing_key() -> Result<Option<SigningKey>, Failure> {
    let Some(path) = signing_file() else { return Ok(None) };
    let unusable = |why: String| {
        Failure::new(
            format!("the workshop's signing key `{}` {why}", paths::shown(&path)),
            "Move that file away to work without signatures, or make a new key with `porter workshop-key signing`.",
        )
    };
    let text = match std::fs::read_to_string(&path) {
        Ok(text) => Zeroizing::new(text),
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        Err(cause) => return Err(unusable(format!("cannot be read: {cause}"))),
    };
    SigningKey::from_text(&text).map(Some).ok_or_else(|| unusable("is none".to_owned()))
}

/// The owner of a signature's key, if the key is known here: the name that this workshop gave it, not the one
/// that the signature claims.
pub(crate) fn known_signer(signature: &Signature) -> Option<String> {
    if let Ok(Some(own)) = signing_key()
        && own.public() == signature.key
    {
        return Some(own.by().to_owned());
    }
    let known = std::fs::read_to_string(known_signers_file()?).ok()?;
    let rows = known.lines().filter_map(|line| line.split_once(' '));
    rows.into_iter().find(|(key, _)| *key == signature.key).map(|(_, name)| name.trim().to_owned())
}

/// Who signed something, in words.
pub(crate) fn signer_in_words(signature: &Signature) -> String {
    match known_signer(signature) {
        Some(name) => name,
        None => format!(
            "somebody whose key is not known here ({}\u{2026}), and who says to be {}",
            on_screen(signature.key_short().as_bytes()),
            on_screen(signature.by.as_bytes())
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weak_passphrases_are_told_from_strong_ones() {
        for weak in ["kite", "aaaaaaaaaaaaaaaa", "19840523198405231984", "Kites2012!x"] {
            assert!(weakness(weak).is_some(), "{weak}");
        }
        for strong in ["four kites at the old quay", "Rw7#kPq2vX9$mLz4bN"] {
            assert_eq!(weakness(strong), None, "{strong}");
        }
    }
}
