//! The files of a running Linux in which they stand: `localtime(5)` and Debian's `timezone`; `locale.conf(5)`
//! or Debian's `default/locale`; `keyboard(5)` of Debian, or `vconsole.conf(5)`; `hostname(5)`, with its line
//! in `hosts(5)`.

use crate::computer_name::fits;
use crate::layout::Family;
use crate::linux::value_in;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

const ZONES: &str = "/usr/share/zoneinfo";
const LOCAL_TIME: &str = "/etc/localtime";
const ZONE_NAME: &str = "/etc/timezone";
const NAME: &str = "/etc/hostname";
const HOSTS: &str = "/etc/hosts";
/// The address by which Debian knows its own name.
const OWN_ADDRESS: &str = "127.0.1.1";

/// A value in a file of shell assignments.
struct Assignment {
    /// The first of these that is there counts.
    files: [&'static str; 2],
    /// Its names, one for each file.
    names: [&'static str; 2],
}

const LOCALE: Assignment =
    Assignment { files: ["/etc/default/locale", "/etc/locale.conf"], names: ["LANG", "LANG"] };
const KEYBOARD: Assignment =
    Assignment { files: ["/etc/default/keyboard", "/etc/vconsole.conf"], names: ["XKBLAYOUT", "KEYMAP"] };

fn wrong(detail: String) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidInput, detail)
}

fn assignment(what: &str) -> io::Result<&'static Assignment> {
    match what {
        "locale" => Ok(&LOCALE),
        "keyboard" => Ok(&KEYBOARD),
        _ => Err(wrong(format!("`{what}` is no setting of this system"))),
    }
}

pub(super) fn read(what: &str) -> io::Result<Option<String>> {
    match what {
        "time-zone" => return zone(),
        "computer-name" => return Ok(Some(computer_name()?)),
        _ => {}
    }
    let Some((file, name)) = assignment(what)?.place() else { return Ok(None) };
    Ok(value_in(&fs::read(file)?, name))
}

pub(super) fn set(what: &str, value: &str) -> io::Result<()> {
    let is_word = |c: char| c.is_ascii_alphanumeric() || "._-+/@,".contains(c);
    if value.is_empty() || !value.chars().all(is_word) || value.contains("..") || value.starts_with('/') {
        return Err(wrong(format!("`{value}` cannot be the value of {what}")));
    }
    match what {
        "time-zone" => set_zone(value),
        "computer-name" => set_computer_name(value),
        _ => {
            require_there(what, value)?;
            let place = assignment(what)?.place();
            let (file, name) = place.ok_or_else(|| wrong(format!("this system keeps no {what}")))?;
            let text = with_value(&fs::read_to_string(&file)?, name, Some(value));
            replace(&file, text.as_bytes())
        }
    }
}

pub(super) fn remove(what: &str) -> io::Result<()> {
    match what {
        "time-zone" => return fs::remove_file(LOCAL_TIME),
        "computer-name" => return Err(io::ErrorKind::Unsupported.into()),
        _ => {}
    }
    let Some((file, name)) = assignment(what)?.place() else { return Ok(()) };
    let text = with_value(&fs::read_to_string(&file)?, name, None);
    replace(&file, text.as_bytes())
}

impl Assignment {
    /// The file that is there, behind a link if it is one, with the name that the value has in it.
    fn place(&self) -> Option<(PathBuf, &'static str)> {
        let rows = self.files.iter().zip(self.names);
        let found = rows.filter_map(|(file, name)| Some((fs::canonicalize(file).ok()?, name)));
        found.into_iter().find(|(file, _)| file.is_file() && file.starts_with("/etc"))
    }
}

/// From the next start on.
fn computer_name() -> io::Result<String> {
    Ok(fs::read_to_string(NAME)?.lines().next().unwrap_or_default().trim().to_owned())
}

fn set_computer_name(name: &str) -> io::Result<()> {
    if !fits(name, Family::Linux) {
        return Err(wrong(format!("a Linux takes no name like `{name}`")));
    }
    let before = computer_name()?;
    replace(Path::new(NAME), format!("{name}\n").as_bytes())?;
    // The system would not find itself by its new name.
    match fs::read_to_string(HOSTS) {
        Ok(hosts) => replace(Path::new(HOSTS), renamed_in_hosts(&hosts, &before, name).as_bytes()),
        Err(_) => Ok(()),
    }
}

/// `hosts(5)` with the machine's own name changed; every other line stays.
fn renamed_in_hosts(hosts: &str, before: &str, name: &str) -> String {
    let line = |line: &str| {
        let mut words = line.split_whitespace();
        if words.next() != Some(OWN_ADDRESS) || !words.clone().any(|word| word == before) {
            return line.to_owned();
        }
        let words: Vec<&str> = words.map(|word| if word == before { name } else { word }).collect();
        format!("{OWN_ADDRESS}\t{}", words.join(" "))
    };
    hosts.lines().map(|row| line(row) + "\n").collect()
}

/// A session of a Linux is told of none of them.
pub(super) fn tell(_: &[&str]) {}

