//! A script for the new machine, of all that is left to do by command: PowerShell on Windows, a shell
//! elsewhere.
//!
//! Each command is a line that stands in the receipt too, quoted there. The script may be run again: it says
//! what it leaves out, and does nothing twice.

use super::kinds::setting::{in_single_quotes_of_powershell, in_single_quotes_of_shell, new_system};
use super::task::Task;
use super::to_do;
use porter_kinds::receipt::Receipt;
use porter_machine::layout::Family;
use porter_names::screen::on_screen;
use std::fmt::Write;

/// A language of scripts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Language {
    PowerShell,
    Shell,
}

impl Language {
    /// The one of a family of systems.
    pub(crate) const fn of(family: Family) -> Self {
        match family {
            Family::Windows | Family::Drive => Self::PowerShell,
            Family::Linux | Family::MacOs => Self::Shell,
        }
    }

    /// The ending of its files.
    pub(crate) const fn ending(self) -> &'static str {
        match self {
            Self::PowerShell => "ps1",
            Self::Shell => "sh",
        }
    }
}

/// How many of the tasks are in the script.
pub(crate) fn commands(receipt: &Receipt) -> usize {
    to_do::tasks(receipt).iter().filter(|task| !task.commands.is_empty()).count()
}

/// The script of a receipt.
pub(crate) fn script(receipt: &Receipt) -> String {
    let language = Language::of(new_system(receipt));
    let mut text = String::new();
    if language == Language::Shell {
        text.push_str("#!/bin/sh\n");
    }
    let new = receipt.machine.as_ref().map_or("the new machine", |machine| machine.name.as_str());
    comment(
        &mut text,
        &format!("What is left to do on {new}, after the things of {}.", receipt.trunk.machine.name),
    );
    comment(
        &mut text,
        "Run it as each person named in it, and as administrator: it does what is that person's, and says what it leaves out.",
    );
    let mut tasks = to_do::tasks(receipt);
    // People's printers and programs need what is set up for everybody.
    tasks.sort_by_key(|task| task.whose.is_some());
    for of_one in tasks.chunk_by(|one, next| one.whose == next.whose) {
        section(&mut text, language, of_one, receipt);
    }
    match language {
        // Without the mark Windows PowerShell takes UTF-8 for something else.
        Language::PowerShell => format!("\u{feff}{}", text.replace('\n', "\r\n")),
        Language::Shell => text,
    }
}

/// The tasks of one person, or of everybody. Those without a command are comments.
fn section(text: &mut String, language: Language, tasks: &[Task], receipt: &Receipt) {
    let Some(person) = tasks.first().map(|task| task.whose.as_deref()) else { return };
    let has_commands = tasks.iter().any(|task| !task.commands.is_empty());
    let account = person.map(|person| {
        let new = receipt.accounts.iter().find(|(old, _)| old == person);
        new.map_or(person, |(_, new)| new.as_str())
    });
    if has_commands {
        open(text, language, account);
    } else {
        text.push('\n');
        comment(text, &account.map_or("For everybody".to_owned(), |name| format!("For {name}")));
    }
    for task in tasks {
        let indent = if has_commands { "    " } else { "" };
        text.push_str(indent);
        comment(text, &format!("{}: {}", task.what, task.how));
        for command in &task.commands {
            let _ = writeln!(text, "{indent}{}", once(language, command));
        }
    }
    if has_commands {
        close(text, language, account);
    }
}

/// A line that no shell reads.
fn comment(text: &mut String, words: &str) {
    let _ = writeln!(text, "# {}", on_screen(words.as_bytes()));
}

fn open(text: &mut String, language: Language, account: Option<&str>) {
    let _ = match (language, account) {
        (Language::PowerShell, Some(account)) => {
            writeln!(text, "\nif ($env:USERNAME -eq {}) {{", in_single_quotes_of_powershell(account))
        }
        (Language::PowerShell, None) => writeln!(
            text,
            "\nif (([Security.Principal.WindowsPrincipal][Security.Principal.WindowsIdentity]::GetCurrent()).IsInRole([Security.Principal.WindowsBuiltInRole]::Administrator)) {{"
        ),
        (Language::Shell, Some(account)) => {
            writeln!(text, "\nif [ \"$(id -un)\" = {} ]; then", in_single_quotes_of_shell(account))
        }
        (Language::Shell, None) => {
            writeln!(text, "\nif [ \"$(id -u)\" = 0 ] || command -v sudo > /dev/null; then")
        }
    };
}

fn close(text: &mut String, language: Language, account: Option<&str>) {
    let who = account.map_or("an administrator".to_owned(), |account| on_screen(account.as_bytes()));
    let words = format!("left out: what {who} has to run");
    let _ = match language {
        Language::PowerShell => {
            writeln!(text, "}} else {{\n    Write-Host {}\n}}", in_single_quotes_of_powershell(&words))
        }
        Language::Shell => writeln!(text, "else\n    echo {}\nfi", in_single_quotes_of_shell(&words)),
    };
}

/// The command, in a form that may be run again.
fn once(language: Language, command: &str) -> String {
    match language {
        Language::PowerShell if command.starts_with("Add-Printer") => {
            let what = if command.starts_with("Add-PrinterPort") { "PrinterPort" } else { "Printer" };
            match command.split_once("-Name ").and_then(|(_, rest)| quoted(rest)) {
                Some(name) => {
                    format!(
                        "if (-not (Get-{what} -Name {name} -ErrorAction SilentlyContinue)) {{ {command} }}"
                    )
                }
                None => command.to_owned(),
            }
        }
        Language::Shell => match command.strip_prefix("echo ").and_then(|rest| rest.rsplit_once(" >> ")) {
            Some((line, file)) => format!("grep -qxF {line} {file} 2> /dev/null || {command}"),
            None => command.to_owned(),
        },
        Language::PowerShell => command.to_owned(),
    }
}

/// The text in single quotes at the beginning, with its quotes.
fn quoted(text: &str) -> Option<&str> {
    let mut end = text.strip_prefix('\'').map(|_| 1)?;
    loop {
        end += text.get(end..)?.find('\'')? + 1;
        // Two of them are one within the text.
        if !text[end..].starts_with('\'') {
            return text.get(..end);
        }
        end += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commands_may_be_run_again() {
        let port = "Add-PrinterPort -Name 'IP_1''s' -PrinterHostAddress '1'";
        assert_eq!(
            once(Language::PowerShell, port),
            format!("if (-not (Get-PrinterPort -Name 'IP_1''s' -ErrorAction SilentlyContinue)) {{ {port} }}")
        );
        let variable = "echo 'export A='\\''1'\\''' >> ~/.profile";
        assert_eq!(
            once(Language::Shell, variable),
            format!("grep -qxF 'export A='\\''1'\\''' ~/.profile 2> /dev/null || {variable}")
        );
        assert_eq!((quoted("'a' b"), quoted("a"), quoted("'a")), (Some("'a'"), None, None));
    }
}
