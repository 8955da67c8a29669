//! The fate of one entry on the machine.

use super::fate::{Beforehand, Fate, Sight, fate_by_sight};
use super::finder::{Finder, Found};
use super::same_content::difference;
use crate::attributes::attributes_of;
use crate::events::Conduct;
use crate::journal::History;
use porter_kinds::crossing::accounts::place_of;
use porter_kinds::crossing::links::leads_out;
use porter_kinds::ground::{Earlier, Ground};
use porter_kinds::receipt::{Finding, Reason, Verdict};
use porter_names::RelativePath;
use porter_names::screen::on_screen;
use porter_source::{Metadata, ReadError, ReadTrouble, VolumeFile};
use porter_trunk::{Content, Entry, TrunkItem};
use std::collections::HashMap;
use time::OffsetDateTime;

/// Permissions of a Unix, without those that lend the owner's rights to others.
const PERMISSIONS: u32 = 0o777;
/// Times that differ by at most this count as the same: FAT keeps them to 2 s.
const TIME_TOLERANCE_IN_SECONDS: i64 = 2;

/// The fate of one entry.
pub(super) struct Outcome {
    pub verdict: Verdict,
    pub findings: Vec<Finding>,
    /// Reported once for an item: some drives keep no creation times at all.
    pub creation_time_differs: bool,
    /// True for a file that is there because a restore put it there.
    pub is_ours: bool,
}

/// The place of an entry, as it was seen.
struct Seen {
    /// The path that a receipt names; none if the machine has no place for it.
    at: Option<RelativePath>,
    /// The metadata of the thing that stands there.
    metadata: Option<Metadata>,
}

/// Looks for each entry where it belongs, and compares.
pub(super) struct EntryCheck<'a> {
    ground: &'a Ground<'a>,
    history: &'a History,
    finder: Finder<'a>,
    keeps_modes: bool,
    /// Where the parts of each item are.
    folders: HashMap<String, Vec<RelativePath>>,
    /// Items of programs that do not exist on this system.
    foreign: HashMap<String, Reason>,
    conduct: Conduct<'a>,
}

impl<'a> EntryCheck<'a> {
    pub fn new(ground: &'a Ground<'a>, history: &'a History, conduct: Conduct<'a>) -> Self {
        let Ground { trunk, machine, catalogue, .. } = *ground;
        let folders = trunk.items().iter().map(|item| {
            let folders = item.parts.iter().filter_map(|part| ground.folder_of(item, part));
            (item.id.clone(), folders.collect())
        });
        let foreign = |item: &TrunkItem| {
            let title = catalogue.program_missing_on(item, machine.layout.family)?.to_owned();
            Some((item.id.clone(), Reason::NoSuchProgram { title }))
        };
        Self {
            ground,
            history,
            finder: Finder::new(&*machine.volume, machine.layout.name_rules(255)),
            keeps_modes: machine.has_permissions_of(&trunk.label().machine.system),
            folders: folders.collect(),
            foreign: trunk.items().iter().filter_map(foreign).collect(),
            conduct,
        }
    }

    /// Compares one entry with the machine.
    pub fn check(&self, entry: &Entry) -> Outcome {
        let outcome = self.look(entry);
        let is_there = matches!(outcome.verdict, Verdict::Landed | Verdict::Changed);
        let is_ours = is_there && matches!(entry.content, Content::File { .. }) && self.history.put(entry);
        Outcome { is_ours, ..outcome }
    }

