//! The index of a folder: the names in it once more. It is read only where the table of files cannot be.

use super::file_name::FileName;
use super::record::Reference;
use super::whole;
use crate::numbers::{le_u16, le_u32, le_u64};

const LAST: u16 = 2;

/// A child, as the index has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Child {
    pub(super) reference: Reference,
    pub(super) name: FileName,
}

/// The children that are told of in the record of the folder itself, and the length of the blocks with the
/// others.
pub(super) fn in_record(root: &[u8]) -> Option<(Vec<Child>, usize)> {
    let block_in_bytes = usize::try_from(le_u32(root, 8)?).ok()?;
    let header = root.get(16..)?;
    Some((children(header), block_in_bytes))
}

/// The children in a block; none if it is not in use, or is damaged.
pub(super) fn in_block(block: Vec<u8>) -> Vec<Child> {
    let block = whole::restored(block, b"INDX").unwrap_or_default();
    block.get(24..).map(children).unwrap_or_default()
}

/// A header that says where the entries begin and end, and the entries.
fn children(header: &[u8]) -> Vec<Child> {
    let number = |at| le_u32(header, at).and_then(|number| usize::try_from(number).ok());
    let bounds = number(0).zip(number(4));
    let mut rest = bounds.and_then(|(begin, end)| header.get(begin..end)).unwrap_or_default();
    let mut found = Vec::new();
    while let Some((reference, length)) = le_u64(rest, 0).zip(le_u16(rest, 8).map(usize::from)) {
        let flags = le_u16(rest, 12).unwrap_or(LAST);
        let Some((entry, behind)) =
            rest.split_at_checked(length).filter(|_| length >= 16 && flags & LAST == 0)
        else {
            break;
        };
        let reference = Reference::from_number(reference);
        found.extend(FileName::from_bytes(&entry[16..]).map(|name| Child { reference, name }));
        rest = behind;
    }
    found
}
