//! Opening what the commands are given: machines, trunks, selections, the file of events.

use crate::arguments::{
    ChoiceArguments, ConductArguments, DriveArguments, ListArguments, OwnRulesArguments, SelectionArguments,
    TrunkArguments, is_recorded,
};
use crate::drive::{self, Source};
use crate::failure::{Failure, LABEL};
use crate::keys::DriveKeys;
use crate::progress::Progress;
use crate::publish::refuse_in_a_trunk;
use crate::rules_folder::own_rules;
use crate::screen::{CARE, styled, tell};
use crate::stop::STOP;
use crate::{awake, power};
use crate::{keys, paths, views};
use porter_core::events::{Conduct, Event};
use porter_core::packing::PackingList;
use porter_disk::Reading;
use porter_disk::lock::NoKeys;
use porter_disk::rescue::Noted;
use porter_kinds::Kinds;
use porter_kinds::catalogue::patterns::Patterns;
use porter_kinds::catalogue::{Catalogue, CatalogueError};
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use porter_kinds::crossing::accounts::{ids_in, is_called};
use porter_machine::layout::Family;
use porter_machine::{
    Machine, NotRecognised, here, holds_people, recognise, recognise_drive, recognise_person,
};
use porter_names::screen::on_screen;
use porter_source::{HostFolder, Volume};
use porter_trunk::open_form::OpenTrunk;
use porter_trunk::outside::{Keeping, Outside};
use porter_trunk::packed_form::{PackedTrunk, lacks_label, seal_damage};
use porter_trunk::parked_form::ParkedTrunk;
use porter_trunk::{Damage, Label, Trunk, TrunkError, TrunkId};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use time::OffsetDateTime;

/// The word for the running machine, where a machine is to be named.
const HERE: &str = "here";

/// Opens what is captured from: a machine, or the folder of one person, if `person` says whose it is.
/// `reading` is for a drive or an image.
pub(crate) fn source(
    folder: &Path,
    drives: &DriveArguments,
    person: Option<&str>,
    reading: Reading,
    keys: &DriveKeys,
) -> Result<Source, Failure> {
    if drive::is_one(folder) {
        return drive::source(folder, drives, person, reading, keys);
    }
    if reading.copy.is_some() || reading.map.is_some() || reading.deleted {
        return Err(Failure::wrong_use(
            format!("`{}` is a folder, and not a drive or an image", paths::shown(folder)),
            "Leave --copy-image, --map and --deleted out, or name the drive: `porter machines` lists them.",
        ));
    }
    let Some(person) = person else { return Ok(Source { machine: machine(folder, drives)?, reading: None }) };
    let shown = paths::shown(folder);
    let machine = recognise_person(Arc::new(volume(folder, drives)?), person)
        .map_err(|error| Failure::not_recognised(&shown, &error))?;
    Ok(Source { machine, reading: None })
}

/// Opens the machine in a folder, or the running one.
pub(crate) fn machine(folder: &Path, drives: &DriveArguments) -> Result<Machine, Failure> {
    if folder.as_os_str().eq_ignore_ascii_case(HERE) {
        if drives.as_drive || !drives.drives.is_empty() {
            return Err(Failure::wrong_use(
                "the running machine has its drives already",
                "Leave --drive and --as-drive out, or name the folder where the drive is mounted.",
            ));
        }
        return here().map_err(|error| Failure::not_here(&error));
    }
    if drive::is_one(folder) {
        return drive::source(folder, drives, None, Reading::default(), &NoKeys).map(|source| source.machine);
    }
    let shown = paths::shown(folder);
    let volume = volume(folder, drives)?;
    // Until the registry is read, the folder's name has to do for the machine's.
    let name = std::fs::canonicalize(folder)
        .ok()
        .and_then(|path| path.file_name().map(|name| name.to_string_lossy().into_owned()))
        .unwrap_or_else(|| shown.clone());
    let is_drive = drives.as_drive || (volume.is_whole_volume() && !holds_people(&volume));
    let volume: Arc<dyn Volume> = Arc::new(volume);
    let found = match recognise(Arc::clone(&volume), name.clone()) {
        _ if drives.as_drive => recognise_drive(volume, name),
        Err(NotRecognised::NoSystem { .. }) if is_drive => recognise_drive(volume, name),
        Err(NotRecognised::NoSystem { .. }) if is_trunk(folder) => {
            return Err(Failure::wrong_use(
                format!("`{shown}` is a trunk, not a machine"),
                "Nothing was done. The trunk comes first for `restore` and `check`, the machine first for `survey` and `capture`.",
            ));
        }
        Err(error @ NotRecognised::NoSystem { .. }) => {
            return Err(match advice_for(folder) {
                Some(advice) => Failure::not_recognised(&shown, &error).with_advice(advice),
                None => Failure::not_recognised(&shown, &error),
            });
        }
        found => found,
    };
    found.map_err(|error| Failure::not_recognised(&shown, &error))
}

