//! Values of the running system's registry, set and taken back.

use super::RestoreError;
use super::journal::JournalLine;
use super::plan::{Plan, Refused};
use super::report::RestoreReport;
use crate::receipt::Reason;
use crate::registry_part::landing::RegistryChange;
use crate::registry_part::running;
use crate::undo::WhyKept;
use porter_names::RelativePath;
use porter_trunk::RegistryValue;
use std::collections::HashSet;
use std::io;

/// Sets what a plan wants, after `write_ahead` has seen it written down. A value that cannot be set is told, and the rest goes on.
pub(super) fn set_registry(
    plan: &Plan,
    write_ahead: &dyn Fn(&[JournalLine]) -> Result<(), RestoreError>,
    report: &mut RestoreReport,
) -> Result<(), RestoreError> {
    report.registry_values = plan.destinations.iter().map(|item| item.registry_values).sum();
    let mut lines: Vec<JournalLine> =
        plan.registry_kept.iter().map(|item| JournalLine::RegistryKept { item: item.clone() }).collect();
    // A key above several is told of before all of them, and once: an undo removes it after them.
    let mut made = HashSet::new();
    for change in &plan.registry {
        lines.extend(lines_of(change, &mut made));
    }
    write_ahead(&lines)?;
    for change in &plan.registry {
        if let Err(cause) = set(change) {
            report.registry_values -= u64::from(change.value.is_some());
            let name = change.value.as_ref().map_or("", |value| value.name.as_str());
            report.refused.push(Refused {
                item: Some(change.item.clone()),
                key: None,
                path: shown(&change.sid, &change.key, name),
                reason: Reason::RegistryNotEntered { detail: cause.to_string() },
                needs_attention: true,
            });
        }
    }
    Ok(())
}

fn set(change: &RegistryChange) -> io::Result<()> {
    let RegistryChange { sid, key, value, .. } = change;
    match value {
        Some(value) => running::set(sid, key, value),
        None => running::make_key(sid, key),
    }
}

fn lines_of(change: &RegistryChange, made: &mut HashSet<(String, String)>) -> Vec<JournalLine> {
    let RegistryChange { item, sid, key, value } = change;
    match value {
        Some(becomes) => vec![JournalLine::RegistryValue {
            item: item.clone(),
            sid: sid.clone(),
            key: key.clone(),
            was: running::value(sid, key, &becomes.name),
            becomes: becomes.clone(),
        }],
        // The keys above it that are not there are made with it.
        None => key
            .match_indices('\\')
            .map(|(at, _)| &key[..at])
            .chain([key.as_str()])
            .filter(|key| !running::has_key(sid, key) && made.insert((sid.clone(), key.to_lowercase())))
            .map(|key| JournalLine::RegistryKey { sid: sid.clone(), key: key.to_owned() })
            .collect(),
    }
}

/// Gives a value back what it was. True if that was done, or is to be; false if there is nothing to do.
pub(crate) fn put_back(
    sid: &str,
    key: &str,
    was: Option<&RegistryValue>,
    becomes: &RegistryValue,
    try_only: bool,
) -> Result<bool, WhyKept> {
    require_loaded(sid)?;
    let now = running::value(sid, key, &becomes.name);
    if now.as_ref().map(content) == was.map(content) {
        return Ok(false);
    }
    if now.as_ref().map(content) != Some(content(becomes)) {
        return Err(WhyKept::Changed);
    }
    if !try_only {
        let done = match was {
            Some(was) => running::set(sid, key, was),
            None => running::remove_value(sid, key, &becomes.name),
        };
        done.map_err(not_done)?;
    }
    Ok(true)
}

/// Removes a key that was made. One in which there is something stays: that is somebody's.
pub(crate) fn remove_key(sid: &str, key: &str, try_only: bool) -> Result<(), WhyKept> {
    require_loaded(sid)?;
    if try_only || !running::has_key(sid, key) {
        return Ok(());
    }
    running::remove_key(sid, key).map_err(|cause| match cause.kind() {
        io::ErrorKind::DirectoryNotEmpty => WhyKept::NotEmpty,
        _ => not_done(cause),
    })
}

/// The case of a name is nobody's change.
fn content(value: &RegistryValue) -> (u32, &[u8]) {
    (value.kind, &value.data)
}

fn require_loaded(sid: &str) -> Result<(), WhyKept> {
    if running::is_loaded(sid) {
        return Ok(());
    }
    Err(WhyKept::NotDone(
        "the registry of the person is not open here: let them sign in, and undo there".to_owned(),
    ))
}

fn not_done(cause: io::Error) -> WhyKept {
    WhyKept::NotDone(cause.to_string())
}

/// How a key or value is called where paths are told.
pub(crate) fn shown(sid: &str, key: &str, name: &str) -> RelativePath {
    let path = format!("HKEY_USERS/{sid}/{}/{name}", key.replace('\\', "/"));
    RelativePath::from_bytes(path.trim_end_matches('/').as_bytes()).unwrap_or_default()
}
