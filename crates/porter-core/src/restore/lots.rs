//! Which steps of a plan are taken together: those into a new folder that can land whole.

use super::plan::{Action, Due, Plan};
use porter_names::RelativePath;
use porter_trunk::{Content, Trunk};
use std::collections::HashSet;
use std::ops::RangeInclusive;

/// For fewer files the folder costs more than their names. If the power fails, the files of at most one lot
/// are written again.
const FILES: RangeInclusive<usize> = 4..=512;
const MOST_IN_BYTES: u64 = 8 << 20;

/// Steps that one thread takes one after the other.
pub(super) struct Lot<'p> {
    pub(super) dues: Vec<Due<'p>>,
    /// True if they are all that goes into a folder that can land whole.
    pub(super) is_whole: bool,
}

/// Which folders of a plan may land whole. They are not made before.
pub(super) struct WholeFolders<'p> {
    /// How many steps go into each of the plan's homes that may; none for the others.
    steps_into: Vec<usize>,
    paths: HashSet<&'p RelativePath>,
}

impl<'p> WholeFolders<'p> {
    pub(super) fn of(plan: &'p Plan) -> Self {
        let plain = plan.folders.iter().filter(|folder| folder.set_aside.is_none());
        let new: HashSet<&RelativePath> = plain.map(|folder| &folder.at).collect();
        let with_folders: HashSet<RelativePath> =
            plan.folders.iter().filter_map(|folder| folder.at.parent()).collect();
        let may_be = |home: &RelativePath| new.contains(home) && !with_folders.contains(home);
        let mut counted: Vec<Option<usize>> =
            plan.homes.iter().map(|home| may_be(home).then_some(0)).collect();
        for step in &plan.steps {
            if let Some(count) = counted.get_mut(step.home as usize) {
                *count = count.filter(|_| step.action == Action::Create).map(|count| count + 1);
            }
        }
        let in_bounds =
            |count: Option<usize>| count.filter(|count| FILES.contains(count)).unwrap_or_default();
        let steps_into: Vec<usize> = counted.into_iter().map(in_bounds).collect();
        let paths = plan
            .homes
            .iter()
            .zip(&steps_into)
            .filter(|(_, steps)| **steps > 0)
            .map(|(home, _)| home)
            .collect();
        Self { steps_into, paths }
    }

    /// True if this folder is made when the first thing lands in it, or lands whole.
    pub(super) fn contain(&self, folder: &RelativePath) -> bool {
        self.paths.contains(folder)
    }

    /// Puts steps together that belong together, and hands them over; the others go singly. False as soon as
    /// `hand_over` says so.
    pub(super) fn in_lots<'d>(
        &self,
        trunk: &dyn Trunk,
        dues: impl Iterator<Item = Due<'d>>,
        mut hand_over: impl FnMut(Lot<'d>) -> bool,
    ) -> bool {
        let mut dues = dues.peekable();
        while let Some(first) = dues.next() {
            let home = first.step.home;
            let mut together = vec![first];
            while let Some(next) = dues.next_if(|due| due.step.home == home) {
                together.push(next);
            }
            let went_on = if self.is_whole(trunk, &together) {
                hand_over(Lot { dues: together, is_whole: true })
            } else {
                let mut single = together.into_iter().map(|due| Lot { dues: vec![due], is_whole: false });
                single.all(&mut hand_over)
            };
            if !went_on {
                return false;
            }
        }
        true
    }

    fn is_whole(&self, trunk: &dyn Trunk, dues: &[Due<'_>]) -> bool {
        let all = dues.first().and_then(|due| self.steps_into.get(due.step.home as usize));
        let size_in_bytes = dues.iter().map(|due| due.entry.size_in_bytes()).fold(0, u64::saturating_add);
        all == Some(&dues.len())
            && size_in_bytes <= MOST_IN_BYTES
            && dues.iter().all(|due| {
                matches!(due.entry.content, Content::File { .. })
                    && due.entry.same_file.is_none()
                    && due.adapted.is_none()
                    && trunk.content_file(&due.entry).is_none()
            })
    }
}