/// Adds the paths that were named to the items that are found.
pub(crate) fn add_by_name<'n>(
    machine: &mut Machine,
    named: impl Iterator<Item = &'n String>,
) -> Result<(), Failure> {
    for path in named {
        if !machine.add_by_name(path) {
            let shown = on_screen(path.as_bytes());
            return Err(Failure::wrong_use(
                format!("there is no `{shown}` on {}", on_screen(machine.name.as_bytes())),
                "Name a folder or file as the machine has it, such as 'Program Files/Kites/data'; it is not a link, and not a whole drive.",
            ));
        }
    }
    Ok(())
}

/// The path to name instead of a folder that is not a machine.
fn advice_for(folder: &Path) -> Option<String> {
    let folder = std::fs::canonicalize(folder).ok()?;
    let is_there = |name: &str| folder.join(name).symlink_metadata().is_ok();
    let person_marks =
        ["NTUSER.DAT", "ntuser.dat", "AppData", "My Documents", ".bashrc", ".config", "Library"];
    // `Users`, or a person's folder in it: the machine is above.
    for above in folder.ancestors().skip(1).take(2) {
        let system =
            HostFolder::open(above).ok().and_then(|volume| recognise(Arc::new(volume), String::new()).ok());
        if system.is_some() && !above.as_os_str().is_empty() && above.parent().is_some() {
            return Some(format!(
                "It is a folder of a machine. Name the machine: `{}`.",
                paths::shown(above)
            ));
        }
    }
    if person_marks.iter().any(|mark| is_there(mark)) {
        return Some(
            "It looks like one person's folder: survey and capture take it with --as-person NAME.".to_owned(),
        );
    }
    None
}

/// Fails if the folder for the trunk holds none and the one for the machine does: the two were swapped.
pub(crate) fn refuse_swapped(trunk: &Path, machine: &Path, command: &str) -> Result<(), Failure> {
    if is_trunk(trunk) || !is_trunk(machine) {
        return Ok(());
    }
    Err(Failure::wrong_use(
        format!("`{}` is the trunk: the two folders are in the wrong order", paths::shown(machine)),
        format!(
            "Nothing was done. Type: porter {command} {} {}",
            paths::quoted(machine),
            paths::quoted(trunk)
        ),
    ))
}

/// Fails for a folder that is not a trunk, before anybody is asked for a passphrase.
pub(crate) fn refuse_no_trunk(given: &TrunkArguments) -> Result<(), Failure> {
    if is_open_trunk(&given.trunk) {
        return Ok(());
    }
    match Outside::load(&given.trunk) {
        Err(error @ TrunkError::NotATrunk { .. }) => Err(error.into()),
        _ => Ok(()),
    }
}

fn is_trunk(folder: &Path) -> bool {
    is_open_trunk(folder) || Outside::load(folder).is_ok()
}

/// One that was not finished, too.
fn is_open_trunk(folder: &Path) -> bool {
    folder.join("bagit.txt").exists() || folder.join("porter/label.json").exists()
}

