//! Sets the controls of a plan.

use super::RestoreError;
use super::plan::{Plan, Refused};
use super::report::RestoreReport;
use crate::journal::JournalLine;
use porter_machine::control::{Done, shown_as_path};
use porter_names::Facts;
use std::io;

/// Sets the controls of a plan, after `write_ahead` has written them down. A control that cannot be set is
/// reported, and the rest goes on.
pub(super) fn set_controls(
    plan: &Plan,
    write_ahead: &dyn Fn(&[JournalLine]) -> Result<(), RestoreError>,
    report: &mut RestoreReport,
) -> Result<(), RestoreError> {
    let changes = &plan.changes;
    report.registry_values = plan.outline.destinations.iter().map(|item| item.registry_values).sum();
    let mut lines: Vec<JournalLine> =
        changes.registry_kept().map(|item| JournalLine::RegistryKept { item: item.to_owned() }).collect();
    // All values before are read first, before any of them is set.
    let before: Vec<io::Result<Option<Facts>>> =
        changes.controls().iter().map(|change| change.control.read(&change.owner, &change.becomes)).collect();
    lines.extend(changes.controls().iter().zip(&before).filter_map(|(change, was)| {
        Some(JournalLine::Set {
            item: change.item.clone(),
            control: change.control.name().to_owned(),
            owner: change.owner.clone(),
            was: was.as_ref().ok()?.clone(),
            becomes: change.becomes.clone(),
        })
    }));
    write_ahead(&lines)?;
    let mut done = Done::default();
    for (change, was) in changes.controls().iter().zip(before) {
        let set = was.and_then(|_| change.control.set(&change.owner, &change.becomes));
        let Err(cause) = set else {
            done.note(change.control, &change.owner, &change.becomes);
            report.controls_set += u64::from(change.control.registry_key(&change.becomes).is_none());
            continue;
        };
        report.registry_values -= u64::from(
            change.control.registry_key(&change.becomes).is_some() && !change.control.is_container(),
        );
        report.refused.push(Refused {
            item: Some(change.item.clone()),
            key: None,
            path: shown_as_path(change.control, &change.owner, &change.becomes),
            reason: (change.if_not_set)(cause.to_string()),
            needs_attention: true,
        });
    }
    done.tell();
    Ok(())
}
