//! Mail of whatever program, brought to another one on the new machine, behind what is there, and nothing
//! twice: into the local folders of the profile of Mozilla's that opens by default, or elsewhere.
//!
//! - `programs`: the others, `elsewhere`: how mail comes to them, and `evolution`: the files of one of them;
//! - `staging`: the letters of an item on their way, folder by folder, into mailboxes that wait;
//! - `folder_names`: the files of folders;
//! - `local_folders`: where the program keeps letters of no account;
//! - `present`: the letters that are there;
//! - `things`: people, events and tasks.

mod elsewhere;
mod evolution;
mod folder_names;
mod local_folders;
mod present;
pub(crate) mod programs;
mod staging;
mod things;

pub(super) use present::Present;

use super::letter_choice::LetterChoice;
use super::letters::MESSAGES;
use super::which::{MAIL, is_of_people};
use super::{keeper_of, letters, mailboxes};
use crate::bringing::{Bring, Brought, BroughtFile};
use crate::catalogue::CarryRule;
use crate::changes::Changes;
use crate::ground::Ground;
use crate::profiles::in_use::in_use;
use crate::profiles::{ProfileFolder, default_profile};
use crate::receipt::letters_brought::{BroughtKind, LettersBrought, LettersReceipt};
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use crate::wishes::rule_called;
use folder_names::Naming;
use local_folders::LocalFolders;
use porter_formats::mail::mbox_writer::Marks;
use porter_machine::Account;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_source::Volume;
use porter_trunk::{ContentHash, MeaningCount, Trunk, TrunkItem};
use staging::{AllStaged, StagedFile, StagedForm, Staging};
use std::fs::File;
use std::io::{self, Write};
use std::path::Path;
use std::sync::Arc;
use things::{Beside, Coming};

/// Plans that the letters of all items come into the program that was asked for.
pub(super) fn land(items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
    let Some(program) = &ground.wishes.mail.into else { return };
    let (rule, other) = (rule_called(ground.catalogue, program), programs::called(program));
    let is_own = |id: &str| match (rule, other) {
        (Some(rule), _) => rule.id == *id,
        (None, Some(other)) => other.own_rules.contains(&id),
        (None, None) => false,
    };
    for item in items
        .iter()
        .filter(|item| (item.kind == MAIL || is_of_people(item)) && (has_letters(item) || has_things(item)))
    {
        // An item that lands in the program's own form has its letters with it.
        let comes_whole = item.rule.as_deref().is_some_and(is_own) && changes.refused(&item.id).is_none();
        let Some(account) = ground.account_of(item).filter(|_| !comes_whole) else { continue };
        let (title, brought) = match (rule, other) {
            (Some(rule), _) => (rule.title.as_str(), bring(item, rule, account, ground)),
            (None, Some(other)) => (other.title, elsewhere::bring(item, other, account, ground)),
            (None, None) => return,
        };
        match brought {
            Ok(bring) => changes.bring(bring),
            Err(detail) => {
                changes.note(&item.id, Reason::LettersNotBrought { into: title.to_owned(), detail });
            }
        }
    }
}

/// The name of all that comes of an item.
fn title_of(item: &TrunkItem, machine: &str) -> String {
    format!("{} ({machine})", item.title.replace(": ", ", "))
}

/// The numbers of letters that are nowhere else, and of copies of those on a server.
fn numbers_of(item: &TrunkItem) -> impl Iterator<Item = &MeaningCount> {
    item.counts.iter().filter(|count| [MESSAGES, letters::ON_A_SERVER].contains(&&*count.name))
}

fn has_letters(item: &TrunkItem) -> bool {
    numbers_of(item).any(|count| count.captured > 0)
}

/// True for an item with people, events or tasks.
fn has_things(item: &TrunkItem) -> bool {
    let names = [letters::CONTACTS, letters::EVENTS, letters::TASKS];
    item.counts.iter().any(|count| names.contains(&&*count.name) && count.captured > 0)
}

fn bring(
    item: &TrunkItem,
    rule: &CarryRule,
    account: &Account,
    ground: &Ground<'_>,
) -> Result<Bring, String> {
    let keeper = keeper_of(rule).ok_or("no such mail program is known")?;
    let machine = ground.machine;
    let (name, at) = default_profile(machine, account, rule, keeper.list())?;
    let profile = ProfileFolder { volume: &*machine.volume, at };
    refuse_in_use(&profile, keeper.list().locks())?;
    // Asked again when it is done; what cannot be is said before.
    let local = LocalFolders::of(&profile)?;
    let making = Making {
        item: item.clone(),
        into: format!("{} \u{201c}{name}\u{201d}", rule.title),
        top: title_of(item, &ground.label().machine.name),
        volume: Arc::clone(&machine.volume),
        family: machine.layout.family,
        profile: profile.at,
        locks: keeper.list().locks(),
        choice: ground.wishes.mail.letters.clone(),
    };
    Ok(Bring {
        item: item.id.clone(),
        account: account.shown_name(),
        letters: numbers_of(item).map(|count| count.captured).sum(),
        into: making.into.clone(),
        at: local.at,
        needed_in_bytes: item.captured.size_in_bytes,
        make: Box::new(move |trunk, aside, go_on| making.make(trunk, aside, go_on)),
    })
}

