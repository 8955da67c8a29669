//! `porter capture`.

use super::survey::look_at;
use crate::arguments::OwnRulesArguments;
use crate::arguments::{
    CHOOSING, ChoiceArguments, ConductArguments, DriveArguments, ImageArguments, KeyArguments, ListArguments,
    SelectionArguments,
};
use crate::drive::{BeingRead, Source};
use crate::failure::{Failure, Outcome};
use crate::keys::DriveKeys;
use crate::screen::{ask, say, say_json, tell};
use crate::target_speed::measured;
use crate::views::capture::Took;
use crate::{amounts, keys, open, paths, views};
use clap::{Args, ValueEnum};
use porter_core::capture::{CaptureError, Forecast, Job, Shape, capture, forecast, pass_by};
use porter_core::survey::Survey;
use porter_kinds::Kinds;
use porter_kinds::crossing::old_paths::places_as_written;
use porter_kinds::item::Item;
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_trunk::label::{FORMAT, FormatVersion, MAJOR, MINOR};
use porter_trunk::open_form::OpenTrunkWriter;
use porter_trunk::outside::Outside;
use porter_trunk::packed_form::{PackedOptions, PackedTrunkWriter, Seal};
use porter_trunk::parked_form::ParkedTrunkWriter;
use porter_trunk::signature::sign_trunk;
use porter_trunk::{AccountLabel, Label, LabelWords, MachineLabel, TrunkError, TrunkId, TrunkWriter};
use std::io::IsTerminal;
use std::path::PathBuf;

/// Capture a machine's items into a trunk, and read it back
#[derive(Debug, Args)]
pub(crate) struct CaptureArguments {
    /// Folder where the machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    /// Folder for the trunk: new, or empty; or one with a trunk of this machine, to go on with it or to top
    /// it up
    #[arg(value_parser = paths::typed())]
    trunk: PathBuf,
    #[command(flatten)]
    drives: DriveArguments,
    #[command(flatten)]
    image: ImageArguments,
    /// MACHINE is a drive, and all that is read of it is kept in FILE, too: an image, with its map in
    /// FILE.map. Stretches that the image has already are not read again
    #[arg(long, value_name = "FILE", value_parser = paths::typed())]
    copy_image: Option<PathBuf>,
    /// MACHINE is one person's folder alone, or a copy of it, and NAME is what to call them
    #[arg(long, value_name = "NAME", conflicts_with_all = ["drives", "as_drive"])]
    as_person: Option<String>,
    #[command(flatten)]
    making: MakingArguments,
    /// Only the items of this account (may be given several times)
    #[arg(help_heading = CHOOSING, long, value_name = "NAME")]
    account: Vec<String>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    choice: ChoiceArguments,
    #[command(flatten)]
    packing: ListArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    #[command(flatten)]
    label: LabelArguments,
    /// Programs that write to what is captured: wait until they are closed
    #[arg(long)]
    wait: bool,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

const MAKING: &str = "Making the trunk";
const LABEL: &str = "On the label";

/// How the trunk is made.
#[derive(Debug, Args)]
struct MakingArguments {
    /// Form of the trunk
    #[arg(help_heading = MAKING, long, value_enum, default_value_t = Form::Packed)]
    form: Form,
    /// Encrypt everything in the trunk but its label
    #[arg(help_heading = MAKING, long)]
    seal: bool,
    /// A hint that brings the passphrase back to mind; anyone can read it
    #[arg(help_heading = MAKING, long, value_name = "TEXT", requires = "seal")]
    reminder: Option<String>,
    /// Ask the running Windows for the passwords of its Wi-Fi networks; they go into sealed trunks alone
    #[arg(help_heading = MAKING, long)]
    wifi_passwords: bool,
    #[command(flatten)]
    key: KeyArguments,
    /// Recovery data that repairs so much damage: 5%
    #[arg(help_heading = MAKING, long = "recovery", alias = "spare", value_name = "SHARE", value_parser = amounts::percent)]
    spare: Option<f64>,
    /// The stick is full: go on in this folder on another one
    #[arg(help_heading = MAKING, long, value_name = "FOLDER", value_parser = paths::typed())]
    continue_on: Option<PathBuf>,
    /// Folder of a part of the trunk between the first and the last (may be given several times)
    #[arg(help_heading = MAKING, long = "with", value_name = "FOLDER", value_parser = paths::typed())]
    with: Vec<PathBuf>,
    /// Begin although it may not fit
    #[arg(help_heading = MAKING, long)]
    may_not_fit: bool,
    /// Things that the trunk holds, and that this capture neither chooses nor finds, may leave the trunk
    #[arg(help_heading = MAKING, long)]
    may_leave_out: bool,
    /// Do not read the trunk back now. Run `porter check TRUNK` before you rely on it
    #[arg(help_heading = MAKING, long)]
    prove_later: bool,
    /// Largest file of the trunk: from 16MiB to 3.9GiB
    #[arg(help_heading = MAKING, long, alias = "pack-size", value_name = "SIZE", value_parser = amounts::pack_size, default_value = "1GiB")]
    largest_file: u64,
}

/// The forms of trunk.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Form {
    /// Compressed, each content once; goes on where it was cut off, and can be topped up
    Packed,
    /// Plain folders that anyone can browse (a BagIt bag)
    Open,
    /// On the old system's own volume, sharing the data that is there: for reinstalling the system in its
    /// place
    Parked,
}

