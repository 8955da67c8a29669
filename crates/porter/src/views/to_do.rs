//! The tasks left before a machine is handed over: by person, in the order of work.

use super::kinds::setting::new_system;
use super::kinds::words_of;
use super::numbers::{count, counted};
use super::task::Task;
use crate::paths::quoted_id;
use porter_kinds::crossing::old_paths::as_written;
use porter_kinds::receipt::{ItemReceipt, PASSWORDS, Reason, Receipt, Verdict};
use porter_machine::layout::Family;
use porter_names::screen::on_screen;
use porter_trunk::TrunkProgram;
use std::collections::{BTreeMap, BTreeSet};

/// The tasks in order: programs first, because the others depend on them; then each person's things, mail
/// before all others and these in the order of the trunk; then everybody's. A person's tasks on the old
/// machine come before those on the new one.
pub(crate) fn tasks(receipt: &Receipt) -> Vec<Task> {
    if receipt.machine.is_none() {
        return Vec::new();
    }
    let of_kinds =
        |item: &ItemReceipt| words_of(&item.kind).map(|words| words.tasks(item, receipt)).unwrap_or_default();
    let (set_by_hand, others): (Vec<Task>, Vec<Task>) =
        receipt.items.iter().flat_map(of_kinds).partition(|task| task.was_and_now.is_some());
    let kept = receipt.items.iter().filter_map(of_kept);
    let system = new_system(receipt);
    let waiting = receipt.items.iter().flat_map(|item| to_import(item, system));
    let mut tasks: Vec<Task> = others.into_iter().chain(waiting).chain(kept).chain(set_by_hand).collect();
    let people: Vec<Option<&str>> = receipt.items.iter().map(|item| item.account.as_deref()).collect();
    let rank = |task: &Task| {
        let at = people.iter().position(|person| *person == task.whose.as_deref());
        (task.whose.is_none(), at, task.topic.is_none())
    };
    tasks.sort_by_key(rank);
    programs(receipt).into_iter().chain(tasks).collect()
}

/// Letters, people and days that a person has a program import: once for each folder that they wait in.
fn to_import(item: &ItemReceipt, system: Family) -> Vec<Task> {
    let mut places = BTreeSet::new();
    for finding in &item.findings {
        if let Reason::LettersWait { into } = &finding.reason {
            places.insert((into, as_written(system, &finding.path)));
        }
    }
    let task = |(into, at): (&String, String)| {
        let how = super::words::how_to_import(into);
        let how = format!("It waits in \u{201c}{}\u{201d}. {how}", on_screen(at.as_bytes()));
        Task { how, topic: Some("Mail"), ..Task::about(item) }
    };
    places.into_iter().map(task).collect()
}

/// All that the new machine lacks is one thing to do: nobody installs one program at a time.
fn programs(receipt: &Receipt) -> Option<Task> {
    let names: Vec<String> = receipt.to_install().map(|program| on_screen(program.name.as_bytes())).collect();
    (!names.is_empty()).then(|| Task {
        whose: None,
        what: format!("Install {}", counted(names.len() as u64, "program")),
        how: names.join(", "),
        commands: install_commands(receipt),
        ..Task::default()
    })
}

