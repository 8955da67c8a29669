//! When somebody last signed in: `lastlog(8)` by number, and the newest line of `wtmp(5)` by name.

use crate::facts::AccountFacts;
use crate::small_file::read_at;
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;

/// A record of `lastlog`, on all 64-bit systems: the time, the line, the host.
const LASTLOG_RECORD_IN_BYTES: u64 = 4 + 32 + 256;
/// A record of `wtmp`, on the same.
const WTMP_RECORD_IN_BYTES: usize = 384;
/// The kind of record for somebody who signed in.
const USER_PROCESS: i16 = 7;

/// The records of all sign-ins.
pub(super) struct SignIns<'v> {
    volume: &'v dyn Volume,
    wtmp: Vec<u8>,
}

impl<'v> SignIns<'v> {
    pub(super) fn of(volume: &'v dyn Volume) -> Self {
        Self { volume, wtmp: read_at(volume, "var/log/wtmp").unwrap_or_default() }
    }

    /// The last one of an account.
    pub(super) fn last_of(&self, account: &AccountFacts) -> Option<OffsetDateTime> {
        last_in_lastlog(self.volume, account).max(newest_in_wtmp(&self.wtmp, &account.name))
    }
}

fn last_in_lastlog(volume: &dyn Volume, account: &AccountFacts) -> Option<OffsetDateTime> {
    let number: u64 = account.identifier.as_deref()?.parse().ok()?;
    let file = volume.open(&RelativePath::from_bytes(b"var/log/lastlog").ok()?).ok()?;
    let mut seconds = [0; 4];
    let read = file.read_at(number.checked_mul(LASTLOG_RECORD_IN_BYTES)?, &mut seconds).ok()?;
    (read == seconds.len()).then(|| utc(u32::from_le_bytes(seconds))).flatten()
}

/// Seconds since 1970; none for none.
fn utc(seconds: u32) -> Option<OffsetDateTime> {
    let time = OffsetDateTime::from_unix_timestamp(i64::from(seconds)).ok();
    time.filter(|_| seconds != 0)
}

fn newest_in_wtmp(file: &[u8], name: &[u8]) -> Option<OffsetDateTime> {
    let records = file.chunks_exact(WTMP_RECORD_IN_BYTES);
    let of_name = records.filter(|record| {
        let user = record[44..76].split(|byte| *byte == 0).next().unwrap_or_default();
        i16::from_le_bytes([record[0], record[1]]) == USER_PROCESS && user == name
    });
    of_name.filter_map(|record| utc(u32::from_le_bytes(record[340..344].try_into().ok()?))).max()
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn the_newest_sign_in_of_that_name_counts() {
        let record = |kind: i16, name: &str, seconds: u32| {
            let mut record = vec![0; WTMP_RECORD_IN_BYTES];
            record[..2].copy_from_slice(&kind.to_le_bytes());
            record[44..44 + name.len()].copy_from_slice(name.as_bytes());
            record[340..344].copy_from_slice(&seconds.to_le_bytes());
            record
        };
        let file = [
            record(USER_PROCESS, "odile", 1_700_000_000),
            record(8, "odile", 1_800_000_000),
            record(USER_PROCESS, "odile2", 1_750_000_000),
            vec![7; 100],
        ]
        .concat();
        assert_eq!(newest_in_wtmp(&file, b"odile"), Some(datetime!(2023-11-14 22:13:20 UTC)));
        assert_eq!(newest_in_wtmp(&file, b"bram"), None);
    }
}
