//! A profile of Mozilla's mail programs: Thunderbird and its kin, and the mail of SeaMonkey.
//!
//! Letters are mailboxes below `Mail` and `ImapMail`, or a file each (maildir); contacts are databases, and
//! in old versions files of Mork; events and tasks are a database. The settings say which accounts there are,
//! and where their mail is: it may lie outside of the profile.

use super::contacts::{is_address_book, is_left_over};
use super::letters::{CONTACTS, EVENTS, Letters, TASKS};
use super::mail_account::{MailAccount, MailServer};
use crate::crossing::old_paths::OldPaths;
use crate::profiles::mozilla::{self, IN_PROFILE, PREFS, RELATIVE, inside_profile};
use crate::profiles::profiles_ini::{ProfilesIni, folder_of};
use crate::profiles::{Keeper, Learned, Outside, ProfileFolder, ProfileList};
use porter_formats::calendar::unique_names;
use porter_formats::gecko::{address_book, calendar, prefs};
use porter_formats::{FormatError, mork};
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};
use std::collections::HashMap;

/// See the module.
pub struct Thunderbird;

/// The rules of an account that sort its letters.
const FILTERS: &str = "msgFilterRules.dat";
/// The folder of a profile with calendars, those that exist only there, and the ending of one that is a file
/// of its own.
pub(super) const CALENDARS: &str = "calendar-data";
pub(super) const CALENDAR: &str = "calendar-data/local.sqlite";
pub(super) const IN_A_FILE: &str = ".ics";

impl Keeper for Thunderbird {
    fn list(&self) -> &'static dyn ProfileList {
        &ProfilesIni { of_every_profile: &[PREFS, "Mail", "ImapMail", "abook.sqlite", "abook.mab"] }
    }

    fn version_installed(&self, volume: &dyn Volume, program: &RelativePath) -> Option<String> {
        mozilla::version_installed(volume, program)
    }

    fn learn(&self, profile: &ProfileFolder<'_>, _family: Family) -> Learned {
        let mut learned = Learned::default();
        learn_mail(profile, &mut learned);
        mozilla::learn(profile, &mut learned);
        learned
    }

    fn count(
        &self,
        profile: &ProfileFolder<'_>,
        outside: &[RelativePath],
        go_on: &dyn Fn() -> bool,
    ) -> Learned {
        count(profile, outside, go_on)
    }

    fn outside(&self, profile: &ProfileFolder<'_>, machine: &Machine) -> Vec<Outside> {
        outside(profile, machine)
    }

    fn files_with_paths(&self) -> &'static [&'static str] {
        &[PREFS, "user.js", "extensions.json", mozilla::MODULES, mozilla::FOLDERS_SHOWN]
    }

    fn follow(
        &self,
        file: &str,
        content: &[u8],
        paths: &OldPaths,
        moved_to: Option<&str>,
    ) -> Option<Vec<u8>> {
        mozilla::follow(file, content, paths, moved_to)
    }

    fn databases(&self) -> &'static [&'static str] {
        &["abook.sqlite", "history.sqlite", CALENDAR, mozilla::KEYS]
    }
}

/// Accounts, tags, contacts, lists, events, tasks and filters.
pub fn learn_mail(profile: &ProfileFolder<'_>, learned: &mut Learned) {
    let Some(file) = profile.read(PREFS) else { return };
    let settings = Settings::from_text(&String::from_utf8_lossy(&file));
    let accounts = settings.accounts();
    if !accounts.is_empty() {
        learned.counts.push(("accounts".to_owned(), accounts.len() as u64));
        MailAccount::tell_all(&accounts, &mut learned.facts);
    }
    let tags = settings.tags();
    if tags > 0 {
        learned.counts.push(("tags".to_owned(), tags));
    }
    learn_contacts(profile, learned);
    let filters: u64 = ["Mail", "ImapMail"]
        .iter()
        .flat_map(|folder| {
            profile.names_in(folder).into_iter().map(move |name| format!("{folder}/{name}/{FILTERS}"))
        })
        .filter_map(|path| profile.read(&path))
        .map(|file| {
            String::from_utf8_lossy(&file).lines().filter(|line| line.starts_with("name=")).count() as u64
        })
        .sum();
    if filters > 0 {
        learned.counts.push(("filters".to_owned(), filters));
    }
    let events = profile.database(CALENDAR);
    if !matches!(events, Ok(None)) {
        learned.count_in(EVENTS, CALENDAR, &events, calendar::event_count);
        learned.count_in(TASKS, CALENDAR, &events, calendar::task_count);
    }
    learn_calendars_in_files(profile, learned);
}

