//! The programs that are installed: the list of what to install again.

use porter_trunk::TrunkProgram;
use serde::Serialize;
use time::Date;

/// A program, as its system lists it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Program {
    /// The name that people use.
    pub name: String,
    /// Its version, in its own words.
    pub version: Option<String>,
    /// Who made it.
    pub publisher: Option<String>,
    /// When it was installed.
    #[serde(serialize_with = "as_iso_date")]
    pub installed_on: Option<Date>,
    /// How large it is, as it says.
    pub size_in_bytes: Option<u64>,
    /// The id of the account that has it for itself; none for everybody's.
    pub account: Option<String>,
}

fn iso_date(date: Date) -> String {
    format!("{:04}-{:02}-{:02}", date.year(), u8::from(date.month()), date.day())
}

fn as_iso_date<S: serde::Serializer>(date: &Option<Date>, serializer: S) -> Result<S::Ok, S::Error> {
    date.map(iso_date).serialize(serializer)
}

impl From<&Program> for TrunkProgram {
    fn from(program: &Program) -> Self {
        Self {
            name: program.name.clone(),
            version: program.version.clone(),
            publisher: program.publisher.clone(),
            installed_on: program.installed_on.map(iso_date),
            size_in_bytes: program.size_in_bytes,
            account: program.account.clone(),
        }
    }
}

/// In the order of their names, each once.
pub fn sorted(mut programs: Vec<Program>) -> Vec<Program> {
    programs.sort_by_cached_key(|program| (program.name.to_lowercase(), program.clone()));
    // A program may be listed for both processors, or under two keys.
    programs.dedup_by(|a, b| a.name == b.name && a.version == b.version && a.account == b.account);
    programs
}
