//! Sets the controls of a plan.

use super::RestoreError;
use super::plan::{Plan, Refused};
use super::report::RestoreReport;
use crate::journal::JournalLine;
use porter_kinds::changes::SetControl;
use porter_machine::control::{Done, shown_as_path};
use porter_names::Facts;
use std::io;

/// Which of the controls.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Turn {
    /// Those that other things land in.
    First,
    /// All others.
    Last,
}

/// Sets the controls of a plan whose turn it is, after `write_ahead` has written them down. A control that
/// cannot be set is reported, and the rest goes on.
pub(super) fn set_controls(
    plan: &Plan,
    turn: Turn,
    write_ahead: &dyn Fn(&[JournalLine]) -> Result<(), RestoreError>,
    report: &mut RestoreReport,
) -> Result<(), RestoreError> {
    let changes = &plan.changes;
    let mut lines: Vec<JournalLine> = Vec::new();
    if turn == Turn::Last {
        report.registry_values = plan.outline.destinations.iter().map(|item| item.registry_values).sum();
        let kept = changes.registry_kept();
        lines.extend(kept.map(|item| JournalLine::RegistryKept { item: item.to_owned() }));
    }
    let its_turn = |change: &&SetControl| change.control.comes_first() == (turn == Turn::First);
    let controls: Vec<&SetControl> = changes.controls().iter().filter(its_turn).collect();
    // All values before are read first, before any of them is set.
    let value_before = |change: &&SetControl| {
        if change.is_made { Ok(None) } else { change.control.read(&change.owner, &change.becomes) }
    };
    let before: Vec<io::Result<Option<Facts>>> = controls.iter().map(value_before).collect();
    lines.extend(controls.iter().zip(&before).filter_map(|(change, was)| {
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
    for (change, was) in controls.iter().zip(before) {
        let set = was.and_then(|_| match &change.secret {
            Some(secret) => change.control.set_with(&change.owner, &change.becomes, secret),
            None => change.control.set(&change.owner, &change.becomes),
        });
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
