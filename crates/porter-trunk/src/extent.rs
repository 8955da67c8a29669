//! Where a file's content lies in a packed trunk.

use serde::de::{Error as _, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;

/// A stretch of a file's content.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Extent {
    /// Consecutive contents of one block.
    Contents {
        /// Number of the block in the trunk, from 1.
        block: u32,
        /// The first content, counted from 0.
        first: u32,
        /// How many.
        count: u32,
    },
    /// Nothing but zeros: a hole, or what could be one.
    Zeros {
        /// How many.
        length_in_bytes: u64,
    },
}

/// All of a file's content, in order. Most files need one extent, and a trunk may hold millions of files.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub enum Extents {
    /// Nothing is stored: an empty file, or a form of trunk that keeps files as files.
    #[default]
    None,
    /// One.
    One(Extent),
    /// Several.
    Many(Box<[Extent]>),
}

impl Extents {
    /// In order.
    pub fn as_slice(&self) -> &[Extent] {
        match self {
            Self::None => &[],
            Self::One(extent) => std::slice::from_ref(extent),
            Self::Many(extents) => extents,
        }
    }

    /// True if there is none.
    pub fn is_empty(&self) -> bool {
        matches!(self, Self::None)
    }
}

impl FromIterator<Extent> for Extents {
    /// Neighbours become one extent.
    fn from_iter<I: IntoIterator<Item = Extent>>(extents: I) -> Self {
        let mut joined: Vec<Extent> = Vec::new();
        for extent in extents {
            match (joined.last_mut(), extent) {
                (
                    Some(Extent::Contents { block, first, count }),
                    Extent::Contents { block: next_block, first: next, count: more },
                ) if *block == next_block && first.checked_add(*count) == Some(next) => *count += more,
                (Some(Extent::Zeros { length_in_bytes }), Extent::Zeros { length_in_bytes: more }) => {
                    *length_in_bytes = length_in_bytes.saturating_add(more);
                }
                _ => joined.push(extent),
            }
        }
        match joined[..] {
            [] => Self::None,
            [one] => Self::One(one),
            _ => Self::Many(joined.into_boxed_slice()),
        }
    }
}

/// Contents as `[block, first, count]`, zeros as `[length]`.
impl Serialize for Extents {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.as_slice().iter().map(|extent| match *extent {
            Extent::Contents { block, first, count } => vec![u64::from(block), first.into(), count.into()],
            Extent::Zeros { length_in_bytes } => vec![length_in_bytes],
        }))
    }
}

impl<'de> Deserialize<'de> for Extents {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let rows = Vec::<Row>::deserialize(deserializer)?;
        let extent = |Row { numbers, count }: Row| {
            let number = |at: usize| u32::try_from(numbers[at]).map_err(|_| D::Error::custom("no extent"));
            match count {
                1 => Ok(Extent::Zeros { length_in_bytes: numbers[0] }),
                3 => Ok(Extent::Contents { block: number(0)?, first: number(1)?, count: number(2)? }),
                _ => Err(D::Error::custom("an extent has one number or three")),
            }
        };
        rows.into_iter().map(extent).collect()
    }
}

/// The numbers of an extent, without memory of their own: there are millions.
#[derive(Default)]
struct Row {
    numbers: [u64; 3],
    count: usize,
}

impl<'de> Deserialize<'de> for Row {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Numbers;
        impl<'de> Visitor<'de> for Numbers {
            type Value = Row;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an extent: one number or three")
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut given: A) -> Result<Row, A::Error> {
                let mut row = Row::default();
                while let Some(number) = given.next_element()? {
                    *row.numbers.get_mut(row.count).ok_or_else(|| A::Error::invalid_length(4, &self))? =
                        number;
                    row.count += 1;
                }
                Ok(row)
            }
        }
        deserializer.deserialize_seq(Numbers)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn extents_join_where_they_touch_and_come_back_from_json() {
        let contents = |block, first, count| Extent::Contents { block, first, count };
        let zeros = |length_in_bytes| Extent::Zeros { length_in_bytes };
        let extents: Extents =
            [contents(7, 0, 1), contents(7, 1, 2), contents(7, 4, 1), zeros(5), zeros(6), contents(8, 5, 1)]
                .into_iter()
                .collect();
        let text = serde_json::to_string(&extents).unwrap();
        assert_eq!(text, "[[7,0,3],[7,4,1],[11],[8,5,1]]");
        assert_eq!(serde_json::from_str::<Extents>(&text).unwrap(), extents);
        assert_eq!(Extents::from_iter([contents(1, 0, 1)]), Extents::One(contents(1, 0, 1)));
        for bad in ["[[1,2]]", "[[4294967296,0,1]]", "[[-1]]", "[[]]"] {
            assert!(serde_json::from_str::<Extents>(bad).is_err(), "{bad}");
        }
    }
}