    fn look(&self, entry: &Entry) -> Outcome {
        if let Some(fate) = self.beforehand(entry).fate() {
            return self.outcome(entry, fate, None);
        }
        let (sight, Seen { at, metadata }) = self.sight(entry);
        let is_whole = matches!(sight, Sight::Same);
        // Nearly all entries are whole, and their history need not be asked.
        let (refused, landed_utc) = match is_whole {
            true => (None, None),
            false => (self.history.refused(entry), self.history.landed_utc(entry)),
        };
        let fate = fate_by_sight(sight, refused, landed_utc);
        let (Some(path), Some(metadata), true) = (at.clone(), metadata, is_whole) else {
            return self.outcome(entry, fate, at);
        };
        let (mut findings, creation_time_differs) = self.remarks(entry, &path, &metadata);
        if let Some(landed_as) = self.history.landed_as(entry) {
            let path = landed_as.to_string();
            let (verdict, reason) = if self.history.kept_existing(entry) {
                (Verdict::KeptExisting, Reason::KeptExisting { path })
            } else {
                (Verdict::Landed, Reason::LandedAs { path })
            };
            findings.push(self.finding(entry, verdict, reason, false, Some(landed_as.clone())));
        }
        if entry.is_incomplete() {
            let (missing_in_bytes, size_in_bytes) = (entry.missing_in_bytes(), entry.size_in_bytes());
            let reason = Reason::Incomplete { missing_in_bytes, size_in_bytes };
            findings.push(self.finding(entry, Verdict::Changed, reason, true, Some(path)));
            return Outcome { verdict: Verdict::Changed, findings, creation_time_differs, is_ours: false };
        }
        Outcome { verdict: Verdict::Landed, findings, creation_time_differs, is_ours: false }
    }

