//! The packing list: which items are carried, as a file that people read and edit. `docs/packing-list.md`
//! describes it.

use crate::survey::Survey;
use porter_kinds::catalogue::patterns::Patterns;
use porter_kinds::choice::Unchosen;
use porter_machine::Machine;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

/// The name of the format, with its version.
pub const FORMAT: &str = "porter-packing-list/1";

/// A packing list.
#[derive(Debug, Clone)]
pub struct PackingList {
    /// The machine it was written for.
    pub machine: String,
    /// By id, whether it is carried, and how much it was.
    items: BTreeMap<String, Listed>,
    leave_files: Patterns,
    leave_files_over_in_bytes: Option<u64>,
    /// Additions by name, as paths of the machine.
    pub also: Vec<String>,
}

#[derive(Debug, Clone)]
struct Listed {
    carry: bool,
    size_in_bytes: Option<u64>,
    leave_folders: BTreeSet<String>,
}

/// A file that is not a packing list. The text names line and column where that helps.
#[derive(Debug, thiserror::Error)]
pub enum ListError {
    /// It is not TOML, or does not have the shape of a list.
    #[error("{0}")]
    Malformed(#[from] toml::de::Error),
    /// It is of a format that we do not know.
    #[error("its format is `{0}`, and `{FORMAT}` is known")]
    UnknownFormat(String),
    /// An item is there twice, and nobody can say which counts.
    #[error("`{0}` is listed twice")]
    Twice(String),
}

/// Differences from the machine at the time of the list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Changes {
    /// Items of the machine that the list does not name, and that are so left out.
    pub not_listed: Vec<String>,
    /// Items to carry that the machine does not have any more.
    pub gone: Vec<String>,
    /// Items to carry whose size is another: then and now.
    pub other_size: Vec<(String, u64, u64)>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    format: String,
    machine: String,
    #[serde(default)]
    leave_files: Patterns,
    #[serde(default)]
    leave_files_over_in_bytes: Option<u64>,
    #[serde(default)]
    also: Vec<String>,
    #[serde(default)]
    item: Vec<Row>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    id: String,
    carry: bool,
    #[serde(default)]
    size_in_bytes: Option<u64>,
    #[serde(default)]
    leave_folders: BTreeSet<String>,
}

impl PackingList {
    /// Reads a list.
    pub fn from_toml(text: &str) -> Result<Self, ListError> {
        let file: File = toml::from_str(text)?;
        if file.format != FORMAT {
            return Err(ListError::UnknownFormat(file.format));
        }
        let mut items = BTreeMap::new();
        for row in file.item {
            let Row { carry, size_in_bytes, leave_folders, .. } = row;
            let listed = Listed { carry, size_in_bytes, leave_folders };
            if items.insert(row.id.clone(), listed).is_some() {
                return Err(ListError::Twice(row.id));
            }
        }
        let (leave_files, leave_files_over_in_bytes) = (file.leave_files, file.leave_files_over_in_bytes);
        Ok(Self { machine: file.machine, items, leave_files, leave_files_over_in_bytes, also: file.also })
    }

    /// The parts of the carried items that are left out.
    pub fn unchosen(&self) -> Unchosen {
        let rows = self.items.iter().filter(|(_, listed)| !listed.leave_folders.is_empty());
        Unchosen {
            folders: rows.map(|(id, listed)| (id.clone(), listed.leave_folders.clone())).collect(),
            files: self.leave_files.clone(),
            files_over_in_bytes: self.leave_files_over_in_bytes,
        }
    }

    /// The ids of the items to carry.
    pub fn carried(&self) -> BTreeSet<String> {
        self.items.iter().filter(|(_, listed)| listed.carry).map(|(id, _)| id.clone()).collect()
    }

