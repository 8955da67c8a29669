//! `porter restore`.

use super::check::write_script;
use super::homeless::{Settled, Way, passwords_in, settle, take_back};
use super::letter_words::{RoleWord, day, letter_choice};
use crate::arguments::OwnRulesArguments;
use crate::arguments::{ConductArguments, DriveArguments, ListArguments, SelectionArguments, TrunkArguments};
use crate::failure::{Failure, Outcome};
use crate::publish::will_publish;
use crate::screen::{CARE, ask, confirmed, say, say_json, styled, tell};
use crate::views::numbers::{date_and_time, size};
use crate::{open, outlook, paths, views};
use clap::{Args, ValueEnum};
use porter_core::check::check_machine;
use porter_core::restore::{Plan, RestoreError, RestoreReport, Wishes, plan_restore, run_plan};
use porter_kinds::Kinds;
use porter_kinds::choice::LandHeld;
use porter_kinds::choice::Selection;
use porter_kinds::existing::Side;
use porter_kinds::existing::{Different, Existing};
use porter_kinds::printer_driver;
use porter_kinds::receipt::Receipt;
use porter_kinds::value_kinds::has_only_values;
use porter_kinds::wishes::{
    AccountWishes, BrowserWishes, DriveWishes, KindWishes, MailWishes, NewerProfiles, PrinterWishes,
    SettingWishes,
};
use porter_machine::control::Control;
use porter_machine::control::printing::{PrintQueues, print_text};
use porter_machine::{Machine, Place};
use porter_names::RelativePath;
use porter_trunk::{Trunk, TrunkItem};
use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::path::PathBuf;
use time::Date;

const LANDING: &str = "How it lands";
const MAIL: &str = "Mail into another program";

