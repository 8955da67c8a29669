//! Two receipts of one job: what a second look changed.

use super::{Finding, ItemReceipt, Receipt, Verdict};
use std::collections::{BTreeMap, BTreeSet};

/// Differences between an earlier receipt and a later one.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Compared {
    /// Items whose verdict is another one: the id, then and now. None where an item is not on that receipt.
    pub items: Vec<(String, Option<Verdict>, Option<Verdict>)>,
    /// Rows that needed attention and no longer do.
    pub settled: Vec<Row>,
    /// Rows that need attention only on the later one.
    pub new: Vec<Row>,
    /// Rows that need attention on both.
    pub open: Vec<Row>,
}

/// A thing that needs attention.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// Its item; none if it belongs to none.
    pub item: Option<String>,
    /// It.
    pub finding: Finding,
}

impl Compared {
    /// Compares by items and paths.
    pub fn new(earlier: &Receipt, later: &Receipt) -> Self {
        let mut compared = Self::default();
        let (then, now) = (verdicts(earlier), verdicts(later));
        for id in then.keys().chain(now.keys()).collect::<BTreeSet<_>>() {
            let (then, now) = (then.get(id).copied(), now.get(id).copied());
            if then != now {
                compared.items.push(((*id).to_owned(), then, now));
            }
        }
        let (then, now) = (to_look_at(earlier), to_look_at(later));
        for (key, row) in &then {
            let list = if now.contains_key(key) { continue } else { &mut compared.settled };
            list.push(row.clone());
        }
        for (key, row) in now {
            let list = if then.contains_key(&key) { &mut compared.open } else { &mut compared.new };
            list.push(row);
        }
        compared
    }
}

fn verdicts(receipt: &Receipt) -> BTreeMap<&str, Verdict> {
    receipt.items.iter().map(|item| (item.id.as_str(), item.verdict)).collect()
}

fn to_look_at(receipt: &Receipt) -> BTreeMap<(Option<String>, Vec<u8>), Row> {
    let row = |item: Option<&ItemReceipt>, finding: &Finding| {
        let item = item.map(|item| item.id.clone());
        let key = (item.clone(), finding.path.as_bytes().to_vec());
        (key, Row { item, finding: finding.clone() })
    };
    let of_items =
        receipt.items.iter().flat_map(|item| item.findings.iter().map(move |found| (Some(item), found)));
    let all = of_items.chain(receipt.general.iter().map(|found| (None, found)));
    all.filter(|(_, found)| found.needs_attention).map(|(item, found)| row(item, found)).collect()
}
