//! Mail on its way to a program that has no profile of Mozilla's: into files that it finds, or into a folder
//! of the person's documents, from where the person has it import them.

use super::evolution::Part;
use super::present::Present;
use super::programs::{self, Program, Way};
use super::staging::Staging;
use super::things::{self, Beside};
use super::{brought_files, staged};
use crate::bringing::{Bring, Brought, BroughtFile};
use crate::crossing::old_paths::as_written;
use crate::ground::Ground;
use crate::mail::given_names::portable;
use crate::mail::letter_choice::LetterChoice;
use crate::profiles::ProfileFolder;
use crate::receipt::letters_brought::{BroughtKind, LettersBrought};
use porter_machine::layout::Family;
use porter_machine::{Account, Place};
use porter_names::RelativePath;
use porter_source::Volume;
use porter_trunk::{ContentHash, Trunk, TrunkItem};
use std::fs;
use std::path::Path;
use std::sync::Arc;

/// All that is needed once the restore runs.
struct Making {
    item: TrunkItem,
    program: &'static Program,
    title: String,
    /// Eight digits that this item always has.
    mark: String,
    volume: Arc<dyn Volume>,
    family: Family,
    home: RelativePath,
    /// Where it waits for the person.
    waiting: RelativePath,
    choice: LetterChoice,
}

pub(super) fn bring(
    item: &TrunkItem,
    program: &'static Program,
    account: &Account,
    ground: &Ground<'_>,
) -> Result<Bring, String> {
    let machine = ground.machine;
    if program.way == Way::OfItsOwn && machine.layout.family != Family::Linux {
        return Err("it is a program of Linux".to_owned());
    }
    if machine.runs(program.name) {
        return Err("it is running: close it, and restore again".to_owned());
    }
    let documents = account.places.get(&Place::Documents).map_or(&account.home, |found| &found.path);
    let old = &ground.label().machine.name;
    let title = super::title_of(item, old);
    let steps = [format!("For {}", program.title), title.clone()];
    let waiting = steps
        .iter()
        .try_fold(documents.clone(), |at, step| at.join(portable(step).as_bytes()))
        .map_err(|refused| refused.to_string())?;
    let making = Making {
        item: item.clone(),
        program,
        title,
        mark: things::mark_of(old, &item.id),
        volume: Arc::clone(&machine.volume),
        family: machine.layout.family,
        home: account.home.clone(),
        waiting,
        choice: ground.wishes.mail.letters.clone(),
    };
    Ok(Bring {
        item: item.id.clone(),
        account: account.shown_name(),
        letters: super::numbers_of(item).map(|count| count.captured).sum(),
        into: program.title.to_owned(),
        at: making.letters_at().ok_or("its path cannot be used")?,
        needed_in_bytes: item.captured.size_in_bytes,
        make: Box::new(move |trunk, aside, go_on| making.make(trunk, aside, go_on)),
    })
}

impl Making {
    /// The folder of the letters, below the machine's root.
    fn letters_at(&self) -> Option<RelativePath> {
        match self.program.way {
            Way::OfItsOwn => self.home.join_path(&Part::Mail.folder(&self.mark)?).ok(),
            Way::Waiting => Some(self.waiting.clone()),
        }
    }

    fn make(&self, trunk: &dyn Trunk, aside: &Path, go_on: &dyn Fn() -> bool) -> Result<Brought, String> {
        let letters_at = self.letters_at().ok_or("its path cannot be used")?;
        let present = Present::below(&*self.volume, &letters_at, go_on).map_err(|error| error.to_string())?;
        let staging = Staging::new(aside, &self.choice, present, self.program.form, None);
        let (staged, flaws) = staged(trunk, &self.item, aside, staging, go_on)?;
        let mut brought = Brought { flaws, ..Brought::default() };
        brought.files = brought_files(staged.files, &*self.volume, &letters_at)?;
        brought.letters = staged.letters;
        for row in &mut brought.letters {
            row.mail_at.clone_from(&letters_at);
        }
        if self.program.way == Way::OfItsOwn && !brought.files.is_empty() {
            brought.files.extend(self.key_file(Part::Mail, &letters_at, aside)?);
        }
        self.add_people(trunk, aside, &mut brought);
        self.add_entries(trunk, aside, &mut brought);
        for row in &mut brought.letters {
            self.program.title.clone_into(&mut row.into);
        }
        Ok(brought)
    }