/// Restore a trunk's items onto another machine. Nothing there is deleted or overwritten
#[derive(Debug, Args)]
pub(crate) struct RestoreArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// Folder where the new machine's system drive is mounted, or `here` for the running one
    #[arg(value_parser = paths::typed())]
    machine: PathBuf,
    #[command(flatten)]
    drives: DriveArguments,
    /// OLD=NEW: the account OLD goes into the account NEW. A name alone: only the items of that account
    #[arg(help_heading = LANDING, long, value_name = "OLD=NEW")]
    account: Vec<String>,
    /// Make accounts for people who have none on the new machine, with their full names and rights (Linux as
    /// root; the running Windows as administrator)
    #[arg(help_heading = LANDING, long)]
    make_accounts: bool,
    /// File of lines NAME:PASSWORD with the first passwords of accounts that are made; those of others are
    /// locked until somebody sets one
    #[arg(help_heading = LANDING, long, value_name = "FILE", value_parser = paths::typed(), requires = "make_accounts")]
    password_file: Option<PathBuf>,
    #[command(flatten)]
    selection: SelectionArguments,
    #[command(flatten)]
    packing: ListArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    /// Land what the rules hold back, of items that fit: an id, the beginning of one, a pattern; or an id and
    /// a path in it (may be given several times). Look at it first
    #[arg(help_heading = LANDING, long, value_name = "PATTERN")]
    land_held: Vec<String>,
    /// When a file is there already and differs: `set-aside` it under a dated name, `keep` it and put the
    /// trunk's beside it, let the `newer` one have the name, or `ask` for each
    #[arg(help_heading = LANDING, long, value_name = "WHICH", default_value = "set-aside")]
    existing: ExistingWord,
    /// PLACE[/FOLDER]: what was at the root of the old drive goes there, such as `shared-documents/Old
    /// drive`; else to the root of the new one, if it is of the same kind of system
    #[arg(help_heading = LANDING, long, value_name = "PLACE[/FOLDER]", value_parser = place_and_folder)]
    drive_root: Option<(Place, RelativePath)>,
    /// People's settings: `set` them as they were, or `keep` those of the new machine
    #[arg(help_heading = LANDING, long, value_name = "WHICH", default_value = "set")]
    settings: SettingsWord,
    /// Give the new machine the old one's name, from its next start on. Two of one name on a network get in
    /// each other's way: the old one must be gone
    #[arg(help_heading = LANDING, long)]
    rename_machine: bool,
    /// Install drivers of printers from the trunk, where the new Windows lacks them and trusts their
    /// signatures (the running Windows, as administrator). A driver runs with all rights: only from a machine
    /// that you trust
    #[arg(help_heading = LANDING, long)]
    install_drivers: bool,
    /// Print a page on each printer that was set
    #[arg(help_heading = LANDING, long, conflicts_with = "try_only")]
    test_page: bool,
    /// Browsers open the restored profiles by default, instead of those that they open now
    #[arg(help_heading = LANDING, long)]
    restored_profiles_open: bool,
    /// How to treat a profile last used by a newer version of its browser than the one here: `leave` it in
    /// the trunk, carry its `bookmarks` alone, or `carry` it for the day the browser is updated
    #[arg(help_heading = LANDING, long, value_name = "WHAT", default_value = "leave")]
    newer_profiles: NewerWord,
    /// Add the bookmarks of all browsers in the trunk to this one as well, without duplicates: firefox,
    /// chrome, edge, favourites…
    #[arg(help_heading = LANDING, long, value_name = "BROWSER")]
    bookmarks_into: Option<String>,
    /// Bring the letters of all mail programs in the trunk to this one as well, behind what is there and
    /// without doubles, with people, events and tasks: thunderbird, evolution; or into a folder from where
    /// somebody has it import them: apple-mail, windows-mail, outlook
    #[arg(help_heading = MAIL, long, value_name = "PROGRAM")]
    mail_into: Option<String>,
    /// Only letters of folders whose name or path fits: 'Inbox', '*/Customers/**'
    #[arg(help_heading = MAIL, long = "mail-folder", value_name = "PATTERN", requires = "mail_into")]
    mail_folders: Vec<String>,
    /// No letters of folders for these
    #[arg(help_heading = MAIL, long, value_name = "ROLE", value_delimiter = ',', requires = "mail_into")]
    mail_skip_role: Vec<RoleWord>,
    /// No letters that came before this day, as 2024-12-31
    #[arg(help_heading = MAIL, long, value_name = "DAY", value_parser = day, requires = "mail_into")]
    mail_since: Option<Date>,
    /// No letters that came after this day
    #[arg(help_heading = MAIL, long, value_name = "DAY", value_parser = day, requires = "mail_into")]
    mail_until: Option<Date>,
    /// Then start Outlook once, so that it opens the data files that landed (on the running Windows, for the
    /// person who is signed in; Outlook 2003 to 2019)
    #[arg(help_heading = LANDING, long, conflicts_with = "try_only")]
    open_in_outlook: bool,
    /// Say what would happen, and change nothing
    #[arg(long = "try", alias = "dry-run")]
    try_only: bool,
    /// Afterwards write what is left to do by command as a script for the new machine: settings, printers and
    /// accounts, for PowerShell on Windows, for a shell elsewhere
    #[arg(long, value_name = "FILE.ps1|FILE.sh", value_parser = paths::typed(), conflicts_with = "try_only")]
    script: Option<PathBuf>,
    /// Do not ask
    #[arg(long, short)]
    yes: bool,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
    #[command(flatten)]
    conduct: ConductArguments,
}

/// How to treat a profile that a later version of its browser has used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum NewerWord {
    Leave,
    Bookmarks,
    Carry,
}

/// Which of two machines' settings are in force.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum SettingsWord {
    Set,
    Keep,
}

/// Which of two files of one name keeps it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum ExistingWord {
    SetAside,
    Keep,
    Newer,
    Ask,
}

