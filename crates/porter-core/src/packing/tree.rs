//! The tree to choose from: by person, kind, item and folder, with what is ticked and how much that is.

use crate::survey::{ItemSurvey, Survey};
use crate::walk::{Grounds, Sight, walk};
use porter_kinds::catalogue::Catalogue;
use porter_kinds::choice::Unchosen;
use porter_kinds::choice::folder_key;
use porter_machine::Machine;
use porter_names::{NameRules, RelativePath};
use porter_source::EntryKind;
use porter_trunk::Tally;
use std::collections::BTreeMap;

/// Folders below an item are shown to this depth: deeper ones belong to those above.
const DEEPEST: usize = 3;

/// A row of the tree, with the rows below it.
#[derive(Debug, Clone)]
pub struct Node {
    /// Its title.
    pub title: String,
    /// The thing that it stands for.
    pub stands_for: StandsFor,
    /// The files that would be carried if all of it were ticked.
    pub tally: Tally,
    /// For items and folders: whether it is ticked. Others are ticked as those below them.
    ticked: bool,
    /// Whether the rows below are shown.
    pub is_open: bool,
    /// The rows below.
    pub below: Vec<Node>,
    /// Its place among its sisters in the order of the survey.
    number: usize,
}

/// The thing that a row stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StandsFor {
    /// A person, by id; none for everybody.
    Person(Option<String>),
    /// A kind of item.
    Kind,
    /// An item, by its place in the survey.
    Item(usize),
    /// A folder in it, by the key that packing lists use.
    Folder(String),
}

/// Whether a row is ticked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ticked {
    /// With all that is below it.
    Whole,
    /// Some of what is below it.
    Partly,
    /// Nothing of it.
    Not,
}

/// The tree of a survey.
#[derive(Debug, Clone)]
pub struct Tree {
    /// The people, then everybody.
    pub rows: Vec<Node>,
}

/// Where a row is: its place among the rows of each level.
pub type Spot = Vec<usize>;

impl Tree {
    /// The items of a survey, ticked as they were chosen. Folders are counted when an item is [looked
    /// into](Self::look_into).
    pub fn of(survey: &Survey) -> Self {
        let mut rows: Vec<Node> = Vec::new();
        for (at, row) in survey.items.iter().enumerate() {
            let person = StandsFor::Person(row.item.owner.clone());
            let title = row.item.owner.clone().unwrap_or_else(|| "For everybody".to_owned());
            let person = find_or_add(&mut rows, person, title, true);
            let kind = find_or_add(&mut person.below, StandsFor::Kind, row.item.kind.clone(), false);
            kind.below.push(Node {
                title: row.item.title.clone(),
                stands_for: StandsFor::Item(at),
                tally: row.to_capture,
                ticked: row.chosen,
                is_open: false,
                below: Vec::new(),
                number: 0,
            });
        }
        number(&mut rows);
        Self { rows }
    }

    /// Puts the largest first in each level, or everything back into the order of the survey.
    pub fn order(&mut self, largest_first: bool) {
        fn order(rows: &mut [Node], largest_first: bool) {
            rows.sort_by_key(|row| {
                let size_in_bytes = if largest_first { row.size_in_bytes() } else { 0 };
                (std::cmp::Reverse(size_in_bytes), row.number)
            });
            rows.iter_mut().for_each(|row| order(&mut row.below, largest_first));
        }
        order(&mut self.rows, largest_first);
    }

    /// The next row behind `after` whose title holds a text, in whatever case; from the beginning again if
    /// there is none. Rows that are not shown are found too, folders only of items that were [looked
    /// into](Self::look_into).
    pub fn find(&self, text: &str, after: &Spot) -> Option<Spot> {
        fn add(rows: &[Node], above: &Spot, text: &str, found: &mut Vec<Spot>) {
            for (at, node) in rows.iter().enumerate() {
                let spot = [above.as_slice(), &[at]].concat();
                if node.title.to_lowercase().contains(text) {
                    found.push(spot.clone());
                }
                add(&node.below, &spot, text, found);
            }
        }
        let mut found = Vec::new();
        add(&self.rows, &Vec::new(), &text.to_lowercase(), &mut found);
        found.iter().find(|spot| *spot > after).or(found.first()).cloned()
    }

    /// Shows the rows above a spot, and so the one at it.
    pub fn open_above(&mut self, spot: &Spot) {
        for length in 1..spot.len() {
            if let Some(above) = self.at(&spot[..length].to_vec()) {
                above.is_open = true;
            }
        }
    }

