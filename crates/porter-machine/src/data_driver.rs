//! Drivers for sources of data (ODBC) that a Windows has, by its hive `SOFTWARE`.

use crate::setting::windows::own::Own;
use porter_names::Facts;

/// The drivers, and the list of their names.
const DRIVERS: &str = "ODBC\\ODBCINST.INI";
const NAMES: &str = "ODBC Drivers";
/// The lists, by the bits of the programs that read them: programs of 64 bits and those of 32 have one each.
pub const LISTS: [(&str, &str); 2] = [("64", ""), ("32", "Wow6432Node\\")];

/// The fact of a source that names its driver.
pub const DRIVER: &str = "driver";
/// The fact that says which programs a source of the machine is for: `64` or `32`.
pub const BITS: &str = "bits";

/// A driver that a machine has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DataDriver {
    /// Its name.
    pub name: String,
    /// `64` or `32`: the programs that find it.
    pub bits: &'static str,
    /// Its library.
    pub file: String,
}

/// The drivers of a machine.
pub fn drivers(software: &Own<'_>) -> Vec<DataDriver> {
    let of_list = |(bits, root): (&'static str, &'static str)| {
        let names = software.all_texts(&format!("{root}{DRIVERS}\\{NAMES}"));
        let installed = names.into_iter().filter(|(_, state, _)| state.eq_ignore_ascii_case("Installed"));
        installed.filter_map(move |(name, ..)| {
            let file = software.text(&format!("{root}{DRIVERS}\\{name}"), "Driver")?;
            Some(DataDriver { name, bits, file })
        })
    };
    LISTS.into_iter().flat_map(of_list).collect()
}

/// The driver of a source: for programs of its bits, if it says so.
pub fn driver_of<'d>(source: &Facts, drivers: &'d [DataDriver]) -> Option<&'d DataDriver> {
    let (name, bits) = (source.get(DRIVER)?, source.get(BITS));
    drivers
        .iter()
        .find(|driver| driver.name.eq_ignore_ascii_case(name) && bits.is_none_or(|bits| driver.bits == *bits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_source_finds_the_driver_for_its_programs() {
        let driver =
            |bits, file: &str| DataDriver { name: "SQL Server".to_owned(), bits, file: file.to_owned() };
        let there = [driver("64", "a.dll"), driver("32", "b.dll")];
        let source = |rows: &[(&str, &str)]| -> Facts {
            rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
        };
        let file = |facts: &Facts| driver_of(facts, &there).map(|driver| driver.file.as_str());
        assert_eq!(file(&source(&[("driver", "sql server"), ("bits", "32")])), Some("b.dll"));
        assert_eq!(file(&source(&[("driver", "SQL Server")])), Some("a.dll"), "a person's serves both");
        assert_eq!(file(&source(&[("driver", "Another")])), None);
    }
}