pub(crate) fn run(arguments: &RestoreArguments) -> Result<Outcome, Failure> {
    will_publish(arguments.script.iter())?;
    // Whether the folders are what they are taken for is said before anything is asked.
    open::refuse_swapped(&arguments.trunk.trunk, &arguments.machine, "restore")?;
    open::refuse_no_trunk(&arguments.trunk)?;
    refuse_if_nobody_answers(arguments)?;
    let trunk = open::trunk(&arguments.trunk)?;
    let trunk = &*trunk;
    if arguments.drives.spinning {
        trunk.spin();
    }
    let machine = open::machine(&arguments.machine, &arguments.drives)?;
    if arguments.open_in_outlook {
        outlook::refuse_elsewhere(&machine)?;
    }
    let (mapping, selection) = open::selection_in(trunk.label(), &arguments.account, &arguments.selection)?;
    let selection = open::narrowed(selection, open::packing_list(&arguments.packing)?.as_ref());
    let ids = trunk.items().iter().map(|item| (item.id.as_str(), item.account.as_deref()));
    open::refuse_unmatched(&selection, ids)?;
    let way = match (arguments.make_accounts, arguments.try_only, arguments.yes) {
        (true, true, _) => Way::TellWhatWouldBeMade,
        (true, false, _) => Way::Make,
        (false, false, false) => Way::Ask,
        (false, ..) => Way::Leave,
    };
    let passwords = passwords_in(arguments.password_file.as_deref())?;
    let settled = Settled { machine, accounts: mapping, selection, made: BTreeMap::new() };
    let Settled { machine, accounts: mapping, selection, made } =
        settle(trunk, (&arguments.machine, &arguments.drives), settled, way, &passwords)?;
    drop(passwords);
    let kinds = open::kinds(&machine, &arguments.rules)?;
    let mut land_held = LandHeld::new(&arguments.land_held)?;
    if let Some(pattern) = land_held.unmatched(trunk.items().iter().map(|item| item.id.as_str())).first() {
        return Err(Failure::wrong_use(
            format!("--land-held: no item fits `{}`", porter_names::screen::on_screen(pattern.as_bytes())),
            "Nothing was changed. `porter look TRUNK` shows the ids of the items.",
        ));
    }
    if arguments.install_drivers {
        land_held.add(printer_driver::missing_on(&machine, trunk.items()));
    }
    let browser = BrowserWishes {
        opens: arguments.restored_profiles_open,
        newer: match arguments.newer_profiles {
            NewerWord::Leave => NewerProfiles::Leave,
            NewerWord::Bookmarks => NewerProfiles::BookmarksOnly,
            NewerWord::Carry => NewerProfiles::Carry,
        },
        bookmarks_into: arguments.bookmarks_into.clone(),
    };
    if let Some(name) = browser.bookmarks_into.as_ref().filter(|_| !browser.is_known(&kinds)) {
        return Err(Failure::wrong_use(
            format!("no browser is called `{}`", porter_names::screen::on_screen(name.as_bytes())),
            "Nothing was changed. `porter rules list` shows them; `favourites` are those of Windows.",
        ));
    }
    let mail = mail_wishes(arguments, &kinds)?;
    let root = drive_root(trunk, &machine, &selection, arguments)?;
    let setting = SettingWishes {
        keep: arguments.settings == SettingsWord::Keep,
        rename_machine: arguments.rename_machine,
    };
    let account = AccountWishes { made: made.keys().cloned().collect() };
    let printer = PrinterWishes { install_drivers: arguments.install_drivers };
    let kind_wishes = KindWishes { browser, drive: DriveWishes { root }, mail, setting, account, printer };
    let mut always = None;
    let mut decide = |pair: &Different| match arguments.existing {
        ExistingWord::SetAside => Existing::SetAside,
        ExistingWord::Keep => Existing::Keep,
        ExistingWord::Newer => Existing::Newer,
        ExistingWord::Ask => asked(pair, &mut always),
    };
    let mut plan = open::conducted(&arguments.conduct, |conduct| {
        let now_utc = open::now_utc();
        let wishes = Wishes {
            land_held: &land_held,
            accounts: &mapping,
            selection: &selection,
            kinds: &kind_wishes,
            now_utc,
        };
        plan_restore(trunk, &machine, &kinds, &wishes, &mut decide, conduct)
    })??;
    plan.spins |= arguments.drives.spinning;
    let is_odd = !plan.changes.notes().is_empty() || plan.changes.close_first().len() > 0;
    let needs_attention = |refused: &[porter_core::restore::Refused]| {
        Outcome::attention_if(is_odd || refused.iter().any(|refused| refused.needs_attention))
    };
    if !arguments.json {
        views::restore::show_plan(&plan, &trunk.label().machine.name, &machine.name, arguments.try_only);
    }
    if arguments.try_only {
        if arguments.json {
            say_json(&views::restore::plan_json(&plan));
        } else {
            say("");
            say("Only tried: nothing was changed.");
        }
        return Ok(needs_attention(&plan.refused));
    }
    if !arguments.yes && !confirmed("Restore now?") {
        take_back(&machine, &made);
        return Err(Failure::new("not restored", "Nothing was changed."));
    }
    let Some(records) = machine.records_on_host() else {
        let folder = machine.layout.shared_data.to_owned();
        return Err(RestoreError::RecordsInTheWay(folder).into());
    };
    let accounts = plan.outline.accounts.clone();
    let notes = plan.changes.notes().to_vec();
    let is_setting = |item: &&porter_trunk::TrunkItem| {
        plan.outline.items.contains(&item.id)
            && porter_machine::SettingKind::is_name(&item.kind)
            && (item.account.is_none() || item.kind == porter_machine::SettingKind::Printer.name())
    };
    let settings = trunk.items().iter().filter(is_setting).count();
    let printers = if arguments.test_page { printers_of(&plan) } else { Vec::new() };
    let report = open::conducted(&arguments.conduct, |conduct| {
        run_plan(trunk, plan, Some(&records), &open::now_utc, conduct)
    })??;
    if arguments.json {
        say_json(&views::restore::json(&report, &accounts, &notes));
    } else {
        views::restore::show("Restored.", &report);
        if settings > 0 {
            views::restore::tell_of_settings(settings as u64);
        }
    }
    let all_printed = print_pages(&printers, &report, &trunk.label().machine.name);
    if !arguments.json {
        views::letters::show_brought(&report);
    }
    let all_brought = views::letters::all_came(&report);
    if let Some(script) = &arguments.script {
        let receipt = values_checked(arguments, trunk, &mapping, selection)?;
        write_script(script, &receipt)?;
        if !arguments.json {
            views::receipt::tell_of_script(script, views::script::commands(&receipt));
        }
    }
    let is_opened = !arguments.open_in_outlook
        || outlook::open_carried(&machine, &trunk.label().machine.name, arguments.yes);
    if !all_printed || !is_opened || !all_brought {
        return Ok(Outcome::attention_if(true));
    }
    Ok(needs_attention(&report.refused))
}

