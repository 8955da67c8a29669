//! The drives and what is on them.

use super::numbers::{count, number_of, padded, size};
use crate::commands::machines::Row;
use crate::paths;
use crate::screen::{BOLD, CARE, say, styled};
use porter_core::machines::{Held, HeldKind, Opened, PartFound, SystemFound};
use porter_disk::Caution;
use porter_disk::drive::part_named;
use porter_disk::lock::{Protector, Way};
use porter_names::screen::on_screen;
use porter_source::VolumeKind;
use serde_json::json;
use std::path::{Path, PathBuf};

/// Widest name of a drive or part that the rows keep their columns for.
const NAME_COLUMNS: usize = 24;
const SIZE_COLUMNS: usize = 10;

/// The list for the terminal.
pub(crate) fn show(rows: &[Row], here: Option<&SystemFound>) {
    if let Some(machine) = here {
        let people = people_in_words(&machine.people);
        say(styled(BOLD, format_args!("here  {}", on_screen(machine.name.as_bytes()))));
        say(format_args!("  {}, {people}", machine.product));
    }
    if rows.is_empty() {
        say("No drive can be seen. An image is named: porter machines disk.img");
    }
    for row in rows {
        say("");
        let named = paths::quoted(&row.path);
        let device = row.device.as_ref();
        let size_in_bytes = match &row.found {
            Ok(found) => Some(found.size_in_bytes),
            Err(_) => device.and_then(|device| device.size_in_bytes),
        };
        let mut facts: Vec<String> = size_in_bytes.map(size).into_iter().collect();
        facts.extend(
            device.and_then(|device| device.model.as_deref()).map(|model| on_screen(model.as_bytes())),
        );
        if device.is_some_and(|device| device.is_removable) {
            facts.push("can be pulled out".to_owned());
        }
        say(styled(BOLD, format_args!("{named}  {}", facts.join(", "))));
        if let Some(at) = device.and_then(|device| device.mounted_at.first()) {
            say(format_args!("  mounted at {}: name the folder, or unmount it first", paths::shown(at)));
        }
        match &row.found {
            Ok(found) => {
                for flaw in &found.flaws {
                    say(styled(CARE, format_args!("  ! {flaw}")));
                }
                found.parts.iter().for_each(|part| show_part(&row.path, part));
            }
            Err(why) => say(styled(CARE, format_args!("  ! {}", on_screen(why.as_bytes())))),
        }
    }
}

fn show_part(path: &Path, part: &PartFound) {
    let name =
        if part.number.is_some() { paths::quoted(&name_of(path, part)) } else { "whole drive".to_owned() };
    let what = match &part.held {
        Held::FileSystem(opened) => match opened.label() {
            Some(label) => format!("{} \u{201c}{}\u{201d}", opened.kind(), on_screen(label.as_bytes())),
            None => opened.kind().to_owned(),
        },
        _ => kind_in_words(&part.kind()),
    };
    let purpose =
        part.name.as_deref().map(|name| format!("  ({})", on_screen(name.as_bytes()))).unwrap_or_default();
    say(format_args!(
        "  {}{}{what}{purpose}",
        padded(&name, NAME_COLUMNS),
        padded(&size(part.size_in_bytes), SIZE_COLUMNS)
    ));
    let indent = " ".repeat(2 + NAME_COLUMNS + SIZE_COLUMNS);
    let opened = match &part.held {
        Held::FileSystem(opened) => opened,
        Held::Locked(locked) => {
            for protector in &locked.protectors {
                say(format_args!("{indent}opens with {}", way_in_words(protector)));
            }
            return;
        }
        Held::NotRead(_) | Held::Damaged(_) => return,
    };
    if let Some(system) = &opened.system {
        say(format_args!("{indent}{}", system_in_words(system)));
    }
    for words in cautions_in_words(opened) {
        say(styled(CARE, format_args!("{indent}! {words}")));
    }
}

/// A part as it is named to the other commands.
fn name_of(path: &Path, part: &PartFound) -> PathBuf {
    part.number.map_or_else(|| path.to_path_buf(), |number| part_named(path, number))
}

fn system_in_words(system: &SystemFound) -> String {
    let name = on_screen(system.name.as_bytes());
    let product = on_screen(system.product.as_bytes());
    let people = people_in_words(&system.people);
    if name.is_empty() { format!("{product}, {people}") } else { format!("{name}: {product}, {people}") }
}

fn people_in_words(ids: &[String]) -> String {
    let names: Vec<String> = ids.iter().map(|id| on_screen(id.as_bytes())).collect();
    match names.len() {
        0 => "no accounts".to_owned(),
        1..=4 => names.join(", "),
        more => format!("{} and {} more", names[..3].join(", "), count(more as u64 - 3)),
    }
}

