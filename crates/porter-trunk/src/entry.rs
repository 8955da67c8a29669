//! The entries of a trunk: every file, folder and link that was captured.

use crate::hex::from_hex;
use crate::left::{exact_bytes, text_and_hex};
use crate::{ContentHash, Extent, Extents, Tally};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use porter_names::{NameRules, PathRefused, RelativePath};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use time::OffsetDateTime;

/// Where an entry belongs, whatever the machine: a person, a place, and a path below it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct EntryAddress {
    /// The account's id; none for a place of the whole machine.
    pub owner: Option<String>,
    /// The place's name, such as `documents`.
    pub place: String,
    /// Exact path below the place.
    pub path: RelativePath,
    /// The same path in names that every file system can hold, where that differs.
    pub safe_path: Option<RelativePath>,
}

/// One captured file, folder or link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// The item it is part of.
    pub item: String,
    /// Where it belongs.
    pub address: EntryAddress,
    /// Its kind, and the proof of its content.
    pub content: Content,
    /// When its content last changed.
    pub modified_utc: Option<OffsetDateTime>,
    /// When it was made.
    pub created_utc: Option<OffsetDateTime>,
    /// Its Windows attributes.
    pub attributes: Attributes,
    /// Unix permission bits on the old machine. Recorded, not imposed.
    pub unix_mode: Option<u32>,
    /// Named streams.
    pub streams: Vec<NamedStream>,
    /// Set if it is kept in the trunk and not restored by default: the reason, in plain words.
    pub held: Option<String>,
    /// Where a packed trunk keeps its content.
    pub extents: Extents,
    /// Names of one file on the old machine (hard links) share this number.
    pub same_file: Option<u64>,
    /// The old machine kept its long stretches of zeros as holes.
    pub sparse: bool,
    /// The stretches of its content that could not be read, in order: zeros stand there. Empty for nearly
    /// all.
    pub missing: Vec<MissingStretch>,
    /// When the capture began that read it, if a later one could not read it, and the trunk keeps it as it
    /// was.
    pub kept_from_utc: Option<OffsetDateTime>,
}

/// A stretch of a file that could not be read. Written as `[offset, length]`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "[u64; 2]", into = "[u64; 2]")]
pub struct MissingStretch {
    /// Where it begins.
    pub offset_in_bytes: u64,
    /// How long it is.
    pub length_in_bytes: u64,
}

impl From<[u64; 2]> for MissingStretch {
    fn from([offset_in_bytes, length_in_bytes]: [u64; 2]) -> Self {
        Self { offset_in_bytes, length_in_bytes }
    }
}

impl From<MissingStretch> for [u64; 2] {
    fn from(stretch: MissingStretch) -> Self {
        [stretch.offset_in_bytes, stretch.length_in_bytes]
    }
}

/// The kind of an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// A file.
    File {
        /// Length of the content.
        size_in_bytes: u64,
        /// Proof of the content.
        hash: ContentHash,
    },
    /// A folder.
    Folder,
    /// A link, with the words it leads by. Recorded, never followed.
    Link {
        /// In the spelling of the old machine.
        target: Vec<u8>,
    },
}

/// The attributes that Windows shows a person ([MS-FSCC] 2.6).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Attributes(u32);

impl Attributes {
    const WORDS: [(u32, &'static str); 4] =
        [(0x01, "read-only"), (0x02, "hidden"), (0x04, "system"), (0x20, "archive")];

    /// Keeps the bits that travel; compression, encryption, sparseness and the like belong to a volume.
    pub fn from_windows_bits(bits: u32) -> Self {
        Self(bits & 0x27)
    }

    /// The bits as Windows counts them.
    pub const fn windows_bits(self) -> u32 {
        self.0
    }

    /// True if none is set.
    pub const fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// Without the mark that Windows itself sets again on every write.
    pub const fn without_archive(self) -> Self {
        Self(self.0 & !0x20)
    }

    /// Not to be written to.
    pub const fn is_read_only(self) -> bool {
        self.0 & 0x01 != 0
    }

    fn words(self) -> Vec<String> {
        Self::WORDS.iter().filter(|(bit, _)| self.0 & bit != 0).map(|(_, word)| (*word).to_owned()).collect()
    }

    /// Words this version does not know are ignored: they cannot be set anyway.
    fn from_words(words: &[String]) -> Self {
        Self(
            Self::WORDS
                .iter()
                .filter(|(_, word)| words.iter().any(|w| w == word))
                .fold(0, |bits, (bit, _)| bits | bit),
        )
    }
}

/// Content beside the content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedStream {
    /// Its name.
    pub name: String,
    /// All of it, at most 64 KiB.
    pub content: Vec<u8>,
}

/// A line of the list of entries that must not be used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EntryRefused {
    /// Counted from 1.
    pub line: u64,
    /// The item it claims to belong to.
    pub item: Option<String>,
    /// The path it claims, as raw bytes.
    pub path: Vec<u8>,
    /// The problem.
    pub problem: String,
}