    /// A number for each row, the same in any order of rows.
    pub fn numbers(&self, spot: &Spot) -> Vec<usize> {
        let mut rows = &self.rows;
        let mut numbers = Vec::with_capacity(spot.len());
        for at in spot {
            let Some(row) = rows.get(*at) else { break };
            numbers.push(row.number);
            rows = &row.below;
        }
        numbers
    }

    /// The rows that are shown, each with its depth.
    pub fn shown(&self) -> Vec<(Spot, &Node)> {
        fn add<'t>(rows: &'t [Node], above: &Spot, shown: &mut Vec<(Spot, &'t Node)>) {
            for (at, node) in rows.iter().enumerate() {
                let spot = [above.as_slice(), &[at]].concat();
                shown.push((spot.clone(), node));
                if node.is_open {
                    add(&node.below, &spot, shown);
                }
            }
        }
        let mut shown = Vec::new();
        add(&self.rows, &Vec::new(), &mut shown);
        shown
    }

    /// The row at a spot.
    pub fn at(&mut self, spot: &Spot) -> Option<&mut Node> {
        let (first, rest) = spot.split_first()?;
        rest.iter().try_fold(self.rows.get_mut(*first)?, |node, at| node.below.get_mut(*at))
    }

    /// Ticks a row and all below it, or takes their ticks away if all were ticked. A folder that is ticked
    /// needs its item.
    pub fn toggle(&mut self, spot: &Spot) {
        let Some(node) = self.at(spot) else { return };
        let ticked = node.is_ticked() != Ticked::Whole;
        node.set(ticked);
        if ticked {
            for length in 1..spot.len() {
                if let Some(above) = self.at(&spot[..length].to_vec())
                    && matches!(above.stands_for, StandsFor::Item(_) | StandsFor::Folder(_))
                {
                    above.ticked = true;
                }
            }
        }
    }

    /// The ticked files.
    pub fn total(&self) -> Tally {
        let mut total = Tally::default();
        self.rows.iter().for_each(|row| total += row.chosen());
        total
    }

    /// Adds the rows of its folders to the row of an item, counted as a capture would.
    pub fn look_into(
        &mut self,
        spot: &Spot,
        machine: &Machine,
        catalogue: &Catalogue,
        survey: &Survey,
        unchosen: &Unchosen,
    ) {
        let Some(node) = self.at(spot) else { return };
        let StandsFor::Item(at) = node.stands_for else { return };
        let Some(row) = survey.items.get(at).filter(|_| node.below.is_empty()) else { return };
        // Folders that were left out before are shown, without their tick.
        let files_only = Unchosen { folders: BTreeMap::new(), ..unchosen.clone() };
        let items = survey.items.iter().map(|row| &row.item);
        let grounds = Grounds::new(machine, catalogue, items, &files_only, NameRules::TRUNK);
        let left_out = unchosen.folders.get(&row.item.id);
        node.below = folders_of(&grounds, row);
        number(&mut node.below);
        if node.ticked {
            node.below.iter_mut().for_each(|folder| {
                folder.untick(&|key| left_out.is_some_and(|left_out| left_out.contains(key)));
            });
        } else {
            node.below.iter_mut().for_each(|folder| folder.set(false));
        }
    }

    /// Takes the ticks over: which items are chosen, and which folders of them are not.
    pub fn apply(&self, survey: &mut Survey, unchosen: &mut Unchosen) {
        for item in self.rows.iter().flat_map(|person| &person.below).flat_map(|kind| &kind.below) {
            let StandsFor::Item(at) = item.stands_for else { continue };
            let Some(row) = survey.items.get_mut(at) else { continue };
            row.chosen = item.ticked;
            if !item.below.is_empty() {
                let mut keys = Vec::new();
                item.below.iter().for_each(|folder| folder.unticked(&mut keys));
                unchosen.folders.remove(&row.item.id);
                if item.ticked && !keys.is_empty() {
                    unchosen.folders.insert(row.item.id.clone(), keys.into_iter().collect());
                }
                row.to_capture = item.chosen_below();
            }
        }
    }
}

fn number(rows: &mut [Node]) {
    for (at, row) in rows.iter_mut().enumerate() {
        row.number = at;
        number(&mut row.below);
    }
}

impl Node {
    /// All of it, ticked or not.
    fn size_in_bytes(&self) -> u64 {
        match self.stands_for {
            StandsFor::Item(_) | StandsFor::Folder(_) => self.tally.size_in_bytes,
            StandsFor::Person(_) | StandsFor::Kind => self.below.iter().map(Self::size_in_bytes).sum(),
        }
    }