/// A way into a locked volume, and the number by which its owner finds the key.
pub(crate) fn way_in_words(protector: &Protector) -> String {
    let identifier = &protector.identifier;
    match protector.way {
        Way::Open => "nothing: it is suspended".to_owned(),
        Way::Passphrase => "a passphrase".to_owned(),
        Way::RecoveryKey => format!("the recovery key {identifier}"),
        Way::KeyFile => format!("the key file {identifier}.BEK"),
        Way::Chip => "the chip of the PC it was in".to_owned(),
    }
}

/// The content of a part.
pub(crate) fn kind_in_words(held: &HeldKind) -> String {
    match held {
        HeldKind::FileSystem(kind, _) => (*kind).to_owned(),
        HeldKind::Locked(found) => match found.kind {
            VolumeKind::BitLocker => "locked by BitLocker".to_owned(),
            VolumeKind::Luks => "locked by LUKS".to_owned(),
            _ => "locked by FileVault, most likely".to_owned(),
        },
        HeldKind::NotRead(Some(VolumeKind::Apfs)) => "APFS, which porter does not read itself".to_owned(),
        HeldKind::NotRead(Some(VolumeKind::HfsPlus)) => "HFS+, which porter does not read itself".to_owned(),
        HeldKind::NotRead(Some(VolumeKind::Ext)) => {
            "ext, which porter does not read itself: mount it".to_owned()
        }
        HeldKind::NotRead(_) => "nothing that porter knows".to_owned(),
        HeldKind::Damaged(what) => what.clone(),
    }
}

/// The state that a file system, and the system on it, was left in.
fn cautions_in_words(opened: &Opened) -> Vec<String> {
    let words = |caution: &Caution| match caution {
        Caution::NotClosed => "it was not closed: the last changes before that may be missing".to_owned(),
        Caution::RecordsUnreadable(records) => format!(
            "{} of its file system cannot be read: some things may be missing, or be without their folder",
            number_of(*records, "records")
        ),
        Caution::CopyUsed(of) => format!("{of} cannot be read; the copy of it is used"),
    };
    let hibernated = opened.system.as_ref().is_some_and(|system| system.is_hibernated).then(|| {
        "its Windows was put to sleep, not shut down: the last changes before that may be missing".to_owned()
    });
    opened.cautions().iter().map(words).chain(hibernated).collect()
}

/// The same for programs.
pub(crate) fn json(rows: &[Row], here: Option<&SystemFound>) -> serde_json::Value {
    let here = here.map(|here| json!({ "name": here.name, "system": here.product, "people": here.people }));
    let drives: Vec<_> = rows
        .iter()
        .map(|row| {
            let device = row.device.as_ref();
            let found = row.found.as_ref();
            json!({
                "path": row.path,
                "size_in_bytes": found.ok().map(|found| found.size_in_bytes)
                    .or_else(|| device.and_then(|device| device.size_in_bytes)),
                "model": device.and_then(|device| device.model.clone()),
                "is_removable": device.map(|device| device.is_removable),
                "mounted_at": device.map(|device| device.mounted_at.clone()).unwrap_or_default(),
                "flaws": found.map(|found| found.flaws.clone()).unwrap_or_default(),
                "parts": found.map(|f| f.parts.iter().map(|part| part_json(&row.path, part)).collect()).unwrap_or_else(|_| Vec::new()),
                "error": found.err(),
            })
        })
        .collect();
    json!({ "format": "porter-machines/1", "here": here, "drives": drives })
}

fn part_json(path: &Path, part: &PartFound) -> serde_json::Value {
    let mut row = json!({
        "number": part.number,
        "name_it": name_of(path, part).display().to_string(),
        "size_in_bytes": part.size_in_bytes,
        "partition_name": part.name,
    });
    match &part.held {
        Held::FileSystem(opened) => {
            row["file_system"] = opened.kind().into();
            row["label"] = opened.label().into();
            row["cautions"] = cautions_in_words(opened).into();
            row["system"] = opened.system.as_ref().map_or(
                serde_json::Value::Null,
                |system| json!({ "name": system.name, "product": system.product, "people": system.people }),
            );
        }
        Held::Locked(locked) => {
            row["locked"] = kind_in_words(&part.kind()).into();
            row["opens_with"] = locked.protectors.iter().map(way_in_words).collect::<Vec<_>>().into();
        }
        Held::NotRead(_) | Held::Damaged(_) => row["not_read"] = kind_in_words(&part.kind()).into(),
    }
    row
}
