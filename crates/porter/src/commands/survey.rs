//! `porter survey`.

use super::choose;
use crate::arguments::OwnRulesArguments;
use crate::arguments::{
    CHOOSING, ChoiceArguments, ConductArguments, DriveArguments, ImageArguments, SelectionArguments,
};
use crate::failure::{Failure, Outcome};
use crate::keys::DriveKeys;
use crate::publish::{publish, will_publish};
use crate::screen::say_json;
use crate::target_speed::measured;
use crate::views::survey::Room;
use crate::{open, paths, views};
use clap::Args;
use porter_core::survey::{Survey, survey};
use porter_kinds::Kinds;
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use porter_machine::Machine;
use porter_trunk::{free_space_in_bytes, largest_file_in_bytes};
use std::path::PathBuf;

/// Look at a machine: who, what, how big, and what to beware of. Reads only
#[derive(Debug, Args)]
pub(crate) struct SurveyArguments {
    /// Folder where the machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    #[command(flatten)]
    drives: DriveArguments,
    #[command(flatten)]
    image: ImageArguments,
    /// MACHINE is one person's folder alone, or a copy of it, and NAME is what to call them
    #[arg(long, value_name = "NAME", conflicts_with_all = ["drives", "as_drive"])]
    as_person: Option<String>,
    /// Only the items of this account (may be given several times)
    #[arg(help_heading = CHOOSING, long, value_name = "NAME")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    choice: ChoiceArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    /// Tick what is carried in a tree on the terminal; with --list FILE, that becomes the packing list
    #[arg(long)]
    choose: bool,
    /// Compare with the room in the folder where the trunk will be
    #[arg(long = "for", value_name = "TRUNK_FOLDER", value_parser = paths::typed())]
    trunk: Option<PathBuf>,
    /// Write the packing list to FILE: which items are carried, to be edited and given to a capture
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    list: Option<PathBuf>,
    /// Write the installed programs to FILE.csv: the list of what to install again
    #[arg(long, value_name = "FILE.csv", value_parser = paths::typed())]
    programs: Option<PathBuf>,
    /// Write a sheet for the job, to print: who, what, how big, what to beware of
    #[arg(long, value_name = "FILE.html", value_parser = paths::typed())]
    page: Option<PathBuf>,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

pub(crate) fn run(arguments: &SurveyArguments) -> Result<Outcome, Failure> {
    if arguments.choose && (arguments.json || !choose::is_possible()) {
        return Err(Failure::wrong_use(
            "--choose needs a terminal",
            "Write the list with --list FILE and edit it, or choose with --account, --only and --skip.",
        ));
    }
    will_publish(arguments.list.iter().chain(&arguments.programs).chain(&arguments.page))?;
    if let Some(path) = arguments.list.as_ref().filter(|path| path.exists()) {
        return Err(Failure::new(
            format!("`{}` cannot be written: something of that name is there", paths::shown(path)),
            "Somebody may have edited that list. Name another file, or take it away first.",
        ));
    }
    let reading = arguments.image.reading(None);
    let person = arguments.as_person.as_deref();
    let source = open::source(
        &arguments.machine,
        &arguments.drives,
        person,
        reading,
        &DriveKeys::of(&arguments.image)?,
    )?;
    let mut machine = source.machine;
    open::add_by_name(&mut machine, arguments.choice.also.iter())?;
    let kinds = open::kinds(&machine, &arguments.rules)?;
    let selection =
        open::selection_on(&machine, &arguments.account, &arguments.selection, &arguments.choice)?;
    let mut unchosen = open::unchosen(&arguments.choice, None)?;
    let mut survey = look_at(&machine, &kinds, &selection, &unchosen, &arguments.conduct)?;
    let room = arguments.trunk.as_deref().map(room_in).transpose()?;
    if arguments.choose && !choose::choose(&machine, &kinds, &mut survey, &mut unchosen, room.as_ref())? {
        return Err(Failure::new("nothing was chosen", "No list was written."));
    }
    if let Some(path) = &arguments.list {
        publish(path, views::survey::packing_list(&machine, &survey, &unchosen).as_bytes())?;
    }
    if let Some(path) = &arguments.programs {
        let table = views::survey::programs_csv(&machine).map_err(|error| {
            Failure::new(format!("the list of programs: {error}"), "This is a fault of porter.")
        })?;
        publish(path, &table)?;
    }
    if let Some(path) = &arguments.page {
        publish(path, views::sheet::html(&machine, &survey, open::now_utc()).as_bytes())?;
    }
    if let (true, Some(list)) = (arguments.choose, &arguments.list) {
        views::survey::show_choice(&machine, &survey, room.as_ref(), list, &next_command(arguments));
    } else if arguments.json {
        say_json(&views::survey::json(&machine, &survey));
    } else {
        views::survey::show(&machine, &survey, room.as_ref(), &next_command(arguments));
    }
    Ok(Outcome::attention_if(survey.is_incomplete()))
}

/// The capture that follows from what was typed for the survey.
fn next_command(arguments: &SurveyArguments) -> String {
    let mut words = vec!["porter capture".to_owned(), paths::quoted(&arguments.machine)];
    let trunk = arguments.trunk.as_ref().map(|folder| paths::quoted(&folder.join("TRUNK")));
    words.push(trunk.unwrap_or_else(|| "TRUNK".to_owned()));
    let mut option = |name: &str, values: &[String]| {
        for value in values {
            words.push(format!("{name} {}", paths::quoted(std::path::Path::new(value))));
        }
    };
    option("--drive", &arguments.drives.drives);
    option("--as-person", arguments.as_person.as_slice());
    match &arguments.list {
        Some(list) => option("--list", &[list.display().to_string()]),
        None => {
            option("--account", &arguments.account);
            option("--only", &arguments.selection.only);
            option("--skip", &arguments.selection.skip);
            option("--also", &arguments.choice.also);
            option("--leave-files", &arguments.choice.leave_files);
        }
    }
    if arguments.drives.as_drive {
        words.push("--as-drive".to_owned());
    }
    words.join(" ")
}

/// Free space and limits of the drive that the trunk goes to.
fn room_in(folder: &std::path::Path) -> Result<Room, Failure> {
    let free_in_bytes = free_space_in_bytes(folder).map_err(|cause| {
        Failure::new(
            format!("`{}`: {cause}", paths::shown(folder)),
            "Name the folder where the trunk will be.",
        )
    })?;
    Ok(Room {
        free_in_bytes,
        largest_file_in_bytes: largest_file_in_bytes(folder),
        bytes_per_second: measured(folder),
    })
}

/// A survey in which every pattern fits something.
pub(crate) fn look_at(
    machine: &Machine,
    kinds: &Kinds,
    selection: &Selection,
    unchosen: &Unchosen,
    conduct: &ConductArguments,
) -> Result<Survey, Failure> {
    let found = open::conducted(conduct, |conduct| survey(machine, kinds, selection, unchosen, conduct))?
        .map_err(|_| Failure::stopped("Nothing was changed."))?;
    let ids = found.items.iter().map(|row| (row.item.id.as_str(), row.item.owner.as_deref()));
    open::refuse_unmatched(selection, ids)?;
    Ok(found)
}
