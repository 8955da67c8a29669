//! A machine against a trunk.

use super::CheckError;
use super::entry_on_machine::{EntryCheck, Outcome};
use super::landed_meaning::LandedMeaning;
use super::left_behind::{call_kept_if_nothing_landed, leave_out, note_left_behind};
use crate::events::{Conduct, Event, Stage};
use crate::in_order::{in_order, workers};
use crate::journal::History;
use crate::proof::{Listed, refused_entry};
use porter_kinds::Kinds;
use porter_kinds::choice::{LandHeld, Selection};
use porter_kinds::crossing::accounts::match_accounts;
use porter_kinds::crossing::relocate::Relocation;
use porter_kinds::ground::Ground;
use porter_kinds::receipt::{Amount, CountReceipt, Finding, ItemReceipt, Reason, Receipt, Verdict};
use porter_kinds::registry_part::proof::RegistryProof;
use porter_kinds::wishes::KindWishes;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::{Content, Entry, EntryRefused, MachineLabel, Tally, Trunk, TrunkItem};
use std::collections::{BTreeMap, HashMap};
use time::OffsetDateTime;

/// Reads every byte that landed and compares it with what was captured.
///
/// `given` names the accounts that are called otherwise on the new machine; what was restored on this machine
/// before is known from its records, together with safe names and what was refused. `selection` narrows the
/// check down further.
pub fn check_machine(
    trunk: &dyn Trunk,
    machine: &Machine,
    kinds: &Kinds,
    given: &BTreeMap<String, String>,
    selection: &Selection,
    checked_utc: OffsetDateTime,
    conduct: Conduct<'_>,
) -> Result<Receipt, CheckError> {
    let history = History::load(machine, &trunk.label().trunk_id, &trunk.label().machine.name);
    let is_chosen = |item: &TrunkItem| {
        item.chosen && selection.chooses(&item.id, item.account.as_deref()) && history.includes(&item.id)
    };
    let has_chosen = |account: &str| {
        trunk.items().iter().any(|item| item.account.as_deref() == Some(account) && is_chosen(item))
    };
    let accounts = match_accounts(trunk.label(), machine, given, &history.accounts, &has_chosen)?;
    let relocation = Relocation::new(trunk.label(), trunk.items(), machine.layout.family, kinds);
    let ground = Ground {
        trunk,
        machine,
        accounts: &accounts,
        earlier: &history,
        catalogue: kinds,
        relocation: &relocation.with(history.all_moved()),
        wishes: &KindWishes::default(),
        land_held: &LandHeld::default(),
        now_utc: checked_utc,
    };
    let check = EntryCheck::new(&ground, &history, conduct);
    let chosen = Chosen::of(trunk.items(), is_chosen);
    let mut seen = Seen::new(trunk, &chosen, said_of_the_whole(trunk, &history));
    conduct.send(&Event::StageBegan { stage: Stage::Check, expected: chosen.expected });
    let entries = trunk.entries()?;
    in_order(
        workers(),
        |hand_over| {
            for entry in entries {
                let entry = entry.map(Entry::to_land);
                let size = entry.as_ref().map_or(0, Entry::size_in_bytes);
                let wanted = entry.as_ref().map_or(true, |entry| chosen.wants(&entry.item));
                if conduct.is_stopped() || (wanted && !hand_over(entry, size)) {
                    return;
                }
            }
        },
        |entry| {
            entry.map(|entry| {
                let outcome = check.check(&entry);
                (entry, outcome)
            })
        },
        |checked| {
            match checked {
                Ok((entry, outcome)) => seen.see(chosen.row_of(&entry.item), &entry, outcome, conduct),
                Err(refused) => {
                    let row = refused.item.as_deref().and_then(|item| chosen.row_of(item));
                    seen.see_refused(row, &refused);
                }
            }
            true
        },
    );
    if conduct.is_stopped() {
        return Err(CheckError::Cancelled);
    }
    let registry = RegistryProof { ground: &ground, opened: HashMap::new() };
    let mut proof = MeaningProof { kinds, ground: &ground, registry };
    let whose = std::mem::take(&mut seen.whose);
    let (mut items, mut general) = seen.into_rows(trunk.items(), &chosen);
    for ((item, row), whose) in trunk.items().iter().zip(&mut items).zip(&whose) {
        if chosen.wants(&item.id) {
            proof.prove(item, row, *whose);
        }
    }
    items.iter_mut().for_each(call_kept_if_nothing_landed);
    note_left_behind(trunk, &mut items, &mut general, true)?;
    conduct.send(&Event::StageEnded { stage: Stage::Check });
    Ok(Receipt {
        trunk: trunk.label().clone(),
        proof: Some(trunk.proof()?),
        signed_by: None,
        machine: Some(MachineLabel { name: machine.name.clone(), system: machine.system.clone() }),
        accounts: accounts
            .iter()
            .filter_map(|(old, new)| Some((old.clone(), new.as_ref()?.shown_name())))
            .collect(),
        checked_utc,
        balances: true,
        files_not_read: 0,
        items,
        general,
        programs: super::programs::compared(trunk.programs(), Some(machine)),
    })
}

