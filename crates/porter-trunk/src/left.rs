//! Files of the old machine that are not in the trunk, and why.

use crate::Tally;
use crate::hex::{from_hex, to_hex};
use porter_names::RelativePath;
use serde::{Deserialize, Serialize};

/// One thing, or one folder with all that is below it, that was left behind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LeftBehind {
    /// The item it belongs to; none for what no item covers.
    pub item: Option<String>,
    /// Path below the old machine's root.
    #[serde(flatten, with = "written_path")]
    pub volume_path: RelativePath,
    /// Why it was left.
    pub reason: LeftReason,
    /// How much it is; none if that was not counted.
    pub tally: Option<Tally>,
    /// The trunk's state of it from an earlier capture.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<KeptState>,
}

/// A trunk's earlier state of a file that could not be read this time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptState {
    /// When the capture began that read it; the latest of them if there were several.
    #[serde(with = "time::serde::rfc3339")]
    pub from_utc: time::OffsetDateTime,
    /// How much it is.
    pub tally: Tally,
}

/// Why something was left behind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "kebab-case")]
pub enum LeftReason {
    /// A carry rule leaves it: a cache, or something that the new system makes.
    Rule {
        /// In plain words.
        why: String,
    },
    /// It is not covered by any item: the system and its programs.
    NotCovered {
        /// In plain words.
        why: String,
    },
    /// Somebody chose to leave it out.
    NotChosen {
        /// In plain words.
        why: String,
    },
    /// The system forbade reading it.
    PermissionDenied,
    /// It is encrypted for one account of the old Windows (EFS), and only that account can read it.
    Encrypted,
    /// It was listed, and gone when it was to be read.
    Gone,
    /// A program held it open.
    InUse,
    /// Its content was only in a cloud.
    CloudOnly,
    /// It was kept in step with a cloud, and the driver that showed the volume had no way in.
    CloudNotEntered {
        /// Which of the person's folders are in it, in words; empty if none is known.
        holds: String,
    },
    /// The driver that showed the volume does not know how its content is kept.
    NotKnownToDriver {
        /// A reparse tag, such as `0x80000017`.
        tag: String,
    },
    /// Another volume was mounted there, and was not entered.
    OtherVolume,
    /// The drive could not read it.
    Medium {
        /// The system's words.
        detail: String,
    },
    /// The drive could not read all of it: the rest is in the trunk.
    Incomplete {
        /// So much is missing.
        missing_in_bytes: u64,
        /// Its full size.
        size_in_bytes: u64,
    },
    /// Somebody wrote to it while it was read, each time that it was tried: what is in the trunk may never
    /// have been its content.
    ChangedWhileRead,
    /// A link stood where a file was listed.
    IsLink,
    /// The system we run on cannot ask for its name.
    NameNotHeld,
    /// The trunk's file system cannot hold so large a file.
    TooLargeForTrunk,
    /// A device, pipe or socket.
    NotAFile,
    /// A named stream that could not be read, or is too large to be kept.
    StreamNotRead,
    /// Any other failure to read.
    Unreadable {
        /// The system's words.
        detail: String,
    },
}

impl LeftReason {
    /// False when leaving it was the plan; true when a person should look at it.
    pub fn needs_attention(&self) -> bool {
        !matches!(self, Self::Rule { .. } | Self::NotCovered { .. } | Self::NotChosen { .. })
    }

    /// True if the thing may still be there, unread: what the trunk has of it from earlier stays in it.
    pub fn says_nothing_of_the_content(&self) -> bool {
        self.needs_attention()
            && !matches!(
                self,
                Self::Gone | Self::ChangedWhileRead | Self::IsLink | Self::NotAFile | Self::StreamNotRead
            )
    }

    /// The code it is written with.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Rule { .. } => "rule",
            Self::NotCovered { .. } => "not-covered",
            Self::NotChosen { .. } => "not-chosen",
            Self::PermissionDenied => "permission-denied",
            Self::Encrypted => "encrypted",
            Self::Gone => "gone",
            Self::InUse => "in-use",
            Self::CloudOnly => "cloud-only",
            Self::CloudNotEntered { .. } => "cloud-not-entered",
            Self::NotKnownToDriver { .. } => "not-known-to-driver",
            Self::OtherVolume => "other-volume",
            Self::Medium { .. } => "medium",
            Self::Incomplete { .. } => "incomplete",
            Self::ChangedWhileRead => "changed-while-read",
            Self::IsLink => "is-link",
            Self::NameNotHeld => "name-not-held",
            Self::TooLargeForTrunk => "too-large-for-trunk",
            Self::NotAFile => "not-a-file",
            Self::StreamNotRead => "stream-not-read",
            Self::Unreadable { .. } => "unreadable",
        }
    }
}

