//! A print queue, whatever system it comes from.

use crate::account::id_from_name;
use crate::setting::Setting;
use porter_names::Facts;

/// A queue, or a class of queues that take turns.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Queue {
    /// Its name.
    pub name: String,
    /// The printer's address; none for a class.
    pub address: Option<String>,
    /// The model that its driver is for.
    pub driver: Option<String>,
    /// In a person's words.
    pub description: Option<String>,
    /// Where it stands.
    pub location: Option<String>,
    /// True if other machines may use it.
    pub is_shared: bool,
    /// The only people who may print, if not all may.
    pub allowed: Vec<String>,
    /// People who may not print.
    pub denied: Vec<String>,
    /// The queues of a class.
    pub members: Vec<String>,
    /// The fate of a job that fails: `retry-job`.
    pub error_policy: Option<String>,
    /// The name of the rules of who may do what with jobs.
    pub operation_policy: Option<String>,
    /// Pages before and after each job: `none none`.
    pub banners: Option<String>,
    /// Chosen options, such as `PageSize` and `A4`.
    pub options: Vec<(String, String)>,
    /// True if jobs go to it unless somebody says otherwise.
    pub is_usual: bool,
}

/// Begins the names of facts that are options.
const OPTION: &str = "option ";
/// Between names of people, or of queues.
const BETWEEN: &str = ", ";

/// The model that CUPS names for a queue without a driver.
pub const RAW: &str = "Local Raw Printer";

impl Queue {
    /// Its facts; the first of its names is `name`.
    pub fn facts(&self) -> Facts {
        let list = |names: &[String]| (!names.is_empty()).then(|| names.join(BETWEEN));
        // A value that nearly every queue has is no fact.
        let unless = |value: &Option<String>, usual: &[&str]| {
            value.clone().filter(|value| !value.is_empty() && !usual.contains(&value.as_str()))
        };
        let mut facts: Facts = [
            ("name", Some(self.name.clone())),
            ("address", self.address.clone()),
            ("driver", self.driver.clone()),
            ("description", unless(&self.description, &[])),
            ("location", unless(&self.location, &[])),
            ("shared", self.is_shared.then(|| "yes".to_owned())),
            ("allowed", list(&self.allowed)),
            ("denied", list(&self.denied)),
            ("members", list(&self.members)),
            ("error-policy", unless(&self.error_policy, &["retry-job", "stop-printer"])),
            ("operation-policy", unless(&self.operation_policy, &["default"])),
            ("banners", unless(&self.banners, &["none none", "none"])),
        ]
        .into_iter()
        .filter_map(|(name, value)| Some((name.to_owned(), value?)))
        .collect();
        facts.extend(self.options.iter().map(|(name, value)| (format!("{OPTION}{name}"), value.clone())));
        facts
    }

    /// The queue of some facts; none without a name.
    pub fn from_facts(facts: &Facts) -> Option<Self> {
        let text = |name: &str| facts.get(name).cloned();
        let list = |name: &str| {
            let names = facts.get(name).into_iter().flat_map(|names| names.split(BETWEEN));
            names.filter(|name| !name.is_empty()).map(str::to_owned).collect()
        };
        let option =
            |(name, value): (&String, &String)| Some((name.strip_prefix(OPTION)?.to_owned(), value.clone()));
        Some(Self {
            name: text("name")?,
            address: text("address"),
            driver: text("driver"),
            description: text("description"),
            location: text("location"),
            is_shared: facts.get("shared").is_some_and(|shared| shared == "yes"),
            allowed: list("allowed"),
            denied: list("denied"),
            members: list("members"),
            error_policy: text("error-policy"),
            operation_policy: text("operation-policy"),
            banners: text("banners"),
            options: facts.iter().filter_map(option).collect(),
            is_usual: false,
        })
    }

    /// It as a setting.
    pub fn setting(&self) -> Option<Setting> {
        let facts = self.facts();
        let facts: Vec<(&str, Option<String>)> =
            facts.iter().map(|(name, value)| (name.as_str(), Some(value.clone()))).collect();
        let title = format!("Printer {}", self.name);
        Setting::printer(&id_from_name(self.name.as_bytes()), &title, &facts)
    }

    /// True if documents go to the printer as they are.
    pub fn is_raw(&self) -> bool {
        self.driver.as_deref().is_none_or(|driver| driver == RAW)
    }

