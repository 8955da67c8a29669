//! The packages of RPM: its database, an SQLite file with one header for each package.
//!
//! A header (rpm's own documentation, *RPM V4 Package format*) begins with the number of index entries and
//! the length of the data behind them, both of 4 bytes, big-endian; an entry is tag, type, offset into the
//! data and count, 4 bytes each.

use crate::program::Program;
use crate::small_file::read_at;
use porter_source::Volume;
use rusqlite::Connection;
use time::OffsetDateTime;

/// Where the database is: now, and before.
const DATABASES: [&str; 2] = ["usr/lib/sysimage/rpm/rpmdb.sqlite", "var/lib/rpm/rpmdb.sqlite"];
/// The tags that are read, with their types.
const NAME: (u32, u32) = (1000, TEXT);
const VERSION: (u32, u32) = (1001, TEXT);
const RELEASE: (u32, u32) = (1002, TEXT);
const INSTALLED: (u32, u32) = (1008, NUMBER);
const SIZE: (u32, u32) = (1009, NUMBER);
const VENDOR: (u32, u32) = (1011, TEXT);
const NUMBER: u32 = 4;
const TEXT: u32 = 6;
/// In SQLite's header, the versions of the format: 2 stands for a log beside the file, which a copy in memory
/// has not.
const FORMAT_VERSIONS: std::ops::Range<usize> = 18..20;

/// All packages; none if the database is missing or damaged.
pub(super) fn packages(volume: &dyn Volume) -> Vec<Program> {
    let database = DATABASES.iter().find_map(|path| read_at(volume, path));
    database.and_then(|database| in_database(database).ok()).unwrap_or_default()
}

/// A copy in memory: nothing is written beside the original.
pub(super) fn in_memory(mut file: Vec<u8>) -> rusqlite::Result<Connection> {
    if let Some(versions) = file.get_mut(FORMAT_VERSIONS) {
        versions.fill(1);
    }
    let mut database = Connection::open_in_memory()?;
    let length = file.len();
    database.deserialize_read_exact("main", file.as_slice(), length, true)?;
    drop(file);
    database.execute_batch("PRAGMA trusted_schema = OFF")?;
    Ok(database)
}

fn in_database(file: Vec<u8>) -> rusqlite::Result<Vec<Program>> {
    let database = in_memory(file)?;
    let mut headers = database.prepare("SELECT blob FROM Packages")?;
    let mut rows = headers.query([])?;
    let mut packages = Vec::new();
    while let Some(row) = rows.next()? {
        packages.extend(row.get_ref(0)?.as_blob().ok().and_then(package_in));
    }
    Ok(packages)
}

/// None for bytes that are not a header, and for the keys that RPM keeps as packages.
fn package_in(header: &[u8]) -> Option<Program> {
    let entries = usize::try_from(word(header, 0)?).ok()?;
    let data = header.get(8_usize.checked_add(entries.checked_mul(16)?)?..)?;
    let at = |(tag, kind): (u32, u32)| {
        let is_it = |entry: &usize| {
            let at = 8 + entry * 16;
            word(header, at) == Some(tag) && word(header, at + 4) == Some(kind)
        };
        let entry = (0..entries).find(is_it)?;
        data.get(usize::try_from(word(header, 8 + entry * 16 + 8)?).ok()?..)
    };
    let text = |tag| {
        let text = at(tag)?.split(|byte| *byte == 0).next()?;
        Some(String::from_utf8_lossy(text).into_owned()).filter(|text| !text.is_empty())
    };
    let number = |tag| word(at(tag)?, 0);
    let name = text(NAME).filter(|name| name != "gpg-pubkey")?;
    let installed = number(INSTALLED).and_then(|at| OffsetDateTime::from_unix_timestamp(at.into()).ok());
    Some(Program {
        name,
        version: match (text(VERSION), text(RELEASE)) {
            (Some(version), Some(release)) => Some(format!("{version}-{release}")),
            (version, _) => version,
        },
        publisher: text(VENDOR),
        installed_on: installed.map(OffsetDateTime::date),
        size_in_bytes: number(SIZE).map(u64::from),
        account: None,
    })
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_be_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::date;

    /// Texts as they are, numbers from texts of digits.
    fn header(rows: &[((u32, u32), &str)]) -> Vec<u8> {
        let (mut index, mut data) = (Vec::new(), Vec::new());
        for ((tag, kind), value) in rows {
            for word in [*tag, *kind, data.len() as u32, 1] {
                index.extend(word.to_be_bytes());
            }
            match value.parse::<u32>() {
                Ok(number) if *kind == NUMBER => data.extend(number.to_be_bytes()),
                _ => data.extend([value.as_bytes(), &[0]].concat()),
            }
        }
        let head = [rows.len() as u32, data.len() as u32].map(u32::to_be_bytes).concat();
        [head, index, data].concat()
    }

    #[test]
    fn a_header_tells_its_package_and_lies_harm_nobody() {
        let rows = [
            (NAME, "kitecad"),
            (VERSION, "4.2"),
            (RELEASE, "1.fc40"),
            (INSTALLED, "1700000000"),
            (SIZE, "412000"),
            (VENDOR, "Harbour Drawing Office"),
        ];
        let whole = header(&rows);
        let package = package_in(&whole).unwrap();
        assert_eq!((package.name.as_str(), package.version.as_deref()), ("kitecad", Some("4.2-1.fc40")));
        assert_eq!(
            (package.installed_on, package.size_in_bytes),
            (Some(date!(2023 - 11 - 14)), Some(412_000))
        );
        assert_eq!(package_in(&header(&[(NAME, "gpg-pubkey"), (VERSION, "1")])), None);
        for length in 0..whole.len() {
            let _ = package_in(&whole[..length]);
        }
        for at in 0..whole.len() {
            let mut lying = whole.clone();
            lying[at] = 0xff;
            let _ = package_in(&lying);
        }
    }

    #[test]
    fn a_database_is_read_without_its_log_and_a_damaged_one_tells_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("rpmdb.sqlite");
        let database = Connection::open(&path).unwrap();
        database
            .execute_batch(
                "PRAGMA journal_mode = WAL; CREATE TABLE Packages (hnum INTEGER PRIMARY KEY, blob BLOB)",
            )
            .unwrap();
        for name in ["kitecad", "windrose"] {
            database.execute("INSERT INTO Packages (blob) VALUES (?1)", [header(&[(NAME, name)])]).unwrap();
        }
        database.close().unwrap();
        let file = std::fs::read(&path).unwrap();
        let names: Vec<String> =
            in_database(file.clone()).unwrap().into_iter().map(|package| package.name).collect();
        assert_eq!(names, ["kitecad", "windrose"]);
        assert!(in_database(file[..1000].to_vec()).is_err() && in_database(b"no database".to_vec()).is_err());
    }
}