    /// Differences between the list and a survey.
    pub fn changes_in(&self, survey: &Survey) -> Changes {
        let mut changes = Changes::default();
        let mut missing = self.carried();
        for row in &survey.items {
            let id = &row.item.id;
            missing.remove(id);
            match self.items.get(id) {
                None => changes.not_listed.push(id.clone()),
                Some(Listed { carry: true, size_in_bytes: Some(then), .. })
                    if *then != row.to_capture.size_in_bytes =>
                {
                    changes.other_size.push((id.clone(), *then, row.to_capture.size_in_bytes));
                }
                Some(_) => {}
            }
        }
        changes.gone = missing.into_iter().collect();
        changes
    }
}

/// A list of a survey's items and of the choice among them. `remark` returns the words behind an item;
/// `heading` the lines at the top. Both become comments.
pub fn to_toml(
    machine: &Machine,
    survey: &Survey,
    unchosen: &Unchosen,
    heading: &str,
    remark: &dyn Fn(&crate::survey::ItemSurvey) -> String,
) -> String {
    // A text of JSON is one of TOML, too, and holds whatever a machine may be called.
    let quoted = |text: &str| serde_json::Value::from(text).to_string().replace('\u{7f}', "\\u007f");
    let comment = |text: &str| text.replace(|c: char| c.is_control() && c != '\n', " ");
    let mut list = String::new();
    for line in comment(heading).lines() {
        list.push_str(&format!("# {line}\n"));
    }
    list.push_str(&format!("\nformat = {}\nmachine = {}\n", quoted(FORMAT), quoted(&machine.name)));
    let texts = |texts: &mut dyn Iterator<Item = &String>| {
        format!("[{}]", texts.map(|text| quoted(text)).collect::<Vec<_>>().join(", "))
    };
    if !machine.also.is_empty() {
        let paths: Vec<String> = machine.also.iter().map(ToString::to_string).collect();
        list.push_str(&format!("also = {}\n", texts(&mut paths.iter())));
    }
    if !unchosen.files.is_empty() {
        list.push_str(&format!("leave_files = {}\n", texts(&mut unchosen.files.texts().iter())));
    }
    if let Some(most) = unchosen.files_over_in_bytes {
        list.push_str(&format!("leave_files_over_in_bytes = {most}\n"));
    }
    let mut owner = None;
    for row in &survey.items {
        if owner != Some(&row.item.owner) {
            owner = Some(&row.item.owner);
            let whose = row.item.owner.as_deref().unwrap_or("for everybody");
            list.push_str(&format!("\n# {whose}\n"));
        }
        list.push_str(&format!(
            "\n# {}\n[[item]]\nid = {}\ncarry = {}\nsize_in_bytes = {}\n",
            comment(&remark(row)).replace('\n', " "),
            quoted(&row.item.id),
            row.chosen,
            row.to_capture.size_in_bytes
        ));
        if let Some(folders) = unchosen.folders.get(&row.item.id).filter(|folders| !folders.is_empty()) {
            list.push_str(&format!("leave_folders = {}\n", texts(&mut folders.iter())));
        }
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mistakes_in_a_list_are_named() {
        let head = "format = \"porter-packing-list/1\"\nmachine = \"LOFT-PC\"\n";
        let item = "[[item]]\nid = \"odile/folder/music\"\ncarry = true\n";
        let list = PackingList::from_toml(&format!("{head}{item}")).unwrap();
        assert_eq!(list.carried().into_iter().collect::<Vec<_>>(), ["odile/folder/music"]);
        for (text, what) in [
            (format!("{head}{item}{item}"), "`odile/folder/music` is listed twice"),
            (head.replace("/1", "/2"), "its format is `porter-packing-list/2`"),
            (format!("{head}[[item]]\nid = \"a\"\ncarry = yes\n"), "line 5"),
            (format!("{head}[[item]]\nid = \"a\"\ncary = true\n"), "unknown field `cary`"),
        ] {
            let error = PackingList::from_toml(&text).unwrap_err().to_string();
            assert!(error.contains(what), "{error}");
        }
        // A parser that takes a wrong `{}` for the end of a right one calls itself until the stack is full.
        PackingList::from_toml(&format!("{head}v={{{}{}", "{}".repeat(9_000), "a={".repeat(9_000)))
            .unwrap_err();
    }
}
