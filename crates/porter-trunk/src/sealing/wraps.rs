//! The trunk's key, wrapped: once for a passphrase, and once for the workshop's recovery key if it has one.
//!
//! Each wrap is a small file in the `age` format (age-encryption.org/v1), so any program for that format can
//! open it. It contains the trunk's key as 64 hexadecimal digits.

use super::TrunkKey;
use crate::hex::{from_hex, to_hex};
use age::secrecy::{ExposeSecret, SecretString};
use serde::{Deserialize, Serialize};
use std::io;
use std::str::FromStr;
use zeroize::Zeroizing;

/// scrypt's work factor, as a power of two: 128 MiB and half a second on a computer of today.
const WORK_FACTOR: u8 = 17;
/// A trunk from a stranger must not make us compute for ever.
const LARGEST_WORK_FACTOR: u8 = 20;

const FORMAT: &str = "porter-seal";
const VERSION: u32 = 1;

/// The file of a sealed trunk that holds its wrapped key. Changing the passphrase changes only this.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KeyWraps {
    format: String,
    version: u32,
    /// Opens with the passphrase.
    passphrase: String,
    /// Opens with the workshop's recovery key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    workshop: Option<String>,
    /// Which recovery key that is: its public half.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    workshop_key: Option<String>,
    /// BLAKE3 of the file as it is without this line's value.
    check: String,
}

/// Why the key was not given out.
#[derive(Debug, thiserror::Error)]
pub enum NotOpened {
    /// The passphrase, or the recovery key, is another one.
    #[error("this is not the passphrase of the trunk")]
    WrongPassphrase,
    /// The trunk was not sealed for the workshop's recovery key, or for another one.
    #[error("the trunk was not sealed for this recovery key")]
    WrongWorkshopKey,
    /// The file is not as it was written.
    #[error("the trunk's wrapped key is damaged: {0}")]
    Damaged(String),
    /// A later porter wrote it.
    #[error("its seal is of version {0}, and this is version {VERSION}")]
    Unsupported(u32),
}

/// The secret half of a workshop's recovery key.
pub struct WorkshopKey(age::x25519::Identity);

/// The public half: all that sealing needs.
#[derive(Clone)]
pub struct WorkshopPublicKey(age::x25519::Recipient);

impl WorkshopKey {
    /// A new one.
    pub fn generate() -> Self {
        Self(age::x25519::Identity::generate())
    }

    /// As `age` writes it; wiped from memory when it is dropped.
    pub fn to_text(&self) -> Zeroizing<String> {
        Zeroizing::new(self.0.to_string().expose_secret().to_owned())
    }

    /// Reads a file of it; lines that begin with `#` are remarks.
    pub fn from_text(text: &str) -> Option<Self> {
        let line = text.lines().map(str::trim).find(|line| !line.is_empty() && !line.starts_with('#'))?;
        age::x25519::Identity::from_str(line).ok().map(Self)
    }

    /// The other half.
    pub fn public(&self) -> WorkshopPublicKey {
        WorkshopPublicKey(self.0.to_public())
    }
}

impl WorkshopPublicKey {
    /// Reads what [`Self::to_string`](ToString) gave.
    pub fn from_text(text: &str) -> Option<Self> {
        let line = text.lines().map(str::trim).find(|line| !line.is_empty() && !line.starts_with('#'))?;
        age::x25519::Recipient::from_str(line).ok().map(Self)
    }
}

impl std::fmt::Display for WorkshopPublicKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}", self.0)
    }
}

impl KeyWraps {
    /// Wraps a trunk's key.
    pub fn new(key: &TrunkKey, passphrase: &str, workshop: Option<&WorkshopPublicKey>) -> io::Result<Self> {
        let wrapped = workshop.map(|workshop| wrap(key, &workshop.0)).transpose()?;
        let mut wraps = Self {
            format: FORMAT.to_owned(),
            version: VERSION,
            passphrase: wrap_for_passphrase(key, passphrase)?,
            workshop: wrapped,
            workshop_key: workshop.map(ToString::to_string),
            check: String::new(),
        };
        wraps.check = wraps.computed_check();
        Ok(wraps)
    }