/// Opens a folder with the drives beside it.
fn volume(folder: &Path, drives: &DriveArguments) -> Result<HostFolder, Failure> {
    let shown = paths::shown(folder);
    let volume = HostFolder::open(folder).map_err(|cause| {
        let what = format!("`{shown}` cannot be opened: {cause}");
        Failure::about_name(&cause, what, "Is the drive mounted there?")
    })?;
    let volume = if drives.spinning { volume.spinning() } else { volume };
    drives.drives.iter().try_fold(volume, |volume, drive| {
        let (letter, at) = letter_and_folder(drive).ok_or_else(|| {
            Failure::wrong_use(
                format!("--drive {}: it is not a drive", on_screen(drive.as_bytes())),
                "Name its letter and where it is mounted, such as D:=/mnt/d.",
            )
        })?;
        volume.with_drive(letter.as_bytes(), Path::new(at)).map_err(|cause| {
            let what = format!("`{}` cannot be opened: {cause}", on_screen(at.as_bytes()));
            Failure::about_name(&cause, what, "Is the drive mounted there?")
        })
    })
}

/// `D:=/mnt/d`, as `D:` and `/mnt/d`.
fn letter_and_folder(drive: &str) -> Option<(String, &str)> {
    let (letter, folder) = drive.split_once('=')?;
    let letter = letter.trim_end_matches(':');
    let is_letter = letter.len() == 1 && letter.bytes().all(|byte| byte.is_ascii_alphabetic());
    (is_letter && !folder.is_empty()).then(|| (format!("{}:", letter.to_ascii_uppercase()), folder))
}

/// Opens the trunk in a folder, whatever its form.
pub(crate) fn trunk(given: &TrunkArguments) -> Result<Box<dyn Trunk>, Failure> {
    trunk_if_it_opens(given)?.map_err(|_| TrunkError::Sealed(given.trunk.clone()).into())
}

/// The same without a word about the trunk's flaws, for commands that mend them.
pub(crate) fn trunk_to_mend(given: &TrunkArguments) -> Result<Box<dyn Trunk>, Failure> {
    open_or_outside(given)?.map_err(|_| TrunkError::Sealed(given.trunk.clone()).into())
}

/// The same; only the outside if it is sealed and nobody says what opens it.
pub(crate) fn trunk_if_it_opens(given: &TrunkArguments) -> Result<Result<Box<dyn Trunk>, Outside>, Failure> {
    let trunk = open_or_outside(given)?;
    if let Ok(trunk) = &trunk {
        note_trunk(&trunk.label().trunk_id);
    }
    let flaws = trunk.as_ref().map(|trunk| trunk.flaws()).unwrap_or_default();
    let (less, hurt): (Vec<&Damage>, Vec<&Damage>) = flaws.iter().partition(|flaw| is_less(flaw));
    for flaw in less.iter().filter(|flaw| !matches!(flaw, Damage::HoldsMore)) {
        tell(styled(CARE, format_args!("! The trunk is not all there: {flaw}.")));
    }
    for flaw in &hurt {
        tell(styled(CARE, format_args!("! The trunk is damaged: {flaw}.")));
    }
    if !hurt.is_empty() {
        tell("It can still be used: contents are proved one by one. Names and times are not.");
    }
    if trunk.as_ref().is_ok_and(|trunk| trunk.holds_more()) {
        tell(styled(
            CARE,
            "! The trunk holds more than its list tells of: a later capture was cut off, or its list is lost, or in another part.",
        ));
        tell(
            "Capture again: it goes on. Or, without the old machine, `porter look TRUNK --mend` rebuilds the list.",
        );
    }
    Ok(trunk)
}

/// True for a flaw that only means that less is there than before; the rest is as it was written.
fn is_less(flaw: &Damage) -> bool {
    match flaw {
        Damage::HoldsMore | Damage::CapturesMissing { .. } | Damage::SpareMissing(_) => true,
        Damage::FileMissing(file) => file.ends_with(".pack") || file.ends_with(".list"),
        _ => false,
    }
}