/// Looks for the letters that earlier restores brought into a mail program.
pub(super) fn prove(item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
    let brought = ground.earlier.letters_brought(&item.id);
    for of_one in brought.chunk_by(|a, b| (a.kind, &a.into, &a.mail_at) == (b.kind, &b.into, &b.mail_at)) {
        let Some(LettersBrought { kind, into, mail_at, .. }) = of_one.first() else { continue };
        let note = |row: &mut ItemReceipt, reason| {
            let path = mail_at.clone();
            let (verdict, needs_attention) = (Verdict::Changed, true);
            row.find(Finding { path, verdict, reason, needs_attention, expected_at: None });
        };
        let volume = &*ground.machine.volume;
        let present = match kind {
            BroughtKind::Letters => {
                Present::below(volume, mail_at, &|| true).map_err(|error| error.to_string())
            }
            _ => things::there(&ProfileFolder { volume, at: mail_at.clone() }, *kind)
                .map(|prints| prints.into_iter().collect()),
        };
        let mut present = match present {
            Ok(present) => present,
            Err(detail) => {
                note(row, Reason::LettersNotRead { into: into.clone(), detail });
                continue;
            }
        };
        let mut gone = 0;
        for letters in of_one {
            let expected = letters.expected();
            let there_now = expected.iter().filter(|print| present.take(print)).count() as u64;
            gone += expected.len() as u64 - there_now;
            row.letters.push(LettersReceipt {
                kind: *kind,
                into: into.clone(),
                folder: letters.folder.clone(),
                found: letters.found,
                written: letters.written,
                doubles: letters.doubles,
                left_out: letters.left_out,
                damaged: letters.damaged,
                expected: expected.len() as u64,
                there_now,
            });
        }
        if gone > 0 && of_one.iter().any(elsewhere::waits) {
            note(row, Reason::LettersTakenAway { into: into.clone(), letters: gone });
        } else if gone > 0 {
            note(row, Reason::LettersGone { into: into.clone(), letters: gone });
        } else if of_one.iter().any(elsewhere::waits) {
            row.find(Finding {
                path: mail_at.clone(),
                verdict: Verdict::Landed,
                reason: Reason::LettersWait { into: into.clone() },
                needs_attention: false,
                expected_at: None,
            });
        }
    }
}

/// The program would write over what comes, or not see it.
fn refuse_in_use(profile: &ProfileFolder<'_>, locks: &[&str]) -> Result<(), String> {
    if in_use(profile, locks).may_be() {
        return Err("it is running: close it, and restore again".to_owned());
    }
    Ok(())
}

/// All that is needed once the restore runs.
struct Making {
    item: TrunkItem,
    into: String,
    /// The folder that all others are in.
    top: String,
    volume: Arc<dyn Volume>,
    family: Family,
    profile: RelativePath,
    locks: &'static [&'static str],
    choice: LetterChoice,
}

impl Making {
    fn make(&self, trunk: &dyn Trunk, aside: &Path, go_on: &dyn Fn() -> bool) -> Result<Brought, String> {
        let volume = &*self.volume;
        let profile = ProfileFolder { volume, at: self.profile.clone() };
        // Somebody may have started it since the plan was made.
        refuse_in_use(&profile, self.locks)?;
        let local = LocalFolders::of(&profile)?;
        let mail_at = profile.path("Mail").ok_or("its path cannot be used")?;
        let has_letters = has_letters(&self.item);
        let present =
            if has_letters { Present::below(volume, &mail_at, go_on) } else { Ok(Present::default()) };
        let present = present.map_err(|error| error.to_string())?;
        let form = StagedForm::Mailboxes(Naming::Program, Marks::Mozilla);
        let staging = Staging::new(aside, &self.choice, present, form, Some(&self.top));
        let (staged, flaws) = staged(trunk, &self.item, aside, staging, go_on)?;
        let mut brought = Brought { flaws, ..Brought::default() };
        brought.files = brought_files(staged.files, volume, &local.at)?;
        brought.letters = staged.letters;
        for letters in &mut brought.letters {
            letters.mail_at.clone_from(&mail_at);
        }
        let beside = Beside { trunk, item: &self.item, title: &self.top, aside };
        let things = Coming { beside, profile: &profile, family: self.family }.make();
        brought.files.extend(things.files);
        brought.letters.extend(things.brought);
        brought.flaws.extend(things.flaws);
        let text = local_folders::settings(&profile)?;
        let mut settings = things.settings;
        // Only if a letter came are there folders for them.
        if brought.letters.iter().any(|row| row.kind == BroughtKind::Letters && row.written > 0) {
            settings.extend(local.settings(&text));
        }
        brought.files.extend(things::settings_with(&profile, &text, &settings, aside)?);
        for row in &mut brought.letters {
            row.into.clone_from(&self.into);
        }
        Ok(brought)
    }
}

