//! The programs of Mozilla's family: `profiles.ini` lists the profiles; a section `[Install…]` there, and
//! `installs.ini`, say which of them an installation opens. A profile's folder may be anywhere, and its
//! random name means nothing.

use super::folder::ProfileFolder;
use super::list::{Entering, NewContent, ProfileList, Registered};
use porter_formats::FormatError;
use porter_formats::gecko::install_hash::install_hash;
use porter_formats::ini::Ini;
use porter_machine::layout::Family;
use porter_machine::registry::windows_path::below_root;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_source::Volume;

/// See the module.
pub struct ProfilesIni {
    /// A folder with one of these files is a profile, whether it is listed or not.
    pub of_every_profile: &'static [&'static str],
}

const LIST: &str = "profiles.ini";
const INSTALLS: &str = "installs.ini";

/// A small file of this format below a folder, if it is there.
pub fn ini_at(volume: &dyn Volume, root: &RelativePath, name: &str) -> Option<Ini> {
    let file = small_file::read(volume, &root.join(name.as_bytes()).ok()?)?;
    Some(Ini::from_text(&String::from_utf8_lossy(&file)))
}

/// A folder as `profiles.ini` names it, below the volume's root.
pub fn folder_of(
    machine: &Machine,
    root: &RelativePath,
    path: &str,
    is_relative: bool,
) -> Option<RelativePath> {
    if is_relative {
        let below = RelativePath::from_bytes(path.replace('\\', "/").as_bytes()).ok()?;
        return root.join_path(&below).ok();
    }
    match machine.layout.family {
        Family::Windows | Family::Drive => below_root(path, &|_| None, "C:"),
        Family::Linux | Family::MacOs => RelativePath::from_bytes(path.strip_prefix('/')?.as_bytes()).ok(),
    }
}

impl ProfileList for ProfilesIni {
    fn profiles(&self, machine: &Machine, root: &RelativePath) -> Vec<Registered> {
        let volume = &*machine.volume;
        let mut profiles = Vec::new();
        let list = ini_at(volume, root, LIST).unwrap_or_default();
        let installs = ini_at(volume, root, INSTALLS).unwrap_or_default();
        let opened_by_installation: Vec<&str> = list
            .sections()
            .filter(|section| section.starts_with("Install"))
            .filter_map(|section| list.get(section, "Default"))
            .chain(installs.sections().filter_map(|section| installs.get(section, "Default")))
            .collect();
        for section in list.sections().filter(|section| section.starts_with("Profile")) {
            let Some(path) = list.get(section, "Path") else { continue };
            let is_relative = list.get(section, "IsRelative") != Some("0");
            let is_default = if opened_by_installation.is_empty() {
                list.get(section, "Default") == Some("1")
            } else {
                opened_by_installation.contains(&path)
            };
            profiles.push(Registered {
                name: list.get(section, "Name").unwrap_or(path).to_owned(),
                folder: folder_of(machine, root, path, is_relative).ok_or_else(|| path.to_owned()),
                is_default,
            });
        }
        // A profile that somebody copied by hand, or that its list has lost, is still a person's.
        for folder in [root.join(b"Profiles").ok(), Some(root.clone())].into_iter().flatten() {
            for row in volume.list(&folder).into_iter().flatten().flatten() {
                let Ok(at) = folder.join(&row.name) else { continue };
                let known =
                    profiles.iter().any(|profile| profile.folder.as_ref().is_ok_and(|known| *known == at));
                let profile = ProfileFolder { volume, at };
                if !known && self.of_every_profile.iter().any(|file| profile.has(file)) {
                    let name = porter_names::screen::on_screen(&row.name);
                    profiles.push(Registered { name, folder: Ok(profile.at), is_default: false });
                }
            }
        }
        profiles
    }