    /// The same key for another passphrase. The workshop's wrap stays.
    pub fn with_passphrase(&self, key: &TrunkKey, passphrase: &str) -> io::Result<Self> {
        let mut wraps = Self { passphrase: wrap_for_passphrase(key, passphrase)?, ..self.clone() };
        wraps.check = wraps.computed_check();
        Ok(wraps)
    }

    /// The file's text.
    pub fn to_bytes(&self) -> Vec<u8> {
        // Strings and a number: this cannot fail.
        let mut text = serde_json::to_vec_pretty(self).unwrap_or_default();
        text.push(b'\n');
        text
    }

    /// Reads the file. Any changed byte of it is noticed.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, NotOpened> {
        let damaged = |problem: &str| NotOpened::Damaged(problem.to_owned());
        #[derive(Deserialize)]
        struct Outside {
            format: String,
            version: u32,
        }
        let outside: Outside = serde_json::from_slice(bytes).map_err(|cause| damaged(&cause.to_string()))?;
        if outside.format == FORMAT && outside.version > VERSION {
            return Err(NotOpened::Unsupported(outside.version));
        }
        let wraps: Self = serde_json::from_slice(bytes).map_err(|cause| damaged(&cause.to_string()))?;
        if wraps.check != wraps.computed_check() || wraps.to_bytes() != bytes {
            return Err(damaged("it is not what was written"));
        }
        Ok(wraps)
    }

    /// The public half of the recovery key that opens it too.
    pub fn workshop_key(&self) -> Option<&str> {
        self.workshop_key.as_deref()
    }

    /// Opens it with the passphrase.
    pub fn open(&self, passphrase: &str) -> Result<TrunkKey, NotOpened> {
        let mut identity = age::scrypt::Identity::new(SecretString::from(passphrase.to_owned()));
        identity.set_max_work_factor(LARGEST_WORK_FACTOR);
        unwrap(&self.passphrase, &identity, NotOpened::WrongPassphrase)
    }

    /// Opens it with the workshop's recovery key.
    pub fn open_with_workshop_key(&self, key: &WorkshopKey) -> Result<TrunkKey, NotOpened> {
        let wrapped = self.workshop.as_deref().ok_or(NotOpened::WrongWorkshopKey)?;
        unwrap(wrapped, &key.0, NotOpened::WrongWorkshopKey)
    }

    fn computed_check(&self) -> String {
        let plain = Self { check: String::new(), ..self.clone() };
        blake3::hash(&plain.to_bytes()).to_hex().to_string()
    }
}

fn wrap_for_passphrase(key: &TrunkKey, passphrase: &str) -> io::Result<String> {
    let mut recipient = age::scrypt::Recipient::new(SecretString::from(passphrase.to_owned()));
    recipient.set_work_factor(WORK_FACTOR);
    wrap(key, &recipient)
}

fn wrap(key: &TrunkKey, recipient: &impl age::Recipient) -> io::Result<String> {
    let text = Zeroizing::new(to_hex(key.as_bytes()));
    age::encrypt_and_armor(recipient, text.as_bytes()).map_err(|cause| io::Error::other(cause.to_string()))
}

fn unwrap(wrapped: &str, identity: &impl age::Identity, wrong: NotOpened) -> Result<TrunkKey, NotOpened> {
    let text = match age::decrypt(identity, wrapped.as_bytes()) {
        Ok(text) => Zeroizing::new(text),
        Err(
            age::DecryptError::DecryptionFailed
            | age::DecryptError::KeyDecryptionFailed
            | age::DecryptError::NoMatchingKeys,
        ) => return Err(wrong),
        Err(cause) => return Err(NotOpened::Damaged(cause.to_string())),
    };
    let bytes = std::str::from_utf8(&text).ok().and_then(from_hex).map(Zeroizing::new);
    bytes
        .and_then(|bytes| TrunkKey::from_bytes(&bytes))
        .ok_or_else(|| NotOpened::Damaged("the wrapped content is not a key".to_owned()))
}
