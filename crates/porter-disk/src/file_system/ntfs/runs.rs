//! Runs of clusters: where the pieces of a content lie on the volume.
//!
//! Each begins with a byte whose halves say how long its two numbers are: the length, and the distance of its
//! first cluster from that of the run before. Without a distance it is a hole.

use porter_source::OwnTrouble;

/// Clusters side by side.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Run {
    /// Its first cluster, counted in the content.
    pub(super) first: u64,
    /// Its first cluster on the volume; none for a hole.
    pub(super) on_volume: Option<u64>,
    /// How many.
    pub(super) count: u64,
}

impl Run {
    pub(super) fn end(&self) -> u64 {
        self.first + self.count
    }
}

const DAMAGED: OwnTrouble = OwnTrouble::Damaged("the list of its clusters contradicts itself");

/// The runs of a piece that begins at a cluster of the content, up to the first that contradicts itself.
fn decoded(mut bytes: &[u8], mut first: u64) -> impl Iterator<Item = Result<Run, OwnTrouble>> {
    let mut before = 0;
    std::iter::from_fn(move || {
        let (header, rest) = bytes.split_first().filter(|(header, _)| **header != 0)?;
        let run = one(*header, rest, first, &mut before);
        bytes = run.map_or(&[], |(_, behind)| behind);
        if let Ok((run, _)) = run {
            first = run.end();
        }
        Some(run.map(|(run, _)| run))
    })
}

/// The run with this header, and what is behind it. `before` is where the one before it lies.
fn one<'r>(header: u8, rest: &'r [u8], first: u64, before: &mut i64) -> Result<(Run, &'r [u8]), OwnTrouble> {
    let (length_in_bytes, distance_in_bytes) = (usize::from(header & 15), usize::from(header >> 4));
    let (length, rest) = rest.split_at_checked(length_in_bytes).ok_or(DAMAGED)?;
    let (distance, rest) = rest.split_at_checked(distance_in_bytes).ok_or(DAMAGED)?;
    let count = u64::try_from(signed(length).ok_or(DAMAGED)?).map_err(|_| DAMAGED)?;
    first.checked_add(count).filter(|end| *end < 1 << 53).ok_or(DAMAGED)?;
    let on_volume = if distance.is_empty() {
        None
    } else {
        *before = before.checked_add(signed(distance).ok_or(DAMAGED)?).ok_or(DAMAGED)?;
        Some(u64::try_from(*before).map_err(|_| DAMAGED)?)
    };
    Ok((Run { first, on_volume, count }, rest))
}

/// Appends the runs of a piece that begins at a cluster of the content.
pub(super) fn decode(bytes: &[u8], first: u64, runs: &mut Vec<Run>) -> Result<(), OwnTrouble> {
    for run in decoded(bytes, first) {
        runs.extend(Some(run?).filter(|run| run.count > 0));
    }
    Ok(())
}

/// The first cluster on the volume of the piece that begins the content; none if all of it is a hole.
pub(super) fn first_on_volume(bytes: &[u8]) -> Option<u64> {
    decoded(bytes, 0).find_map(|run| run.ok()?.on_volume)
}

/// A little-endian number of up to 8 bytes, whose highest bit is its sign.
fn signed(bytes: &[u8]) -> Option<i64> {
    let negative = bytes.last().is_some_and(|last| last & 0x80 != 0);
    let mut full = [if negative { 0xff } else { 0 }; 8];
    full.get_mut(..bytes.len())?.copy_from_slice(bytes);
    Some(i64::from_le_bytes(full))
}

/// Joins the pieces of a content in their order. Fails if they overlap or leave a gap.
pub(super) fn in_order(mut runs: Vec<Run>) -> Result<Vec<Run>, OwnTrouble> {
    runs.sort_by_key(|run| run.first);
    let has_no_gap = runs.first().is_none_or(|run| run.first == 0)
        && runs.windows(2).all(|pair| pair[0].end() == pair[1].first);
    if has_no_gap { Ok(runs) } else { Err(DAMAGED) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn all(bytes: &[u8]) -> Result<Vec<Run>, OwnTrouble> {
        let mut runs = Vec::new();
        decode(bytes, 0, &mut runs).map(|()| runs)
    }

    #[test]
    fn runs_go_forwards_backwards_and_over_holes() {
        // 24 clusters at 0x5634; 4 of a hole; 3 clusters 16 before.
        let bytes = [0x21, 0x18, 0x34, 0x56, 0x01, 0x04, 0x11, 0x03, 0xf0, 0x00, 0xff];
        let expected = [(0, Some(0x5634), 24), (24, None, 4), (28, Some(0x5624), 3)];
        let expected: Vec<Run> =
            expected.map(|(first, on_volume, count)| Run { first, on_volume, count }).to_vec();
        assert_eq!(all(&bytes).unwrap(), expected);
        assert_eq!(in_order(expected.iter().rev().copied().collect()).unwrap(), expected);
        assert!(in_order(expected[1..].to_vec()).is_err(), "a gap at the beginning");
        assert!(in_order([&expected[..], &expected[..1]].concat()).is_err(), "twice the same");
        // Cut off, before the volume, of negative length, longer than any number.
        for bad in [&bytes[..2], &[0x11, 3, 0xf0], &[0x01, 0x80], &[0x09, 1, 1, 1, 1, 1, 1, 1, 1, 1]] {
            assert!(all(bad).is_err(), "{bad:x?}");
        }
    }
}
