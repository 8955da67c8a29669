//! The facts that anyone can read on a packed or parked trunk, without a passphrase and without porter.

use crate::label::{FormatVersion, LabelWords};
use crate::packed_form::layout::LABEL;
use crate::{ContentHash, Damage, Label, MachineLabel, TrunkError, TrunkId};
use serde::{Deserialize, Serialize};
use std::path::Path;
use time::OffsetDateTime;

/// The name of the format.
const FORMAT: &str = "porter-packed";
/// A reader refuses trunks of another major version; minor versions only add what may be ignored.
const VERSION: FormatVersion = FormatVersion { major: 1, minor: 0 };
/// A label is a page, not a book.
const LONGEST_IN_BYTES: u64 = 1 << 20;

/// How a trunk keeps its contents.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Keeping {
    /// In packs.
    Packed,
    /// As links to the files that are there already.
    Parked,
}

/// The plain label.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Outside {
    format: String,
    version: FormatVersion,
    /// How it keeps its contents.
    pub form: Keeping,
    /// True if everything else is encrypted.
    pub sealed: bool,
    /// The trunk.
    pub trunk_id: TrunkId,
    /// Which part of it this folder is, from 1.
    pub part: u32,
    /// The program that made it.
    pub made_by: String,
    /// When its first capture began.
    #[serde(with = "time::serde::rfc3339")]
    pub started_utc: OffsetDateTime,
    /// The machine it was captured from; on a sealed trunk that is inside.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<MachineLabel>,
    /// The texts that people wrote on it.
    #[serde(flatten)]
    pub words: LabelWords,
    /// How many captures there were.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    captures: Option<Captures>,
}

/// The number of the latest capture into a trunk: it shows if the list is lost.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Captures {
    number: u32,
    /// A mark of the number, so that a changed number is noticed.
    mark: String,
}

impl Captures {
    fn new(number: u32, trunk: &TrunkId) -> Self {
        let hash = ContentHash::of(format!("{trunk} {number}").as_bytes()).to_string();
        Self { number, mark: hash.chars().take(16).collect() }
    }
}

impl Outside {
    /// The outside of a trunk with this label.
    pub fn new(label: &Label, form: Keeping, sealed: bool) -> Self {
        Self {
            format: FORMAT.to_owned(),
            version: VERSION,
            form,
            sealed,
            trunk_id: label.trunk_id.clone(),
            part: 1,
            made_by: label.made_by.clone(),
            started_utc: label.started_utc,
            machine: (!sealed).then(|| label.machine.clone()),
            words: label.words.clone(),
            captures: None,
        }
    }

    /// The number of the latest capture that it names.
    pub(crate) fn captures(&self) -> Option<u32> {
        self.captures.as_ref().map(|captures| captures.number)
    }

    /// The same after one more.
    pub(crate) fn after_capture(&self, number: u32) -> Self {
        Self { captures: Some(Captures::new(number, &self.trunk_id)), ..self.clone() }
    }

    /// The hash of its fields that a list pins down: all but the number of captures, which every later one
    /// changes. `bytes` is its written form; text that is not as we write it is pinned down as it is.
    pub(crate) fn pinned(&self, bytes: &[u8]) -> ContentHash {
        let is_ours = self
            .captures
            .as_ref()
            .is_none_or(|captures| *captures == Captures::new(captures.number, &self.trunk_id));
        if is_ours && self.to_bytes() == bytes {
            ContentHash::of(&Self { captures: None, ..self.clone() }.to_bytes())
        } else {
            ContentHash::of(bytes)
        }
    }

    /// The same on a further part of the trunk.
    pub(crate) fn of_part(self, part: u32) -> Self {
        Self { part, ..self }
    }

    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        // Strings and numbers: this cannot fail.
        let mut text = serde_json::to_vec_pretty(self).unwrap_or_default();
        text.push(b'\n');
        text
    }

    /// Reads the label of the trunk in `folder`.
    pub fn load(folder: &Path) -> Result<Self, TrunkError> {
        Ok(Self::load_with_bytes(folder)?.0)
    }

    pub(crate) fn load_with_bytes(folder: &Path) -> Result<(Self, Vec<u8>), TrunkError> {
        let path = folder.join(LABEL);
        let bytes = crate::host::read_small(&path, LONGEST_IN_BYTES).map_err(|cause| match cause.kind() {
            std::io::ErrorKind::NotFound => {
                TrunkError::NotATrunk { folder: folder.to_path_buf(), missing: LABEL.to_owned() }
            }
            _ => TrunkError::io("reading", &path, cause),
        })?;
        // The version first: the rest of a later label may look different.
        #[derive(Deserialize)]
        struct Beginning {
            format: String,
            version: FormatVersion,
        }
        let damaged = |cause: serde_json::Error| {
            TrunkError::Damaged(Damage::BadLine {
                file: LABEL.to_owned(),
                line: u64::try_from(cause.line()).unwrap_or(1),
                problem: cause.to_string(),
            })
        };
        let beginning: Beginning = serde_json::from_slice(&bytes).map_err(damaged)?;
        if beginning.format != FORMAT {
            let missing = format!("a label of the format {FORMAT}");
            return Err(TrunkError::NotATrunk { folder: folder.to_path_buf(), missing });
        }
        if beginning.version.major != VERSION.major {
            let reason = format!(
                "its label says {FORMAT} version {}, and this is {FORMAT} version {}",
                beginning.version.major, VERSION.major
            );
            return Err(TrunkError::Unsupported { folder: folder.to_path_buf(), reason });
        }
        Ok((serde_json::from_slice(&bytes).map_err(damaged)?, bytes))
    }
}
