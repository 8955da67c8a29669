//! `porter take`.

use super::letter_words::{RoleWord, day, letter_choice};
use super::look::{fits, item_and_path, patterns};
use crate::arguments::OwnRulesArguments;
use crate::arguments::{ConductArguments, TrunkArguments};
use crate::failure::{Failure, Outcome};
use crate::publish::refuse_in_a_trunk;
use crate::screen::{say, tell};
use crate::stop::STOP;
use crate::usable_list::UsableList;
use crate::views::numbers::{count, counted};
use crate::{open, paths, views};
use clap::{Args, ValueEnum};
use porter_core::restore::{RestoreError, plan_take, run_plan};
use porter_kinds::catalogue::Catalogue;
use porter_kinds::forms::{Form, Taken, take_as};
use porter_kinds::mail::letters_out::{self, LetterForm, MAILDIR_SEPARATOR};
use porter_kinds::mail::things_out::take_notes as take_notes_of;
use porter_kinds::not_taken::NotTaken;
use porter_kinds::registry_part::form::registration_of;
use porter_names::RelativePath;
use porter_trunk::{Content, ContentHasher, Entry, PieceFailed, Trunk, TrunkItem, in_pieces};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use time::Date;

/// Take one thing out of a trunk, into a folder
#[derive(Debug, Args)]
pub(crate) struct TakeArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// An item, or a folder or file in it: odile/folder/documents/Kites
    #[arg(value_name = "ITEM[/PATH]")]
    item: String,
    /// Folder to put it into; made if it is not there. A file that differs there is set aside, never deleted.
    /// `-`: the content of one file, to standard output
    #[arg(value_parser = paths::typed())]
    folder: PathBuf,
    /// A browser's profile offers `bookmarks` as the HTML file that browsers import, `feeds` as OPML (so
    /// does Thunderbird), `history` or open `tabs` as a page, Firefox and its kin `cookies` as a text. People
    /// of a mail program, and cards (.vcf), contacts of Windows and macOS, LDIF and tables (.csv) anywhere,
    /// come as `contacts` (vCard 3.0), `contacts-v4`, `contacts-ldif` or `contacts-table` of comma-separated
    /// values; events and `tasks` of Outlook, Thunderbird and calendars (.ics) as a `calendar`, Outlook's
    /// `notes` as a text each. Mail of every program comes as `mbox`, a mailbox for each folder, as
    /// `letters`, a file each, as `maildir`, or as `msg`, a file each for Outlook. Every item offers its
    /// part of the person's `registry` as a file that Windows takes in. The last argument is then the file
    /// to write, or `-`; a new folder for letters and notes
    #[arg(long = "as", value_name = "FORM")]
    form: Option<FormWord>,
    /// Only what has a name or path that fits, with all that is in it: '*.kite', '**/Plans'
    #[arg(long, value_name = "PATTERN", conflicts_with = "form")]
    find: Vec<String>,
    #[command(flatten)]
    letters: LetterArguments,
    #[command(flatten)]
    rules: OwnRulesArguments,
    #[command(flatten)]
    conduct: ConductArguments,
}

/// Which letters, of those that an item has
#[derive(Debug, Args)]
struct LetterArguments {
    /// With letters: only of folders whose name or path fits: 'Inbox', '*/Customers/**'
    #[arg(long = "folder", value_name = "PATTERN", requires = "form")]
    folders: Vec<String>,
    /// With letters: none of folders for these
    #[arg(long, value_name = "ROLE", value_delimiter = ',', requires = "form")]
    skip_role: Vec<RoleWord>,
    /// With letters: none that came before this day, as 2024-12-31
    #[arg(long, value_name = "DAY", value_parser = day, requires = "form")]
    since: Option<Date>,
    /// With letters: none that came after this day
    #[arg(long, value_name = "DAY", value_parser = day, requires = "form")]
    until: Option<Date>,
}

/// The forms in which an item can be taken out for other programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum FormWord {
    Bookmarks,
    Feeds,
    History,
    Tabs,
    Cookies,
    Contacts,
    #[value(name = "contacts-v4")]
    ContactsOf4,
    ContactsLdif,
    ContactsTable,
    Calendar,
    Tasks,
    Journal,
    Notes,
    Mbox,
    Letters,
    Maildir,
    Msg,
    Registry,
}