/// Adds the events and tasks of calendars that are files.
fn learn_calendars_in_files(profile: &ProfileFolder<'_>, learned: &mut Learned) {
    for name in profile.names_in(CALENDARS).iter().filter(|name| name.ends_with(IN_A_FILE)) {
        let file = profile.read(&format!("{CALENDARS}/{name}")).unwrap_or_default();
        let (events, tasks) = unique_names(&String::from_utf8_lossy(&file));
        for (what, more) in [(EVENTS, events.len() as u64), (TASKS, tasks.len() as u64)] {
            match learned.counts.iter_mut().find(|(known, _)| known == what) {
                Some((_, number)) => *number += more,
                None if more > 0 => learned.counts.push((what.to_owned(), more)),
                None => {}
            }
        }
    }
}

/// All address books are counted. Addresses that the program has collected are people, too.
fn learn_contacts(profile: &ProfileFolder<'_>, learned: &mut Learned) {
    let (mut contacts, mut lists, mut books) = (0, 0, 0);
    let mut names = profile.names_in("");
    names.sort();
    for name in names {
        if !is_address_book(&name) || is_left_over(profile, &name) {
            continue;
        }
        let counted: Result<(u64, u64), FormatError> = if name.ends_with(".sqlite") {
            match profile.database(&name) {
                Ok(Some(database)) => address_book::counts(&database),
                Ok(None) => continue,
                Err(cause) => Err(cause),
            }
        } else {
            profile.read(&name).map_or(Ok((0, 0)), |file| mork::address_book_counts(&file))
        };
        books += 1;
        match counted {
            Ok((of_people, of_lists)) => {
                contacts += of_people;
                lists += of_lists;
            }
            Err(cause) => learned.count(CONTACTS, &name, Err(cause)),
        }
    }
    if books > 0 {
        learned.counts.push((CONTACTS.to_owned(), contacts));
    }
    if lists > 0 {
        learned.counts.push(("lists of contacts".to_owned(), lists));
    }
}

/// Letters, in the profile and in its folders outside.
pub fn count(profile: &ProfileFolder<'_>, outside: &[RelativePath], go_on: &dyn Fn() -> bool) -> Learned {
    let mut letters = Letters::default();
    letters.add_profile(profile, go_on);
    outside.iter().for_each(|at| letters.add_mailboxes(profile.volume, at, go_on));
    Learned { counts: letters.counts(), cautions: letters.cautions, ..Learned::default() }
}

/// The folders of mail of its accounts that lie outside of the profile.
pub fn outside(profile: &ProfileFolder<'_>, machine: &Machine) -> Vec<Outside> {
    let Some(file) = profile.read(PREFS) else { return Vec::new() };
    let settings = Settings::from_text(&String::from_utf8_lossy(&file));
    let mut all = Vec::new();
    for server in settings.servers() {
        let name = format!("mail.server.{server}.directory");
        let relative = settings.get(&format!("{name}{RELATIVE}"));
        if relative.is_some_and(|relative| inside_profile(relative).is_some()) {
            continue;
        }
        let is_folder = |at: &RelativePath| {
            profile.volume.metadata(at).is_ok_and(|found| found.kind == EntryKind::Folder)
        };
        let by_relative = relative.and_then(|text| climbed(&profile.at, text)).filter(is_folder);
        let whole = settings.get(&name);
        let by_whole = || folder_of(machine, &profile.at, whole?, false);
        let found = match by_relative.or_else(by_whole) {
            Some(folder) if folder.is_within(&profile.at) => continue,
            Some(folder) if is_folder(&folder) => Outside::Here { folder, written: whole.map(str::to_owned) },
            _ => match whole.or(relative) {
                Some(written) => Outside::Elsewhere(written.to_owned()),
                None => continue,
            },
        };
        if !all.contains(&found) {
            all.push(found);
        }
    }
    all
}

