//! Lists of words, a line each, that both machines have: what lands is the lines of both, each once.

use crate::catalogue::patterns::{Candidate, Patterns, in_lower_case};
use crate::changes::{Adapt, Changes};
use crate::ground::Ground;
use porter_formats::encoding;
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};
use porter_trunk::TrunkItem;
use std::collections::HashSet;

/// No program keeps such lists deeper.
const DEEPEST: usize = 4;

/// Joins the lists of an item, where its rule says so.
pub fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let Some(rule) = ground.catalogue.rule_of(item).filter(|rule| !rule.join_lines.is_empty()) else {
        return;
    };
    for part in &item.parts {
        let Some(at) = ground.found_of(item, part) else { continue };
        let Ok(from) = RelativePath::from_bytes(part.path.as_bytes()) else { continue };
        let mut lists = Vec::new();
        find(&*ground.machine.volume, &at, &from, &rule.join_lines, 0, &mut lists);
        for (path, theirs) in lists {
            // The old machine may write the name in other letters, as Windows lets it.
            for path in spellings(&path) {
                let theirs = theirs.clone();
                let with = move |content: &[u8]| joined(&theirs, content);
                let (item, place) = (item.id.clone(), part.place.clone());
                changes.adapt(Adapt { item, place, path, with: Box::new(with) });
            }
        }
    }
}

/// The lists of the machine below a folder, by their paths below the place.
fn find(
    volume: &dyn Volume,
    at: &RelativePath,
    below_place: &RelativePath,
    names: &Patterns,
    depth: usize,
    lists: &mut Vec<(RelativePath, Vec<u8>)>,
) {
    for row in volume.list(at).into_iter().flatten().flatten() {
        let (Ok(at), Ok(below)) = (at.join(&row.name), below_place.join(&row.name)) else { continue };
        let name = RelativePath::root().join(&row.name).map(|name| in_lower_case(&name));
        let is_list = name.is_ok_and(|name| names.fit(&Candidate::new(&name)));
        match row.metadata.kind {
            EntryKind::Folder if depth < DEEPEST => find(volume, &at, &below, names, depth + 1, lists),
            EntryKind::File if is_list => {
                lists.extend(small_file::read(volume, &at).map(|content| (below, content)));
            }
            _ => {}
        }
    }
}

fn spellings(path: &RelativePath) -> Vec<RelativePath> {
    let (Some(name), Some(folder)) = (path.name(), path.parent()) else { return vec![path.clone()] };
    let names = [name.to_vec(), name.to_ascii_lowercase(), name.to_ascii_uppercase()];
    let mut all: Vec<RelativePath> = names.iter().filter_map(|name| folder.join(name).ok()).collect();
    all.dedup();
    all
}

/// The lines of the machine's list, and behind them those that only the trunk's has. None if the machine's
/// has nothing of its own.
fn joined(theirs: &[u8], ours: &[u8]) -> Option<Vec<u8>> {
    let is_wide = is_wide(theirs) || is_wide(ours);
    let (theirs, ours) = (text_of(theirs, is_wide), text_of(ours, is_wide));
    let known: HashSet<&str> = ours.lines().collect();
    if theirs.lines().all(|line| line.is_empty() || known.contains(line)) {
        return None;
    }
    let line_end = if theirs.contains("\r\n") || ours.contains("\r\n") { "\r\n" } else { "\n" };
    let mut seen = HashSet::new();
    let lines = theirs.lines().chain(ours.lines()).filter(|line| !line.is_empty() && seen.insert(*line));
    let text: String = lines.flat_map(|line| [line, line_end]).collect();
    Some(match is_wide {
        true => [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect(),
        // Bytes of a code page, or of UTF-8, as they came.
        false => text.chars().map(|c| c as u8).collect(),
    })
}

/// True for a text of UTF-16.
fn is_wide(text: &[u8]) -> bool {
    text.starts_with(&[0xff, 0xfe])
}

/// Where both are bytes of one kind, each byte stands for itself.
fn text_of(text: &[u8], is_wide: bool) -> String {
    match std::str::from_utf8(text) {
        _ if !is_wide => encoding::western(text),
        _ if self::is_wide(text) => encoding::by_mark(text),
        Ok(text) => text.to_owned(),
        Err(_) => encoding::western(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wide(text: &str) -> Vec<u8> {
        [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect()
    }

    #[test]
    fn lines_of_both_are_kept_once_in_the_wider_of_both_encodings() {
        let joined_text = |theirs: &[u8], ours: &[u8]| joined(theirs, ours);
        assert_eq!(
            joined_text(b"spar\r\nkite\r\n", b"kite\r\nferrule"),
            Some(b"spar\r\nkite\r\nferrule\r\n".to_vec())
        );
        // A code page stays one, and so does UTF-8.
        assert_eq!(joined_text(b"Caf\xe9\n", b"sail\n"), Some(b"Caf\xe9\nsail\n".to_vec()));
        assert_eq!(joined_text("Café\n".as_bytes(), b"sail\n"), Some("Café\nsail\n".into()));
        assert_eq!(joined_text(&wide("Übernaht\r\n"), b"Caf\xe9\r\n"), Some(wide("Übernaht\r\nCafé\r\n")));
        assert_eq!(joined_text("Café\n".as_bytes(), &wide("sail\n")), Some(wide("Café\nsail\n")));
        // The new machine knows no word of its own.
        for theirs in [&b""[..], b"\r\n", b"ferrule\r\n"] {
            assert_eq!(joined_text(theirs, b"kite\r\nferrule\r\n"), None);
        }
    }
}
