//! Stores of Outlook Express (`.dbx`): a folder of letters each. The layout was never published; this is what
//! is known of it from looking at stores. A tree lists the letters: its nodes have a heading of 24 bytes, and
//! rows of 12 bytes, each with a letter, a node below, and how many are below that. A letter is a list of
//! facts, one of which leads to its text, piece by piece.

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
/// The list of a letter's facts: its heading, and the part of it that is looked at.
const FACTS_HEADING_IN_BYTES: usize = 12;
const FACTS_IN_BYTES: usize = 2048;
/// Before each piece of a text: its place, two numbers of its length, and the place of the next.
const PIECE_HEADING_IN_BYTES: usize = 16;
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

/// Fills a buffer from an offset, and returns how much it has filled.
pub type Read<'r> = &'r dyn Fn(u64, &mut [u8]) -> io::Result<usize>;

/// Counts the letters of a store; none if it is one of another kind.
pub fn count(read: Read<'_>) -> Result<Option<Letters>, FormatError> {
    each_letter(read, &mut |_| {})
}

/// The same, and passes the place of each letter on, in the order of the tree's nodes.
pub fn each_letter(read: Read<'_>, look: &mut dyn FnMut(u32)) -> Result<Option<Letters>, FormatError> {
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
            let letter = number(&node, row);
            if letter != 0 {
                letters.messages += 1;
                look(letter);
            }
            waiting.extend(below(row + 4));
        }
    }
    let promised = u64::from(number(&header, COUNT_AT));
    if letters.damaged_nodes == 0 && letters.messages < promised {
        letters.damaged_nodes = 1;
    }
    Ok(Some(letters))
}

/// The text of a letter, and whether somebody has read it. Fails if it cannot be read to its end.
pub fn letter(read: Read<'_>, at: u32) -> Result<(Vec<u8>, bool), FormatError> {
    /// No letter is longer.
    const MOST_IN_BYTES: usize = 256 << 20;
    /// Facts: what was done with it, and where its text begins. The highest bit says that the value itself
    /// stands there.
    const MARKS: u8 = 0x01;
    const TEXT: u8 = 0x04;
    const STANDS_THERE: u8 = 0x80;
    const IS_READ: u32 = 0x80;
    let wrong = |detail: &str| FormatError::damaged(WHAT, detail);
    let mut facts = vec![0; FACTS_IN_BYTES];
    let length = read(at.into(), &mut facts).map_err(|cause| FormatError::damaged(WHAT, cause))?;
    facts.truncate(length);
    if facts.len() < FACTS_HEADING_IN_BYTES || number(&facts, 0) != at {
        return Err(wrong("a letter is not where the tree says"));
    }
    let rows_end = FACTS_HEADING_IN_BYTES + 4 * usize::from(facts[10]);
    let fact = |wanted: u8| {
        let rows = facts.get(FACTS_HEADING_IN_BYTES..rows_end)?.chunks_exact(4);
        let row = rows.into_iter().find(|row| row[0] & !STANDS_THERE == wanted)?;
        let value = u32::from_le_bytes([row[1], row[2], row[3], 0]);
        if row[0] & STANDS_THERE != 0 {
            return Some(value);
        }
        facts.get(rows_end + value as usize..)?.first_chunk().map(|four| u32::from_le_bytes(*four))
    };
    let is_read = fact(MARKS).is_none_or(|marks| marks & IS_READ != 0);
    let mut next = fact(TEXT).ok_or_else(|| wrong("a letter has no text"))?;
    let (mut text, mut seen) = (Vec::new(), HashSet::new());
    while next != 0 {
        let mut heading = [0; PIECE_HEADING_IN_BYTES];
        let length = read(next.into(), &mut heading).map_err(|cause| FormatError::damaged(WHAT, cause))?;
        let is_whole = length == heading.len() && number(&heading, 0) == next && seen.insert(next);
        let used = usize::from(u16::from_le_bytes([heading[8], heading[9]]));
        if !is_whole || text.len() + used > MOST_IN_BYTES {
            return Err(wrong("a letter's text leads astray"));
        }
        let begin = text.len();
        text.resize(begin + used, 0);
        let from = u64::from(next) + PIECE_HEADING_IN_BYTES as u64;
        let filled = read(from, &mut text[begin..]).map_err(|cause| FormatError::damaged(WHAT, cause))?;
        if filled < used {
            return Err(wrong("a letter's text is cut off"));
        }
        next = number(&heading, 12);
    }
    Ok((text, is_read))
}

fn number(bytes: &[u8], at: usize) -> u32 {
    bytes.get(at..at + 4).and_then(<[u8]>::first_chunk).map_or(0, |four| u32::from_le_bytes(*four))
}