    /// The facts that can settle an entry before it is looked for.
    fn beforehand(&self, entry: &Entry) -> Beforehand<'_> {
        let (held, foreign) = (entry.held.clone(), self.foreign.get(&entry.item));
        // Nearly all entries are neither, and need not be asked about.
        let is_asked_about = held.is_some() || foreign.is_some();
        let leads_out_to = match &entry.content {
            Content::Link { target } if leads_out(&entry.address.path, target) => Some(on_screen(target)),
            _ => None,
        };
        Beforehand {
            is_of_old_layout: self.ground.relocation.is_of_old_layout(entry),
            held,
            lands_held: is_asked_about && self.history.lands_held(entry),
            foreign,
            put: is_asked_about && self.history.put(entry),
            refused: self.history.refused(entry),
            leads_out_to,
        }
    }

    /// Looks for an entry, and returns the machine's answer with its place.
    fn sight(&self, entry: &Entry) -> (Sight, Seen) {
        let expected_at = match self.expected_at(entry) {
            Ok(path) => path,
            Err(reason) => return (Sight::NoPlace(reason), Seen { at: None, metadata: None }),
        };
        let is_file = matches!(entry.content, Content::File { .. });
        let Found { path, metadata, opened } = match self.finder.find(&expected_at, is_file) {
            Ok(found) => found,
            Err(error) => {
                let sight = match error.trouble {
                    ReadTrouble::Gone => {
                        let is_explained =
                            self.history.refused(entry).is_some() || self.history.landed_utc(entry).is_some();
                        let look = || self.one_folder_too_deep(entry, &expected_at);
                        let folder = if is_explained { None } else { look() };
                        Sight::Gone { one_folder_too_deep: folder.map(|folder| folder.to_string()) }
                    }
                    trouble => Sight::Unreadable { detail: trouble.to_string() },
                };
                return (sight, Seen { at: Some(expected_at), metadata: None });
            }
        };
        let seen = |path, metadata| Seen { at: Some(path), metadata: Some(metadata) };
        if let Some(adapted) = self.history.adapted(entry)
            && is_file
        {
            let followed = Content::File { size_in_bytes: metadata.size_in_bytes, hash: adapted };
            if let Ok(None) = self.difference(&followed, &path, &metadata, None) {
                return (Sight::Adapted, seen(path, metadata));
            }
        }
        let reason = match self.difference(&entry.content, &path, &metadata, opened) {
            Ok(reason) => reason,
            Err(error) => Some(Reason::CannotBeRead { detail: error.trouble.to_string() }),
        };
        let sight = match reason {
            Some(reason) => Sight::Differs { reason, modified_utc: metadata.modified_utc },
            None => Sight::Same,
        };
        (sight, seen(path, metadata))
    }

    /// Where an entry belongs on this machine.
    fn expected_at(&self, entry: &Entry) -> Result<RelativePath, Reason> {
        if let Some(landed_as) = self.history.landed_as(entry) {
            return Ok(landed_as.clone());
        }
        let address = self.ground.relocation.address(entry);
        let found = place_of(self.ground.machine, self.ground.accounts, &address)?;
        let path = found.path.join_path(&address.path);
        path.map_err(|refused| Reason::NotWritten { detail: refused.to_string() })
    }

    /// The folder inside an item's own, of the same name, in which a missing file is; none if it is not there
    /// either.
    fn one_folder_too_deep(&self, entry: &Entry, expected_at: &RelativePath) -> Option<RelativePath> {
        if entry.content == Content::Folder {
            return None;
        }
        let own = self.folders.get(&entry.item)?.iter().find(|own| expected_at.is_within(own))?;
        let inside = own.join(own.name()?).ok()?;
        let path = inside.join_path(&expected_at.below(own)?).ok()?;
        let metadata = self.ground.machine.volume.metadata(&path).ok()?;
        matches!(self.difference(&entry.content, &path, &metadata, None), Ok(None)).then_some(inside)
    }

    fn difference(
        &self,
        captured: &Content,
        path: &RelativePath,
        metadata: &Metadata,
        opened: Option<Box<dyn VolumeFile>>,
    ) -> Result<Option<Reason>, ReadError> {
        difference(&*self.ground.machine.volume, path, metadata, opened, captured, self.conduct)
    }

    /// Facts about the entry that differ although its content is the same; and whether its creation time
    /// differs.
    fn remarks(&self, entry: &Entry, path: &RelativePath, metadata: &Metadata) -> (Vec<Finding>, bool) {
        let mut reasons = Vec::new();
        let mut creation_time_differs = false;
        let is_file = matches!(entry.content, Content::File { .. });
        let differ = |captured: OffsetDateTime, now: OffsetDateTime| {
            (captured - now).whole_seconds().abs() > TIME_TOLERANCE_IN_SECONDS
        };
        // A person's work in a folder changes its time.
        let is_as_made = || {
            let landed_utc = self.history.finished_utc(&entry.item);
            let since = landed_utc.zip(metadata.modified_utc).is_some_and(|(landed, now)| now > landed);
            entry.content == Content::Folder && self.history.made(path) && !since
        };
        if let (Some(captured), Some(now)) = (entry.modified_utc, metadata.modified_utc)
            && differ(captured, now)
            && (is_file || is_as_made())
        {
            reasons.push(Reason::TimeDiffers);
        }
        let permissions = |mode: Option<u32>| mode.map(|mode| mode & PERMISSIONS);
        let modes_differ = is_file
            && self.keeps_modes
            && metadata.unix_mode.is_some()
            && permissions(entry.unix_mode) != permissions(metadata.unix_mode);
        let has_details =
            !entry.attributes.is_empty() || !entry.streams.is_empty() || entry.created_utc.is_some();
        if modes_differ {
            reasons.push(Reason::AttributesDiffer);
        }
        if is_file && has_details {
            // Unreadable details are as good as none.
            let details = self.ground.machine.volume.details(path).unwrap_or_default();
            let wanted = entry.attributes.without_archive();
            if let Some(captured) = entry.created_utc {
                creation_time_differs = details.created_utc.is_none_or(|now| differ(captured, now));
            }
            if !modes_differ && attributes_of(metadata, &details).without_archive() != wanted {
                reasons.push(Reason::AttributesDiffer);
            }
            let landed = |wanted: &porter_trunk::NamedStream| {
                details.streams.iter().any(|s| s.name == wanted.name && s.content == wanted.content)
            };
            if !entry.streams.iter().all(landed) {
                reasons.push(Reason::StreamsDiffer);
            }
        }
        let finding = |reason| self.finding(entry, Verdict::Landed, reason, false, Some(path.clone()));
        (reasons.into_iter().map(finding).collect(), creation_time_differs)
    }

    fn outcome(&self, entry: &Entry, fate: Fate, at: Option<RelativePath>) -> Outcome {
        let Fate { verdict, reason, needs_attention } = fate;
        let finding = |reason| self.finding(entry, verdict, reason, needs_attention, at);
        let findings = reason.map(finding).into_iter().collect();
        Outcome { verdict, findings, creation_time_differs: false, is_ours: false }
    }

    fn finding(
        &self,
        entry: &Entry,
        verdict: Verdict,
        reason: Reason,
        needs_attention: bool,
        expected_at: Option<RelativePath>,
    ) -> Finding {
        Finding { path: entry.address.path.clone(), verdict, reason, needs_attention, expected_at }
    }
}
