//! SQLite databases of a machine, read without touching them.
//!
//! A database that was not closed has its newest changes in a log beside it (`-wal`, `-journal`). Copied
//! together into a folder of our own, SQLite takes them in. From under a running program the copy may be
//! torn: it counts only if neither file changed while it was made, and if SQLite finds it whole.

use porter_formats::FormatError;
use porter_names::RelativePath;
use porter_source::{ReadError, Sequential, Volume};
use rusqlite::{Connection, OpenFlags};
use std::fs::File;
use std::io::{self, Read};
use std::ops::{Deref, DerefMut};
use std::path::{Path, PathBuf};
use tempfile::TempDir;
use time::OffsetDateTime;

/// The first bytes of every database.
pub const MAGIC: &[u8; 16] = b"SQLite format 3\0";
/// The files that stand beside a database while it is open, or after a program was torn from it.
pub const BESIDE: [&str; 3] = ["-wal", "-shm", "-journal"];
/// A program that writes all the time is given up after this many tries.
const TRIES: u32 = 6;
const BETWEEN_TRIES: std::time::Duration = std::time::Duration::from_millis(300);

/// A copy of a database, open, and gone when it is dropped.
pub struct DatabaseCopy {
    connection: Connection,
    path: PathBuf,
    _folder: TempDir,
}

impl Deref for DatabaseCopy {
    type Target = Connection;
    fn deref(&self) -> &Connection {
        &self.connection
    }
}

impl DerefMut for DatabaseCopy {
    fn deref_mut(&mut self) -> &mut Connection {
        &mut self.connection
    }
}

impl DatabaseCopy {
    /// The content as one file, with all that stood in logs.
    pub fn into_bytes(self) -> Result<Vec<u8>, FormatError> {
        self.connection.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |_| Ok(()))?;
        let Self { connection, path, _folder } = self;
        connection.close().map_err(|(_, cause)| cause)?;
        std::fs::read(path).map_err(io_failed)
    }

    /// The damage that SQLite finds; none if it is whole.
    pub fn damage(&self) -> Result<Option<String>, FormatError> {
        let found = self.check("PRAGMA integrity_check(100)");
        match found {
            Err(cause) if is_foreign(&cause.to_string()) => {}
            found => return Ok(found?.into_iter().find(|row| !is_foreign(row))),
        }
        // One index ends the check of all: the tables that SQLite itself knows are checked one by one.
        let sql = "SELECT name FROM sqlite_master WHERE type = 'table' AND sql NOT LIKE 'CREATE VIRTUAL%'";
        for table in self.check(sql)? {
            let table = table.replace('"', "\"\"");
            let found = self.check(&format!("PRAGMA integrity_check(\"{table}\")"))?;
            if let Some(damage) = found.into_iter().find(|row| !is_foreign(row)) {
                return Ok(Some(damage));
            }
        }
        Ok(None)
    }

    /// The rows of an answer but for the word that all is well.
    fn check(&self, sql: &str) -> Result<Vec<String>, FormatError> {
        let mut statement = self.connection.prepare(sql)?;
        let rows = statement.query_map([], |row| row.get::<_, String>(0))?;
        let rows: Vec<String> = rows.collect::<Result<_, _>>()?;
        Ok(rows.into_iter().filter(|row| row != "ok").collect())
    }
}

/// True for the words of SQLite about an index that only its own program can read: mail programs search by
/// one. That is no damage.
fn is_foreign(said: &str) -> bool {
    ["unknown tokenizer", "no such module", "no such tokenizer"].iter().any(|words| said.contains(words))
}

fn io_failed(cause: impl ToString) -> FormatError {
    FormatError::Damaged { what: "database", detail: cause.to_string() }
}

/// Opens a copy of a database and its logs.
pub fn open_copy(volume: &dyn Volume, path: &RelativePath) -> Result<DatabaseCopy, FormatError> {
    let folder = TempDir::with_prefix("porter-").map_err(io_failed)?;
    let file = copy_with_logs(volume, path, folder.path()).map_err(io_failed)?;
    let connection = open(&file)?;
    Ok(DatabaseCopy { connection, path: file, _folder: folder })
}

