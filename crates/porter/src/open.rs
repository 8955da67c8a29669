//! Opening what the commands are given: machines, trunks, selections, the file of events.

use crate::arguments::{ConductArguments, ListArguments, SelectionArguments, is_recorded};
use crate::failure::Failure;
use crate::paths;
use crate::progress::Progress;
use crate::stop::STOP;
use crate::{awake, power};
use porter_core::catalogue::Catalogue;
use porter_core::events::{Conduct, Event};
use porter_core::machine::{Machine, here, recognise};
use porter_core::packing::{PackingList, Selection};
use porter_core::restore::accounts::{ids_in, is_called};
use porter_source::HostFolder;
use porter_trunk::Label;
use porter_trunk::open_form::OpenTrunk;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use time::OffsetDateTime;

/// The word for the running machine, where a machine is to be named.
const HERE: &str = "here";

/// Opens the machine in a folder, or the running one.
pub(crate) fn machine(folder: &Path) -> Result<Machine, Failure> {
    if folder.as_os_str().eq_ignore_ascii_case(HERE) {
        return here().map_err(|error| Failure::not_here(&error));
    }
    let shown = paths::shown(folder);
    let volume = HostFolder::open(folder).map_err(|cause| {
        Failure::new(format!("`{shown}` cannot be opened: {cause}"), "Is the drive mounted there?")
    })?;
    // Until the registry is read, the folder's name has to do for the machine's.
    let name = std::fs::canonicalize(folder)
        .ok()
        .and_then(|path| path.file_name().map(|name| name.to_string_lossy().into_owned()))
        .unwrap_or_else(|| shown.clone());
    recognise(Arc::new(volume), name).map_err(|error| Failure::not_recognised(&shown, &error))
}

/// Opens the trunk in a folder.
pub(crate) fn trunk(folder: &Path) -> Result<OpenTrunk, Failure> {
    Ok(OpenTrunk::load(folder)?)
}

/// The built-in carry rules for a machine.
pub(crate) fn catalogue(machine: &Machine) -> Result<Catalogue, Failure> {
    Catalogue::built_in(machine.layout.family)
        .map_err(|error| Failure::new(format!("the built-in rules: {error}"), "This is a fault of porter."))
}

/// The time now: the only place that asks the clock.
pub(crate) fn now_utc() -> OffsetDateTime {
    OffsetDateTime::now_utc()
}

/// What was chosen on a machine, with every account by its id.
pub(crate) fn selection_on(
    machine: &Machine,
    accounts: &[String],
    given: &SelectionArguments,
) -> Result<Selection, Failure> {
    let ids = accounts
        .iter()
        .map(|name| {
            machine.account(name).map(|account| account.id.clone()).ok_or_else(|| {
                let has = porter_core::restore::accounts::names_on(machine).join(", ");
                Failure::wrong_use(
                    format!("there is no account `{name}` on {}", machine.name),
                    format!("It has {has}."),
                )
            })
        })
        .collect::<Result<Vec<_>, _>>()?;
    Ok(Selection::new(&ids, &given.only, &given.skip)?)
}

/// `--account` of commands that know a trunk: `old=new` maps, a name alone selects.
pub(crate) fn selection_in(
    label: &Label,
    accounts: &[String],
    given: &SelectionArguments,
) -> Result<(BTreeMap<String, String>, Selection), Failure> {
    let mut mapping = BTreeMap::new();
    let mut ids = Vec::new();
    for account in accounts {
        if let Some((old, new)) = account.split_once('=') {
            mapping.insert(old.to_owned(), new.to_owned());
            continue;
        }
        let Some(found) = label.accounts.iter().find(|known| is_called(known, account)) else {
            return Err(Failure::wrong_use(
                format!("the trunk has no account `{account}`"),
                format!("It has {}.", ids_in(label).join(", ")),
            ));
        };
        ids.push(found.id.clone());
    }
    Ok((mapping, Selection::new(&ids, &given.only, &given.skip)?))
}

/// The packing list that was named, if any.
pub(crate) fn packing_list(given: &ListArguments) -> Result<Option<PackingList>, Failure> {
    let Some(path) = &given.list else { return Ok(None) };
    let shown = paths::shown(path);
    let text = std::fs::read_to_string(path).map_err(|cause| {
        Failure::new(
            format!("`{shown}` cannot be read: {cause}"),
            "Name a list that `porter survey --list` wrote.",
        )
    })?;
    let list = PackingList::from_toml(&text).map_err(|error| {
        Failure::wrong_use(
            format!("`{shown}` is no packing list: {error}"),
            "Nothing was changed. `porter survey MACHINE --list FILE` writes a new one.",
        )
    })?;
    Ok(Some(list))
}

/// What was chosen, and of that what the list carries.
pub(crate) fn narrowed(selection: Selection, list: Option<&PackingList>) -> Selection {
    match list {
        Some(list) => selection.with_list(list.carried()),
        None => selection,
    }
}

/// Patterns that fit nothing are mistakes, not wishes.
pub(crate) fn refuse_unmatched<'i>(
    selection: &Selection,
    items: impl Iterator<Item = (&'i str, Option<&'i str>)> + Clone,
) -> Result<(), Failure> {
    let unmatched = selection.unmatched(items);
    if unmatched.is_empty() {
        return Ok(());
    }
    Err(Failure::wrong_use(
        format!(
            "no item fits {}",
            unmatched.iter().map(|text| format!("`{text}`")).collect::<Vec<_>>().join(", ")
        ),
        "`porter survey` and `porter look` show the ids of the items.",
    ))
}

/// Runs a long operation with progress on the terminal and events in the file, as asked for.
pub(crate) fn conducted<T>(
    given: &ConductArguments,
    operation: impl FnOnce(Conduct<'_>) -> T,
) -> Result<T, Failure> {
    let file = match &given.events {
        Some(path) => {
            Some(Mutex::new(File::options().create(true).append(true).open(path).map_err(|cause| {
                Failure::new(
                    format!("`{}` cannot be written: {cause}", paths::shown(path)),
                    "Name another file for --events.",
                )
            })?))
        }
        None => None,
    };
    if !given.quiet {
        power::warn_on_battery();
    }
    let _awake = awake::keep();
    let progress = Progress::new(given.quiet);
    let events = |event: &Event<'_>| {
        progress.hear(event);
        if let (Some(file), true) = (&file, is_recorded(event)) {
            let mut line = serde_json::to_vec(event).unwrap_or_default();
            line.push(b'\n');
            // A lost line of progress must not end a rescue.
            let _ = file.lock().unwrap_or_else(PoisonError::into_inner).write_all(&line);
        }
    };
    let done = operation(Conduct { events: &events, stop: &STOP });
    progress.end();
    Ok(done)
}
