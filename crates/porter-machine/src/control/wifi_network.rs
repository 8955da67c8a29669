//! A wireless network that the running Windows knows.

#[cfg(not(windows))]
#[path = "wifi_network/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "wifi_network/windows.rs"]
mod system;

use super::{Control, fact};
use crate::wifi::{self, shown_ssid};
use porter_formats::wifi::{Network, Password, Security, from_hex};
use porter_names::Facts;
use std::io;

/// See the module. Its facts are those of a network (`docs/settings.md`), with `ssid`, the bytes of its name
/// as digits, and `joins`, `by-itself` or `when-asked`. A password is no fact: a journal would show it.
pub struct WifiNetworks;

const SSID: &str = "ssid";
const JOINS: &str = "joins";
const BY_ITSELF: &str = "by-itself";
const WHEN_ASKED: &str = "when-asked";
const YES: &str = "yes";

/// The calls of a Windows with a wireless card.
pub trait Wireless {
    /// The profile of that name, as some card has it; none if no card does. Fails where there is no card.
    fn profile(&self, name: &str) -> io::Result<Option<Vec<u8>>>;
    /// Gives each card a profile, or none of them.
    fn add(&self, name: &str, profile: &str) -> io::Result<()>;
    /// Takes the profile of that name from each card.
    fn remove(&self, name: &str) -> io::Result<()>;
}

/// The facts of a network.
pub fn facts(network: &Network) -> Facts {
    let ssid = network.ssid.iter().map(|byte| format!("{byte:02x}")).collect();
    let joins = if network.is_automatic { BY_ITSELF } else { WHEN_ASKED };
    let mut facts = Facts::from([
        (wifi::NAME.to_owned(), shown_ssid(&network.ssid)),
        (wifi::SECURITY.to_owned(), network.security.name().to_owned()),
        (SSID.to_owned(), ssid),
        (JOINS.to_owned(), joins.to_owned()),
    ]);
    if network.is_hidden {
        facts.insert(wifi::HIDDEN.to_owned(), YES.to_owned());
    }
    facts
}

/// The network that facts tell of, without a password. The facts of a journal may be anybody's.
fn network_of(facts: &Facts) -> io::Result<Network> {
    let wrong = || io::Error::new(io::ErrorKind::InvalidData, "these are no facts of a network");
    let ssid = from_hex(fact(facts, SSID)?).filter(|ssid| (1..=32).contains(&ssid.len()));
    Ok(Network {
        ssid: ssid.ok_or_else(wrong)?,
        security: Security::from_name(fact(facts, wifi::SECURITY)?).ok_or_else(wrong)?,
        is_hidden: facts.contains_key(wifi::HIDDEN),
        is_automatic: facts.get(JOINS).is_some_and(|joins| joins == BY_ITSELF),
        password: Password::NotThere,
    })
}

fn present(wireless: &dyn Wireless, like: &Facts) -> io::Result<Option<Facts>> {
    let Some(profile) = wireless.profile(&network_of(like)?.profile_name())? else { return Ok(None) };
    let network = Network::from_profile(&profile);
    network.map(|network| Some(facts(&network))).map_err(io::Error::other)
}

/// Makes a network known that is not, and asks again. One that came out otherwise is taken away.
fn add(wireless: &dyn Wireless, becomes: &Facts, password: Option<&str>) -> io::Result<()> {
    let mut network = network_of(becomes)?;
    if present(wireless, becomes)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    if let Some(password) = password {
        network.password = Password::Is(password.to_owned());
    }
    let more = || io::Error::new(io::ErrorKind::Unsupported, "more belongs to such a network than its name");
    let name = network.profile_name();
    wireless.add(&name, &network.to_profile().ok_or_else(more)?)?;
    match present(wireless, becomes) {
        Ok(Some(now)) if now == *becomes => Ok(()),
        _ => {
            let _ = wireless.remove(&name);
            Err(io::Error::other("the system took it for another network, and does not know it any more"))
        }
    }
}

/// Takes away a network that is still as it was made.
fn remove(wireless: &dyn Wireless, made: &Facts) -> io::Result<()> {
    match present(wireless, made)? {
        Some(now) if now == *made => wireless.remove(&network_of(made)?.profile_name()),
        Some(_) => Err(io::ErrorKind::DirectoryNotEmpty.into()),
        None => Ok(()),
    }
}