fn open_or_outside(given: &TrunkArguments) -> Result<Result<Box<dyn Trunk>, Outside>, Failure> {
    if is_open_trunk(&given.trunk) {
        return Ok(Ok(Box::new(OpenTrunk::load(&given.trunk)?)));
    }
    let folders = given.folders();
    let outside = Outside::load(&given.trunk)?;
    // A label that agrees with no list or pack is the damaged one.
    let hurt = |cause| match cause {
        TrunkError::Damaged(_) if lacks_label(&given.trunk).is_some() => {
            TrunkError::Damaged(Damage::ContentChanged(LABEL.to_owned()))
        }
        cause => cause,
    };
    if outside.form == Keeping::Parked {
        return Ok(Ok(Box::new(ParkedTrunk::load(&given.trunk).map_err(hurt)?)));
    }
    let opener = if outside.sealed { keys::opener(&given.key, &outside)? } else { None };
    if outside.sealed && opener.is_none() {
        return Ok(Err(outside));
    }
    let trunk = PackedTrunk::load(&folders, opener.as_ref()).map_err(hurt)?;
    let hurt_seals = if outside.sealed { seal_damage(&folders) } else { Vec::new() };
    for damage in hurt_seals {
        tell(styled(CARE, format_args!("! {damage}; another copy of it opened the trunk.")));
        tell("`porter look TRUNK --mend` rewrites it.");
    }
    Ok(Ok(Box::new(trunk)))
}

/// The kinds of items and the carry rules for a machine: the built-in ones, and the technician's own.
pub(crate) fn kinds(machine: &Machine, own: &OwnRulesArguments) -> Result<Kinds, Failure> {
    kinds_for(machine.layout.family, own)
}

/// The same for the system that a trunk was captured from.
pub(crate) fn kinds_of(label: &porter_trunk::Label, own: &OwnRulesArguments) -> Result<Kinds, Failure> {
    kinds_for(Family::from_name(&label.machine.system.family).unwrap_or(Family::Windows), own)
}

fn kinds_for(family: Family, own: &OwnRulesArguments) -> Result<Kinds, Failure> {
    let own = own_rules(&own.files)?.into_iter().map(|own| own.rule).collect();
    let built_in = Catalogue::built_in(family).map_err(|error| fault(&error))?;
    Ok(built_in.with_rules(own).into())
}

/// A built-in rule that cannot be used.
pub(crate) fn fault(error: &CatalogueError) -> Failure {
    Failure::new(format!("the built-in rules: {error}"), "This is a fault of porter.")
}

/// The parts of the chosen items that are left out: by the list, and on the command line.
pub(crate) fn unchosen(given: &ChoiceArguments, list: Option<&PackingList>) -> Result<Unchosen, Failure> {
    let mut unchosen = list.map(PackingList::unchosen).unwrap_or_default();
    if !given.leave_files.is_empty() {
        let texts = unchosen.files.texts().iter().chain(&given.leave_files).cloned().collect();
        unchosen.files = Patterns::new(texts).map_err(|cause| {
            Failure::wrong_use(format!("--leave-files: {cause}"), "`*` stands for any text, such as '*.iso'.")
        })?;
    }
    unchosen.files_over_in_bytes = given.leave_files_over.or(unchosen.files_over_in_bytes);
    Ok(unchosen)
}

/// The time now: the only place that asks the clock.
pub(crate) fn now_utc() -> OffsetDateTime {
    OffsetDateTime::now_utc()
}

/// The selection on a machine, with every account by its id.
pub(crate) fn selection_on(
    machine: &Machine,
    accounts: &[String],
    given: &SelectionArguments,
    choice: &ChoiceArguments,
) -> Result<Selection, Failure> {
    let ids = accounts
        .iter()
        .map(|name| {
            machine.account(name).map(|account| account.id.clone()).ok_or_else(|| {
                let has = porter_kinds::crossing::accounts::names_on(machine).join(", ");
                Failure::wrong_use(
                    format!("there is no account `{name}` on {}", machine.name),
                    format!("It has {has}."),
                )
            })
        })
        .collect::<Result<Vec<_>, _>>()?;
    let selection = Selection::new(&ids, &given.only, &given.skip)?;
    Ok(match choice.used_within {
        Some(time) => selection.used_within(machine, time),
        None => selection,
    })
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
            format!("`{shown}` is not a packing list: {error}"),
            "Nothing was changed. `porter survey MACHINE --list FILE` writes a new one.",
        )
    })?;
    Ok(Some(list))
}

/// The selection, narrowed to the rows that the list carries.
pub(crate) fn narrowed(selection: Selection, list: Option<&PackingList>) -> Selection {
    match list {
        Some(list) => selection.with_list(list.carried()),
        None => selection,
    }
}