/// The texts to write on the outside of the trunk.
#[derive(Debug, Args)]
struct LabelArguments {
    /// The workshop's name for the job
    #[arg(help_heading = LABEL, long, value_name = "NUMBER")]
    job: Option<String>,
    /// Who makes the capture
    #[arg(help_heading = LABEL, long, value_name = "NAME")]
    technician: Option<String>,
    /// The workshop
    #[arg(help_heading = LABEL, long, value_name = "NAME")]
    workshop: Option<String>,
    /// Whose things these are
    #[arg(help_heading = LABEL, long, value_name = "NAME")]
    owner: Option<String>,
    /// How to reach them if the trunk is found
    #[arg(help_heading = LABEL, long, value_name = "TEXT")]
    return_to: Option<String>,
}

pub(crate) fn run(arguments: &CaptureArguments) -> Result<Outcome, Failure> {
    let making = &arguments.making;
    refuse_what_does_not_go_together(making)?;
    let list = open::packing_list(&arguments.packing)?;
    let opened = || {
        let person = arguments.as_person.as_deref();
        let reading = arguments.image.reading(arguments.copy_image.clone());
        let keys = DriveKeys::of(&arguments.image)?;
        let mut source = open::source(&arguments.machine, &arguments.drives, person, reading, &keys)?;
        pass_by(&mut source.machine, &arguments.trunk);
        let listed = list.iter().flat_map(|list| &list.also);
        open::add_by_name(&mut source.machine, arguments.choice.also.iter().chain(listed))?;
        if making.wifi_passwords {
            source.machine.shows_wifi_passwords = may_ask_for_wifi_passwords(&source.machine, arguments)?;
        }
        Ok::<_, Failure>(source)
    };
    let Source { mut machine, mut reading } = opened()?;
    let kinds = open::kinds(&machine, &arguments.rules)?;
    let selection =
        open::selection_on(&machine, &arguments.account, &arguments.selection, &arguments.choice)?;
    let selection = open::narrowed(selection, list.as_ref());
    let unchosen = open::unchosen(&arguments.choice, list.as_ref())?;
    let mut survey = look_at(&machine, &kinds, &selection, &unchosen, &arguments.conduct)?;
    if !closed(&machine, &kinds, &survey, arguments.wait)? {
        Source { machine, reading } = opened()?;
        survey = look_at(&machine, &kinds, &selection, &unchosen, &arguments.conduct)?;
    }
    if let Some(list) = &list {
        views::capture::tell_changes(&machine, list, &list.changes_in(&survey));
    }
    let label = label(&machine, arguments)?;
    let goes_on = Outside::load(&arguments.trunk).is_ok();
    let folder = making.continue_on.as_ref().unwrap_or(&arguments.trunk);
    let predict = |shape| forecast(&machine, &survey, folder, shape, making.may_not_fit);
    let (trunk, trunk_id, forecast): (Box<dyn TrunkWriter>, _, _) = match making.form {
        Form::Open => {
            let forecast = predict(Shape::Files)?;
            open::note_trunk(&label.trunk_id);
            let trunk_id = label.trunk_id.short();
            (Box::new(OpenTrunkWriter::create(folder, label)?), trunk_id, forecast)
        }
        Form::Parked => {
            let forecast = predict(Shape::Links)?;
            let trunk = ParkedTrunkWriter::begin(folder, label)?;
            open::note_trunk(&trunk.label().trunk_id);
            let trunk_id = trunk.label().trunk_id.short();
            (Box::new(trunk), trunk_id, forecast)
        }
        Form::Packed => {
            let (trunk, forecast) = packed(arguments, label, &predict)?;
            open::note_trunk(&trunk.label().trunk_id);
            let trunk_id = trunk.label().trunk_id.short();
            (Box::new(trunk), trunk_id, forecast)
        }
    };
    if !arguments.json {
        /// Below this size a capture takes no time, and needs no forecast of it.
        const WORTH_TRYING_IN_BYTES: u64 = 1_000_000_000;
        let is_long = forecast.to_capture.size_in_bytes >= WORTH_TRYING_IN_BYTES;
        let above = folder.ancestors().find(|folder| folder.is_dir());
        let speed = above.filter(|_| is_long).and_then(measured);
        views::capture::show_forecast(&machine, &forecast, folder, speed);
    }
    let drive = reading.as_ref().map(BeingRead::notes);
    let done = open::conducted_on_drive(&arguments.conduct, drive, |conduct| {
        let job = Job {
            machine: &machine,
            kinds: &kinds,
            survey: &survey,
            unchosen: &unchosen,
            prove_later: making.prove_later,
            may_leave_out: making.may_leave_out,
            free_in_bytes: forecast.free_in_bytes,
        };
        capture(&job, &*trunk, &open::now_utc, conduct)
    });
    if let Some(reading) = &reading {
        reading.write_map(folder)?;
    }
    let report = done??;
    let signed = keys::signing_key()?;
    if let Some(key) = &signed {
        let mut folders = vec![arguments.trunk.clone()];
        folders.extend(making.with.iter().cloned());
        folders.extend(making.continue_on.iter().cloned());
        sign_trunk(&folders, key, open::now_utc())?;
    }
    if arguments.json {
        say_json(&views::capture::json(&report, folder, &trunk_id));
    } else {
        let folders = [&arguments.trunk].into_iter().chain(&making.with).chain(&making.continue_on);
        let took = Took {
            written_in_bytes: trunk.written_in_bytes(),
            all_in_bytes: goes_on.then(|| folders.map(|folder| size_of_folder(folder)).sum()),
        };
        views::capture::show(&report, folder, &trunk_id, making.prove_later, &took);
        if let Some(key) = &signed {
            say(format_args!("Signed as {}.", porter_names::screen::on_screen(key.by().as_bytes())));
        }
    }
    Ok(Outcome::attention_if(views::capture::needs_attention(&report)))
}