/// Which letters are brought into which program, if any are.
fn mail_wishes(arguments: &RestoreArguments, kinds: &Kinds) -> Result<MailWishes, Failure> {
    let RestoreArguments { mail_folders, mail_skip_role, mail_since, mail_until, .. } = arguments;
    let letters = letter_choice("--mail-folder", mail_folders, mail_skip_role, (*mail_since, *mail_until))?;
    let mail = MailWishes { into: arguments.mail_into.clone(), letters };
    match mail.into.as_ref().filter(|_| !mail.is_known(kinds)) {
        Some(name) => Err(Failure::wrong_use(
            format!("letters cannot be brought into `{}`", porter_names::screen::on_screen(name.as_bytes())),
            "Nothing was changed. These take them: thunderbird, evolution, apple-mail, windows-mail, outlook. For other programs, `porter take TRUNK ITEM OUT --as mbox` (or maildir, letters, msg).",
        )),
        None => Ok(mail),
    }
}

/// The printers that a plan sets, by item and name.
fn printers_of(plan: &Plan) -> Vec<(String, String)> {
    let queues = plan.changes.controls().iter().filter(|set| set.control.name() == PrintQueues.name());
    queues.filter_map(|set| Some((set.item.clone(), set.becomes.get("name")?.clone()))).collect()
}

/// Prints a page on each printer that was set. False if one does not take it.
fn print_pages(printers: &[(String, String)], report: &RestoreReport, from: &str) -> bool {
    let mut all_printed = true;
    for (item, name) in printers {
        if report.refused.iter().any(|refused| refused.item.as_ref() == Some(item)) {
            continue;
        }
        let shown = porter_names::screen::on_screen(name.as_bytes());
        let page = views::restore::test_page(&shown, &porter_names::screen::on_screen(from.as_bytes()));
        match print_text(name, "Loyal Porter: test page", &page) {
            Ok(()) => tell(format_args!("A page was sent to {shown}: look whether it comes out.")),
            Err(cause) => {
                all_printed = false;
                tell(format_args!("{}", styled(CARE, format_args!("! {shown} takes no page: {cause}"))));
            }
        }
    }
    all_printed
}

/// Makes a receipt of all items that are values and no files. No content is read.
fn values_checked(
    arguments: &RestoreArguments,
    trunk: &dyn Trunk,
    mapping: &BTreeMap<String, String>,
    selection: Selection,
) -> Result<Receipt, Failure> {
    let machine = open::machine(&arguments.machine, &arguments.drives)?;
    let kinds = open::kinds(&machine, &arguments.rules)?;
    let is_wanted = |item: &&TrunkItem| {
        has_only_values(&item.kind) && selection.chooses(&item.id, item.account.as_deref())
    };
    let ids = trunk.items().iter().filter(is_wanted).map(|item| item.id.clone()).collect();
    let selection = selection.with_list(ids);
    Ok(open::conducted(&arguments.conduct, |conduct| {
        check_machine(trunk, &machine, &kinds, mapping, &selection, open::now_utc(), conduct)
    })??)
}