    /// Whether it is ticked.
    pub fn is_ticked(&self) -> Ticked {
        let own = match self.stands_for {
            StandsFor::Item(_) | StandsFor::Folder(_) => {
                if !self.ticked {
                    return Ticked::Not;
                }
                Some(Ticked::Whole)
            }
            StandsFor::Person(_) | StandsFor::Kind => None,
        };
        let mut states = own.into_iter().chain(self.below.iter().map(Self::is_ticked));
        let first = states.next().unwrap_or(Ticked::Not);
        if states.all(|state| state == first) { first } else { Ticked::Partly }
    }

    /// How much of it is ticked.
    pub fn chosen(&self) -> Tally {
        match self.stands_for {
            StandsFor::Item(_) | StandsFor::Folder(_) if self.ticked => self.chosen_below(),
            StandsFor::Item(_) | StandsFor::Folder(_) => Tally::default(),
            StandsFor::Person(_) | StandsFor::Kind => {
                let mut total = Tally::default();
                self.below.iter().for_each(|row| total += row.chosen());
                total
            }
        }
    }

    /// All of it without the folders that are not ticked.
    fn chosen_below(&self) -> Tally {
        let mut left = Tally::default();
        for folder in &self.below {
            let (all, chosen) = (folder.tally, folder.chosen());
            left += Tally {
                files: all.files.saturating_sub(chosen.files),
                folders: all.folders.saturating_sub(chosen.folders),
                links: all.links.saturating_sub(chosen.links),
                size_in_bytes: all.size_in_bytes.saturating_sub(chosen.size_in_bytes),
            };
        }
        Tally {
            files: self.tally.files.saturating_sub(left.files),
            folders: self.tally.folders.saturating_sub(left.folders),
            links: self.tally.links.saturating_sub(left.links),
            size_in_bytes: self.tally.size_in_bytes.saturating_sub(left.size_in_bytes),
        }
    }

    fn set(&mut self, ticked: bool) {
        self.ticked = ticked;
        self.below.iter_mut().for_each(|row| row.set(ticked));
    }

    fn untick(&mut self, is_left_out: &dyn Fn(&String) -> bool) {
        if matches!(&self.stands_for, StandsFor::Folder(key) if is_left_out(key)) {
            self.set(false);
        } else {
            self.below.iter_mut().for_each(|row| row.untick(is_left_out));
        }
    }

    /// The uppermost folders that are not ticked.
    fn unticked(&self, keys: &mut Vec<String>) {
        match &self.stands_for {
            StandsFor::Folder(key) if !self.ticked => keys.push(key.clone()),
            _ => self.below.iter().for_each(|row| row.unticked(keys)),
        }
    }
}

fn find_or_add(rows: &mut Vec<Node>, stands_for: StandsFor, title: String, is_open: bool) -> &mut Node {
    let is_it = |row: &Node| row.stands_for == stands_for && row.title == title;
    let at = rows.iter().position(is_it).unwrap_or_else(|| {
        let tally = Tally::default();
        rows.push(Node { title, stands_for, tally, ticked: false, is_open, below: Vec::new(), number: 0 });
        rows.len() - 1
    });
    &mut rows[at]
}

/// The folders of an item, with what is carried of each.
fn folders_of(grounds: &Grounds<'_>, row: &ItemSurvey) -> Vec<Node> {
    let mut top: Vec<Node> = Vec::new();
    walk(grounds, &row.item, |part, sight, tally| {
        let Sight::Entry { spot, metadata, fate } = sight else { return true };
        if fate.is_left() {
            return true;
        }
        let mut rows = &mut top;
        let mut path = RelativePath::root();
        let is_folder = metadata.kind == EntryKind::Folder;
        let above = spot.below_place.steps().count().saturating_sub(usize::from(!is_folder));
        for step in spot.below_place.steps().take(above.min(DEEPEST)) {
            let Ok(next) = path.join(step) else { return true };
            path = next;
            let stands_for = StandsFor::Folder(folder_key(part, &path));
            let at = rows.iter().position(|row| row.stands_for == stands_for).unwrap_or_else(|| {
                let title = porter_names::screen::on_screen(step);
                let tally = Tally::default();
                rows.push(Node {
                    title,
                    stands_for,
                    tally,
                    ticked: true,
                    is_open: false,
                    below: Vec::new(),
                    number: 0,
                });
                rows.len() - 1
            });
            rows[at].tally += tally;
            rows = &mut rows[at].below;
        }
        true
    });
    top
}
