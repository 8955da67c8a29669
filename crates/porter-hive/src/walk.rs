//! Going through a whole hive, whatever state it is in.

use crate::{Hive, HiveError, Key};
use std::collections::HashSet;

/// Deeper keys are refused, as by Windows itself.
pub const MOST_LEVELS: usize = 512;

/// A step of a walk.
pub enum Sight<'h> {
    /// A key, and how many are above it. Those below it come next.
    Key(Key<'h>, usize),
    /// Something that cannot be read.
    Damage(HiveError),
}

/// All keys of a hive, those above before those below, and what is damaged. Every key is met once, even in a
/// tree with loops.
pub struct Walk<'h> {
    /// Keys still to be visited, last first.
    ahead: Vec<(Result<Key<'h>, HiveError>, usize)>,
    met: HashSet<u32>,
    /// How many keys may still be put ahead: in a sound tree each is there once.
    room: usize,
}

impl Hive {
    /// Goes through all keys.
    pub fn walk(&self) -> Walk<'_> {
        Walk { ahead: vec![(self.root(), 0)], met: HashSet::new(), room: self.bins().most_keys() }
    }
}

impl<'h> Iterator for Walk<'h> {
    type Item = Sight<'h>;

    fn next(&mut self) -> Option<Sight<'h>> {
        let (found, level) = self.ahead.pop()?;
        let key = match found {
            Ok(key) => key,
            Err(damage) => return Some(Sight::Damage(damage)),
        };
        if !self.met.insert(key.offset()) {
            return Some(Sight::Damage(HiveError::Loop { offset: key.offset() }));
        }
        if level > MOST_LEVELS {
            return Some(Sight::Damage(HiveError::TooDeep { offset: key.offset(), most: MOST_LEVELS }));
        }
        let from = self.ahead.len();
        self.ahead.extend(key.subkeys().take(self.room + 1).map(|found| (found, level + 1)));
        let added = self.ahead.len() - from;
        if added > self.room {
            self.ahead.truncate(from);
            self.ahead.push((Err(HiveError::Loop { offset: key.offset() }), level));
        } else {
            self.room -= added;
            self.ahead[from..].reverse();
        }
        Some(Sight::Key(key, level))
    }
}