/// Findings about the trunk, or about the last restore, as a whole: they need attention whatever the rows
/// say.
fn said_of_the_whole(trunk: &dyn Trunk, history: &History) -> Vec<Finding> {
    let cut_off = history.cut_off_utc.map(|started_utc| Reason::RestoreCutOff { started_utc });
    let damaged = history.damaged_journal.clone().map(|journal| Reason::JournalDamaged { journal });
    let flaws = trunk.flaws().iter().map(|flaw| Reason::TrunkDamaged { detail: flaw.to_string() });
    let finding = |reason| Finding {
        path: RelativePath::root(),
        verdict: Verdict::Changed,
        reason,
        needs_attention: true,
        expected_at: None,
    };
    cut_off.into_iter().chain(damaged).chain(flaws).map(finding).collect()
}

/// Proves what items mean to their owners, beyond their files: that a program finds them, and that a setting
/// is met.
struct MeaningProof<'a> {
    kinds: &'a Kinds,
    ground: &'a Ground<'a>,
    registry: RegistryProof<'a>,
}

impl MeaningProof<'_> {
    fn prove(&mut self, item: &TrunkItem, row: &mut ItemReceipt, whose: Whose) {
        let owned = self.ground.catalogue.rule_of(item).zip(self.ground.account_of(item));
        let has_landed = item.parts.is_empty() || whose.is_the_trunks();
        for kind in self.kinds.all().filter(|kind| kind.has(item)) {
            // Other programs have things of the item whatever became of its own files.
            kind.prove_brought(item, self.ground, row);
            if has_landed {
                kind.prove(item, self.ground, row);
            }
        }
        if !has_landed && owned.is_some() {
            count_nothing(item, row);
        }
        if let Some((rule, account)) = owned {
            self.registry.prove(item, rule, account, row);
        }
    }
}

/// Counts of an item's kind if none of its entries landed.
fn count_nothing(item: &TrunkItem, row: &mut ItemReceipt) {
    let learned = item.counts.iter().filter(|then| then.files.is_empty());
    row.counts.extend(learned.map(|then| CountReceipt {
        name: then.name.clone(),
        captured: then.captured,
        landed: 0,
    }));
}

/// The items of a trunk, and whether each is checked.
struct Chosen<'t> {
    rows: HashMap<&'t str, (usize, bool)>,
    expected: Tally,
}

impl<'t> Chosen<'t> {
    fn of(items: &'t [TrunkItem], is_chosen: impl Fn(&TrunkItem) -> bool) -> Self {
        let mut chosen = Self { rows: HashMap::new(), expected: Tally::default() };
        for (at, item) in items.iter().enumerate() {
            let is_chosen = is_chosen(item);
            chosen.rows.insert(&item.id, (at, is_chosen));
            if is_chosen {
                chosen.expected += item.captured;
            }
        }
        chosen
    }

    fn row_of(&self, item: &str) -> Option<usize> {
        self.rows.get(item).map(|(at, _)| *at)
    }

    /// True also of an entry whose item is not listed: it may not go unsaid.
    fn wants(&self, item: &str) -> bool {
        self.rows.get(item).is_none_or(|(_, chosen)| *chosen)
    }
}

/// Whose the files are that lie where an item belongs.
#[derive(Debug, Clone, Copy, Default)]
struct Whose {
    /// A restore put one there.
    ours: bool,
    /// One is there, byte for byte, that no restore put there.
    same: bool,
    /// One is not there, or another one is.
    other: bool,
}