impl FormWord {
    /// The form of letters that it is; none for what is one file.
    fn of_letters(self) -> Option<LetterForm> {
        match self {
            Self::Mbox => Some(LetterForm::Mbox),
            Self::Letters => Some(LetterForm::Letters),
            Self::Maildir => Some(LetterForm::Maildir),
            Self::Msg => Some(LetterForm::Msg),
            _ => None,
        }
    }

    /// Writes it.
    fn write(
        self,
        trunk: &dyn Trunk,
        item: &TrunkItem,
        catalogue: &Catalogue,
        to: &mut dyn Write,
    ) -> Result<Taken, Failure> {
        let form = match self {
            Self::Bookmarks => Form::Bookmarks,
            Self::Feeds => Form::Feeds,
            Self::History => Form::History,
            Self::Tabs => Form::Tabs,
            Self::Cookies => Form::Cookies,
            Self::Contacts => Form::Contacts,
            Self::ContactsOf4 => Form::ContactsOf4,
            Self::ContactsLdif => Form::ContactsLdif,
            Self::ContactsTable => Form::ContactsTable,
            Self::Calendar => Form::Calendar,
            Self::Tasks => Form::Tasks,
            Self::Journal => Form::Journal,
            // They are folders.
            Self::Mbox | Self::Letters | Self::Maildir | Self::Msg | Self::Notes => {
                return Err(NotTaken::NotOfItem(item.id.clone()).into());
            }
            Self::Registry if item.registry.is_empty() => {
                return Err(Failure::wrong_use(
                    format!("`{}` has nothing in its owner's registry", item.id),
                    "Favourites and profiles on Windows have; what all profiles of a program share is with the first of its items.",
                ));
            }
            Self::Registry => {
                let (content, values, kept) =
                    registration_of(item, catalogue.rule_of(item).map(|rule| &**rule));
                for key in kept {
                    let key = porter_names::screen::on_screen(key.as_bytes());
                    tell(format_args!("! Not in it, because no rule names it or it starts programs: {key}"));
                }
                to.write_all(&content).map_err(NotTaken::from)?;
                return Ok(values.into());
            }
        };
        Ok(take_as(trunk, item, catalogue, form, to)?)
    }
}

/// Writes a form aside, and renames it when it is whole.
fn take_form(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: FormWord,
    arguments: &TakeArguments,
) -> Result<Outcome, Failure> {
    let to = &arguments.folder;
    let kinds = open::kinds_of(trunk.label(), &arguments.rules)?;
    if to.as_os_str() == "-" {
        let taken = form.write(trunk, item, &kinds, &mut std::io::stdout().lock())?;
        return Ok(tell_flaws(&taken));
    }
    let failed = |cause: std::io::Error| {
        Failure::new(
            format!("`{}` cannot be written: {cause}", paths::shown(to)),
            "Name a new file in a folder that can be written to.",
        )
    };
    refuse_in_a_trunk(to)?;
    if to.exists() {
        return Err(failed(std::io::Error::other("something of that name is there")));
    }
    let mut content = Vec::new();
    let taken = form.write(trunk, item, &kinds, &mut content)?;
    let rows = taken.rows;
    let folder = to.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::with_prefix_in(".porter-", folder).map_err(failed)?;
    file.write_all(&content).and_then(|()| file.as_file().sync_all()).map_err(failed)?;
    file.persist_noclobber(to).map_err(|refused| failed(refused.error))?;
    let what = match form {
        FormWord::Bookmarks => "bookmark",
        FormWord::Feeds => "feed",
        FormWord::History => "page of the history",
        FormWord::Tabs => "open tab",
        FormWord::Cookies => "cookie",
        FormWord::Contacts | FormWord::ContactsOf4 | FormWord::ContactsLdif | FormWord::ContactsTable => {
            "contact"
        }
        FormWord::Calendar => "event",
        FormWord::Tasks => "task",
        FormWord::Journal => "work note",
        FormWord::Notes => "note",
        FormWord::Mbox | FormWord::Letters | FormWord::Maildir | FormWord::Msg => "letter",
        FormWord::Registry => "value",
    };
    say(format_args!(
        "Taken: {} into {}",
        if rows == 1 { format!("1 {what}") } else { many(rows, what) },
        paths::shown(to)
    ));
    Ok(tell_flaws(&taken))
}