/// A path as two fields: readable text, and the exact bytes in hexadecimal digits where the text cannot be
/// exact.
pub mod written_path {
    use porter_names::RelativePath;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    struct Written {
        path: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        path_hex: Option<String>,
    }

    /// For `#[serde(with = …)]`.
    pub fn serialize<S: Serializer>(path: &RelativePath, serializer: S) -> Result<S::Ok, S::Error> {
        let (path, path_hex) = super::text_and_hex(path.as_bytes());
        Written { path, path_hex }.serialize(serializer)
    }

    /// For `#[serde(with = …)]`. Refuses a text that is not a path below a folder.
    pub fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<RelativePath, D::Error> {
        let written = Written::deserialize(deserializer)?;
        let bytes = super::exact_bytes(written.path, written.path_hex.as_deref())
            .ok_or_else(|| serde::de::Error::custom("path_hex is not hexadecimal text"))?;
        RelativePath::from_bytes(&bytes).map_err(serde::de::Error::custom)
    }
}

/// Readable text for exact bytes; with the bytes in hexadecimal digits where the text cannot stand for them.
pub(crate) fn text_and_hex(bytes: &[u8]) -> (String, Option<String>) {
    match std::str::from_utf8(bytes) {
        Ok(text) => (text.to_owned(), None),
        Err(_) => (String::from_utf8_lossy(bytes).into_owned(), Some(to_hex(bytes))),
    }
}

/// The exact bytes that [`text_and_hex`] wrote.
pub(crate) fn exact_bytes(text: String, hex: Option<&str>) -> Option<Vec<u8>> {
    match hex {
        Some(hex) => from_hex(hex),
        None => Some(text.into_bytes()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_reason_is_written_with_its_code_and_comes_back() {
        let text = || "in words".to_owned();
        let reasons = [
            LeftReason::Rule { why: text() },
            LeftReason::NotCovered { why: text() },
            LeftReason::NotChosen { why: text() },
            LeftReason::PermissionDenied,
            LeftReason::Encrypted,
            LeftReason::Gone,
            LeftReason::InUse,
            LeftReason::CloudOnly,
            LeftReason::CloudNotEntered { holds: text() },
            LeftReason::NotKnownToDriver { tag: text() },
            LeftReason::OtherVolume,
            LeftReason::Medium { detail: text() },
            LeftReason::Incomplete { missing_in_bytes: 1, size_in_bytes: 2 },
            LeftReason::ChangedWhileRead,
            LeftReason::IsLink,
            LeftReason::NameNotHeld,
            LeftReason::TooLargeForTrunk,
            LeftReason::NotAFile,
            LeftReason::StreamNotRead,
            LeftReason::Unreadable { detail: text() },
        ];
        for reason in reasons {
            let as_planned = matches!(reason.code(), "rule" | "not-covered" | "not-chosen");
            assert_eq!(reason.needs_attention(), !as_planned);
            let row = LeftBehind {
                item: None,
                volume_path: RelativePath::from_bytes(b"Users/\xff/a").unwrap(),
                reason,
                tally: None,
                kept: Some(KeptState {
                    from_utc: time::macros::datetime!(2026-11-20 08:00 UTC),
                    tally: Tally::FOLDER,
                }),
            };
            let written = serde_json::to_value(&row).unwrap();
            assert_eq!(written["reason"]["code"], row.reason.code());
            assert_eq!(serde_json::from_value::<LeftBehind>(written).unwrap(), row);
        }
    }

    #[test]
    fn a_path_that_leads_out_is_not_believed() {
        for path in ["../x", "/etc/passwd", "a//b"] {
            let row =
                serde_json::json!({"item": null, "path": path, "reason": {"code": "gone"}, "tally": null});
            assert!(serde_json::from_value::<LeftBehind>(row).is_err(), "{path}");
        }
        let hidden = serde_json::json!({"path": "x", "path_hex": "2e2e2f78", "reason": {"code": "gone"}});
        assert!(serde_json::from_value::<LeftBehind>(hidden).is_err(), "the exact bytes count");
    }
}