    fn locks(&self) -> &'static [&'static str] {
        &[".parentlock", "parent.lock"]
    }

    fn free_folder(
        &self,
        wanted: &str,
        family: Family,
        is_free: &dyn Fn(&RelativePath) -> bool,
    ) -> Option<RelativePath> {
        let parent = if family == Family::Linux { "" } else { "Profiles/" };
        let numbered = (1_u32..1000).map(|number| match number {
            1 => format!("{parent}{wanted}"),
            number => format!("{parent}{wanted}-{number}"),
        });
        numbered.filter_map(|path| RelativePath::from_bytes(path.as_bytes()).ok()).find(is_free)
    }

    fn enter(
        &self,
        read: &dyn Fn(&str) -> Option<Vec<u8>>,
        entering: &Entering<'_>,
    ) -> Result<Vec<NewContent>, FormatError> {
        let text = |name: &str| read(name).map(|file| String::from_utf8_lossy(&file).into_owned());
        let (old_list, old_installs) = (text(LIST), text(INSTALLS));
        let mut list = Ini::from_text(old_list.as_deref().unwrap_or_default());
        let path = entering.folder.to_string();
        let sections: Vec<String> = list.sections().map(str::to_owned).collect();
        let is_profile = |section: &&String| section.starts_with("Profile");
        let known =
            sections.iter().filter(is_profile).find(|section| list.get(section, "Path") == Some(&path));
        let is_first = !sections.iter().any(|section| section.starts_with("Profile"));
        if known.is_none() {
            let is_taken =
                |name: &str| sections.iter().any(|section| list.get(section, "Name") == Some(name));
            let name = porter_machine::account::unused_id(entering.name, is_taken);
            let number = (0_u32..).find(|number| !sections.contains(&format!("Profile{number}")));
            let section = format!("Profile{}", number.unwrap_or_default());
            list.set(&section, "Name", &name);
            list.set(&section, "IsRelative", "1");
            list.set(&section, "Path", &path);
            if is_first {
                list.set(&section, "Default", "1");
            }
        }
        if list.get("General", "Version").is_none() {
            list.set("General", "StartWithLastProfile", "1");
            list.set("General", "Version", "2");
        }
        let mut installs = Ini::from_text(old_installs.as_deref().unwrap_or_default());
        let mut hashes: Vec<String> =
            entering.installed_in.iter().map(|folder| install_hash(folder)).collect();
        hashes
            .extend(sections.iter().filter_map(|section| section.strip_prefix("Install").map(str::to_owned)));
        hashes.extend(installs.sections().map(str::to_owned));
        hashes.sort();
        hashes.dedup();
        for hash in hashes {
            let section = format!("Install{hash}");
            // An installation that has never run knows of no profile, and would make a new one.
            let opens_nothing =
                list.get(&section, "Default").is_none() && installs.get(&hash, "Default").is_none();
            if entering.opens || opens_nothing {
                for (ini, section) in [(&mut list, section.as_str()), (&mut installs, hash.as_str())] {
                    ini.set(section, "Default", &path);
                    ini.set(section, "Locked", "1");
                }
            }
        }
        let changed = [(LIST, old_list, list.to_text()), (INSTALLS, old_installs, installs.to_text())];
        let is_new = |(name, old, new): (&'static str, Option<String>, String)| {
            (!new.is_empty() && old.as_deref() != Some(&new)).then(|| (name, new.into_bytes()))
        };
        Ok(changed.into_iter().filter_map(is_new).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entered(list: &str, installs: &str, entering: &Entering<'_>) -> Vec<(&'static str, String)> {
        let read = |name: &str| {
            Some(if name == LIST { list } else { installs })
                .filter(|text| !text.is_empty())
                .map(|text| text.as_bytes().to_vec())
        };
        let new = ProfilesIni { of_every_profile: &[] }.enter(&read, entering).unwrap();
        new.into_iter().map(|(name, file)| (name, String::from_utf8(file).unwrap())).collect()
    }

    #[test]
    fn a_profile_is_entered_once_and_what_opens_by_itself_stays_unless_asked() {
        let folder = RelativePath::from_bytes(b"Profiles/ab12.work").unwrap();
        let installed_in = ["C:\\Program Files\\Mozilla Firefox".to_owned()];
        let entering = Entering { folder: &folder, name: "work", opens: false, installed_in: &installed_in };
        let fresh = entered("", "", &entering);
        assert!(
            fresh[0].1.contains("[Profile0]\nName=work\nIsRelative=1\nPath=Profiles/ab12.work\nDefault=1\n"),
            "{fresh:?}"
        );
        assert!(fresh[1].1.contains("[308046B0AF4A39CB]\nDefault=Profiles/ab12.work\n"), "{fresh:?}");
        assert!(entered(&fresh[0].1, &fresh[1].1, &entering).is_empty(), "entered twice");

        let used = "[Install308046B0AF4A39CB]\r\nDefault=Profiles/zz.default\r\n\r\n[Profile0]\r\nName=work\r\nIsRelative=1\r\nPath=Profiles/zz.default\r\n";
        let beside = entered(used, "", &entering);
        assert!(
            beside[0].1.starts_with(used) && beside[0].1.contains("[Profile1]\r\nName=work-2\r\n"),
            "{beside:?}"
        );
        assert_eq!(beside.len(), 1, "{beside:?}");
        let opening = entered(used, "", &Entering { opens: true, ..entering });
        assert!(
            opening[0]
                .1
                .starts_with("[Install308046B0AF4A39CB]\r\nDefault=Profiles/ab12.work\r\nLocked=1\r\n"),
            "{opening:?}"
        );
    }
}