/// All files of a trunk's folder; what cannot be looked at takes nothing.
fn size_of_folder(folder: &std::path::Path) -> u64 {
    let rows = std::fs::read_dir(folder).into_iter().flatten().flatten();
    rows.filter_map(|row| row.metadata().ok()).filter(|found| found.is_file()).map(|found| found.len()).sum()
}

/// Deals with programs that write to what is about to be captured. False if they were waited for: what was
/// counted is not true any more.
fn closed(machine: &Machine, kinds: &Kinds, survey: &Survey, wait: bool) -> Result<bool, Failure> {
    let open: Vec<&Item> = views::capture::running(survey).collect();
    if open.is_empty() {
        return Ok(true);
    }
    views::capture::tell_running(survey);
    if !wait {
        if !std::io::stdin().is_terminal() {
            return Ok(true);
        }
        match ask("[w]ait until they are closed, [g]o on as it is, or [s]top? ").to_lowercase().as_str() {
            "g" => return Ok(true),
            "w" => {}
            _ => {
                return Err(Failure::new(
                    "stopped: programs are running",
                    "Nothing was captured. Close them, and capture again.",
                ));
            }
        }
    }
    tell("Waiting until they are closed.");
    while open.iter().any(|item| kinds.of(item).is_open(item, machine)) {
        std::thread::sleep(std::time::Duration::from_secs(1));
    }
    Ok(false)
}

/// True, or why not: they would lie open, or the system does not show them.
fn may_ask_for_wifi_passwords(machine: &Machine, arguments: &CaptureArguments) -> Result<bool, Failure> {
    let will_be_sealed =
        Outside::load(&arguments.trunk).map_or(arguments.making.seal, |outside| outside.sealed);
    let runs_here = machine.here.filter(|_| machine.layout.family == Family::Windows);
    let (refused, advice) = match runs_here {
        _ if !will_be_sealed => {
            ("passwords of Wi-Fi networks go into a sealed trunk alone", "Give --seal, too.")
        }
        None => (
            "only a Windows that runs shows the passwords of its Wi-Fi networks",
            "Leave --wifi-passwords out. Those of a Linux are in its files, and are captured with them.",
        ),
        Some(here) if !here.as_administrator => (
            "Windows shows the passwords of its Wi-Fi networks to administrators alone",
            "Run porter as one.",
        ),
        Some(_) => return Ok(true),
    };
    Err(Failure::wrong_use(refused, format!("Nothing was done. {advice}")))
}