    /// True if its driver was made of what the printer says of itself.
    pub fn is_driverless(&self) -> bool {
        let ends = ["IPP Everywhere", "driverless", "IPP Everywhere™"];
        self.driver.as_deref().is_some_and(|driver| ends.iter().any(|end| driver.contains(end)))
    }

    /// True if two queues print in the same way to the same printer. Options count where both tell of them.
    pub fn is_same(&self, other: &Self) -> bool {
        let address = |queue: &Self| queue.address.as_deref().map(by_meaning);
        let sorted = |names: &[String]| {
            let mut names: Vec<String> = names.to_vec();
            names.sort();
            names
        };
        let text = |text: &Option<String>| text.clone().unwrap_or_default();
        let option = |(name, value): &(String, String)| {
            let there = other.options.iter().find(|(other, _)| other == name);
            there.is_none_or(|(_, other)| other == value)
        };
        self.name.eq_ignore_ascii_case(&other.name)
            && address(self) == address(other)
            && text(&self.location) == text(&other.location)
            && self.is_shared == other.is_shared
            && sorted(&self.allowed) == sorted(&other.allowed)
            && sorted(&self.denied) == sorted(&other.denied)
            && self.members.iter().map(|m| m.to_lowercase()).collect::<Vec<_>>()
                == other.members.iter().map(|m| m.to_lowercase()).collect::<Vec<_>>()
            && self.options.iter().all(option)
    }
}

/// An address in one of the spellings that mean the same: `socket://192.0.2.10` leads to port 9100.
pub fn by_meaning(address: &str) -> String {
    let Some((scheme, rest)) = address.split_once("://") else { return address.to_lowercase() };
    let (host, path) = rest.split_once('/').map_or((rest, ""), |(host, path)| (host, path));
    let path = path.trim_end_matches('/');
    let scheme = scheme.to_lowercase();
    let port = match scheme.as_str() {
        "socket" => "9100",
        "lpd" => "515",
        "ipp" | "ipps" => "631",
        _ => return format!("{scheme}://{}/{path}", host.to_lowercase()),
    };
    let has_port = host.rsplit_once(':').is_some_and(|(_, end)| end.chars().all(|c| c.is_ascii_digit()));
    let host = if has_port { host.to_lowercase() } else { format!("{}:{port}", host.to_lowercase()) };
    format!("{scheme}://{host}/{path}")
}

/// A name that CUPS takes: letters, digits and hyphens, at most 127 bytes.
pub fn queue_name(name: &str) -> String {
    let letter = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '-' | '.') { c } else { '_' };
    let name: String = name.chars().take(127).map(letter).collect();
    if name.is_empty() { "printer".to_owned() } else { name }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_queue_is_the_same_after_its_facts_and_in_another_spelling() {
        let queue = Queue {
            name: "Front-Desk".to_owned(),
            address: Some("socket://192.0.2.20".to_owned()),
            is_shared: true,
            denied: vec!["bram".to_owned(), "juno".to_owned()],
            options: vec![("PageSize".to_owned(), "A4".to_owned())],
            banners: Some("none none".to_owned()),
            ..Queue::default()
        };
        let facts = queue.facts();
        assert!(!facts.contains_key("banners"), "{facts:?}");
        let back = Queue::from_facts(&facts).unwrap();
        assert!(back.is_same(&queue) && back.options == queue.options);
        let spelled = Queue { address: Some("Socket://192.0.2.20:9100/".to_owned()), ..back.clone() };
        assert!(queue.is_same(&spelled));
        for other in [
            Queue { address: Some("lpd://192.0.2.20".to_owned()), ..back.clone() },
            Queue { denied: vec!["bram".to_owned()], ..back.clone() },
            Queue { options: vec![("PageSize".to_owned(), "A5".to_owned())], ..back.clone() },
            Queue { is_shared: false, ..back },
        ] {
            assert!(!queue.is_same(&other), "{other:?}");
        }
        assert_eq!(queue_name("Ödi's desk #2"), "_di_s_desk__2");
        assert_eq!(by_meaning("ipp://Plotter/ipp/print"), "ipp://plotter:631/ipp/print");
        assert_eq!(by_meaning("usb://Ropewalk/Label?serial=1"), "usb://ropewalk/Label?serial=1");
    }
}
