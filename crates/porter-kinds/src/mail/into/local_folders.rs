//! The folders of a profile of Mozilla's mail programs that belong to no account: *Local Folders*.

use crate::profiles::ProfileFolder;
use crate::profiles::mozilla::{PREFS, RELATIVE, inside_profile};
use porter_formats::gecko::prefs::{self, Setting};
use porter_names::RelativePath;

/// Says which server the local folders are.
const SERVER: &str = "mail.accountmanager.localfoldersserver";
const ACCOUNTS: &str = "mail.accountmanager.accounts";
/// Where the program makes them.
const USUAL: &str = "Mail/Local Folders";
/// A store that is a file for each folder.
const FILE_FOR_A_FOLDER: &str = "@mozilla.org/msgstore/berkeleystore;1";

/// See the module.
pub(super) struct LocalFolders {
    /// Below the machine's root.
    pub(super) at: RelativePath,
    /// The program has none yet: its settings get them.
    is_new: bool,
}

impl LocalFolders {
    /// Those of a profile; in words why nothing can come into them.
    pub(super) fn of(profile: &ProfileFolder<'_>) -> Result<Self, String> {
        let text = settings(profile)?;
        let usual = || profile.path(USUAL).ok_or_else(|| "its path cannot be used".to_owned());
        // The program, too, takes the first server of this type where nothing says which it is.
        let by_type = || {
            let mut settings = prefs::texts(&text);
            settings.find_map(|(name, value)| {
                let server = name.strip_prefix("mail.server.")?.strip_suffix(".type")?;
                (value == "none").then(|| server.to_owned())
            })
        };
        let Some(server) = prefs::get_text(&text, SERVER).or_else(by_type) else {
            return Ok(Self { at: usual()?, is_new: true });
        };
        let of_server = |name: &str| prefs::get_text(&text, &format!("mail.server.{server}.{name}"));
        if of_server("storeContractID").is_some_and(|store| store != FILE_FOR_A_FOLDER) {
            return Err(
                "its local folders keep a file for each letter, which porter does not write yet".to_owned()
            );
        }
        let at = match of_server(&format!("directory{RELATIVE}")) {
            Some(written) => inside_profile(&written).and_then(|below| profile.path(below)),
            None if of_server("directory").is_none() => Some(usual()?),
            None => None,
        };
        let at = at.ok_or("its local folders lie outside of its profile")?;
        Ok(Self { at, is_new: false })
    }

    /// The settings of the local folders, if they are new.
    pub(super) fn settings(&self, text: &str) -> Vec<(String, Setting)> {
        if self.is_new { of_local_folders(text) } else { Vec::new() }
    }
}

/// The text of a profile's settings.
pub(super) fn settings(profile: &ProfileFolder<'_>) -> Result<String, String> {
    let file = profile.read(PREFS).ok_or("it has no settings yet: start it once, and close it")?;
    String::from_utf8(file).map_err(|_| "its settings are no text".to_owned())
}

fn of_local_folders(text: &str) -> Vec<(String, Setting)> {
    let all: Vec<(String, String)> = prefs::all(text).collect();
    let free = |begin: &str| {
        let numbers = all.iter().filter_map(|(name, _)| {
            let digits: String = name.strip_prefix(begin)?.chars().take_while(char::is_ascii_digit).collect();
            digits.parse::<u32>().ok()
        });
        numbers.max().unwrap_or_default().saturating_add(1)
    };
    let (server, account) =
        (format!("server{}", free("mail.server.server")), format!("account{}", free("mail.account.account")));
    let accounts = prefs::get_text(text, ACCOUNTS).filter(|accounts| !accounts.is_empty());
    let accounts = accounts.map_or_else(|| account.clone(), |accounts| format!("{accounts},{account}"));
    let of_server = |name: &str, value: &str| (format!("mail.server.{server}.{name}"), value.to_owned());
    let all = [
        of_server("type", "none"),
        of_server("hostname", "Local Folders"),
        of_server("name", "Local Folders"),
        of_server("userName", "nobody"),
        of_server(&format!("directory{RELATIVE}"), &format!("[ProfD]{USUAL}")),
        of_server("storeContractID", FILE_FOR_A_FOLDER),
        (format!("mail.account.{account}.server"), server.clone()),
        (ACCOUNTS.to_owned(), accounts),
        (SERVER.to_owned(), server.clone()),
    ];
    all.map(|(name, value)| (name, Setting::Text(value))).into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn local_folders_come_behind_the_accounts_that_are_there() {
        let text = "user_pref(\"mail.server.server4.type\", \"imap\");\n\
            user_pref(\"mail.account.account2.server\", \"server4\");\n\
            user_pref(\"mail.accountmanager.accounts\", \"account2\");\n";
        let with = prefs::with_set(text, &of_local_folders(text));
        for (name, value) in [
            (ACCOUNTS, "account2,account3"),
            (SERVER, "server5"),
            ("mail.account.account3.server", "server5"),
            ("mail.server.server5.type", "none"),
            ("mail.server.server4.type", "imap"),
        ] {
            assert_eq!(prefs::get_text(&with, name).as_deref(), Some(value), "{name} in {with}");
        }
        assert_eq!(
            prefs::get_text(&prefs::with_set("", &of_local_folders("")), ACCOUNTS).as_deref(),
            Some("account1")
        );
    }
}
