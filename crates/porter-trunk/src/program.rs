//! The programs that were installed on a machine. They are not carried: the list says what to install again.

use serde::{Deserialize, Serialize};

/// A program, as its system lists it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct TrunkProgram {
    /// The name that people use.
    pub name: String,
    /// Its version, in its own words.
    pub version: Option<String>,
    /// Who made it.
    pub publisher: Option<String>,
    /// When it was installed: `2014-03-09`.
    pub installed_on: Option<String>,
    /// How large it is, as it says.
    pub size_in_bytes: Option<u64>,
    /// The id of the account that has it for itself; none for everybody's.
    pub account: Option<String>,
}
