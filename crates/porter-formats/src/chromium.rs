//! The files of a profile of the browsers around Chromium.
//!
//! - [`bookmarks`]: the file `Bookmarks`, with its checksum;
//! - [`icons`]: their pictures, in `Favicons`;
//! - [`history`]: the database `History`;
//! - [`logins`]: how many passwords there are in `Login Data`, and what opens them;
//! - [`session`]: the open tabs, in `Sessions`;
//! - [`preferences`]: names and extensions, in `Preferences` and `Secure Preferences`; what in them is
//!   signed;
//! - [`local_state`]: which profiles there are, in `Local State`.

pub mod bookmarks;
pub mod history;
pub mod icons;
pub mod local_state;
pub mod logins;
pub mod preferences;
pub mod session;

use time::OffsetDateTime;

/// Times are microseconds since 1601.
const FROM_1601_TO_1970_IN_MICROSECONDS: i64 = 11_644_473_600_000_000;

pub(crate) fn from_microseconds(at: i64) -> Option<OffsetDateTime> {
    let since_1970 = at.checked_sub(FROM_1601_TO_1970_IN_MICROSECONDS).filter(|_| at > 0)?;
    OffsetDateTime::from_unix_timestamp_nanos(i128::from(since_1970) * 1000).ok()
}

pub(crate) fn microseconds(at: OffsetDateTime) -> i64 {
    i64::try_from(at.unix_timestamp_nanos() / 1000)
        .unwrap_or_default()
        .saturating_add(FROM_1601_TO_1970_IN_MICROSECONDS)
}