/// One line of `entries.jsonl`.
#[derive(Serialize, Deserialize)]
struct Line<'a> {
    item: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    owner: Option<String>,
    place: String,
    #[serde(borrow)]
    path: Cow<'a, str>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    path_hex: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    stored: Option<String>,
    kind: KindWord,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    size: Option<u64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    blake3: Option<ContentHash>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    target: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    target_hex: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none", with = "time::serde::rfc3339::option")]
    modified_utc: Option<OffsetDateTime>,
    #[serde(default, skip_serializing_if = "Option::is_none", with = "time::serde::rfc3339::option")]
    created_utc: Option<OffsetDateTime>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    attributes: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    mode: Option<u32>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    streams: Vec<StreamLine>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    held: Option<String>,
    #[serde(default, skip_serializing_if = "Extents::is_empty")]
    at: Extents,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    same_file: Option<u64>,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    sparse: bool,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    missing: Vec<MissingStretch>,
    #[serde(default, skip_serializing_if = "Option::is_none", with = "time::serde::rfc3339::option")]
    kept_from_utc: Option<OffsetDateTime>,
}

#[derive(Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum KindWord {
    File,
    Folder,
    Link,
}

#[derive(Serialize, Deserialize)]
struct StreamLine {
    name: String,
    base64: String,
}

impl Entry {
    /// Length of its content; 0 for all but files.
    pub fn size_in_bytes(&self) -> u64 {
        match self.content {
            Content::File { size_in_bytes, .. } => size_in_bytes,
            Content::Folder | Content::Link { .. } => 0,
        }
    }

    /// Itself, to be counted with others.
    pub fn tally(&self) -> Tally {
        match self.content {
            Content::File { size_in_bytes, .. } => Tally::file(size_in_bytes),
            Content::Folder => Tally::FOLDER,
            Content::Link { .. } => Tally::LINK,
        }
    }

    /// How much of a file is nothing but zeros, by what its line says.
    pub(crate) fn zeros_in_bytes(&self) -> u64 {
        let zeros = self.extents.as_slice().iter().map(|extent| match extent {
            Extent::Zeros { length_in_bytes } => *length_in_bytes,
            Extent::Contents { .. } => 0,
        });
        zeros.fold(0, u64::saturating_add)
    }

    /// True for a file that could be read only in part.
    pub fn is_incomplete(&self) -> bool {
        !self.missing.is_empty()
    }

    /// How much of its content could not be read.
    pub fn missing_in_bytes(&self) -> u64 {
        let lengths = self.missing.iter().map(|stretch| stretch.length_in_bytes);
        lengths.fold(0, u64::saturating_add)
    }

