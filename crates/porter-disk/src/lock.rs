//! Volumes that take a key. Keys are asked for, and never written.

pub mod bitlocker;

use zeroize::Zeroizing;

/// A key, as a person has it.
pub enum Key {
    /// Words or digits that somebody typed: a passphrase, or the 48 digits of a recovery key.
    Typed(Zeroizing<String>),
    /// The bytes of a key file.
    File(Zeroizing<Vec<u8>>),
}

/// A way in that a volume has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// The volume is suspended: its key lies open on it.
    Open,
    /// A passphrase.
    Passphrase,
    /// A recovery key of 48 digits.
    RecoveryKey,
    /// A key file on a stick.
    KeyFile,
    /// Only the PC it was in can open it so.
    Chip,
}

/// A way in, and the number by which its owner finds the key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Protector {
    /// The kind.
    pub way: Way,
    /// Such as `3F2504E0-4F89-41D3-9A0C-0305E82C3301`.
    pub identifier: String,
}

/// Gives keys for volumes, as far as somebody has them.
pub trait Keyring {
    /// A key for a volume with these ways in; none if there is none.
    fn key_for(&self, protectors: &[Protector]) -> Option<Key>;
}

/// For a list of what is there: nothing is opened that takes a key.
pub struct NoKeys;

impl Keyring for NoKeys {
    fn key_for(&self, _protectors: &[Protector]) -> Option<Key> {
        None
    }
}

/// Why a volume was not opened.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LockError {
    /// Its own records cannot be true.
    #[error("what it keeps of its keys is damaged: {0}")]
    Damaged(&'static str),
    /// A way of encrypting that is not known.
    #[error("it is encrypted in a way that porter does not know ({0:#06x})")]
    UnknownMethod(u16),
    /// No key was given.
    #[error("it takes a key")]
    NoKey,
    /// The key opens none of its ways in.
    #[error("the key does not open it")]
    WrongKey,
    /// A group of a recovery key cannot be right.
    #[error("group {group} of the recovery key is mistyped")]
    Mistyped {
        /// Its number, from 1.
        group: usize,
    },
    /// The drive could not read it.
    #[error("the drive could not read what it keeps of its keys")]
    Unreadable,
}
