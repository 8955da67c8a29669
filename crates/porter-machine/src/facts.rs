//! A system's own records of itself and its people, where they could be read.
//!
//! Folders alone identify a machine; facts identify it better. They come from a Linux system's files, from
//! the running system's own interface, or from a Windows registry.

use super::Place;
use super::account::AccountRecord;
use super::data_driver::DataDriver;
use super::program::Program;
use super::setting::Setting;
use porter_names::RelativePath;
use std::collections::BTreeMap;
use time::OffsetDateTime;

/// Facts about a system.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SystemFacts {
    /// The machine's name.
    pub name: Option<String>,
    /// As a person calls the system.
    pub product: Option<String>,
    /// As it numbers itself.
    pub version: Option<String>,
    /// The processor, in the system's words.
    pub processor: Option<String>,
    /// The people, without accounts that the system made for itself.
    pub accounts: Vec<AccountFacts>,
    /// People who may sign in, and of whom no profile is known.
    pub without_profile: Vec<String>,
    /// Everybody's programs.
    pub programs: Vec<Program>,
    /// Settings of the whole machine, and its printers.
    pub settings: Vec<Setting>,
    /// Drivers for sources of data (ODBC).
    pub data_drivers: Vec<DataDriver>,
    /// The system's own words on the state that it was left in.
    pub state: StateFacts,
}

/// Facts about a person's account.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AccountFacts {
    /// The name to sign in with.
    pub name: Vec<u8>,
    /// Below the machine's root.
    pub home: RelativePath,
    /// The person's name.
    pub full_name: Option<String>,
    /// The system's own identifier of the account: a SID, a user number.
    pub identifier: Option<String>,
    /// Whether it may change the system.
    pub is_administrator: Option<bool>,
    /// Whether nobody can sign in with it.
    pub is_disabled: Option<bool>,
    /// Other notes about it.
    pub record: AccountRecord,
    /// When somebody last signed in.
    pub last_used_utc: Option<OffsetDateTime>,
    /// Where the account's places are, below the machine's root; the others are where the system puts them.
    pub places: BTreeMap<Place, RelativePath>,
    /// Programs that only this person has.
    pub programs: Vec<Program>,
    /// The person's settings and printers.
    pub settings: Vec<Setting>,
}

/// A flaw of a volume that its system does not show to us.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum VolumeFlaw {
    /// It was not closed, and its log is not carried out.
    NotClosed,
    /// This many records of files are lost, and nothing tells which files they were.
    RecordsLost(u64),
    /// Something of it is damaged and was read in another way; in words.
    Damaged(String),
}

/// The state in which a system was left.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct StateFacts {
    /// It stopped without shutting down: its registry was still being written.
    pub stopped_short: bool,
    /// It should have a registry, and none was found.
    pub has_no_registry: bool,
    /// The flaws of its volume, if porter read that itself.
    pub volume: Vec<VolumeFlaw>,
    /// It keeps its drive encrypted, in the words for that.
    pub encrypted_with: Option<String>,
}