    /// Its path under the name that it gets outside of the trunk: its own, or for an incomplete file one that
    /// says so, `mailbox (incomplete).mbox`.
    pub fn landing_path(&self) -> Cow<'_, RelativePath> {
        if self.is_incomplete() {
            Cow::Owned(marked_incomplete(&self.address.path, NameRules::ANY))
        } else {
            Cow::Borrowed(&self.address.path)
        }
    }

    /// [`Self::landing_path`] for the path that it has below another folder.
    pub fn landing_path_of(&self, path: RelativePath) -> RelativePath {
        if self.is_incomplete() { marked_incomplete(&path, NameRules::ANY) } else { path }
    }

    /// The same entry with its landing path for its own: nobody who lands it or looks for it takes it for the
    /// whole file.
    #[must_use]
    pub fn to_land(mut self) -> Self {
        if let Cow::Owned(landing) = self.landing_path() {
            let own = std::mem::replace(&mut self.address.path, landing);
            // An open trunk finds its content by the path that it has in there.
            self.address.safe_path.get_or_insert(own);
        }
        self
    }

    /// The entry as one line of JSON, without the end of the line. Fails for a time that RFC 3339 cannot
    /// write.
    pub fn to_line(&self) -> Result<String, serde_json::Error> {
        let (path, path_hex) = text_and_hex(self.address.path.as_bytes());
        let (kind, size, blake3, target) = match &self.content {
            Content::File { size_in_bytes, hash } => {
                (KindWord::File, Some(*size_in_bytes), Some(*hash), (None, None))
            }
            Content::Folder => (KindWord::Folder, None, None, (None, None)),
            Content::Link { target } => {
                let (text, hex) = text_and_hex(target);
                (KindWord::Link, None, None, (Some(text), hex))
            }
        };
        let line = Line {
            item: self.item.clone(),
            owner: self.address.owner.clone(),
            place: self.address.place.clone(),
            path: Cow::Owned(path),
            path_hex,
            stored: self
                .address
                .safe_path
                .as_ref()
                .map(|p| String::from_utf8_lossy(p.as_bytes()).into_owned()),
            kind,
            size,
            blake3,
            target: target.0,
            target_hex: target.1,
            modified_utc: self.modified_utc,
            created_utc: self.created_utc,
            attributes: self.attributes.words(),
            mode: self.unix_mode,
            streams: self
                .streams
                .iter()
                .map(|s| StreamLine { name: s.name.clone(), base64: BASE64.encode(&s.content) })
                .collect(),
            held: self.held.clone(),
            at: self.extents.clone(),
            same_file: self.same_file,
            sparse: self.sparse,
            missing: self.missing.clone(),
            kept_from_utc: self.kept_from_utc,
        };
        serde_json::to_string(&line)
    }

    /// Reads one line. Whatever could lead out of a place is refused.
    pub fn from_line(bytes: &[u8], number: u64) -> Result<Self, EntryRefused> {
        let refused = |line: Option<Line<'_>>, problem: String| EntryRefused {
            line: number,
            path: line.as_ref().map(|line| line.path.as_bytes().to_vec()).unwrap_or_default(),
            item: line.map(|line| line.item),
            problem,
        };
        // Looked at as a whole, and not again for each text in it.
        let text = std::str::from_utf8(bytes).map_err(|cause| refused(None, cause.to_string()))?;
        match serde_json::from_str(text) {
            // Its claims are checked again only where they are reported: nearly all lines are right.
            Ok(line) => {
                from_checked_line(line).map_err(|problem| refused(serde_json::from_str(text).ok(), problem))
            }
            Err(cause) => Err(refused(None, cause.to_string())),
        }
    }
}

/// The path of an incomplete file.
pub(crate) fn marked_incomplete(path: &RelativePath, rules: NameRules) -> RelativePath {
    let Some(name) = path.name() else { return path.clone() };
    let marked = name_with_mark(name, " (incomplete)");
    let marked = if rules.hold(&marked) { marked } else { rules.safe_name(&marked).into_bytes() };
    // A name with a mark has no step in it that the name did not have.
    path.parent().unwrap_or_default().join(&marked).unwrap_or_else(|_| path.clone())
}

/// Puts `mark` between a name and its extension.
pub fn name_with_mark(name: &[u8], mark: &str) -> Vec<u8> {
    let dot = name.iter().rposition(|b| *b == b'.').filter(|dot| *dot > 0).unwrap_or(name.len());
    [&name[..dot], mark.as_bytes(), &name[dot..]].concat()
}

fn from_checked_line(line: Line<'_>) -> Result<Entry, String> {
    let path = match line.path_hex {
        Some(hex) => RelativePath::from_bytes(&from_hex(&hex).ok_or("path_hex is not hexadecimal text")?),
        None => RelativePath::from_bytes(line.path.as_bytes()),
    };
    let path = path.map_err(|refused| refused.to_string())?;
    let safe_path = line.stored.map(|stored| safe_path_from(&stored)).transpose()?;
    for step in [line.owner.as_deref(), Some(line.place.as_str())].into_iter().flatten() {
        // A name that every file system holds has no slash in it, and does not lead up.
        let is_name = !step.is_empty() && NameRules::TRUNK.hold(step.as_bytes());
        if !is_name && safe_path_from(step)?.steps().count() != 1 {
            return Err(format!("`{step}` is not the name of an account or place"));
        }
    }
    let content = match (line.kind, line.size, line.blake3, line.target) {
        (KindWord::File, Some(size_in_bytes), Some(hash), _) => Content::File { size_in_bytes, hash },
        (KindWord::File, ..) => return Err("a file needs a size and a blake3".into()),
        (KindWord::Folder, ..) => Content::Folder,
        (KindWord::Link, _, _, Some(target)) => Content::Link {
            target: exact_bytes(target, line.target_hex.as_deref())
                .ok_or("target_hex is not hexadecimal text")?,
        },
        (KindWord::Link, ..) => return Err("a link needs a target".into()),
    };
    let mut streams = Vec::with_capacity(line.streams.len());
    for stream in line.streams {
        let content = BASE64.decode(&stream.base64).map_err(|cause| cause.to_string())?;
        streams.push(NamedStream { name: stream.name, content });
    }
    Ok(Entry {
        item: line.item,
        address: EntryAddress { owner: line.owner, place: line.place, path, safe_path },
        content,
        modified_utc: line.modified_utc,
        created_utc: line.created_utc,
        attributes: Attributes::from_words(&line.attributes),
        unix_mode: line.mode,
        streams,
        held: line.held,
        extents: line.at,
        same_file: line.same_file,
        sparse: line.sparse,
        missing: line.missing,
        kept_from_utc: line.kept_from_utc,
    })
}