/// `[ProfD]../../Mail` from a profile.
fn climbed(profile: &RelativePath, relative: &str) -> Option<RelativePath> {
    let mut at = profile.clone();
    for step in relative.strip_prefix(IN_PROFILE)?.split(['/', '\\']) {
        at = match step {
            "" | "." => at,
            ".." => at.parent()?,
            step => at.join(step.as_bytes()).ok()?,
        };
    }
    Some(at)
}

/// The settings of a profile by name.
struct Settings(HashMap<String, String>);

impl Settings {
    fn from_text(text: &str) -> Self {
        Self(prefs::all(text).collect())
    }

    fn get(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }

    fn text(&self, name: &str) -> String {
        self.get(name).unwrap_or_default().to_owned()
    }

    fn account_keys(&self) -> impl Iterator<Item = &str> {
        let keys = self.get("mail.accountmanager.accounts").unwrap_or_default();
        keys.split(',').map(str::trim).filter(|key| !key.is_empty())
    }

    /// How many tags for letters the person has made or renamed: the others are the program's.
    fn tags(&self) -> u64 {
        let is_name = |name: &&String| name.starts_with("mailnews.tags.") && name.ends_with(".tag");
        self.0.keys().filter(is_name).count() as u64
    }

    /// The keys of the servers that accounts have.
    fn servers(&self) -> impl Iterator<Item = &str> {
        self.account_keys().filter_map(|key| self.get(&format!("mail.account.{key}.server")))
    }

    /// Those that letters come to, or that letters are sent from. Local folders and feeds are none.
    fn accounts(&self) -> Vec<MailAccount> {
        let account = |key: &str| {
            let server = self.get(&format!("mail.account.{key}.server"))?;
            let of = |name: &str| self.text(&format!("mail.server.{server}.{name}"));
            let protocol = of("type");
            if !["imap", "pop3", "owl", "ews"].contains(&protocol.as_str()) {
                return None;
            }
            let identities = self.text(&format!("mail.account.{key}.identities"));
            let identity = identities.split(',').next().unwrap_or_default().trim();
            let person = |name: &str| self.text(&format!("mail.identity.{identity}.{name}"));
            let default_sender = || self.text("mail.smtp.defaultserver");
            let sender =
                Some(person("smtpServer")).filter(|key| !key.is_empty()).unwrap_or_else(default_sender);
            let sends = |name: &str| self.text(&format!("mail.smtpserver.{sender}.{name}"));
            let stays = match (&*protocol, &*of("leave_on_server")) {
                ("pop3", "true") => "yes",
                ("pop3", _) => "no",
                _ => "",
            };
            Some(MailAccount {
                name: person("fullName"),
                address: person("useremail"),
                incoming: MailServer {
                    host: of("hostname"),
                    port: of("port"),
                    encryption: encryption(&of("socketType")),
                    user: of("userName"),
                },
                outgoing: MailServer {
                    host: sends("hostname"),
                    port: sends("port"),
                    encryption: encryption(&sends("try_ssl")),
                    user: sends("username"),
                },
                stays_on_server: stays.to_owned(),
                protocol,
            })
        };
        self.account_keys().filter_map(account).collect()
    }
}

/// Mozilla's numbers: `nsMsgSocketType`.
fn encryption(number: &str) -> String {
    match number {
        "3" => "tls",
        "1" | "2" => "starttls",
        _ => "none",
    }
    .to_owned()
}