/// A store with this many short letters, each in two pieces; every third is not read yet. A demo or a test
/// needs no more of one.
pub fn to_bytes(letters: u32) -> Vec<u8> {
    const IN_A_NODE: u32 = 50;
    const FIRST_NODE_AT: u32 = 0x254;
    const ROOM_FOR_A_PIECE: usize = 64;
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
            let letter = first + row + 1;
            let text = format!(
                "From: Ferry office <ferry@windrose.example>\r\nSubject: Tides of week {letter}\r\n\r\nHigh water at {letter}.\r\n"
            );
            let facts_at = file.len();
            let text_at = facts_at + FACTS_HEADING_IN_BYTES + 12;
            put(&mut file, at + HEADING_IN_BYTES + row as usize * ROW_IN_BYTES, facts_at as u32);
            let direct = |id: u8, value: usize| (value as u32) << 8 | u32::from(id | 0x80);
            let marks = if letter.is_multiple_of(3) { 0 } else { 0x80 };
            // The place of the text stands behind the two facts.
            for value in [facts_at as u32, 12, 2 << 16, direct(1, marks), 4, text_at as u32] {
                file.extend(value.to_le_bytes());
            }
            let pieces: Vec<&[u8]> = text.as_bytes().chunks(ROOM_FOR_A_PIECE).collect();
            for (number, piece) in pieces.iter().enumerate() {
                let own = file.len() as u32;
                let next = if number + 1 < pieces.len() {
                    own + (PIECE_HEADING_IN_BYTES + piece.len()) as u32
                } else {
                    0
                };
                for value in [own, ROOM_FOR_A_PIECE as u32, piece.len() as u32, next] {
                    file.extend(value.to_le_bytes());
                }
                file.extend(*piece);
            }
        }
    }
    file
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read_in<'f>(file: &'f [u8]) -> impl Fn(u64, &mut [u8]) -> io::Result<usize> + 'f {
        move |at, buffer| {
            let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
            let read = rest.len().min(buffer.len());
            buffer[..read].copy_from_slice(&rest[..read]);
            Ok(read)
        }
    }

    fn count_in(file: &[u8]) -> Result<Option<Letters>, FormatError> {
        count(&read_in(file))
    }

    /// All letters that can be read, and how many cannot.
    fn letters_in(file: &[u8]) -> (Vec<(String, bool)>, usize) {
        let (mut places, mut all, mut damaged) = (Vec::new(), Vec::new(), 0);
        each_letter(&read_in(file), &mut |at| places.push(at)).unwrap();
        for at in places {
            match letter(&read_in(file), at) {
                Ok((text, is_read)) => all.push((String::from_utf8_lossy(&text).into_owned(), is_read)),
                Err(_) => damaged += 1,
            }
        }
        (all, damaged)
    }

    #[test]
    fn letters_are_read_piece_by_piece_and_damage_takes_one() {
        let file = to_bytes(3);
        let (all, damaged) = letters_in(&file);
        assert_eq!((all.len(), damaged), (3, 0));
        assert!(all[1].0.starts_with("From: Ferry") && all[1].0.ends_with("\r\nHigh water at 2.\r\n"));
        assert_eq!(all.iter().map(|(_, is_read)| *is_read).collect::<Vec<_>>(), [true, true, false]);
        // The second piece of the first letter leads back to its first; the last letter is cut off.
        let first_text = 0x254 + NODE_IN_BYTES + FACTS_HEADING_IN_BYTES + 12;
        let mut circle = file.clone();
        let second = first_text + PIECE_HEADING_IN_BYTES + 64;
        circle[second + 12..second + 16].copy_from_slice(&(first_text as u32).to_le_bytes());
        assert_eq!((letters_in(&circle).0.len(), letters_in(&circle).1), (2, 1));
        let cut = letters_in(&file[..file.len() - 20]);
        assert_eq!((cut.0.len(), cut.1), (2, 1));
    }

    #[test]
    fn letters_are_counted_along_the_tree_and_damage_is_told() {
        for letters in [0, 1, 50, 51, 137] {
            let found = count_in(&to_bytes(letters)).unwrap().unwrap();
            assert_eq!(found, Letters { messages: letters.into(), damaged_nodes: 0 });
        }
        let whole = to_bytes(137);
        // The last node is elsewhere; one leads back to the first; a store of folders; no store.
        let mut cut = whole.clone();
        cut[0x254 + 2 * NODE_IN_BYTES] ^= 1;
        let cut = count_in(&cut).unwrap().unwrap();
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
