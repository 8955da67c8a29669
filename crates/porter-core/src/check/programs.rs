//! Which programs of the old machine the new one has.

use porter_kinds::receipt::ProgramReceipt;
use porter_machine::Machine;
use porter_trunk::TrunkProgram;
use std::collections::HashMap;

/// Every program of the old machine, with the one on the new machine that goes by the same name.
pub(super) fn compared(programs: &[TrunkProgram], machine: Option<&Machine>) -> Vec<ProgramReceipt> {
    let there = machine.map(|machine| machine.programs.as_slice()).unwrap_or_default();
    let by_name: HashMap<String, &String> =
        there.iter().map(|program| (without_version(&program.name), &program.name)).collect();
    let row = |program: &TrunkProgram| ProgramReceipt {
        installed_as: by_name.get(&without_version(&program.name)).map(|name| (*name).clone()),
        program: program.clone(),
    };
    programs.iter().map(row).collect()
}

/// The words of a name that stay the same from version to version.
fn without_version(name: &str) -> String {
    const BITS: [&str; 6] = ["x64", "x86", "64-bit", "32-bit", "(64-bit)", "(32-bit)"];
    let is_version = |word: &str| {
        let word = word.trim_matches(['(', ')', ',']);
        word.trim_start_matches('v').starts_with(|c: char| c.is_ascii_digit()) || BITS.contains(&word)
    };
    let name = name.to_lowercase();
    let words = name.split_whitespace().enumerate().filter(|(at, word)| *at == 0 || !is_version(word));
    words.map(|(_, word)| word).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_later_version_is_the_same_program() {
        assert_eq!(without_version("KiteCAD 4.2 (64-bit)"), without_version("kitecad 5 x64"));
        assert_ne!(without_version("KiteCAD"), without_version("KiteCAD Viewer"));
        assert_eq!(without_version("3D Kites 19.00"), without_version("3D Kites 23.01"));
    }
}
