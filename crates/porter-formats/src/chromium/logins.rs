//! How many passwords there are in `Login Data`, and what opens them.
//!
//! `password_value` begins with what encrypted it (Chromium's `components/os_crypt`): on Windows `v10` is a
//! key of the profile that is bound to the Windows account, `v20` one bound to the program as well, and no
//! such mark the account's own protection; on Linux `v10` is a key that is the same everywhere, `v11` one in
//! the keyring of the desktop; on macOS `v10` is a key in the keychain.

use crate::FormatError;
use rusqlite::Connection;

/// The passwords of a profile.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Logins {
    /// All of them; addresses for which none is to be kept do not count.
    pub count: u64,
    /// How many of these begin with `v10`.
    pub marked_v10: u64,
}

/// Counts.
pub fn count(database: &Connection) -> Result<Logins, FormatError> {
    let sql = "SELECT count(*), ifnull(sum(substr(password_value, 1, 3) = x'763130'), 0) FROM logins WHERE blacklisted_by_user = 0";
    Ok(database.query_row(sql, [], |row| Ok(Logins { count: row.get(0)?, marked_v10: row.get(1)? }))?)
}
