//! Errors of a hive.

/// Why a hive, or a part of it, cannot be used. Offsets are from the first bin, as in the hive itself; the
/// first bin begins 4096 bytes into the file.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum HiveError {
    /// It is not a hive.
    #[error("no registry hive: it does not begin with `regf`")]
    NotAHive,
    /// It ends before something that it must hold.
    #[error("the hive has {size_in_bytes} bytes, and needs {needed_in_bytes}")]
    TooShort {
        /// The size that exists.
        size_in_bytes: usize,
        /// The size that is needed.
        needed_in_bytes: usize,
    },
    /// A version that we do not know.
    #[error("registry hives of version {major}.{minor} are not known")]
    UnsupportedVersion {
        /// Major version.
        major: u32,
        /// Minor version.
        minor: u32,
    },
    /// A cell that is not in the hive, or not all of it.
    #[error("the cell at {offset:#x} is not inside the hive")]
    CellOutside {
        /// Where it should begin.
        offset: u32,
    },
    /// A cell that is marked as free.
    #[error("the cell at {offset:#x} is marked as free")]
    CellFree {
        /// Where it begins.
        offset: u32,
    },
    /// A cell holds something else than it should.
    #[error("the cell at {offset:#x} should hold {expected}, and begins with {found:02x?}")]
    WrongKind {
        /// Where it begins.
        offset: u32,
        /// The structure that was expected.
        expected: &'static str,
        /// How it begins.
        found: [u8; 2],
    },
    /// A cell is too short for what it says it holds.
    #[error("the {what} at {offset:#x} needs {needed_in_bytes} bytes, and its cell has {size_in_bytes}")]
    CellTooShort {
        /// Where it begins.
        offset: u32,
        /// The structure.
        what: &'static str,
        /// The size that it needs.
        needed_in_bytes: usize,
        /// The size of its cell.
        size_in_bytes: usize,
    },
    /// Lists inside lists inside lists.
    #[error("the list of subkeys at {offset:#x} is nested too deep")]
    ListTooDeep {
        /// Where it begins.
        offset: u32,
    },
    /// A key that is below itself, or in two places.
    #[error("the key at {offset:#x} was met before: the tree has a loop")]
    Loop {
        /// Where it begins.
        offset: u32,
    },
    /// Keys inside keys, deeper than Windows allows.
    #[error("the key at {offset:#x} lies deeper than {most} keys")]
    TooDeep {
        /// Where it begins.
        offset: u32,
        /// How deep keys may lie.
        most: usize,
    },
    /// The given content does not fit into a hive.
    #[error("cannot be written: {what}")]
    CannotHold {
        /// The content, in words.
        what: String,
    },
}
