//! The result of a check: one verdict per item, and per file below it that did not simply land.

pub mod balance;
pub mod compared;
pub mod driver_unfit;
pub mod letters_brought;
pub mod reason;
pub mod verdict;

pub use balance::{Amount, Balance};
pub use compared::Compared;
pub use driver_unfit::DriverUnfit;
pub use letters_brought::LettersReceipt;
pub use reason::Reason;
pub use verdict::{ByVerdict, Verdict};

use porter_names::Facts;
use porter_names::RelativePath;
use porter_trunk::{CaptureProof, Label, MachineLabel, TrunkProgram};
use time::OffsetDateTime;

/// The count that says what opens, and not what lies there.
pub const PASSWORDS: &str = "passwords";

/// The findings of a check.
#[derive(Debug, Clone)]
pub struct Receipt {
    /// The trunk's outside.
    pub trunk: Label,
    /// Which state of the trunk.
    pub proof: Option<CaptureProof>,
    /// Who signed the trunk; none if nobody did, or if nobody looked.
    pub signed_by: Option<String>,
    /// The machine it was compared with; none when the trunk was checked alone.
    pub machine: Option<MachineLabel>,
    /// Which account of the trunk landed in which of the machine, by id and name.
    pub accounts: Vec<(String, String)>,
    /// When.
    pub checked_utc: OffsetDateTime,
    /// False for a receipt of the first version: its numbers mix entries that were not needed with those that
    /// should have landed.
    pub balances: bool,
    /// The number of files in a trunk whose content was not read, because less was asked for: only their
    /// presence is known.
    pub files_not_read: u64,
    /// One row per item of the trunk.
    pub items: Vec<ItemReceipt>,
    /// Findings that belong to no item.
    pub general: Vec<Finding>,
    /// The programs of the old machine: what to install again.
    pub programs: Vec<ProgramReceipt>,
}

/// A program of the old machine.
#[derive(Debug, Clone)]
pub struct ProgramReceipt {
    /// As the old machine listed it.
    pub program: TrunkProgram,
    /// The name of the same program on the new machine, if it is there.
    pub installed_as: Option<String>,
}

/// An item's meaning, as numbers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CountReceipt {
    /// The thing that was counted.
    pub name: String,
    /// How many there were at the capture.
    pub captured: u64,
    /// How many of them landed.
    pub landed: u64,
}

/// The verdict on one item.
#[derive(Debug, Clone)]
pub struct ItemReceipt {
    /// Its id.
    pub id: String,
    /// Its kind.
    pub kind: String,
    /// The account it belongs to.
    pub account: Option<String>,
    /// In words.
    pub title: String,
    /// The gravest verdict on anything in it that needs a person's attention; `landed` if nothing does.
    pub verdict: Verdict,
    /// Its files.
    pub files: ByVerdict,
    /// Their bytes.
    pub bytes: ByVerdict,
    /// The part of the landed files that no restore put there: they were there already.
    pub there_already: Amount,
    /// The part of the changed files that had landed and that somebody has worked on since.
    pub worked_on: Amount,
    /// Its meaning, counted again in the files that landed.
    pub counts: Vec<CountReceipt>,
    /// The letters of it that were brought into a mail program, folder by folder.
    pub letters: Vec<LettersReceipt>,
    /// A setting's values, as they were.
    pub facts: Facts,
    /// All that did not simply land.
    pub findings: Vec<Finding>,
}

/// One thing that did not simply land.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Below its place; below the old machine's root for what was left at the capture.
    pub path: RelativePath,
    /// Its fate.
    pub verdict: Verdict,
    /// Why.
    pub reason: Reason,
    /// True if a person should look at it; false if it went as planned.
    pub needs_attention: bool,
    /// Where it should be on the new machine, below its root.
    pub expected_at: Option<RelativePath>,
}

impl Receipt {
    /// Notes what is true of the trunk as a whole, and needs a person's attention.
    pub fn note_of_trunk(&mut self, reason: Reason) {
        self.general.push(Finding {
            path: RelativePath::root(),
            verdict: Verdict::Changed,
            reason,
            needs_attention: true,
            expected_at: None,
        });
    }

    /// Items, files and bytes by verdict.
    pub fn totals(&self) -> (ByVerdict, ByVerdict, ByVerdict) {
        let (mut items, mut files, mut bytes) = Default::default();
        for item in &self.items {
            ByVerdict::add(&mut items, item.verdict, 1);
            files += item.files;
            bytes += item.bytes;
        }
        (items, files, bytes)
    }

    /// The settings and printers that a person sets up by hand, with what the new machine has instead.
    pub fn by_hand(&self) -> impl Iterator<Item = (&ItemReceipt, &Facts)> {
        self.items.iter().filter_map(|item| Some((item, item.set_by_hand()?)))
    }

    /// The programs that the new machine does not have.
    pub fn to_install(&self) -> impl Iterator<Item = &TrunkProgram> {
        self.programs.iter().filter(|row| row.installed_as.is_none()).map(|row| &row.program)
    }

    /// True if a person should look at something.
    pub fn needs_attention(&self) -> bool {
        let findings = self.items.iter().flat_map(|item| &item.findings).chain(&self.general);
        findings.into_iter().any(|finding| finding.needs_attention)
    }
}

impl ItemReceipt {
    /// The new machine's facts, for a setting or printer that a person sets up by hand.
    pub fn set_by_hand(&self) -> Option<&Facts> {
        self.findings.iter().find_map(|finding| match &finding.reason {
            Reason::SetByHand { now } => Some(now),
            _ => None,
        })
    }

    /// An empty row.
    pub fn new(item: &porter_trunk::TrunkItem) -> Self {
        Self {
            id: item.id.clone(),
            kind: item.kind.clone(),
            account: item.account.clone(),
            title: item.title.clone(),
            verdict: Verdict::Landed,
            files: ByVerdict::default(),
            bytes: ByVerdict::default(),
            there_already: Amount::default(),
            worked_on: Amount::default(),
            counts: Vec::new(),
            letters: Vec::new(),
            facts: item.facts.clone(),
            findings: Vec::new(),
        }
    }

    /// True for a setting, a printer or an account: values, and no files.
    pub fn is_setting(&self) -> bool {
        crate::value_kinds::has_only_values(&self.kind)
    }

    /// Counts some files under a verdict.
    pub fn count(&mut self, verdict: Verdict, files: u64, size_in_bytes: u64) {
        self.files.add(verdict, files);
        self.bytes.add(verdict, size_in_bytes);
    }

    /// Notes a finding; the item's verdict follows.
    pub fn find(&mut self, finding: Finding) {
        if finding.needs_attention {
            self.verdict = self.verdict.max(finding.verdict);
        }
        self.findings.push(finding);
    }
}