    /// People: in a file that the person imports, whichever program it is.
    fn add_people(&self, trunk: &dyn Trunk, aside: &Path, brought: &mut Brought) {
        let beside = self.beside(trunk, aside);
        // Outlook takes one person of a file of vCards.
        let name = if self.program.name == "outlook" { "Contacts.csv" } else { "Contacts.vcf" };
        match beside.people(&self.folder(&self.waiting), name) {
            Ok(made) => self.add(made, brought),
            Err(cause) => brought.flaws.push(format!("contacts: {cause}")),
        }
    }

    /// Events and tasks: in files of the program's own, or one that the person imports.
    fn add_entries(&self, trunk: &dyn Trunk, aside: &Path, brought: &mut Brought) {
        let beside = self.beside(trunk, aside);
        for (part, name) in [(Part::Events, "Calendar.ics"), (Part::Tasks, "Tasks.ics")] {
            let own =
                part.folder(&self.mark).and_then(|below| self.home.join_path(&below).ok()).zip(part.file());
            let (at, name) = match own.filter(|_| self.program.way == Way::OfItsOwn) {
                Some((at, name)) => (at, name),
                None => (self.waiting.clone(), name),
            };
            let made = beside.entries(&self.folder(&at), name, part == Part::Tasks);
            let made = made.and_then(|(file, row, flaws)| {
                let with_keys = file.is_some() && self.program.way == Way::OfItsOwn;
                let keys = if with_keys { self.key_file(part, &at, aside)? } else { None };
                Ok((file, keys, row, flaws))
            });
            match made {
                Ok((file, keys, row, flaws)) => {
                    self.add((file, row, flaws), brought);
                    brought.files.extend(keys);
                }
                Err(cause) => brought.flaws.push(format!("events and tasks: {cause}")),
            }
        }
    }

    fn add(&self, made: things::Made, brought: &mut Brought) {
        let (file, row, flaws) = made;
        brought.files.extend(file);
        brought.letters.extend(row);
        brought.flaws.extend(flaws);
    }

    fn beside<'c>(&'c self, trunk: &'c dyn Trunk, aside: &'c Path) -> Beside<'c> {
        Beside { trunk, item: &self.item, title: &self.title, aside }
    }

    fn folder(&self, at: &RelativePath) -> ProfileFolder<'_> {
        ProfileFolder { volume: &*self.volume, at: at.clone() }
    }

    /// The key file by which Evolution knows a part. None if it is there.
    fn key_file(&self, part: Part, at: &RelativePath, aside: &Path) -> Result<Option<BroughtFile>, String> {
        let wrong = "its path cannot be used";
        let below = part.key_file(&self.mark).ok_or(wrong)?;
        let key_file = self.home.join_path(&below).map_err(|refused| refused.to_string())?;
        if self.volume.metadata(&key_file).is_ok() {
            return Ok(None);
        }
        let keys = part.keys(&self.title, &as_written(self.family, at));
        let made = aside.join(String::from_utf8_lossy(key_file.name().unwrap_or_default()).as_ref());
        fs::write(&made, &keys).map_err(|cause| cause.to_string())?;
        let blake3 = ContentHash::of(keys.as_bytes());
        Ok(Some(BroughtFile { at: key_file, made, blake3, set_aside_too: Vec::new() }))
    }
}

/// True for letters or things that wait for the person. No program finds people by itself.
pub(super) fn waits(row: &LettersBrought) -> bool {
    let waits = |program: &Program| program.way == Way::Waiting || row.kind == BroughtKind::Contacts;
    row.written + row.doubles > 0 && programs::titled(&row.into).is_some_and(waits)
}
