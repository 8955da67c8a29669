//! The rules' verdict on an entry.

/// The fate of an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate<'c> {
    /// Captured and restored.
    Carry,
    /// Captured, and kept in the trunk: the reason, in plain words.
    Hold(&'c str),
    /// Not captured: the reason, in plain words.
    Leave(&'c str),
    /// Not captured, because somebody chose so: in plain words.
    Unchosen(&'c str),
}

impl Fate<'_> {
    /// True if nothing of it goes into the trunk.
    pub fn is_left(&self) -> bool {
        matches!(self, Self::Leave(_) | Self::Unchosen(_))
    }
}
