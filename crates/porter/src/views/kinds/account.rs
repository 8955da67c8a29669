//! The words about accounts: what is still to be done so that each person has one as before.

use super::setting::{in_single_quotes_of_powershell, in_single_quotes_of_shell, new_system};
use crate::views::kind::KindWords;
use crate::views::task::Task;
use porter_kinds::account::{ADMINISTRATOR, FULL_NAME, RIGHTS, person_of};
use porter_kinds::receipt::{ItemReceipt, Receipt};
use porter_machine::layout::Family;
use porter_machine::new_account::possible_name;
use porter_names::Facts;
use porter_names::screen::on_screen;

/// See the module.
pub(super) struct Accounts;

impl KindWords for Accounts {
    fn kind(&self) -> &'static str {
        "account"
    }

    fn heading(&self) -> &'static str {
        "Accounts"
    }

    fn tasks(&self, item: &ItemReceipt, receipt: &Receipt) -> Vec<Task> {
        let (Some(now), Some(person)) = (item.set_by_hand(), person_of(&item.id)) else {
            return Vec::new();
        };
        let family = new_system(receipt);
        let account = match receipt.accounts.iter().find(|(old, _)| *old == person) {
            Some((_, new)) => new.clone(),
            None => possible_name(item.facts.get("name").map_or(person, String::as_str), family),
        };
        let mut differing = Vec::new();
        let had_rights = is_administrator(&item.facts);
        if had_rights && (now.is_empty() || !is_administrator(now)) {
            differing.push(RIGHTS);
        }
        if item.facts.contains_key(FULL_NAME) && item.facts.get(FULL_NAME) != now.get(FULL_NAME) {
            differing.push(FULL_NAME);
        }
        let values = |facts: &Facts| {
            let known = differing.iter().filter_map(|name| facts.get(*name));
            let words: Vec<String> = known.map(|value| on_screen(value.as_bytes())).collect();
            if words.is_empty() { "nothing".to_owned() } else { words.join(", ") }
        };
        let wanted = Wanted {
            account: &account,
            full_name: item.facts.get(FULL_NAME).filter(|_| differing.contains(&FULL_NAME)),
            is_administrator: differing.contains(&RIGHTS),
        };
        let commands = wanted.commands(family, now.is_empty());
        let how = match (now.is_empty(), commands.is_empty()) {
            (true, false) => "the person has no account there; as administrator, then set a password",
            (true, true) => "the person has no account there: add one under Settings",
            (false, false) => "the account there is another one in this; as administrator",
            (false, true) => "the account there is another one in this: change it under Settings",
        };
        vec![Task {
            how: how.to_owned(),
            commands,
            was_and_now: Some((values(&item.facts), values(now))),
            ..Task::about(item)
        }]
    }
}

fn is_administrator(facts: &Facts) -> bool {
    facts.get(RIGHTS).is_some_and(|rights| rights == ADMINISTRATOR)
}

/// The changes that an account needs.
struct Wanted<'a> {
    account: &'a str,
    full_name: Option<&'a String>,
    is_administrator: bool,
}

impl Wanted<'_> {
    /// On the new system; nothing where people click.
    fn commands(&self, family: Family, is_missing: bool) -> Vec<String> {
        let mut commands = Vec::new();
        match family {
            Family::Windows => {
                let q = in_single_quotes_of_powershell;
                let account = q(self.account);
                if is_missing {
                    commands.push(format!("net user {account} * /add"));
                }
                if let Some(full_name) = self.full_name {
                    commands.push(format!("net user {account} {}", q(&format!("/fullname:{full_name}"))));
                }
                if self.is_administrator {
                    // The group has another name in each language.
                    commands.push(format!("Add-LocalGroupMember -SID 'S-1-5-32-544' -Member {account}"));
                }
            }
            Family::Linux => {
                let q = in_single_quotes_of_shell;
                let account = q(self.account);
                if is_missing {
                    commands.push(format!("sudo useradd --create-home --shell /bin/bash -- {account}"));
                }
                if let Some(full_name) = self.full_name {
                    commands.push(format!("sudo usermod --comment {} -- {account}", q(full_name)));
                }
                if self.is_administrator {
                    commands.push(format!("sudo usermod --append --groups sudo -- {account}"));
                }
            }
            Family::MacOs | Family::Drive => {}
        }
        commands
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_name_becomes_a_command() {
        let name = "O'M; $(reboot)".to_owned();
        let wanted = Wanted { account: "odile", full_name: Some(&name), is_administrator: true };
        assert_eq!(
            wanted.commands(Family::Windows, true),
            [
                "net user 'odile' * /add",
                "net user 'odile' '/fullname:O''M; $(reboot)'",
                "Add-LocalGroupMember -SID 'S-1-5-32-544' -Member 'odile'"
            ]
        );
        assert_eq!(
            wanted.commands(Family::Linux, false),
            [
                "sudo usermod --comment 'O'\\''M; $(reboot)' -- 'odile'",
                "sudo usermod --append --groups sudo -- 'odile'"
            ]
        );
        assert!(wanted.commands(Family::MacOs, true).is_empty());
    }
}