fn open(file: &Path) -> Result<Connection, FormatError> {
    let connection = Connection::open_with_flags(
        file,
        OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX,
    )?;
    connection.execute_batch("PRAGMA trusted_schema = OFF; PRAGMA cell_size_check = ON")?;
    Ok(connection)
}

/// Under a plain name: that of the original does not matter here.
fn copy_with_logs(volume: &dyn Volume, path: &RelativePath, folder: &Path) -> io::Result<PathBuf> {
    let to = folder.join("copy.sqlite");
    copy(volume, path, &to)?;
    for suffix in ["-wal", "-journal"] {
        if let Some(beside) = beside(path, suffix) {
            match copy(volume, &beside, &folder.join(format!("copy.sqlite{suffix}"))) {
                Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(cause),
                _ => {}
            }
        }
    }
    Ok(to)
}

/// The path of a log of a database.
pub fn beside(path: &RelativePath, suffix: &str) -> Option<RelativePath> {
    let name = [path.name()?, suffix.as_bytes()].concat();
    path.parent()?.join(&name).ok()
}

fn copy(volume: &dyn Volume, from: &RelativePath, to: &Path) -> io::Result<()> {
    let failed = |error: ReadError| match error.trouble {
        porter_source::ReadTrouble::Gone => io::Error::from(io::ErrorKind::NotFound),
        trouble => io::Error::other(trouble.to_string()),
    };
    let opened = volume.open(from).map_err(failed)?;
    io::copy(&mut Sequential::new(opened), &mut File::create(to)?).map(drop)
}

/// A database as it was at one moment, all in one file.
pub struct Snapshot {
    /// Its content.
    pub file: File,
    _folder: TempDir,
}

impl Read for Snapshot {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        self.file.read(into)
    }
}

/// Why there is no snapshot of a file.
#[derive(Debug)]
pub enum NoSnapshot {
    /// It is not a database.
    NotADatabase,
    /// The program wrote all the time.
    AlwaysBusy,
    /// It could not be read.
    Unreadable(ReadError),
}

/// Takes a database out from under a program that may be writing to it.
pub fn snapshot(volume: &dyn Volume, path: &RelativePath) -> Result<Snapshot, NoSnapshot> {
    if !is_database(volume, path).map_err(NoSnapshot::Unreadable)? {
        return Err(NoSnapshot::NotADatabase);
    }
    for attempt in 0..TRIES {
        if attempt > 0 {
            std::thread::sleep(BETWEEN_TRIES);
        }
        if let Some(snapshot) = try_snapshot(volume, path) {
            return Ok(snapshot);
        }
    }
    Err(NoSnapshot::AlwaysBusy)
}

fn try_snapshot(volume: &dyn Volume, path: &RelativePath) -> Option<Snapshot> {
    let before = state(volume, path);
    let copy = open_copy(volume, path).ok()?;
    if state(volume, path) != before || copy.damage().ok()?.is_some() {
        return None;
    }
    copy.connection.query_row("PRAGMA wal_checkpoint(TRUNCATE)", [], |_| Ok(())).ok()?;
    let DatabaseCopy { connection, path, _folder } = copy;
    connection.close().ok()?;
    Some(Snapshot { file: File::open(path).ok()?, _folder })
}

/// Length and time of the files that a copy is made of.
fn state(volume: &dyn Volume, path: &RelativePath) -> Vec<Option<(u64, Option<OffsetDateTime>)>> {
    let logs = ["-wal", "-journal"].into_iter().filter_map(|suffix| beside(path, suffix));
    let of = |path: RelativePath| {
        let found = volume.metadata(&path).ok()?;
        Some((found.size_in_bytes, found.modified_utc))
    };
    std::iter::once(path.clone()).chain(logs).map(of).collect()
}

/// True for the log of a database that is there.
pub fn is_beside_database(volume: &dyn Volume, path: &RelativePath) -> bool {
    let name = path.name().unwrap_or_default();
    let database = BESIDE.iter().find_map(|suffix| name.strip_suffix(suffix.as_bytes()));
    let database = database.and_then(|name| path.parent()?.join(name).ok());
    database.is_some_and(|database| is_database(volume, &database).unwrap_or(false))
}

