//! The fonts that a running Windows has for everybody: files of its folder of fonts that its registry lists.

#[cfg(not(windows))]
#[path = "installed_font/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "installed_font/windows.rs"]
mod system;

use super::{Control, fact};
use porter_names::Facts;
use std::io;

/// See the module. Its facts are [`FILE`] and `label`, the name of its value in the registry.
pub struct InstalledFonts;

/// The fact that names the file, in the system's folder of fonts.
pub const FILE: &str = "file";
/// The fact that has the name of its value in the registry. Programs show the name that is in the font.
const LABEL: &str = "label";

/// The facts of a font by the name of its file; none for a file that is no font in outlines.
pub fn facts(file: &str) -> Option<Facts> {
    let (stem, ending) = file.rsplit_once('.')?;
    let kind = match ending.to_ascii_lowercase().as_str() {
        "ttf" | "ttc" => "TrueType",
        "otf" => "OpenType",
        _ => return None,
    };
    let is_name = !stem.is_empty() && !file.contains(|c: char| c.is_control() || "\\/:*?\"<>|".contains(c));
    let facts = [(FILE, file.to_owned()), (LABEL, format!("{stem} ({kind})"))];
    is_name.then(|| facts.map(|(name, value)| (name.to_owned(), value)).into())
}

/// Facts of a journal may be anybody's.
fn checked(facts_there: &Facts) -> io::Result<(&str, &str)> {
    let file = fact(facts_there, FILE)?;
    if facts(file).as_ref() != Some(facts_there) {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "these are no facts of a font"));
    }
    Ok((file, fact(facts_there, LABEL)?))
}

/// True for a font that the running system lists; none where nobody can say.
pub fn is_listed(file: &str) -> Option<bool> {
    system::is_listed(file).ok()
}

impl Control for InstalledFonts {
    fn name(&self) -> &'static str {
        "installed-font"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        Ok(system::is_listed(checked(like)?.0)?.then(|| like.clone()))
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        let (file, label) = checked(becomes)?;
        system::list(file, label)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        let (file, label) = checked(made)?;
        system::remove(file, label)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("font {}", facts.get(FILE).map_or("", String::as_str))
    }

    fn tell(&self, _: &str, _: &[&Facts]) {
        system::tell();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_font_of_the_folder_of_fonts_has_facts() {
        let halyard = facts("Halyard Hand.TTF").unwrap();
        assert_eq!(checked(&halyard).unwrap(), ("Halyard Hand.TTF", "Halyard Hand (TrueType)"));
        for file in ["vgasys.fon", "a.dll", ".ttf", "..\\x.ttf", "C:x.otf", "a/b.ttc"] {
            assert_eq!(facts(file), None, "{file}");
        }
        let mut forged = halyard;
        forged.insert(LABEL.to_owned(), "Segoe UI (TrueType)".to_owned());
        assert!(checked(&forged).is_err(), "another font's value");
    }
}