/// Says what could not be read.
fn tell_flaws(taken: &Taken) -> Outcome {
    for flaw in &taken.flaws {
        tell(format_args!("! {}", porter_names::screen::on_screen(flaw.as_bytes())));
    }
    if taken.damaged > 0 {
        tell(format_args!("! Damaged, and not taken: {}", counted(taken.damaged, "thing")));
    }
    Outcome::attention_if(taken.damaged > 0 || !taken.flaws.is_empty())
}

fn many(rows: u64, what: &str) -> String {
    match what.split_once(' ') {
        Some(("page", rest)) => format!("{} {rest}", counted(rows, "page")),
        _ => counted(rows, what),
    }
}

pub(crate) fn run(arguments: &TakeArguments) -> Result<Outcome, Failure> {
    let trunk = open::trunk(&arguments.trunk)?;
    let trunk = &*trunk;
    let (item, below) = item_and_path(trunk, &arguments.item)?;
    if let Some(letters) = arguments.form.and_then(FormWord::of_letters) {
        return take_letters(trunk, item, letters, arguments);
    }
    let LetterArguments { folders, skip_role, since, until } = &arguments.letters;
    if !folders.is_empty() || !skip_role.is_empty() || since.is_some() || until.is_some() {
        return Err(Failure::wrong_use(
            "--folder, --skip-role, --since and --until choose among letters",
            "Add `--as mbox`, `--as letters`, `--as maildir` or `--as msg`.",
        ));
    }
    if arguments.form == Some(FormWord::Notes) {
        return take_notes(trunk, item, &arguments.folder);
    }
    if let Some(form) = arguments.form {
        return take_form(trunk, item, form, arguments);
    }
    UsableList::of(trunk).require(item, &below)?;
    if arguments.folder.as_os_str() == "-" {
        if !arguments.find.is_empty() {
            return Err(Failure::wrong_use(
                "only one file can go to standard output, and --find may find several",
                "Name the file, or a folder to put them into.",
            ));
        }
        return give_out(trunk, item, &below);
    }
    refuse_in_a_trunk(&arguments.folder)?;
    let patterns = patterns("--find", &arguments.find)?;
    // A folder that fits is taken with all that is in it.
    let wanted = |path: &RelativePath| {
        let mut with_those_above = std::iter::successors(Some(path.clone()), RelativePath::parent);
        patterns.is_empty() || with_those_above.any(|at| fits(&patterns, &at))
    };
    let is_new = !arguments.folder.exists();
    std::fs::create_dir_all(&arguments.folder).map_err(|cause| {
        Failure::new(
            format!("`{}` cannot be made: {cause}", paths::shown(&arguments.folder)),
            "Name a folder that can be written to.",
        )
    })?;
    let (report, is_empty, notes) = open::conducted(&arguments.conduct, |conduct| {
        let plan = plan_take(trunk, &item.id, &below, &wanted, &arguments.folder, open::now_utc(), conduct)?;
        let is_empty = (plan.to_write + plan.identical).entries() == 0 && plan.refused.is_empty();
        let notes = plan.changes.notes().to_vec();
        let report = run_plan(trunk, plan, None, &open::now_utc, conduct)?;
        Ok::<_, RestoreError>((report, is_empty, notes))
    })??;
    if is_empty && !patterns.is_empty() {
        if is_new {
            // It is empty; if it cannot be removed, it does no harm.
            let _ = std::fs::remove_dir(&arguments.folder);
        }
        return Err(Failure::wrong_use(
            format!("nothing in `{}` fits --find", arguments.item),
            "`porter look TRUNK ITEM --find PATTERN` shows what does.",
        ));
    }
    views::restore::show("Taken.", &report);
    views::restore::show_notes(&notes);
    let is_refused = report.refused.iter().any(|refused| refused.needs_attention);
    Ok(Outcome::attention_if(is_refused || !notes.is_empty()))
}