/// All letters of an item, staged, and what could not be read.
fn staged(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    aside: &Path,
    mut staging: Staging<'_>,
    go_on: &dyn Fn() -> bool,
) -> Result<(AllStaged, Vec<String>), String> {
    let any = has_letters(item).then(|| mailboxes::visit(trunk, item, aside, &mut staging, go_on));
    if !go_on() {
        return Err("stopped".to_owned());
    }
    if any.transpose().map_err(|cause| cause.to_string())? == Some(false) {
        return Err("none of its letters can be read".to_owned());
    }
    let flaws = std::mem::take(&mut staging.flaws);
    Ok((staging.finish().map_err(|cause| cause.to_string())?, flaws))
}

/// The files that get their names below `base`: mailboxes with what is there first.
fn brought_files(
    staged: Vec<StagedFile>,
    volume: &dyn Volume,
    base: &RelativePath,
) -> Result<Vec<BroughtFile>, String> {
    let mut files = Vec::new();
    for file in staged {
        let at = base.join_path(&file.at).map_err(|refused| refused.to_string())?;
        let made = match volume.metadata(&at) {
            // Nothing came into it: it stands for those that are in it.
            Ok(_) if file.is_empty => continue,
            // Another letter's. The check will look for this one below the folder, whatever its name.
            Ok(_) if file.is_one_letter => {
                let free = free_beside(volume, &at).ok_or("its path cannot be used")?;
                let blake3 = hash_of(&file.made).map_err(|cause| cause.to_string())?;
                files.push(BroughtFile { at: free, made: file.made, blake3, set_aside_too: Vec::new() });
                continue;
            }
            Ok(_) => behind_what_is_there(volume, &at, &file.made).map_err(|cause| cause.to_string())?,
            Err(_) => file.made,
        };
        let blake3 = hash_of(&made).map_err(|cause| cause.to_string())?;
        // The index of what was there would be taken for one of what is.
        let index = [at.name().unwrap_or_default(), b".msf"].concat();
        let index = at.parent().and_then(|folder| folder.join(&index).ok());
        let set_aside_too = index.filter(|at| volume.metadata(at).is_ok()).into_iter().collect();
        files.push(BroughtFile { at, made, blake3, set_aside_too });
    }
    Ok(files)
}

/// `00012 Spars (2).eml` beside `00012 Spars.eml`.
fn free_beside(volume: &dyn Volume, at: &RelativePath) -> Option<RelativePath> {
    let (folder, name) = (at.parent()?, String::from_utf8_lossy(at.name()?).into_owned());
    let (stem, ending) = name.rsplit_once('.')?;
    let names =
        (2..1000).filter_map(|number| folder.join(format!("{stem} ({number}).{ending}").as_bytes()).ok());
    names.into_iter().find(|at| volume.metadata(at).is_err())
}

/// A mailbox with what is there first, and the letters that come behind it.
fn behind_what_is_there(
    volume: &dyn Volume,
    there: &RelativePath,
    coming: &Path,
) -> io::Result<std::path::PathBuf> {
    let file = volume.open(there).map_err(|error| io::Error::other(error.to_string()))?;
    let whole = coming.with_extension("whole");
    let mut to = io::BufWriter::new(File::create_new(&whole)?);
    let length = io::copy(&mut porter_source::Sequential::new(file), &mut to)?;
    // Every letter ends with an empty line.
    let mut end = [0; 2];
    let file = volume.open(there).map_err(|error| io::Error::other(error.to_string()))?;
    let read = file.read_at(length.saturating_sub(2), &mut end)?;
    to.write_all(match &end[..read] {
        b"" | b"\n\n" => b"",
        [.., b'\n'] => b"\n",
        _ => b"\n\n",
    })?;
    io::copy(&mut File::open(coming)?, &mut to)?;
    to.flush()?;
    Ok(whole)
}

fn hash_of(path: &Path) -> io::Result<ContentHash> {
    ContentHash::of_reader(&mut File::open(path)?)
}
