//! Names that a machine gives to addresses by itself: `hosts(5)`, which every family of systems has.
//!
//! Only lines of addresses in the machine's own networks are a setting. A bank's name with an address of the
//! internet is what a program that steals has put there, and lists of names that lead nowhere are those of a
//! program that filters; the whole file is an item of its own, for a person to read.

use super::layout::Family;
use super::looker::Looker;
use super::setting::Setting;
use super::{PlaceState, small_file};
use porter_names::RelativePath;
use porter_source::Volume;
use std::collections::BTreeMap;
use std::net::IpAddr;

/// The setting's id.
pub const ID: &str = "hosts";
/// A list of more names is a filter's.
const MOST_NAMES: usize = 500;
/// The longest name of a host (RFC 1035, 2.3.4).
const LONGEST_NAME: usize = 253;

/// The file of a machine, as it is written there; where there is none, where one would be.
pub fn file_of(looker: &mut Looker<'_>, family: Family) -> Option<RelativePath> {
    let paths: &[&str] = match family {
        // Windows 2000 calls its folder otherwise.
        Family::Windows => &["WINNT/system32/drivers/etc/hosts", "Windows/System32/drivers/etc/hosts"],
        Family::Linux => &["etc/hosts"],
        Family::MacOs => &["private/etc/hosts"],
        Family::Drive => return None,
    };
    let mut found = paths.iter().map(|path| looker.find(&RelativePath::root(), path));
    let first = found.find(|found| found.state == PlaceState::IsFile);
    Some(match first {
        Some(there) => there.path,
        None => RelativePath::from_bytes(paths.last()?.as_bytes()).ok()?,
    })
}

/// The names of a machine as a setting: each with its addresses.
pub(super) fn setting(volume: &dyn Volume, looker: &mut Looker<'_>, family: Family) -> Option<Setting> {
    let file = small_file::read(volume, &file_of(looker, family)?)?;
    let names = names_in(&file);
    let facts: Vec<(&str, Option<String>)> =
        names.iter().map(|(name, addresses)| (name.as_str(), Some(addresses.join(" ")))).collect();
    Setting::new(ID, "Names of the machine's own for addresses", &facts).filter(|_| names.len() <= MOST_NAMES)
}

/// The file with the names that it lacks; none if it lacks none. A name that it has with another address
/// stays as it is.
pub fn with_names<'n>(
    file: &[u8],
    names: impl Iterator<Item = (&'n str, &'n str)>,
    family: Family,
) -> Option<Vec<u8>> {
    let known = all_names_in(file);
    let line_end = if family == Family::Windows { "\r\n" } else { "\n" };
    let mut lines = String::new();
    for (name, addresses) in names.filter(|(name, _)| is_host(name) && !known.contains_key(*name)) {
        let local = addresses.split(' ').filter_map(local_address);
        local.for_each(|address| lines.push_str(&format!("{address}\t{name}{line_end}")));
    }
    if lines.is_empty() {
        return None;
    }
    let gap = if file.is_empty() || file.ends_with(b"\n") { "" } else { line_end };
    Some([file, gap.as_bytes(), lines.as_bytes()].concat())
}

/// The names with addresses of the machine's own networks, in lower case.
fn names_in(file: &[u8]) -> BTreeMap<String, Vec<String>> {
    let mut names = all_names_in(file);
    for addresses in names.values_mut() {
        let mut local: Vec<IpAddr> = addresses.iter().filter_map(|address| local_address(address)).collect();
        local.sort_unstable();
        local.dedup();
        *addresses = local.iter().map(ToString::to_string).collect();
    }
    names.retain(|_, addresses| !addresses.is_empty());
    names
}

fn all_names_in(file: &[u8]) -> BTreeMap<String, Vec<String>> {
    let mut names: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for line in String::from_utf8_lossy(file).lines() {
        let mut words = line.split('#').next().unwrap_or_default().split_whitespace();
        let Some(address) = words.next() else { continue };
        for name in words.map(str::to_lowercase).filter(|name| is_host(name)) {
            names.entry(name).or_default().push(address.to_owned());
        }
    }
    names
}

/// An address that nobody on the internet has, and that is not the machine itself.
fn local_address(text: &str) -> Option<IpAddr> {
    let address: IpAddr = text.parse().ok()?;
    let is_local = match address {
        IpAddr::V4(address) => {
            // Between a provider and its customers, and within some private networks: RFC 6598.
            let is_shared = matches!(address.octets(), [100, 64..=127, ..]);
            address.is_private() || address.is_link_local() || address.is_documentation() || is_shared
        }
        IpAddr::V6(address) => address.is_unique_local() || address.is_unicast_link_local(),
    };
    is_local.then_some(address)
}

fn is_host(name: &str) -> bool {
    let is_part = |part: &str| {
        (1..=63).contains(&part.len())
            && part.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-' || c == '_')
    };
    name.len() <= LONGEST_NAME && name.split('.').all(is_part) && !name.starts_with("localhost")
}

#[cfg(test)]
mod tests {
    use super::*;

    const OLD: &[u8] = b"# by hand\r\n127.0.0.1 localhost\r\n192.168.4.7\tTIDE tide.loft.example # the scales\r\n\
        fd00::7 tide\r\n8.8.4.4 bank.example\r\n8.8.8.8 pay.example\r\n0.0.0.0 ads.example\r\n::1 localhost\r\n10.0.0.1 $(x)\r\nrubbish\r\n";

    #[test]
    fn only_names_of_the_own_networks_come() {
        let shown: Vec<String> =
            names_in(OLD).iter().map(|(name, addresses)| format!("{name}={}", addresses.join(" "))).collect();
        assert_eq!(shown, ["tide=192.168.4.7 fd00::7", "tide.loft.example=192.168.4.7"]);
    }

    #[test]
    fn names_are_added_behind_what_is_there_and_change_nothing() {
        let names = [
            ("tide", "192.168.4.7 fd00::7"),
            ("pay.example", "8.8.8.8"),
            ("a b", "10.0.0.1"),
            ("loft", "10.0.0.2"),
        ];
        let there = b"127.0.1.1\tnew\n10.9.9.9 LOFT";
        let with = with_names(there, names.into_iter(), Family::Linux).unwrap();
        let expected = b"127.0.1.1\tnew\n10.9.9.9 LOFT\n192.168.4.7\ttide\nfd00::7\ttide\n";
        assert_eq!(String::from_utf8_lossy(&with), String::from_utf8_lossy(expected));
        assert_eq!(with_names(&with, names.into_iter(), Family::Linux), None, "a second time");
        let on_windows = with_names(b"", names.into_iter().take(1), Family::Windows).unwrap();
        assert_eq!(on_windows, b"192.168.4.7\ttide\r\nfd00::7\ttide\r\n");
    }
}
