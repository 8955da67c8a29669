//! The blocks that packs and lists are made of: pure bytes, in and out.
//!
//! A block is a head of fixed length, a directory (of contents only), and a body that may be compressed.
//! Unsealed, the head carries a BLAKE3 proof; sealed, directory and body are one AEAD text bound to the head.

use super::buffers::{Buffer, Bytes};
use super::squeeze;
use crate::content_hash::ContentHash;
use crate::sealing::{FileKey, TAG_LENGTH_IN_BYTES};
use std::io;

/// Every block begins with this.
pub(super) const MAGIC: [u8; 4] = *b"PBLK";
/// Length of the head.
pub(super) const HEAD_IN_BYTES: usize = 72;
/// The proved part of the head: all before the proof.
const PROVED_HEAD_IN_BYTES: usize = 40;
/// The longest part of a block. A block that claims more is damaged, and is not believed.
const LONGEST_PART_IN_BYTES: u32 = 64 << 20;
/// Length of one row of a directory: an id, and the length of its content.
const ROW_IN_BYTES: usize = 20;

/// The first half of the BLAKE3 of a content, keyed in a sealed trunk. The index of a million contents has to
/// fit into memory many times over, and nobody finds two contents that share 128 bits of BLAKE3.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct ContentId([u8; 16]);

impl From<ContentHash> for ContentId {
    fn from(hash: ContentHash) -> Self {
        let mut id = [0; 16];
        id.copy_from_slice(&hash.as_bytes()[..16]);
        Self(id)
    }
}

/// The kind of content in a block.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    /// Contents of files.
    Contents = 1,
    /// Entries, a JSON line each.
    Entries = 2,
    /// The entries left behind, a JSON line each.
    Left = 3,
    /// Label, items, programs and packs, as one JSON document.
    Inventory = 4,
    /// Where the blocks of the file are.
    Index = 5,
}

impl Kind {
    fn from_number(number: u8) -> Option<Self> {
        [Self::Contents, Self::Entries, Self::Left, Self::Inventory, Self::Index]
            .into_iter()
            .find(|kind| *kind as u8 == number)
    }
}

/// How the body is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Codec {
    /// As it is.
    Plain = 0,
    /// A zstd frame (RFC 8878).
    Zstd = 1,
}

/// The fields of the head.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Head {
    pub(super) kind: Kind,
    pub(super) codec: Codec,
    /// The number of a block of contents in the trunk, from 1; else the block's place in its file, from 0.
    pub(super) number: u32,
    pub(super) directory_in_bytes: u32,
    /// Length of the body as it is stored.
    pub(super) stored_in_bytes: u32,
    /// Length of the body once it is unpacked.
    pub(super) raw_in_bytes: u32,
    nonce: [u8; 12],
    /// BLAKE3, or the tag of the AEAD and zeros.
    pub(super) proof: [u8; 32],
}

/// Why bytes are not a block.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub(super) enum BadBlock {
    #[error("there is no block")]
    NoBlock,
    #[error("a block is not what was written")]
    Changed,
    #[error("a block is of a kind that is not known")]
    UnknownKind,
}

impl Head {
    /// All that follows the head.
    pub(super) fn payload_in_bytes(&self) -> u64 {
        u64::from(self.directory_in_bytes) + u64::from(self.stored_in_bytes)
    }

    /// Head and all that follows.
    pub(super) fn whole_in_bytes(&self) -> u64 {
        HEAD_IN_BYTES as u64 + self.payload_in_bytes()
    }

    fn proved_bytes(&self) -> [u8; PROVED_HEAD_IN_BYTES] {
        let mut bytes = [0; PROVED_HEAD_IN_BYTES];
        bytes[..4].copy_from_slice(&MAGIC);
        bytes[4] = self.kind as u8;
        bytes[5] = self.codec as u8;
        bytes[8..12].copy_from_slice(&self.number.to_le_bytes());
        bytes[12..16].copy_from_slice(&self.directory_in_bytes.to_le_bytes());
        bytes[16..20].copy_from_slice(&self.stored_in_bytes.to_le_bytes());
        bytes[20..24].copy_from_slice(&self.raw_in_bytes.to_le_bytes());
        bytes[24..36].copy_from_slice(&self.nonce);
        bytes
    }