fn is_database(volume: &dyn Volume, path: &RelativePath) -> Result<bool, ReadError> {
    let mut first = [0; 16];
    let opened = volume.open(path)?;
    let read = opened.read_at(0, &mut first).map_err(|cause| ReadError::new(path, cause))?;
    Ok(first[..read] == MAGIC[..])
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_source::HostFolder;

    fn path(text: &str) -> RelativePath {
        RelativePath::from_bytes(text.as_bytes()).unwrap()
    }

    #[test]
    fn an_index_that_only_its_own_program_reads_is_no_damage_and_hides_none() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("letters.sqlite");
        let open = Connection::open(&file).unwrap();
        open.execute_batch(
            "CREATE TABLE letter (subject TEXT); CREATE INDEX by_subject ON letter (subject);
             WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 900) INSERT INTO letter SELECT 'Kite ' || i FROM n;
             CREATE VIRTUAL TABLE found USING fts3(subject); PRAGMA writable_schema = ON;
             UPDATE sqlite_master SET sql = 'CREATE VIRTUAL TABLE found USING fts3(subject, tokenize=ofthekites)' WHERE name = 'found';",
        )
        .unwrap();
        let root: usize = open
            .query_row("SELECT rootpage FROM sqlite_master WHERE name = 'by_subject'", [], |row| row.get(0))
            .unwrap();
        drop(open);
        let volume = HostFolder::open(folder.path()).unwrap();
        let damage = || open_copy(&volume, &path("letters.sqlite")).unwrap().damage();
        assert_eq!(damage().unwrap(), None);
        assert!(snapshot(&volume, &path("letters.sqlite")).is_ok());
        // A page of an index of an ordinary table is lost.
        let mut bytes = std::fs::read(&file).unwrap();
        bytes[(root - 1) * 4096..root * 4096].fill(0);
        std::fs::write(&file, bytes).unwrap();
        assert!(damage().map_or(true, |found| found.is_some()));
    }

    #[test]
    fn what_stands_only_in_the_log_is_in_the_copy_and_the_original_stays_untouched() {
        let folder = tempfile::tempdir().unwrap();
        let open = Connection::open(folder.path().join("kites.sqlite")).unwrap();
        open.execute_batch("PRAGMA journal_mode = WAL; PRAGMA wal_autocheckpoint = 0; CREATE TABLE kite (name TEXT); INSERT INTO kite VALUES ('Halyard')").unwrap();
        std::fs::write(folder.path().join("notes.txt"), "SQLite format 2").unwrap();
        let volume = HostFolder::open(folder.path()).unwrap();
        let before = std::fs::read(folder.path().join("kites.sqlite-wal")).unwrap();
        let taken = snapshot(&volume, &path("kites.sqlite")).unwrap();
        let mut bytes = Vec::new();
        (&taken.file).read_to_end(&mut bytes).unwrap();
        let alone = folder.path().join("alone.sqlite");
        std::fs::write(&alone, bytes).unwrap();
        let name: String = Connection::open(&alone)
            .unwrap()
            .query_row("SELECT name FROM kite", [], |row| row.get(0))
            .unwrap();
        assert_eq!(name, "Halyard");
        assert_eq!(std::fs::read(folder.path().join("kites.sqlite-wal")).unwrap(), before);
        assert!(matches!(snapshot(&volume, &path("notes.txt")), Err(NoSnapshot::NotADatabase)));
        assert!(matches!(snapshot(&volume, &path("none")), Err(NoSnapshot::Unreadable(_))));
    }

    #[test]
    fn a_torn_database_gives_no_snapshot() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("torn.sqlite");
        let open = Connection::open(&file).unwrap();
        open.execute_batch("CREATE TABLE kite (name TEXT); CREATE INDEX by_name ON kite (name)").unwrap();
        for n in 0..2000 {
            open.execute("INSERT INTO kite VALUES (?1)", [format!("kite {n}")]).unwrap();
        }
        open.close().unwrap();
        let mut bytes = std::fs::read(&file).unwrap();
        let length = bytes.len();
        bytes[length / 2..length / 2 + 4096].fill(0);
        std::fs::write(&file, bytes).unwrap();
        let volume = HostFolder::open(folder.path()).unwrap();
        assert!(matches!(snapshot(&volume, &path("torn.sqlite")), Err(NoSnapshot::AlwaysBusy)));
    }
}