fn refuse_if_nobody_answers(arguments: &RestoreArguments) -> Result<(), Failure> {
    if !arguments.yes && !arguments.try_only && !std::io::stdin().is_terminal() {
        return Err(Failure::wrong_use(
            "nobody is there to be asked",
            "Nothing was changed. Add --yes to restore, or --try to see what would happen.",
        ));
    }
    if arguments.existing == ExistingWord::Ask && !std::io::stdin().is_terminal() {
        return Err(Failure::wrong_use(
            "nobody is there to be asked which file keeps its name",
            "Nothing was changed. Name one of the other ways for --existing: set-aside, keep or newer.",
        ));
    }
    Ok(())
}

/// A shared place, and a folder in it.
fn place_and_folder(text: &str) -> Result<(Place, RelativePath), String> {
    let (place, folder) = text.split_once(['/', '\\']).unwrap_or((text, ""));
    let shared = || Place::all().filter(|place| !place.is_personal());
    let found = shared().find(|known| known.name() == place).ok_or_else(|| {
        format!(
            "there is no place `{place}` for everybody; there are {}",
            shared().map(Place::name).collect::<Vec<_>>().join(", ")
        )
    })?;
    let folder = RelativePath::from_bytes(folder.replace('\\', "/").as_bytes())
        .map_err(|refused| refused.to_string())?;
    Ok((found, folder))
}

/// Where things from the root of the old drive go: as given, else to the same place on a system of the same
/// family. A system of another family keeps nothing there, so somebody at the terminal is asked, and else
/// they go to what everybody shares.
fn drive_root(
    trunk: &dyn Trunk,
    machine: &Machine,
    selection: &Selection,
    arguments: &RestoreArguments,
) -> Result<Option<(Place, RelativePath)>, Failure> {
    let is_at_root = |item: &&TrunkItem| item.parts.iter().any(|part| part.place == Place::DriveRoot.name());
    let chosen = |item: &&TrunkItem| item.chosen && selection.chooses(&item.id, item.account.as_deref());
    let label = trunk.label();
    let is_same = label.machine.system.family == machine.layout.family.name();
    let has_any = trunk.items().iter().filter(chosen).any(|item| is_at_root(&item));
    if arguments.drive_root.is_some() || is_same || !has_any {
        return Ok(arguments.drive_root.clone());
    }
    let name = porter_names::screen::on_screen(label.machine.name.as_bytes());
    let usual = format!("{}/From the drive of {name}", Place::SharedDocuments.name());
    let mut wanted = String::new();
    if std::io::stdin().is_terminal() && !arguments.yes && !arguments.try_only {
        wanted = ask(&format!("Where does what was at the root of the old drive go? (nothing: {usual}) "));
    }
    let wanted = if wanted.is_empty() { usual } else { wanted };
    tell(format_args!("What was at the root of the old drive goes to {wanted}."));
    place_and_folder(&wanted).map(Some).map_err(|wrong| Failure::wrong_use(wrong, "Nothing was changed."))
}

/// Asks for one file; a capital letter is the answer for all that follow. No answer is the careful one.
fn asked(pair: &Different, always: &mut Option<Existing>) -> Existing {
    if let Some(decided) = always {
        return *decided;
    }
    let side = |side: &Side| {
        let when = side.modified_utc.map(|at| format!(", changed {}", date_and_time(at)));
        format!("{}{}", size(side.size_in_bytes), when.unwrap_or_default())
    };
    let question = format!(
        "{} is there already, and differs.\n  there:    {}\n  in trunk: {}\nWhich gets the name? [t]runk's, the one [k]ept there, the [n]ewer; a capital letter for all that follow: ",
        pair.at,
        side(&pair.there),
        side(&pair.in_trunk)
    );
    let answer = ask(&question);
    let decided = match answer.to_ascii_lowercase().as_str() {
        "k" => Existing::Keep,
        "n" => Existing::Newer,
        _ => Existing::SetAside,
    };
    if ["T", "K", "N"].contains(&answer.as_str()) {
        *always = Some(decided);
    }
    decided
}
