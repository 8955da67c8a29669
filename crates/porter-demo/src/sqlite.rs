//! Databases, made apart and put into a machine.

use crate::tree::Tree;
use rusqlite::Connection;
use std::fs;
use std::io;

fn failed(cause: rusqlite::Error) -> io::Error {
    io::Error::other(cause)
}

/// A database that is made apart and then put into the tree; with `torn`, its last changes are only in the
/// log beside it.
pub(crate) fn database(
    tree: &mut Tree,
    path: &str,
    torn: bool,
    fill: impl FnOnce(&Connection) -> rusqlite::Result<()>,
    last: impl FnOnce(&Connection) -> rusqlite::Result<()>,
) -> io::Result<()> {
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("made.sqlite");
    let run = |steps: &dyn Fn(&Connection) -> rusqlite::Result<()>| {
        let connection = Connection::open(&file)?;
        steps(&connection)?;
        connection.close().map_err(|(_, cause)| cause)
    };
    let connection = Connection::open(&file).map_err(failed)?;
    connection.execute_batch("PRAGMA page_size = 4096; BEGIN").map_err(failed)?;
    fill(&connection).and_then(|()| connection.execute_batch("COMMIT")).map_err(failed)?;
    connection.close().map_err(|(_, cause)| failed(cause))?;
    if torn {
        run(&|connection| connection.execute_batch("PRAGMA journal_mode = WAL")).map_err(failed)?;
    }
    let before = fs::read(&file)?;
    let connection = Connection::open(&file).map_err(failed)?;
    last(&connection).map_err(failed)?;
    connection.close().map_err(|(_, cause)| failed(cause))?;
    let after = fs::read(&file)?;
    if !torn {
        return tree.file(path, &after);
    }
    tree.file(path, &before)?;
    tree.file(&format!("{path}-wal"), &log_of(&before, &after))?;
    tree.file(&format!("{path}-shm"), &[0; 32_768])
}

const PAGE_IN_BYTES: usize = 4096;

/// A write-ahead log that turns one state of a database into another (SQLite's file format, 4.1 and 4.2).
/// SQLite would salt it by chance; ours is the same in every run.
fn log_of(before: &[u8], after: &[u8]) -> Vec<u8> {
    const SALT: [u8; 8] = *b"SaltMars";
    let mut log: Vec<u8> =
        [0x377f_0682_u32, 3_007_000, PAGE_IN_BYTES as u32, 0].map(u32::to_be_bytes).concat();
    log.extend(SALT);
    let mut sums = add_to_checksum((0, 0), &log);
    log.extend([sums.0, sums.1].map(u32::to_be_bytes).concat());
    let pages = after.chunks(PAGE_IN_BYTES).enumerate();
    let changed: Vec<(usize, &[u8])> = pages
        .filter(|(at, page)| before.get(at * PAGE_IN_BYTES..(at + 1) * PAGE_IN_BYTES) != Some(page))
        .collect();
    for (row, (at, page)) in changed.iter().enumerate() {
        let size_after = if row + 1 == changed.len() { after.len() / PAGE_IN_BYTES } else { 0 };
        let head = [*at as u32 + 1, size_after as u32].map(u32::to_be_bytes).concat();
        sums = add_to_checksum(add_to_checksum(sums, &head), page);
        log.extend(head);
        log.extend(SALT);
        log.extend([sums.0, sums.1].map(u32::to_be_bytes).concat());
        log.extend_from_slice(page);
    }
    log
}

fn add_to_checksum((mut first, mut second): (u32, u32), bytes: &[u8]) -> (u32, u32) {
    for pair in bytes.chunks_exact(8) {
        let word = |at: usize| u32::from_le_bytes([pair[at], pair[at + 1], pair[at + 2], pair[at + 3]]);
        first = first.wrapping_add(word(0)).wrapping_add(second);
        second = second.wrapping_add(word(4)).wrapping_add(first);
    }
    (first, second)
}