impl Whose {
    fn see(&mut self, outcome: &Outcome) {
        self.ours |= outcome.is_ours;
        match outcome.verdict {
            Verdict::Landed => self.same = true,
            Verdict::KeptInTrunk => {}
            _ => self.other = true,
        }
    }

    /// False for a thing that was there before and does not come from the trunk: a profile of the same name,
    /// for one.
    fn is_the_trunks(self) -> bool {
        self.ours || (self.same && !self.other)
    }
}

/// Progress so far, for each item and for entries without one.
struct Seen {
    items: Vec<ItemReceipt>,
    whose: Vec<Whose>,
    meanings: Vec<Option<LandedMeaning>>,
    without_creation_time: Vec<u64>,
    listed: Listed,
    general: Vec<Finding>,
}

impl Seen {
    fn new(trunk: &dyn Trunk, chosen: &Chosen<'_>, general: Vec<Finding>) -> Self {
        let row = |item: &TrunkItem| {
            let mut row = ItemReceipt::new(item);
            if !chosen.wants(&item.id) {
                leave_out(&mut row, item);
            }
            row
        };
        Self {
            items: trunk.items().iter().map(row).collect(),
            whose: vec![Whose::default(); trunk.items().len()],
            meanings: trunk.items().iter().map(LandedMeaning::of).collect(),
            without_creation_time: vec![0; trunk.items().len()],
            listed: Listed::default(),
            general,
        }
    }

    fn see(&mut self, row: Option<usize>, entry: &Entry, outcome: Outcome, conduct: Conduct<'_>) {
        let Some(at) = row else {
            self.general.extend(outcome.findings);
            return;
        };
        self.listed.see(entry);
        self.without_creation_time[at] += u64::from(outcome.creation_time_differs);
        if let Some(meaning) = &mut self.meanings[at] {
            meaning.see(entry, outcome.verdict);
        }
        if let Content::File { .. } = entry.content {
            self.whose[at].see(&outcome);
        }
        note(&mut self.items[at], entry, outcome, conduct);
    }

    fn see_refused(&mut self, row: Option<usize>, refused: &EntryRefused) {
        self.listed.see_refused(refused);
        let finding = refused_entry(refused);
        match row {
            Some(at) => self.items[at].find(finding),
            None => self.general.push(finding),
        }
    }

    /// The rows of the receipt, with the facts that only the sum of all entries shows, and the findings
    /// without an item.
    fn into_rows(self, items: &[TrunkItem], chosen: &Chosen<'_>) -> (Vec<ItemReceipt>, Vec<Finding>) {
        let mut rows = self.items;
        let by_item = items.iter().zip(self.meanings).zip(self.without_creation_time);
        for (row, ((item, meaning), files)) in rows.iter_mut().zip(by_item) {
            if files > 0 {
                row.find(Finding {
                    path: RelativePath::root(),
                    verdict: Verdict::Landed,
                    reason: Reason::CreationTimesDiffer { files },
                    needs_attention: false,
                    expected_at: None,
                });
            }
            if chosen.wants(&item.id) {
                self.listed.note_missing(item, row);
                if let Some(meaning) = meaning {
                    meaning.note(item, row);
                }
            }
        }
        (rows, self.general)
    }
}

fn note(row: &mut ItemReceipt, entry: &Entry, outcome: Outcome, conduct: Conduct<'_>) {
    let path = &entry.address.path;
    if let Content::File { size_in_bytes, .. } = entry.content {
        row.count(outcome.verdict, 1, size_in_bytes);
        if outcome.verdict == Verdict::Landed && !outcome.is_ours {
            row.there_already += Amount::new(1, size_in_bytes);
        }
        let is_since = |finding: &Finding| matches!(finding.reason, Reason::ChangedSince { .. });
        if outcome.verdict == Verdict::Changed && outcome.findings.iter().any(is_since) {
            row.worked_on += Amount::new(1, size_in_bytes);
        }
        conduct.send(&Event::File { item: &entry.item, path, size_in_bytes });
    }
    for mut finding in outcome.findings {
        if finding.reason.is_of_whole_item() {
            if row.findings.iter().any(|known| known.reason == finding.reason) {
                continue;
            }
            (finding.path, finding.expected_at) = (RelativePath::root(), None);
        }
        if finding.needs_attention {
            let code = finding.verdict.words();
            conduct.send(&Event::Trouble { item: &entry.item, path, code });
        }
        row.find(finding);
    }
}
