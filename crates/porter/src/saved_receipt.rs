//! A receipt that was saved as JSON, read again. Nothing of it is believed beyond its words: it is only
//! shown.

use porter_kinds::receipt::{
    Amount, ByVerdict, CountReceipt, Finding, ItemReceipt, LettersReceipt, ProgramReceipt, Reason, Receipt,
    Verdict,
};
use porter_names::Facts;
use porter_names::RelativePath;
use porter_trunk::{CaptureProof, Label, MachineLabel, TrunkProgram};
use serde::Deserialize;
use time::OffsetDateTime;

const FORMAT: &str = "porter-receipt/2";
/// The one before: it counts by five verdicts.
const FIRST_FORMAT: &str = "porter-receipt/1";

/// Why a file is not a receipt.
#[derive(Debug, thiserror::Error)]
pub(crate) enum NoReceipt {
    /// No JSON, or JSON of another shape.
    #[error("it is not a receipt: {0}")]
    Unreadable(#[from] serde_json::Error),
    /// Another document, or one of a later porter.
    #[error("it is a `{0}`, not a `{FORMAT}`")]
    OtherFormat(String),
}

#[derive(Deserialize)]
struct Named {
    format: String,
}

#[derive(Deserialize)]
struct Saved {
    trunk: Label,
    #[serde(default)]
    proof: Option<CaptureProof>,
    #[serde(default)]
    signed_by: Option<String>,
    machine: Option<MachineLabel>,
    accounts: Vec<SavedAccount>,
    #[serde(with = "time::serde::rfc3339")]
    checked_utc: OffsetDateTime,
    #[serde(default)]
    files_not_read: u64,
    items: Vec<SavedItem>,
    programs: Vec<SavedProgram>,
    reasons: Vec<SavedFinding>,
}

#[derive(Deserialize)]
struct SavedAccount {
    old: String,
    new: String,
}

#[derive(Deserialize)]
struct SavedItem {
    id: String,
    kind: String,
    account: Option<String>,
    title: String,
    verdict: Verdict,
    files: ByVerdict,
    bytes: ByVerdict,
    #[serde(default)]
    there_already: SavedAmount,
    #[serde(default)]
    worked_on: SavedAmount,
    counts: Vec<SavedCount>,
    #[serde(default)]
    letters: Vec<LettersReceipt>,
    facts: Facts,
    reasons: Vec<SavedFinding>,
}

#[derive(Default, Deserialize)]
struct SavedAmount {
    files: u64,
    bytes: u64,
}

impl From<SavedAmount> for Amount {
    fn from(saved: SavedAmount) -> Self {
        Self::new(saved.files, saved.bytes)
    }
}

#[derive(Deserialize)]
struct SavedCount {
    name: String,
    captured: u64,
    landed: u64,
}

#[derive(Deserialize)]
struct SavedFinding {
    path: String,
    verdict: Verdict,
    needs_attention: bool,
    details: Reason,
    #[serde(default)]
    expected_at: Option<String>,
}

#[derive(Deserialize)]
struct SavedProgram {
    #[serde(flatten)]
    program: TrunkProgram,
    installed_as: Option<String>,
}

/// Reads what `porter check --json` wrote. Paths are as they were shown: what was escaped stays so.
pub(crate) fn from_bytes(bytes: &[u8]) -> Result<Receipt, NoReceipt> {
    let Named { format } = serde_json::from_slice(bytes)?;
    if ![FORMAT, FIRST_FORMAT].contains(&format.as_str()) {
        return Err(NoReceipt::OtherFormat(format));
    }
    let saved: Saved = serde_json::from_slice(bytes)?;
    Ok(Receipt {
        trunk: saved.trunk,
        proof: saved.proof,
        signed_by: saved.signed_by,
        machine: saved.machine,
        accounts: saved.accounts.into_iter().map(|row| (row.old, row.new)).collect(),
        checked_utc: saved.checked_utc,
        balances: format != FIRST_FORMAT,
        files_not_read: saved.files_not_read,
        items: saved.items.into_iter().map(item).collect(),
        general: saved.reasons.into_iter().map(finding).collect(),
        programs: saved
            .programs
            .into_iter()
            .map(|row| ProgramReceipt { program: row.program, installed_as: row.installed_as })
            .collect(),
    })
}

fn item(saved: SavedItem) -> ItemReceipt {
    let count = |row: SavedCount| CountReceipt { name: row.name, captured: row.captured, landed: row.landed };
    ItemReceipt {
        id: saved.id,
        kind: saved.kind,
        account: saved.account,
        title: saved.title,
        verdict: saved.verdict,
        files: saved.files,
        bytes: saved.bytes,
        there_already: saved.there_already.into(),
        worked_on: saved.worked_on.into(),
        counts: saved.counts.into_iter().map(count).collect(),
        letters: saved.letters,
        facts: saved.facts,
        findings: saved.reasons.into_iter().map(finding).collect(),
    }
}

fn finding(saved: SavedFinding) -> Finding {
    let path = |text: &str| RelativePath::from_bytes(text.as_bytes()).unwrap_or_default();
    Finding {
        path: path(&saved.path),
        verdict: saved.verdict,
        reason: saved.details,
        needs_attention: saved.needs_attention,
        expected_at: saved.expected_at.as_deref().map(path),
    }
}
