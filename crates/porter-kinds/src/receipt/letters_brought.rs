//! The letters of a folder that were brought into a mail program, accounted for.

use crate::mail::letter_print::LetterPrint;
use porter_names::RelativePath;
use porter_trunk::written_path;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A kind of things that are brought.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum BroughtKind {
    /// The letters of a folder.
    #[default]
    Letters,
    /// People, and lists of people, in an address book.
    Contacts,
    /// Events and tasks in a calendar.
    Calendar,
}

/// All that are found were written, doubles, left out or damaged.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LettersBrought {
    /// Letters, or other things.
    #[serde(default)]
    pub kind: BroughtKind,
    /// The program and its profile.
    pub into: String,
    /// The names down to the folder, as the program shows them.
    pub folder: Vec<String>,
    /// The folder with all mail of the program's own, below the machine's root: a person may move a letter to
    /// another folder in it. For other things the profile.
    #[serde(flatten, with = "written_path")]
    pub mail_at: RelativePath,
    /// How many there are.
    pub found: u64,
    /// How many were written, those without all of their parts too.
    pub written: u64,
    /// How many were written without all of their parts.
    #[serde(default)]
    pub incomplete: u64,
    /// How many were there before.
    pub doubles: u64,
    /// How many were not asked for.
    pub left_out: u64,
    /// How many cannot be read.
    pub damaged: u64,
    /// Those that were written or were there before, each by its print.
    pub prints: Vec<LetterPrint>,
    /// How many prints of the same folder stand on lines of the journal before this.
    #[serde(default, skip_serializing_if = "is_none_before")]
    pub prints_before: u64,
    /// Those of restores before the latest.
    #[serde(skip)]
    pub earlier: Vec<LetterPrint>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde wants it so")]
fn is_none_before(number: &u64) -> bool {
    *number == 0
}

impl LettersBrought {
    /// In pieces that fit on lines of a journal. The first has the numbers.
    pub fn in_pieces(self) -> Vec<Self> {
        const MOST_PRINTS: usize = 1000;
        let mut pieces = Vec::new();
        for (number, prints) in self.prints.chunks(MOST_PRINTS).enumerate().skip(1) {
            pieces.push(Self {
                kind: self.kind,
                into: self.into.clone(),
                folder: self.folder.clone(),
                mail_at: self.mail_at.clone(),
                prints: prints.to_vec(),
                prints_before: (number * MOST_PRINTS) as u64,
                ..Self::default()
            });
        }
        let mut first = self;
        first.prints.truncate(MOST_PRINTS);
        pieces.insert(0, first);
        pieces
    }

    /// All letters that porter has found or put there, each so often as one restore did.
    pub fn expected(&self) -> Vec<LetterPrint> {
        let mut earlier: BTreeMap<LetterPrint, u64> = BTreeMap::new();
        self.earlier.iter().for_each(|print| *earlier.entry(*print).or_default() += 1);
        for print in &self.prints {
            if let Some(number) = earlier.get_mut(print) {
                *number = number.saturating_sub(1);
            }
        }
        let alone = earlier.into_iter().flat_map(|(print, number)| (0..number).map(move |_| print));
        self.prints.iter().copied().chain(alone).collect()
    }

    /// Puts a piece into its place among the folders that are known. A first piece is of a later restore than
    /// the folder that is known, or its run went on after it was cut off.
    pub fn gather(self, known: &mut Vec<Self>) {
        let same =
            |one: &&mut Self| (one.kind, &one.into, &one.folder) == (self.kind, &self.into, &self.folder);
        match (known.iter_mut().find(same), self.prints_before) {
            (Some(there), 0) => *there = Self { earlier: there.expected(), ..self },
            (Some(there), before) if before == there.prints.len() as u64 => there.prints.extend(self.prints),
            (None, 0) => known.push(self),
            // A line before it is lost.
            (Some(_) | None, _) => {}
        }
    }
}

/// The same as a check finds it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LettersReceipt {
    /// Letters, or other things.
    #[serde(default)]
    pub kind: BroughtKind,
    /// The program and its profile.
    pub into: String,
    /// The names down to the folder, as the program shows them.
    pub folder: Vec<String>,
    /// How many there were in the trunk.
    pub found: u64,
    /// How many were written.
    pub written: u64,
    /// How many were there before.
    pub doubles: u64,
    /// How many were not asked for.
    pub left_out: u64,
    /// How many cannot be read.
    pub damaged: u64,
    /// How many letters porter found there, or put there.
    pub expected: u64,
    /// How many of those are there now.
    pub there_now: u64,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_in_pieces_is_gathered_and_a_run_that_went_on_counts_once() {
        let print = |number: u32| LetterPrint::of(number.to_string().as_bytes());
        let prints: Vec<LetterPrint> = (0..2500).map(print).collect();
        let whole = LettersBrought {
            folder: vec!["Inbox".to_owned()],
            found: 2500,
            written: 2500,
            prints,
            ..LettersBrought::default()
        };
        let pieces = whole.clone().in_pieces();
        let numbers: Vec<_> = pieces.iter().map(|piece| (piece.found, piece.prints.len())).collect();
        assert_eq!(numbers, [(2500, 1000), (0, 1000), (0, 500)]);
        let mut known = Vec::new();
        for piece in pieces.iter().chain(&pieces) {
            let line = serde_json::to_string(piece).unwrap();
            serde_json::from_str::<LettersBrought>(&line).unwrap().gather(&mut known);
        }
        let [there] = &known[..] else { panic!("{known:?}") };
        assert_eq!(
            (there.found, &there.prints, there.expected() == whole.prints),
            (2500, &whole.prints, true)
        );
        let later = LettersBrought { prints: vec![print(7), print(9000)], ..whole };
        later.gather(&mut known);
        assert_eq!(known[0].expected().len(), 2501, "one more than before");
    }
}
