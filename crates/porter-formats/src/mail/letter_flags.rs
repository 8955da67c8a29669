//! The marks of a letter, as programs note them: read, answered, starred, forwarded.

/// The bits of Mozilla's status
/// (<https://www-archive.mozilla.org/mailnews/arch/mailflags.html>).
const READ: u32 = 0x0001;
const ANSWERED: u32 = 0x0002;
const STARRED: u32 = 0x0004;
const FORWARDED: u32 = 0x1000;

/// See the module.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct LetterFlags {
    /// Somebody has read it.
    pub is_read: bool,
    /// It is answered.
    pub is_answered: bool,
    /// It is marked.
    pub is_starred: bool,
    /// It is forwarded.
    pub is_forwarded: bool,
}

impl LetterFlags {
    /// The marks of a letter without any: it counts as read.
    pub const READ: Self = Self { is_read: true, is_answered: false, is_starred: false, is_forwarded: false };

    /// By the bits of `X-Mozilla-Status`.
    pub fn from_mozilla(bits: u32) -> Self {
        Self {
            is_read: bits & READ != 0,
            is_answered: bits & ANSWERED != 0,
            is_starred: bits & STARRED != 0,
            is_forwarded: bits & FORWARDED != 0,
        }
    }

    /// The bits of `X-Mozilla-Status`.
    pub fn to_mozilla(self) -> u32 {
        let bit = |is: bool, bit: u32| if is { bit } else { 0 };
        bit(self.is_read, READ)
            | bit(self.is_answered, ANSWERED)
            | bit(self.is_starred, STARRED)
            | bit(self.is_forwarded, FORWARDED)
    }

    /// By the bits of `X-Evolution` (`CamelMessageFlags`).
    pub fn from_evolution(bits: u32) -> Self {
        Self {
            is_read: bits & 0x10 != 0,
            is_answered: bits & 0x1 != 0,
            is_starred: bits & 0x8 != 0,
            is_forwarded: bits & 0x400 != 0,
        }
    }

    /// The bits of `X-Evolution`.
    pub fn to_evolution(self) -> u32 {
        let bit = |is: bool, bit: u32| if is { bit } else { 0 };
        bit(self.is_read, 0x10)
            | bit(self.is_answered, 0x1)
            | bit(self.is_starred, 0x8)
            | bit(self.is_forwarded, 0x400)
    }

    /// By the letters behind `2,` in a name of a Maildir.
    pub fn from_maildir(letters: &[u8]) -> Self {
        let has = |letter: u8| letters.contains(&letter);
        Self { is_read: has(b'S'), is_answered: has(b'R'), is_starred: has(b'F'), is_forwarded: has(b'P') }
    }

    /// The letters behind `2,` in a name of a Maildir, in their order.
    pub fn to_maildir(self) -> String {
        let all =
            [(self.is_starred, 'F'), (self.is_forwarded, 'P'), (self.is_answered, 'R'), (self.is_read, 'S')];
        all.into_iter().filter(|(is, _)| *is).map(|(_, letter)| letter).collect()
    }
}
