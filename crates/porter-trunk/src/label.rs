//! The trunk's outside.

use serde::{Deserialize, Serialize};
use std::fmt;
use time::OffsetDateTime;

/// The name of our format; its version stands beside it.
pub const FORMAT: &str = "porter-trunk";
/// A reader refuses trunks of another major version.
pub const MAJOR: u32 = 1;
/// A reader accepts any minor version: minor versions only add fields that may be ignored.
pub const MINOR: u32 = 2;

/// The outside of a trunk: whose it is, where it comes from, and how to return it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Label {
    /// Always [`FORMAT`].
    pub format: String,
    /// Version of the format.
    pub version: FormatVersion,
    /// The trunk's identity among all trunks.
    pub trunk_id: TrunkId,
    /// The program that made it.
    pub made_by: String,
    /// When the capture began.
    #[serde(with = "time::serde::rfc3339")]
    pub started_utc: OffsetDateTime,
    /// The machine it was captured from.
    pub machine: MachineLabel,
    /// The people on that machine whose things may be in here.
    pub accounts: Vec<AccountLabel>,
    /// The texts that people wrote on it.
    #[serde(flatten)]
    pub words: LabelWords,
}

/// The texts that people write on a label.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LabelWords {
    /// The workshop's name for the job.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub job: Option<String>,
    /// Who made the capture.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub technician: Option<String>,
    /// The workshop.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub workshop: Option<String>,
    /// Whose things these are.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<String>,
    /// How to reach them if the trunk is found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub return_to: Option<String>,
    /// A hint that brings the passphrase of a sealed trunk back to mind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reminder: Option<String>,
}

/// Major and minor version of the format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FormatVersion {
    /// Changes when old readers would misread.
    pub major: u32,
    /// Changes when something was added.
    pub minor: u32,
}

/// The machine a trunk comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct MachineLabel {
    /// Its name.
    pub name: String,
    /// Its system.
    pub system: SystemLabel,
}

impl MachineLabel {
    /// True if both are one machine by their labels: its name, and the family of its system. Versions change.
    pub fn is_same(&self, other: &Self) -> bool {
        self.name == other.name && self.system.family == other.system.family
    }
}

/// An operating system.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SystemLabel {
    /// `windows`, `macos` or `linux`.
    pub family: String,
    /// As a person calls it.
    pub product: String,
    /// In its own numbering, if known.
    pub version: Option<String>,
    /// The processor, as the system describes it, if known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub processor: Option<String>,
}

/// A person on the machine.
#[derive(Default, Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AccountLabel {
    /// Short and stable; the first step of the ids of this person's items.
    pub id: String,
    /// As the machine called them.
    pub name: String,
    /// Where their places were, as the machine's system writes it: programs wrote these paths down.
    #[serde(default, skip_serializing_if = "std::collections::BTreeMap::is_empty")]
    pub places: std::collections::BTreeMap<String, String>,
}

/// A random number that names a trunk, as 32 hexadecimal digits.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct TrunkId(String);

impl TrunkId {
    /// A new one, from the system's source of randomness.
    pub fn random() -> Result<Self, std::io::Error> {
        let mut bytes = [0; 16];
        getrandom::fill(&mut bytes).map_err(|cause| std::io::Error::other(cause.to_string()))?;
        Ok(Self(bytes.iter().map(|byte| format!("{byte:02x}")).collect()))
    }

    /// The first eight digits: enough to identify one of a workshop's trunks.
    pub fn short(&self) -> String {
        self.0.chars().filter(char::is_ascii_alphanumeric).take(8).collect()
    }
}

impl fmt::Display for TrunkId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