    pub(super) fn to_bytes(self) -> [u8; HEAD_IN_BYTES] {
        let mut bytes = [0; HEAD_IN_BYTES];
        bytes[..PROVED_HEAD_IN_BYTES].copy_from_slice(&self.proved_bytes());
        bytes[PROVED_HEAD_IN_BYTES..].copy_from_slice(&self.proof);
        bytes
    }

    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Self, BadBlock> {
        let bytes: &[u8; HEAD_IN_BYTES] =
            bytes.get(..HEAD_IN_BYTES).and_then(|b| b.try_into().ok()).ok_or(BadBlock::NoBlock)?;
        if bytes[..4] != MAGIC {
            return Err(BadBlock::NoBlock);
        }
        let number = |at: usize| u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]);
        let codec = match bytes[5] {
            0 => Codec::Plain,
            1 => Codec::Zstd,
            _ => return Err(BadBlock::UnknownKind),
        };
        let (mut nonce, mut proof) = ([0; 12], [0; 32]);
        nonce.copy_from_slice(&bytes[24..36]);
        proof.copy_from_slice(&bytes[PROVED_HEAD_IN_BYTES..]);
        let head = Self {
            kind: Kind::from_number(bytes[4]).ok_or(BadBlock::UnknownKind)?,
            codec,
            number: number(8),
            directory_in_bytes: number(12),
            stored_in_bytes: number(16),
            raw_in_bytes: number(20),
            nonce,
            proof,
        };
        let parts = [head.directory_in_bytes, head.stored_in_bytes, head.raw_in_bytes];
        let believable = parts.iter().all(|length| *length <= LONGEST_PART_IN_BYTES);
        // The bytes between the fields are zero, so that no byte of a trunk can change unnoticed.
        if believable && head.to_bytes() == *bytes { Ok(head) } else { Err(BadBlock::Changed) }
    }
}

/// Ids and lengths of the contents of a block.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Directory {
    pub(super) rows: Vec<(ContentId, u32)>,
}

impl Directory {
    /// How many contents a block has, by the length of its directory.
    pub(super) const fn rows_in(directory_in_bytes: u32) -> u32 {
        directory_in_bytes / ROW_IN_BYTES as u32
    }

    fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = Vec::with_capacity(self.rows.len() * ROW_IN_BYTES);
        for (id, length) in &self.rows {
            bytes.extend_from_slice(&id.0);
            bytes.extend_from_slice(&length.to_le_bytes());
        }
        bytes
    }

    /// Fails if the lengths do not come out even with the body.
    pub(super) fn from_bytes(bytes: &[u8], raw_in_bytes: u32) -> Result<Self, BadBlock> {
        let (rows, rest) = bytes.as_chunks::<ROW_IN_BYTES>();
        let rows: Vec<(ContentId, u32)> = rows
            .iter()
            .map(|row| {
                let mut id = [0; 16];
                id.copy_from_slice(&row[..16]);
                (ContentId(id), u32::from_le_bytes([row[16], row[17], row[18], row[19]]))
            })
            .collect();
        let sum: u64 = rows.iter().map(|(_, length)| u64::from(*length)).sum();
        if rest.is_empty() && sum == u64::from(raw_in_bytes) {
            Ok(Self { rows })
        } else {
            Err(BadBlock::Changed)
        }
    }
}

/// A block ready to be written.
pub(super) struct Sealed {
    pub(super) head: Head,
    pub(super) directory: Vec<u8>,
    pub(super) body: Bytes,
}

/// Makes a block of a body that is compressed already where its codec says so.
pub(super) fn seal(
    kind: Kind,
    codec: Codec,
    number: u32,
    directory: &Directory,
    mut body: Bytes,
    raw_in_bytes: usize,
    key: Option<&FileKey>,
) -> io::Result<Sealed> {
    let length = |bytes: usize| {
        u32::try_from(bytes)
            .ok()
            .filter(|length| *length <= LONGEST_PART_IN_BYTES)
            .ok_or_else(|| io::Error::other("a block would be too long"))
    };
    let mut directory = directory.to_bytes();
    let mut head = Head {
        kind,
        codec,
        number,
        directory_in_bytes: length(directory.len())?,
        stored_in_bytes: length(body.len())?,
        raw_in_bytes: length(raw_in_bytes)?,
        nonce: [0; 12],
        proof: [0; 32],
    };
    match key {
        None => head.proof = proof_of(&head, &directory, &body),
        Some(key) => {
            // The nonce is drawn while sealing, and the head that is bound has to be whole before.
            let mut text = std::mem::take(&mut directory);
            text.extend_from_slice(&body);
            let (nonce, tag) = key.seal(&head.proved_bytes(), &mut text)?;
            head.nonce = nonce;
            head.proof[..TAG_LENGTH_IN_BYTES].copy_from_slice(&tag);
            body = Bytes::Own(text.into());
        }
    }
    Ok(Sealed { head, directory, body })
}

