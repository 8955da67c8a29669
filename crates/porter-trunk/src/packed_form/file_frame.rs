//! The beginning and the end of every file of blocks.

use crate::TrunkId;

const TAIL_MAGIC: [u8; 8] = *b"PORTEREN";
pub(super) const TAIL_IN_BYTES: usize = 40;
pub(super) const FILE_HEAD_IN_BYTES: usize = 64;

/// Version of the format of files and blocks. A reader refuses another one.
pub(super) const VERSION: u16 = 1;

/// The kind of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// Contents, and the entries they belong to.
    Pack,
    /// All of a finished trunk but the contents.
    List,
}

impl Role {
    const fn magic(self) -> [u8; 8] {
        match self {
            Self::Pack => *b"PORTERPK",
            Self::List => *b"PORTERLS",
        }
    }
}

/// The beginning of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct FileHead {
    pub(super) role: Role,
    pub(super) sealed: bool,
    /// The beginning of the BLAKE3 of the trunk's id: it distinguishes a file of another trunk from our own.
    pub(super) trunk: [u8; 16],
    /// Its number among the files of its role, from 1.
    pub(super) number: u32,
    /// Drawn for every run that writes: no two runs seal with one key.
    pub(super) salt: [u8; 16],
}

/// Why bytes are not the beginning of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum BadFileHead {
    Changed,
    Version(u16),
}

impl FileHead {
    /// True if it stands in a file of this trunk.
    pub(super) fn is_of(&self, trunk: &TrunkId) -> bool {
        self.trunk == mark_of(trunk)
    }

    pub(super) fn to_bytes(self) -> [u8; FILE_HEAD_IN_BYTES] {
        let mut bytes = [0; FILE_HEAD_IN_BYTES];
        bytes[..8].copy_from_slice(&self.role.magic());
        bytes[8..10].copy_from_slice(&VERSION.to_le_bytes());
        bytes[12] = u8::from(self.sealed);
        bytes[16..32].copy_from_slice(&self.trunk);
        bytes[32..36].copy_from_slice(&self.number.to_le_bytes());
        bytes[36..52].copy_from_slice(&self.salt);
        let check: [u8; 32] = blake3::hash(&bytes[..56]).into();
        bytes[56..].copy_from_slice(&check[..8]);
        bytes
    }

    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Self, BadFileHead> {
        let bytes: &[u8; FILE_HEAD_IN_BYTES] = bytes
            .get(..FILE_HEAD_IN_BYTES)
            .and_then(|bytes| bytes.try_into().ok())
            .ok_or(BadFileHead::Changed)?;
        let role = [Role::Pack, Role::List]
            .into_iter()
            .find(|role| bytes[..8] == role.magic())
            .ok_or(BadFileHead::Changed)?;
        let check: [u8; 32] = blake3::hash(&bytes[..56]).into();
        if bytes[56..] != check[..8] {
            return Err(BadFileHead::Changed);
        }
        let version = u16::from_le_bytes([bytes[8], bytes[9]]);
        if version != VERSION {
            return Err(BadFileHead::Version(version));
        }
        let (mut trunk, mut salt) = ([0; 16], [0; 16]);
        trunk.copy_from_slice(&bytes[16..32]);
        salt.copy_from_slice(&bytes[36..52]);
        let number = u32::from_le_bytes([bytes[32], bytes[33], bytes[34], bytes[35]]);
        let head = Self { role, sealed: bytes[12] == 1, trunk, number, salt };
        if head.to_bytes() == *bytes { Ok(head) } else { Err(BadFileHead::Changed) }
    }
}

/// The beginning of the BLAKE3 of a trunk's id.
pub(super) fn mark_of(trunk: &TrunkId) -> [u8; 16] {
    let hash: [u8; 32] = blake3::hash(trunk.to_string().as_bytes()).into();
    let mut mark = [0; 16];
    mark.copy_from_slice(&hash[..16]);
    mark
}

/// The end of a file: it leads to the index, and distinguishes a whole file from one that was cut off.
pub(super) fn tail(index_at: u64, length_in_bytes: u64) -> [u8; TAIL_IN_BYTES] {
    let mut bytes = [0; TAIL_IN_BYTES];
    bytes[..8].copy_from_slice(&TAIL_MAGIC);
    bytes[8..16].copy_from_slice(&index_at.to_le_bytes());
    bytes[16..24].copy_from_slice(&length_in_bytes.to_le_bytes());
    let check: [u8; 32] = blake3::hash(&bytes[..24]).into();
    bytes[24..].copy_from_slice(&check[..16]);
    bytes
}