fn zone() -> io::Result<Option<String>> {
    let named = fs::read_to_string(ZONE_NAME).ok().map(|text| text.trim().to_owned());
    let linked = || {
        let to = fs::read_link(LOCAL_TIME).ok()?.to_string_lossy().into_owned();
        to.split_once("zoneinfo/").map(|(_, zone)| zone.to_owned())
    };
    Ok(named.filter(|zone| !zone.is_empty()).or_else(linked))
}

fn set_zone(zone: &str) -> io::Result<()> {
    let file = Path::new(ZONES).join(zone);
    if !file.is_file() {
        return Err(wrong(format!("this system has no time zone {zone}")));
    }
    let new = format!("{LOCAL_TIME}.porter");
    let _ = fs::remove_file(&new);
    std::os::unix::fs::symlink(&file, &new)?;
    fs::rename(&new, LOCAL_TIME)?;
    if Path::new(ZONE_NAME).is_file() {
        replace(Path::new(ZONE_NAME), format!("{zone}\n").as_bytes())
    } else {
        Ok(())
    }
}

/// A locale that was never generated, or a layout that nobody has, is worse than what is there.
fn require_there(what: &str, value: &str) -> io::Result<()> {
    const LOCALES: &str = "/usr/lib/locale";
    const LAYOUTS: &str = "/usr/share/X11/xkb/symbols";
    if what == "keyboard" {
        let has = |layout: &str| Path::new(LAYOUTS).join(layout).is_file();
        if !Path::new(LAYOUTS).is_dir() || value.split(',').all(has) {
            return Ok(());
        }
        return Err(wrong(format!("this system has no keyboard layout {value}")));
    }
    // As glibc spells it: `en_GB.utf8`.
    let (language, encoding) = value.split_once('.').unwrap_or((value, ""));
    let encoding = encoding.to_lowercase().replace('-', "");
    let name = if encoding.is_empty() { language.to_owned() } else { format!("{language}.{encoding}") };
    let is_folder = ["", ".utf8"].iter().any(|end| Path::new(LOCALES).join(format!("{name}{end}")).is_dir());
    let archive = fs::read(Path::new(LOCALES).join("locale-archive")).unwrap_or_default();
    let needle = [name.as_bytes(), b"\0"].concat();
    let is_archived = archive.windows(needle.len()).any(|window| window == needle);
    if is_folder || is_archived || matches!(language, "C" | "POSIX") {
        return Ok(());
    }
    Err(wrong(format!(
        "the language {value} is not generated here: `dpkg-reconfigure locales`, or install it"
    )))
}

/// The file with another value, or without it; every other line stays.
fn with_value(text: &str, name: &str, value: Option<&str>) -> String {
    let is_it = |line: &str| line.trim().strip_prefix(name).is_some_and(|rest| rest.starts_with('='));
    // In quotes if it was: an undo gives every byte back.
    let is_quoted = text.lines().any(|line| is_it(line) && line.contains('"'));
    let quote = if is_quoted { "\"" } else { "" };
    let line = value.map(|value| format!("{name}={quote}{value}{quote}"));
    let mut lines: Vec<String> = Vec::new();
    let mut is_set = false;
    for old in text.lines() {
        match &line {
            Some(line) if is_it(old) && !is_set => {
                lines.push(line.clone());
                is_set = true;
            }
            _ if is_it(old) => {}
            _ => lines.push(old.to_owned()),
        }
    }
    lines.extend(line.filter(|_| !is_set));
    lines.join("\n") + "\n"
}

/// Writes a file beside, and puts it in the old one's place, with its permissions.
fn replace(file: &Path, content: &[u8]) -> io::Result<()> {
    let mut new = file.as_os_str().to_owned();
    new.push(".porter");
    fs::write(&new, content)?;
    fs::set_permissions(&new, fs::metadata(file)?.permissions())?;
    fs::File::open(&new)?.sync_all()?;
    fs::rename(&new, file)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_line_changes_and_the_others_stay() {
        let text = "# by hand\nLANG=C\nLC_TIME=en_GB.UTF-8\nLANG=twice\n";
        let changed = with_value(text, "LANG", Some("en_GB.UTF-8"));
        assert_eq!(changed, "# by hand\nLANG=en_GB.UTF-8\nLC_TIME=en_GB.UTF-8\n");
        assert_eq!(value_in(changed.as_bytes(), "LANG").as_deref(), Some("en_GB.UTF-8"));
        assert_eq!(with_value("a=1\n", "LANG", Some("C")), "a=1\nLANG=C\n");
        assert_eq!(with_value("L=\"gb\"\n", "L", Some("in")), "L=\"in\"\n");
        assert_eq!(with_value(&changed, "LANG", None), "# by hand\nLC_TIME=en_GB.UTF-8\n");
        let hosts = "127.0.0.1\tlocalhost loft\n127.0.1.1\tloft.example loft\n192.0.2.1 loft\n";
        assert_eq!(
            renamed_in_hosts(hosts, "loft", "tide"),
            "127.0.0.1\tlocalhost loft\n127.0.1.1\tloft.example tide\n192.0.2.1 loft\n"
        );
        for value in ["", "../x", "/etc", "a\nb", "$(id)"] {
            assert_eq!(set("locale", value).unwrap_err().kind(), io::ErrorKind::InvalidInput, "{value}");
        }
    }
}
