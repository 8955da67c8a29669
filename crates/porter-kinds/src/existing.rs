//! The choice between a present file and a different one that lands in its place. Both stay in any case: one
//! of them gets a dated name.

use porter_names::RelativePath;
use time::OffsetDateTime;

/// Which of two files of one name keeps it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Existing {
    /// The trunk's: what is there is set aside.
    #[default]
    SetAside,
    /// The one that is there: the trunk's lands beside it.
    Keep,
    /// The one that was changed last; the trunk's if that is not known.
    Newer,
}

/// Two files of one name.
#[derive(Debug, Clone)]
pub struct Different {
    /// Below the machine's root.
    pub at: RelativePath,
    /// The trunk's.
    pub in_trunk: Side,
    /// The one that is there.
    pub there: Side,
}

/// The facts that the two are compared by.
#[derive(Debug, Clone, Copy)]
pub struct Side {
    /// Length of its content.
    pub size_in_bytes: u64,
    /// When it last changed.
    pub modified_utc: Option<OffsetDateTime>,
}

/// Decides for each pair.
pub type Decide<'a> = &'a mut dyn FnMut(&Different) -> Existing;

impl Different {
    /// True if the trunk's file keeps the name.
    pub fn trunks_gets_the_name(&self, decided: Existing) -> bool {
        match decided {
            Existing::SetAside => true,
            Existing::Keep => false,
            Existing::Newer => match (self.in_trunk.modified_utc, self.there.modified_utc) {
                (Some(ours), Some(theirs)) => ours >= theirs,
                _ => true,
            },
        }
    }
}