/// The profile of a network as the running system has it, with its password if the system gives it.
pub fn profile_with_password(profile: &[u8]) -> io::Result<Vec<u8>> {
    let network = Network::from_profile(profile).map_err(io::Error::other)?;
    let shown = system::Here.profile(&network.profile_name())?.ok_or(io::ErrorKind::NotFound)?;
    match Network::from_profile(&shown) {
        Ok(now) if now.ssid == network.ssid && matches!(now.password, Password::Is(_)) => Ok(shown),
        _ => Err(io::Error::new(io::ErrorKind::PermissionDenied, "the system does not give its password")),
    }
}

impl Control for WifiNetworks {
    fn name(&self) -> &'static str {
        "wifi-network"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        present(&system::Here, like)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        add(&system::Here, becomes, None)
    }

    fn set_with(&self, _: &str, becomes: &Facts, secret: &str) -> io::Result<()> {
        add(&system::Here, becomes, Some(secret))
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        remove(&system::Here, made)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("Wi-Fi network {}", facts.get(wifi::NAME).map_or("", String::as_str))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    /// Keeps the profiles that it is given, and writes down what it is asked for.
    #[derive(Default)]
    struct Recording {
        calls: RefCell<Vec<String>>,
        profile: RefCell<Option<String>>,
        /// The card knows no network that hides.
        shows_hidden: bool,
    }

    impl Wireless for Recording {
        fn profile(&self, _: &str) -> io::Result<Option<Vec<u8>>> {
            Ok(self.profile.borrow().clone().map(String::into_bytes))
        }

        fn add(&self, name: &str, profile: &str) -> io::Result<()> {
            self.calls.borrow_mut().push(format!("add {name}"));
            let kept = if self.shows_hidden {
                profile.replace("<nonBroadcast>true", "<nonBroadcast>false")
            } else {
                profile.to_owned()
            };
            *self.profile.borrow_mut() = Some(kept);
            Ok(())
        }

        fn remove(&self, name: &str) -> io::Result<()> {
            self.calls.borrow_mut().push(format!("remove {name}"));
            *self.profile.borrow_mut() = None;
            Ok(())
        }
    }

    fn loft() -> Network {
        Network {
            ssid: "Löft".into(),
            security: Security::Personal,
            is_hidden: true,
            is_automatic: false,
            password: Password::Is("forty kites".to_owned()),
        }
    }

    #[test]
    fn a_network_becomes_known_with_its_password_which_no_journal_sees() {
        let (card, becomes) = (Recording::default(), facts(&loft()));
        assert!(becomes.values().all(|fact| !fact.contains("forty")), "{becomes:?}");
        add(&card, &becomes, Some("forty kites")).unwrap();
        assert!(card.profile.borrow().as_ref().unwrap().contains(">forty kites<"));
        assert_eq!(add(&card, &becomes, None).unwrap_err().kind(), io::ErrorKind::AlreadyExists);
        // Somebody has changed it since.
        let automatic = Network { is_automatic: true, ..loft() };
        assert_eq!(remove(&card, &facts(&automatic)).unwrap_err().kind(), io::ErrorKind::DirectoryNotEmpty);
        remove(&card, &becomes).unwrap();
        remove(&card, &becomes).unwrap();
        assert_eq!(*card.calls.borrow(), ["add Löft", "remove Löft"]);
    }

    #[test]
    fn what_the_system_takes_for_another_network_is_taken_away_again() {
        let card = Recording { shows_hidden: true, ..Recording::default() };
        assert!(add(&card, &facts(&loft()), None).is_err() && card.profile.borrow().is_none());
        let enterprise = Network { security: Security::Enterprise, ..loft() };
        let refused = add(&card, &facts(&enterprise), None).unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::Unsupported);
        for (fact, value) in [("ssid", "4"), ("ssid", "zz"), ("ssid", ""), ("security", "odd")] {
            let mut odd = facts(&loft());
            odd.insert(fact.to_owned(), value.to_owned());
            assert!(add(&card, &odd, None).is_err(), "{fact}={value}");
        }
        assert_eq!(card.calls.borrow().len(), 2, "{:?}", card.calls.borrow());
    }
}