/// One command for each way of installing, from a Linux to a Linux; nothing where names of packages mean
/// nothing.
fn install_commands(receipt: &Receipt) -> Vec<String> {
    const APT: [&str; 8] = ["debian", "ubuntu", "mint", "pop!_os", "elementary", "zorin", "raspbian", "kali"];
    const DNF: [&str; 5] = ["fedora", "red hat", "centos", "rocky", "alma"];
    let linux = Family::Linux.name();
    let Some(machine) = &receipt.machine else { return Vec::new() };
    if machine.system.family != linux || receipt.trunk.machine.system.family != linux {
        return Vec::new();
    }
    let product = machine.system.product.to_lowercase();
    let is_one = |known: &[&str]| known.iter().any(|name| product.contains(name));
    let of_system = match (is_one(&APT), is_one(&DNF), product.contains("suse")) {
        (true, ..) => Some("sudo apt install"),
        (_, true, _) => Some("sudo dnf install"),
        (.., true) => Some("sudo zypper install"),
        _ => None,
    };
    // People paste these lines: a name that is not a package's name is not in them.
    let is_name = |name: &str| {
        !name.starts_with('-') && name.chars().all(|c| c.is_ascii_alphanumeric() || "+._-:~".contains(c))
    };
    let ways = [
        (Some("flatpak install"), Some("Flatpak")),
        (Some("sudo snap install"), Some("snap")),
        (of_system, None),
    ];
    let command = |(begin, publisher): (Option<&str>, Option<&str>)| {
        let is_of = |program: &&TrunkProgram| match publisher {
            Some(_) => program.publisher.as_deref() == publisher,
            None => !matches!(program.publisher.as_deref(), Some("Flatpak" | "snap")),
        };
        let names: Vec<&str> = receipt
            .to_install()
            .filter(is_of)
            .map(|program| &*program.name)
            .filter(|name| is_name(name))
            .collect();
        (!names.is_empty())
            .then(|| format!("{} {}", begin.unwrap_or_default(), names.join(" ")))
            .filter(|_| begin.is_some())
    };
    ways.into_iter().filter_map(command).collect()
}

/// An item that stays in the trunk with all of its entries.
fn of_kept(item: &ItemReceipt) -> Option<Task> {
    let is_told = words_of(&item.kind).is_some_and(|words| words.tells_what_is_kept(item));
    if item.verdict != Verdict::KeptInTrunk || is_told {
        return None;
    }
    // All of its letters are in another program by now.
    let has_come = !item.letters.is_empty() && item.letters.iter().all(|row| row.found == row.there_now);
    let how = item.findings.iter().find_map(|finding| match &finding.reason {
        Reason::NoSuchProgram { .. } if has_come => None,
        Reason::NoSuchProgram { .. } => Some(format!(
            "nothing on this system reads it: take it out with `porter take TRUNK {id} FOLDER` and import it, or land its files in the documents \
             with --land-held {id}",
            id = quoted_id(&item.id)
        )),
        // So that it can be typed.
        Reason::Held { why } => {
            let why = why.replace("--land-held", &format!("--land-held {}", quoted_id(&item.id)));
            Some(on_screen(why.as_bytes()))
        }
        _ => None,
    })?;
    Some(Task { how, ..Task::about(item) })
}

/// `3 for odile, 5 for everybody`.
pub(crate) fn by_person_in_words(tasks: &[Task]) -> String {
    let mut numbers: Vec<(Option<&str>, u64)> = Vec::new();
    for task in tasks {
        match numbers.iter_mut().find(|(whose, _)| *whose == task.whose.as_deref()) {
            Some((_, number)) => *number += 1,
            None => numbers.push((task.whose.as_deref(), 1)),
        }
    }
    let words = |(whose, number): &(Option<&str>, u64)| match whose {
        Some(person) => format!("{} for {}", count(*number), on_screen(person.as_bytes())),
        None => format!("{} for everybody", count(*number)),
    };
    numbers.iter().map(words).collect::<Vec<_>>().join(", ")
}

/// `15 passwords do not open here: 6 of odile, 9 of tamsin`; none if all do.
pub(crate) fn shut_passwords(receipt: &Receipt) -> Option<String> {
    let mut shut: BTreeMap<&str, u64> = BTreeMap::new();
    for item in &receipt.items {
        let rows = item.counts.iter().filter(|row| row.name == PASSWORDS);
        let number: u64 = rows.map(|row| row.captured.saturating_sub(row.landed)).sum();
        if number > 0 && matches!(item.verdict, Verdict::Landed) {
            *shut.entry(item.account.as_deref().unwrap_or_default()).or_default() += number;
        }
    }
    let all: u64 = shut.values().sum();
    let of =
        |(person, number): (&&str, &u64)| format!("{} of {}", count(*number), on_screen(person.as_bytes()));
    let whose: Vec<String> = shut.iter().map(of).collect();
    let verb = if all == 1 { "does" } else { "do" };
    (all > 0).then(|| format!("{} that {verb} not open here: {}", counted(all, "password"), whose.join(", ")))
}