/// Proof of an unsealed block. Contents that are stored as they are have proofs already, their ids: hashing
/// them twice would cost time and prove nothing more.
fn proof_of(head: &Head, directory: &[u8], body: &[u8]) -> [u8; 32] {
    let mut hasher = blake3::Hasher::new();
    hasher.update(&head.proved_bytes());
    hasher.update(directory);
    if !head.body_is_proved_by_ids() {
        hasher.update(body);
    }
    hasher.finalize().into()
}

impl Head {
    fn body_is_proved_by_ids(&self) -> bool {
        self.kind == Kind::Contents && self.codec == Codec::Plain
    }

    /// True if the head and the directory of an unsealed block are what was written, and its body, which is
    /// proved by ids, has its full length.
    pub(super) fn proves_plain(&self, directory: &[u8]) -> bool {
        self.body_is_proved_by_ids()
            && self.stored_in_bytes == self.raw_in_bytes
            && proof_of(self, directory, &[]) == self.proof
    }
}

/// How much of an unsealed block is proved when it is opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Proving {
    /// Nothing.
    Nothing,
    /// All but the bodies of contents that are stored as they are: the caller who uses the contents proves
    /// these.
    AllButPlainContents,
    /// Every byte.
    Everything,
}

/// A block that was read.
#[derive(Debug)]
pub(super) struct Opened {
    pub(super) head: Head,
    pub(super) directory: Directory,
    payload: Buffer,
}

impl Opened {
    /// Still compressed if the codec says so.
    pub(super) fn body(&self) -> &[u8] {
        &self.payload[self.head.directory_in_bytes as usize..]
    }

    /// The body, unpacked.
    pub(super) fn unpacked(self) -> Result<Unpacked, BadBlock> {
        let Self { head, directory, payload } = self;
        Ok(match head.codec {
            Codec::Plain => Unpacked { directory, bytes: payload, begin: head.directory_in_bytes as usize },
            Codec::Zstd => {
                let body = &payload[head.directory_in_bytes as usize..];
                let bytes = squeeze::unpack(body, head.raw_in_bytes as usize).ok_or(BadBlock::Changed)?;
                Unpacked { directory, bytes, begin: 0 }
            }
        })
    }
}

/// A block that was read and unpacked.
#[derive(Debug)]
pub(super) struct Unpacked {
    pub(super) directory: Directory,
    bytes: Buffer,
    /// Where the body begins in `bytes`: moving it to the front would cost more than remembering.
    begin: usize,
}

impl Unpacked {
    pub(super) fn body(&self) -> &[u8] {
        &self.bytes[self.begin..]
    }
}

/// Opens what follows a head. `payload` is directory and body.
///
/// A sealed block is always proved, an unsealed one on request: a caller who proves the contents need not do
/// it twice.
pub(super) fn open(
    head: Head,
    mut payload: Buffer,
    key: Option<&FileKey>,
    proving: Proving,
) -> Result<Opened, BadBlock> {
    if payload.len() as u64 != head.payload_in_bytes() {
        return Err(BadBlock::NoBlock);
    }
    let directory_in_bytes = head.directory_in_bytes as usize;
    if let Some(key) = key {
        if head.proof[TAG_LENGTH_IN_BYTES..].iter().any(|byte| *byte != 0) {
            return Err(BadBlock::Changed);
        }
        payload.extend_from_slice(&head.proof[..TAG_LENGTH_IN_BYTES]);
        let bound = Head { nonce: [0; 12], ..head };
        key.open(head.nonce, &bound.proved_bytes(), &mut payload).map_err(|_| BadBlock::Changed)?;
    }
    let listed_in_bytes = if head.kind == Kind::Contents { head.raw_in_bytes } else { 0 };
    let directory = Directory::from_bytes(&payload[..directory_in_bytes], listed_in_bytes)?;
    if key.is_none() && proving != Proving::Nothing {
        let (directory_bytes, body) = payload.split_at(directory_in_bytes);
        if proof_of(&head, directory_bytes, body) != head.proof {
            return Err(BadBlock::Changed);
        }
        if head.body_is_proved_by_ids() && proving == Proving::Everything {
            let mut rest = body;
            for (id, length) in &directory.rows {
                let (content, more) = rest.split_at_checked(*length as usize).ok_or(BadBlock::Changed)?;
                if ContentId::from(ContentHash::of(content)) != *id {
                    return Err(BadBlock::Changed);
                }
                rest = more;
            }
        }
    }
    if head.codec == Codec::Plain && payload.len() - directory_in_bytes != head.raw_in_bytes as usize {
        return Err(BadBlock::Changed);
    }
    Ok(Opened { head, directory, payload })
}