/// Makes a new folder aside, and gives it its name when all is in it.
fn into_new_folder<T>(to: &Path, write: impl FnOnce(&Path) -> Result<T, Failure>) -> Result<T, Failure> {
    let failed = |cause: std::io::Error| {
        Failure::new(
            format!("`{}` cannot be written: {cause}", paths::shown(to)),
            "Name a new folder where there is room.",
        )
    };
    refuse_in_a_trunk(to)?;
    if to.exists() {
        return Err(failed(std::io::Error::other("something of that name is there")));
    }
    let above = to.parent().filter(|above| !above.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let aside = tempfile::Builder::new().prefix(".porter-").tempdir_in(above).map_err(failed)?;
    let done = write(aside.path())?;
    if STOP.load(Ordering::Relaxed) {
        return Err(Failure::new("stopped before it was done", "Nothing was taken."));
    }
    std::fs::rename(aside.path(), to).map_err(failed)?;
    // It has another name now, and stays.
    let _ = aside.keep();
    Ok(done)
}

/// The letters of an item into a new folder: all that were asked for, or none under its name.
fn take_letters(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    form: LetterForm,
    arguments: &TakeArguments,
) -> Result<Outcome, Failure> {
    let LetterArguments { folders, skip_role, since, until } = &arguments.letters;
    let choice = letter_choice("--folder", folders, skip_role, (*since, *until))?;
    let taken = into_new_folder(&arguments.folder, |aside| {
        let go_on = || !STOP.load(Ordering::Relaxed);
        Ok(letters_out::take_letters(trunk, item, form, &choice, aside, &go_on)?)
    })?;
    if form == LetterForm::Maildir && MAILDIR_SEPARATOR != ':' {
        tell(
            "! Windows holds no colon in a name: `;` stands before the flags. Some readers want it changed.",
        );
    }
    Ok(views::letters::show(&taken, &arguments.folder))
}

/// The notes of an item into a new folder.
fn take_notes(trunk: &dyn Trunk, item: &TrunkItem, to: &Path) -> Result<Outcome, Failure> {
    let found = into_new_folder(to, |aside| {
        let found = take_notes_of(trunk, item, aside)?;
        if found.may_hold_them { Ok(found) } else { Err(NotTaken::NotOfItem(item.id.clone()).into()) }
    })?;
    let taken = Taken { rows: found.things.len() as u64, damaged: found.damaged, flaws: found.flaws };
    say(format_args!("Taken: {} into {}", counted(taken.rows, "note"), paths::shown(to)));
    Ok(tell_flaws(&taken))
}

/// The content of one file to standard output, proved while it is given out.
fn give_out(trunk: &dyn Trunk, item: &TrunkItem, below: &RelativePath) -> Result<Outcome, Failure> {
    // The own name of an incomplete file yields its readable part, unless a whole file is kept under that
    // name.
    let named = |entry: &Entry| *entry.landing_path() == *below;
    let is_it = |entry: &Entry| entry.item == item.id && (entry.address.path == *below || named(entry));
    let found: Vec<Entry> = trunk.entries()?.flatten().filter(is_it).collect();
    let entry = found.iter().find(|entry| named(entry)).or(found.first()).cloned();
    let Some((entry, hash)) = entry.and_then(|entry| match entry.content {
        Content::File { hash, .. } => Some((entry, hash)),
        Content::Folder | Content::Link { .. } => None,
    }) else {
        return Err(Failure::wrong_use(
            format!("`{}/{below}` is not one file", item.id),
            "Only a file can go to standard output; name a folder to put it into.",
        ));
    };
    let damaged = |what: String| {
        Failure::new(format!("the trunk is damaged: {what}"), "What was given out must not be trusted.")
    };
    let mut content = trunk.open_content(&entry).map_err(|damage| damaged(damage.to_string()))?;
    let mut hasher = ContentHasher::default();
    let mut out = std::io::stdout().lock();
    let given = in_pieces(&mut *content, |piece| {
        hasher.update(piece);
        out.write_all(piece)
    });
    match given {
        // The reader has had enough.
        Err(PieceFailed::Using(cause)) if cause.kind() == std::io::ErrorKind::BrokenPipe => Ok(Outcome::Well),
        Err(PieceFailed::Using(cause)) => {
            Err(Failure::new(format!("writing failed: {cause}"), "Is there room?"))
        }
        Err(PieceFailed::Reading(cause)) => Err(damaged(cause.to_string())),
        Ok(()) if hasher.finish() == hash => {
            if entry.is_incomplete() {
                tell(format_args!(
                    "! The old drive could not read {} of its {} bytes: zeros stand there.",
                    count(entry.missing_in_bytes()),
                    count(entry.size_in_bytes())
                ));
            }
            Ok(Outcome::attention_if(entry.is_incomplete()))
        }
        Ok(()) => Err(damaged(format!("`{below}` is not what was written"))),
    }
}
