//! Stores of Outlook Express (`.dbx`): a folder of letters each. The layout was never published; this is what
//! is known of it from looking at stores. Only the tree that lists the letters is read: its nodes have a
//! heading of 24 bytes, and rows of 12 bytes, each with a letter, a node below, and how many are below that.

use crate::FormatError;
use std::collections::HashSet;
use std::io;

const WHAT: &str = "store of Outlook Express";
const MAGIC: [u8; 4] = [0xcf, 0xad, 0x12, 0xfe];
/// The kind of a store that holds letters; others hold the list of folders, or what is still to be sent.
const LETTERS: [u8; 4] = [0xc5, 0xfd, 0x74, 0x6f];
/// The part of a store that says where its tree is.
const HEADER_IN_BYTES: usize = 0x100;
const COUNT_AT: usize = 0xc4;
const TREE_AT: usize = 0xe4;
const NODE_IN_BYTES: usize = 0x27c;
const HEADING_IN_BYTES: usize = 24;
const ROW_IN_BYTES: usize = 12;
/// Stores end at 2 GB, and no more nodes fit in one.
const MOST_NODES: usize = 4 << 20;

/// The letters of a store.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Letters {
    /// Those that its tree lists.
    pub messages: u64,
    /// Nodes of the tree that could not be read, or that contradict themselves: what they list is not
    /// counted.
    pub damaged_nodes: u64,
}

/// Counts the letters of a store; none if it is one of another kind. `read` fills a buffer from an offset,
/// and returns how much it has filled.
pub fn count(read: &dyn Fn(u64, &mut [u8]) -> io::Result<usize>) -> Result<Option<Letters>, FormatError> {
    let mut header = [0; HEADER_IN_BYTES];
    let length = read(0, &mut header).map_err(|cause| FormatError::damaged(WHAT, cause))?;
    if length < 8 || header[..4] != MAGIC {
        return Err(FormatError::damaged(WHAT, "it does not begin as one"));
    }
    if header[4..8] != LETTERS {
        return Ok(None);
    }
    if length < HEADER_IN_BYTES {
        return Err(FormatError::damaged(WHAT, "it ends in its beginning"));
    }
    let mut letters = Letters::default();
    let mut seen = HashSet::new();
    let mut waiting = vec![number(&header, TREE_AT)];
    waiting.retain(|root| *root != 0);
    while let Some(at) = waiting.pop() {
        let mut node = [0; NODE_IN_BYTES];
        let read = read(u64::from(at), &mut node).unwrap_or_default();
        let rows = usize::from(node[17]);
        let is_whole = read >= HEADING_IN_BYTES + rows * ROW_IN_BYTES
            && HEADING_IN_BYTES + rows * ROW_IN_BYTES <= NODE_IN_BYTES
            // Each begins with its own place.
            && number(&node, 0) == at;
        if !seen.insert(at) || !is_whole || seen.len() > MOST_NODES {
            letters.damaged_nodes += 1;
            continue;
        }
        let below = |at: usize| Some(number(&node, at)).filter(|below| *below != 0);
        waiting.extend(below(8));
        for row in (0..rows).map(|row| HEADING_IN_BYTES + row * ROW_IN_BYTES) {
            letters.messages += u64::from(number(&node, row) != 0);
            waiting.extend(below(row + 4));
        }
    }
    let promised = u64::from(number(&header, COUNT_AT));
    if letters.damaged_nodes == 0 && letters.messages < promised {
        letters.damaged_nodes = 1;
    }
    Ok(Some(letters))
}

fn number(bytes: &[u8], at: usize) -> u32 {
    bytes.get(at..at + 4).and_then(<[u8]>::first_chunk).map_or(0, |four| u32::from_le_bytes(*four))
}

/// A store with a tree of this many letters, which are empty: what a demo or a test needs of one.
pub fn to_bytes(letters: u32) -> Vec<u8> {
    const IN_A_NODE: u32 = 50;
    const FIRST_NODE_AT: u32 = 0x254;
    let nodes = letters.div_ceil(IN_A_NODE).max(1);
    let place = |node: u32| FIRST_NODE_AT + node * NODE_IN_BYTES as u32;
    let mut file = vec![0; place(nodes) as usize];
    let put = |file: &mut [u8], at: usize, value: u32| file[at..at + 4].copy_from_slice(&value.to_le_bytes());
    file[..4].copy_from_slice(&MAGIC);
    file[4..8].copy_from_slice(&LETTERS);
    put(&mut file, COUNT_AT, letters);
    put(&mut file, TREE_AT, if letters == 0 { 0 } else { place(0) });
    for node in 0..nodes {
        let (at, first) = (place(node) as usize, node * IN_A_NODE);
        put(&mut file, at, place(node));
        // Each hangs below the one before.
        put(&mut file, at + 8, if node + 1 < nodes { place(node + 1) } else { 0 });
        let rows = letters.saturating_sub(first).min(IN_A_NODE);
        file[at + 17] = rows as u8;
        for row in 0..rows {
            put(&mut file, at + HEADING_IN_BYTES + row as usize * ROW_IN_BYTES, 0x10_0000 + first + row);
        }
    }
    file
}

#[cfg(test)]
mod tests {
    use super::*;

    fn count_in(file: &[u8]) -> Result<Option<Letters>, FormatError> {
        count(&|at, buffer| {
            let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
            let read = rest.len().min(buffer.len());
            buffer[..read].copy_from_slice(&rest[..read]);
            Ok(read)
        })
    }

    #[test]
    fn letters_are_counted_along_the_tree_and_damage_is_told() {
        for letters in [0, 1, 50, 51, 137] {
            let found = count_in(&to_bytes(letters)).unwrap().unwrap();
            assert_eq!(found, Letters { messages: letters.into(), damaged_nodes: 0 });
        }
        let whole = to_bytes(137);
        // The last node is cut off; one leads back to the first; a store of folders; no store.
        let cut = count_in(&whole[..whole.len() - 600]).unwrap().unwrap();
        assert_eq!(cut, Letters { messages: 100, damaged_nodes: 1 });
        let mut endless = whole.clone();
        endless[0x254 + NODE_IN_BYTES + 8..][..4].copy_from_slice(&0x254_u32.to_le_bytes());
        assert_eq!(count_in(&endless).unwrap().unwrap(), Letters { messages: 100, damaged_nodes: 1 });
        let mut folders = whole.clone();
        folders[4] = 0xc6;
        assert_eq!(count_in(&folders).unwrap(), None);
        assert!(count_in(&whole[..100]).is_err() && count_in(b"From ines").is_err());
        let mut lying = whole;
        lying[COUNT_AT] = 200;
        assert_eq!(count_in(&lying).unwrap().unwrap().damaged_nodes, 1, "it promises more than it lists");
    }
}