/// A path inside the trunk is believed only if every file system can hold it: such a path cannot name a
/// device, a drive or a stream either.
fn safe_path_from(text: &str) -> Result<RelativePath, String> {
    let path =
        RelativePath::from_bytes(text.as_bytes()).map_err(|refused: PathRefused| refused.to_string())?;
    if path.steps().all(|step| NameRules::TRUNK.hold(step)) {
        Ok(path)
    } else {
        Err(format!("`{text}` is not a path inside a trunk"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    use time::macros::datetime;

    fn entry() -> Entry {
        Entry {
            item: "odile/folder/documents".into(),
            address: EntryAddress {
                owner: Some("odile".into()),
                place: "documents".into(),
                path: RelativePath::from_bytes(b"Kites/bad\xff name?.txt").unwrap(),
                safe_path: Some(RelativePath::from_bytes(b"Kites/bad_ name_~0a1b2c3d.txt").unwrap()),
            },
            content: Content::File { size_in_bytes: 3, hash: ContentHash::of(b"abc") },
            modified_utc: Some(datetime!(2012-03-04 05:06:07.123_456_7 UTC)),
            created_utc: None,
            attributes: Attributes::from_windows_bits(0x822),
            unix_mode: Some(0o644),
            streams: vec![NamedStream { name: "Zone.Identifier".into(), content: b"\0[Zone]".to_vec() }],
            held: Some("kept".into()),
            extents: [Extent::Contents { block: 7, first: 0, count: 2 }].into_iter().collect(),
            same_file: Some(3),
            sparse: true,
            missing: vec![MissingStretch { offset_in_bytes: 1, length_in_bytes: 2 }],
            kept_from_utc: Some(datetime!(2026-11-20 08:00 UTC)),
        }
    }

    #[test]
    fn an_entry_comes_back_exactly_from_its_line() {
        let mut link = entry();
        link.content = Content::Link { target: b"..\\\xff".to_vec() };
        let mut folder = entry();
        folder.content = Content::Folder;
        for entry in [entry(), link, folder] {
            assert_eq!(Entry::from_line(entry.to_line().unwrap().as_bytes(), 1), Ok(entry));
        }
    }

    #[test]
    fn lines_that_could_lead_out_of_a_place_are_refused() {
        let good = entry().to_line().unwrap();
        let path = r#""path":"Kites/bad� name?.txt","path_hex":"4b697465732f626164ff206e616d653f2e747874""#;
        assert!(good.contains(path), "{good}");
        for (from, to, problem) in [
            (path, r#""path":"../../evil""#, "leads out"),
            (path, r#""path":"/etc/passwd""#, "absolute"),
            (path, r#""path":"a\u0000b""#, "NUL"),
            (r#""owner":"odile""#, r#""owner":"..""#, "leads out"),
            (r#""place":"documents""#, r#""place":"a/b""#, "not the name"),
            (r#""stored":"Kites/"#, r#""stored":"C:/"#, "not a path inside"),
            (r#""stored":"Kites/"#, r#""stored":"../"#, "leads out"),
            (r#""size":3,"#, "", "needs a size"),
        ] {
            let bad = good.replace(from, to);
            assert_ne!(bad, good, "{from}");
            let refused = Entry::from_line(bad.as_bytes(), 7).unwrap_err();
            assert!(refused.problem.contains(problem), "{to}: {}", refused.problem);
            assert_eq!(refused.line, 7);
        }
        assert!(Entry::from_line(b"{\"item\":", 1).is_err());
    }
}