/// An id or account that does not exist is a mistake, and stops everything. A pattern is a wish: one list of
/// them serves forty PCs, so one that fits nothing is named, and stops nothing.
pub(crate) fn refuse_unmatched<'i>(
    selection: &Selection,
    items: impl Iterator<Item = (&'i str, Option<&'i str>)> + Clone,
) -> Result<(), Failure> {
    let is_pattern = |text: &String| text.contains(['*', '?', '[', '{']);
    let (patterns, ids): (Vec<String>, Vec<String>) =
        selection.unmatched(items).into_iter().partition(is_pattern);
    let quoted = |texts: &[String]| {
        texts.iter().map(|text| format!("`{}`", on_screen(text.as_bytes()))).collect::<Vec<_>>().join(", ")
    };
    if !ids.is_empty() {
        return Err(Failure::wrong_use(
            format!("no item fits {}", quoted(&ids)),
            "`porter survey` and `porter look` show the ids of the items.",
        ));
    }
    if !patterns.is_empty() {
        tell(styled(CARE, format_args!("! Nothing here fits the pattern {}.", quoted(&patterns))));
    }
    Ok(())
}

/// The trunk that is worked on, as soon as it is known: events name it.
static TRUNK_ID: OnceLock<String> = OnceLock::new();

/// Notes which trunk is worked on.
pub(crate) fn note_trunk(id: &TrunkId) {
    let _ = TRUNK_ID.set(id.to_string());
}

/// The same for all events of this program, so that a file with events of several runs can be split.
fn run_id() -> String {
    static RUN: OnceLock<String> = OnceLock::new();
    let made = || {
        let mut bytes = [0_u8; 8];
        // Without chance the clock does.
        if getrandom::fill(&mut bytes).is_err() {
            bytes = (now_utc().unix_timestamp_nanos() as u64).to_be_bytes();
        }
        bytes.iter().map(|byte| format!("{byte:02x}")).collect()
    };
    RUN.get_or_init(made).clone()
}

fn event_line(event: &Event<'_>, run: &str) -> Vec<u8> {
    let mut line = serde_json::to_value(event).unwrap_or_default();
    line["time"] = views::numbers::rfc3339(now_utc()).into();
    line["run"] = run.into();
    if let Some(trunk) = TRUNK_ID.get() {
        line["trunk"] = trunk.as_str().into();
    }
    let mut line = line.to_string().into_bytes();
    line.push(b'\n');
    line
}

/// Runs a long operation with progress on the terminal and events in the file, as asked for.
pub(crate) fn conducted<T>(
    given: &ConductArguments,
    operation: impl FnOnce(Conduct<'_>) -> T,
) -> Result<T, Failure> {
    conducted_on_drive(given, None, operation)
}

/// The same with a drive that porter reads itself: how it fares is shown, too.
pub(crate) fn conducted_on_drive<T>(
    given: &ConductArguments,
    drive: Option<Arc<Noted>>,
    operation: impl FnOnce(Conduct<'_>) -> T,
) -> Result<T, Failure> {
    let file = match &given.events {
        Some(path) => {
            refuse_in_a_trunk(path)?;
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
    let run = run_id();
    let _awake = awake::keep();
    let progress = Progress::new(given.quiet, drive);
    let lost: Mutex<Option<std::io::Error>> = Mutex::new(None);
    let events = |event: &Event<'_>| {
        progress.hear(event);
        if let (Some(file), true) = (&file, is_recorded(event)) {
            let line = event_line(event, &run);
            // A lost line of progress must not end a rescue.
            if let Err(cause) = file.lock().unwrap_or_else(PoisonError::into_inner).write_all(&line) {
                lost.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(cause);
            }
        }
    };
    let done = operation(Conduct { events: &events, stop: &STOP });
    progress.end();
    let lost = lost.lock().unwrap_or_else(PoisonError::into_inner).take();
    if let (Some(cause), Some(path)) = (lost, &given.events) {
        let path = paths::shown(path);
        tell(styled(CARE, format_args!("! `{path}` lacks events, and the work went on: {cause}.")));
    }
    Ok(done)
}
