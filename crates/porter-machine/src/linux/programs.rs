//! The programs that somebody installed on a Linux: Debian's packages, RPM's, Flatpaks and snaps. Packages
//! that came with others or with the system are left out: they come with them again.

use super::{dnf, rpm};
use crate::program::Program;
use crate::small_file::read_at;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};
use std::collections::HashSet;

/// Snaps that come along with others.
const NOT_PROGRAMS: [&str; 4] = ["core", "snapd", "bare", "gnome-"];

/// Everybody's programs.
pub(super) fn of_machine(volume: &dyn Volume) -> Vec<Program> {
    let along =
        read_at(volume, "var/lib/apt/extended_states").map(|file| along_in(&file)).unwrap_or_default();
    let mut programs =
        read_at(volume, "var/lib/dpkg/status").map(|file| packages_in(&file)).unwrap_or_default();
    programs.retain(|program| !along.contains(&program.name));
    let mut of_rpm = rpm::packages(volume);
    if let Some(asked_for) = dnf::asked_for(volume) {
        of_rpm.retain(|program| asked_for.contains(&program.name));
    }
    programs.extend(of_rpm);
    let path = |path: &str| RelativePath::from_bytes(path.as_bytes()).unwrap_or_default();
    programs.extend(flatpaks(volume, &path("var/lib/flatpak/app")));
    programs.extend(snaps(volume, &path("var/lib/snapd/snaps")));
    programs
}

/// Programs that only the person with this home has.
pub(super) fn of_person(volume: &dyn Volume, home: &RelativePath) -> Vec<Program> {
    let below = RelativePath::from_bytes(b".local/share/flatpak/app");
    below.and_then(|below| home.join_path(&below)).map(|at| flatpaks(volume, &at)).unwrap_or_default()
}

fn named(name: String, publisher: Option<String>) -> Program {
    Program { name, publisher, version: None, installed_on: None, size_in_bytes: None, account: None }
}

/// A folder for each, named by its id (`flatpak(1)`).
fn flatpaks(volume: &dyn Volume, folder: &RelativePath) -> Vec<Program> {
    let rows = volume.list(folder).unwrap_or_default().into_iter().flatten();
    let apps = rows.filter(|row| row.metadata.kind == EntryKind::Folder);
    let program =
        |name: Vec<u8>| named(String::from_utf8_lossy(&name).into_owned(), Some("Flatpak".to_owned()));
    apps.map(|row| program(row.name)).collect()
}

/// A file for each revision, `name_revision.snap`.
fn snaps(volume: &dyn Volume, folder: &RelativePath) -> Vec<Program> {
    let rows = volume.list(folder).unwrap_or_default().into_iter().flatten();
    let names = rows.filter_map(|row| {
        let name = String::from_utf8(row.name).ok()?;
        Some(name.strip_suffix(".snap")?.rsplit_once('_')?.0.to_owned())
    });
    let programs = names.filter(|name| !NOT_PROGRAMS.iter().any(|known| name.starts_with(known)));
    programs.map(|name| named(name, Some("snap".to_owned()))).collect()
}

/// Packages that came along with others (`apt-mark(8)`): they come along again.
fn along_in(file: &[u8]) -> HashSet<String> {
    let text = String::from_utf8_lossy(file);
    let along = text.split("\n\n").filter(|paragraph| paragraph.contains("Auto-Installed: 1"));
    along
        .filter_map(|paragraph| paragraph.lines().find_map(|line| line.strip_prefix("Package: ")))
        .map(str::to_owned)
        .collect()
}

/// The packages of Debian and its like (`deb822(5)`, `dpkg(1)`).
fn packages_in(file: &[u8]) -> Vec<Program> {
    let text = String::from_utf8_lossy(file);
    let program = |paragraph: &str| {
        let field = |name: &str| {
            let line = paragraph.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(": "))?;
            Some(line.trim().to_owned())
        };
        // Without these no system is there; nobody asked for them (Debian Policy 2.5).
        let is_of_base = field("Essential").is_some_and(|essential| essential == "yes")
            || field("Priority")
                .is_some_and(|priority| ["required", "important", "standard"].contains(&&*priority));
        if field("Status")? != "install ok installed" || is_of_base {
            return None;
        }
        Some(Program {
            name: field("Package")?,
            version: field("Version"),
            publisher: field("Maintainer"),
            installed_on: None,
            // In units of 1024 bytes.
            size_in_bytes: field("Installed-Size")
                .and_then(|size| size.parse::<u64>().ok()?.checked_mul(1024)),
            account: None,
        })
    };
    text.split("\n\n").filter_map(program).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packages_are_those_that_are_installed() {
        let status = b"Package: kitecad\nStatus: install ok installed\nInstalled-Size: 12\nVersion: 4.2-1\nDescription: draws\n \
            kites\n\nPackage: gone\nStatus: deinstall ok config-files\nVersion: 1\n\n\
            Package: bash\nEssential: yes\nStatus: install ok installed\nPriority: required\nVersion: 5\n";
        let packages = packages_in(status);
        assert_eq!(packages.len(), 1);
        assert_eq!((packages[0].name.as_str(), packages[0].size_in_bytes), ("kitecad", Some(12 << 10)));
        let along = along_in(b"Package: libkite\nAuto-Installed: 1\n\nPackage: kitecad\nAuto-Installed: 0\n");
        assert!(along.contains("libkite") && !along.contains("kitecad"));
        assert_eq!((packages[0].version.as_deref(), &packages[0].publisher), (Some("4.2-1"), &None));
    }
}