fn refuse_what_does_not_go_together(making: &MakingArguments) -> Result<(), Failure> {
    let why = match making.form {
        Form::Packed => return Ok(()),
        Form::Open => "An open trunk is plain folders that anyone can browse",
        Form::Parked => "A parked trunk shares the files that are there, as they are",
    };
    for (given, option) in [
        (making.seal, "--seal"),
        (making.spare.is_some(), "--recovery"),
        (making.continue_on.is_some(), "--continue-on"),
    ] {
        if given {
            return Err(Failure::wrong_use(
                format!("only a packed trunk can have {option}"),
                format!("Nothing was done. {why}: leave --form out for a packed one."),
            ));
        }
    }
    Ok(())
}

/// A packed trunk: a new one, or one that is gone on with.
fn packed(
    arguments: &CaptureArguments,
    label: Label,
    predict: &dyn Fn(Shape) -> Result<Forecast, CaptureError>,
) -> Result<(PackedTrunkWriter, Forecast), Failure> {
    let making = &arguments.making;
    let options = PackedOptions { pack_in_bytes: making.largest_file, spare_in_percent: making.spare };
    let shape = |already_in_bytes| Shape::Packs {
        already_in_bytes,
        spare_in_percent: making.spare.unwrap_or_default(),
    };
    let Ok(outside) = Outside::load(&arguments.trunk) else {
        if making.continue_on.is_some() {
            return Err(Failure::wrong_use(
                format!("`{}` holds no trunk to go on with", paths::shown(&arguments.trunk)),
                "Name the folder of the first part, as before.",
            ));
        }
        let forecast = predict(shape(0))?;
        let seal = if making.seal {
            let passphrase = keys::new_passphrase(&making.key)?;
            Some(Seal { passphrase, workshop: keys::workshop_public_key()? })
        } else {
            None
        };
        return Ok((PackedTrunkWriter::create(&arguments.trunk, label, seal.as_ref(), &options)?, forecast));
    };
    if making.seal && !outside.sealed {
        return Err(Failure::wrong_use(
            "the trunk was begun without --seal",
            "Nothing was done. Name another folder for a sealed one.",
        ));
    }
    let opener = keys::opener_if_sealed(&making.key, &outside)?;
    let mut folders = vec![arguments.trunk.clone()];
    folders.extend(making.with.iter().cloned());
    // A part that was begun there already is gone on with.
    let mut continue_on = making.continue_on.as_deref();
    if let Some(folder) = continue_on.filter(|folder| Outside::load(folder).is_ok()) {
        folders.push(folder.to_path_buf());
        continue_on = None;
    }
    let trunk = PackedTrunkWriter::go_on(&folders, continue_on, label, opener.as_ref(), &options)?;
    match predict(shape(trunk.safe_in_bytes())) {
        Ok(forecast) => {
            views::capture::tell_going_on(trunk.safe_files(), trunk.safe_in_bytes());
            views::capture::tell_set_aside(trunk.set_aside());
            Ok((trunk, forecast))
        }
        Err(refused) => {
            trunk.pause();
            Err(refused.into())
        }
    }
}

fn label(machine: &Machine, arguments: &CaptureArguments) -> Result<Label, Failure> {
    let given = &arguments.label;
    let trunk_id = TrunkId::random().map_err(|cause| {
        CaptureError::Trunk(TrunkError::Io { doing: "asking for randomness", path: PathBuf::new(), cause })
    })?;
    let accounts = machine
        .accounts
        .iter()
        .map(|account| AccountLabel {
            id: account.id.clone(),
            name: account.shown_name(),
            places: places_as_written(machine, account),
        })
        .collect();
    Ok(Label {
        format: FORMAT.to_owned(),
        version: FormatVersion { major: MAJOR, minor: MINOR },
        trunk_id,
        made_by: concat!("porter ", env!("CARGO_PKG_VERSION")).to_owned(),
        started_utc: open::now_utc(),
        machine: MachineLabel { name: machine.name.clone(), system: machine.system.clone() },
        accounts,
        words: LabelWords {
            job: given.job.clone(),
            technician: given.technician.clone(),
            workshop: given.workshop.clone(),
            owner: given.owner.clone(),
            return_to: given.return_to.clone(),
            reminder: arguments.making.reminder.clone(),
        },
    })
}
