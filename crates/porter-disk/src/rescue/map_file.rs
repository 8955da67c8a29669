//! The open form in which imaging programs note what of a drive was read (GNU ddrescue manual, *Mapfile
//! structure*): comments, a line for the state of the run, and a line for each stretch.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::ops::Range;

/// The state of a stretch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Status {
    /// Nobody tried.
    NotTried,
    /// It failed in one piece, and was not tried in smaller ones.
    NotTrimmed,
    /// Its edges failed.
    NotScraped,
    /// A sector that cannot be read.
    Bad,
    /// It was read.
    Read,
}

impl Status {
    fn letter(self) -> char {
        match self {
            Self::NotTried => '?',
            Self::NotTrimmed => '*',
            Self::NotScraped => '/',
            Self::Bad => '-',
            Self::Read => '+',
        }
    }

    fn from_letter(letter: &str) -> Option<Self> {
        [Self::NotTried, Self::NotTrimmed, Self::NotScraped, Self::Bad, Self::Read]
            .into_iter()
            .find(|status| letter.chars().eq([status.letter()]))
    }
}

/// Why a text is no map.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line} of the map is not as maps are written")]
pub struct NoMap {
    /// Its number, from 1.
    pub line: usize,
}

/// Which stretches of a drive were read.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DriveMap {
    /// By where a stretch begins: its end and state. They do not overlap; what is in none was not tried.
    stretches: BTreeMap<u64, (u64, Status)>,
}

impl DriveMap {
    /// Reads a map that any program wrote.
    pub fn from_text(text: &str) -> Result<Self, NoMap> {
        let mut map = Self::default();
        let lines =
            text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty() && !line.starts_with('#'));
        // The first one tells where the run stood.
        for (number, line) in lines.skip(1) {
            let stretch = stretch(line).ok_or(NoMap { line: number + 1 })?;
            let (range, status) = stretch;
            map.set(range, status);
        }
        Ok(map)
    }

    /// The map as a text, for a drive of this length.
    pub fn to_text(&self, size_in_bytes: u64) -> String {
        let mut text =
            String::from("# Mapfile. Written by porter\n# current_pos  current_status  current_pass\n");
        let all_read = self.is_read(0..size_in_bytes);
        let _ = writeln!(text, "0x{:08X}     {}               1", 0, if all_read { '+' } else { '?' });
        text.push_str("#      pos        size  status\n");
        let mut at = 0;
        for (range, status) in self.filled(size_in_bytes) {
            debug_assert_eq!(range.start, at);
            at = range.end;
            let _ = writeln!(
                text,
                "0x{:08X}  0x{:08X}  {}",
                range.start,
                range.end - range.start,
                status.letter()
            );
        }
        text
    }

    /// All stretches up to the length, those that nobody tried too.
    fn filled(&self, size_in_bytes: u64) -> Vec<(Range<u64>, Status)> {
        let mut filled: Vec<(Range<u64>, Status)> = Vec::new();
        let mut push = |range: Range<u64>, status| match filled.last_mut() {
            Some((last, before)) if *before == status && last.end == range.start => last.end = range.end,
            _ if range.is_empty() => {}
            _ => filled.push((range, status)),
        };
        let mut at = 0;
        for (start, (end, status)) in &self.stretches {
            let (start, end) = ((*start).min(size_in_bytes), (*end).min(size_in_bytes));
            push(at..start, Status::NotTried);
            push(start..end, *status);
            at = end;
        }
        push(at..size_in_bytes, Status::NotTried);
        filled
    }

    /// Sets the state of a stretch, whatever it was.
    pub fn set(&mut self, range: Range<u64>, status: Status) {
        if range.is_empty() {
            return;
        }
        let mut range = range;
        // A neighbour of the same state becomes one with it, so that a long read is one stretch.
        let first = self.stretches.range(..=range.start).next_back().map(|(start, _)| *start);
        let touching: Vec<u64> = self
            .stretches
            .range(first.unwrap_or(range.start)..=range.end)
            .filter(|(_, (end, _))| *end >= range.start)
            .map(|(start, _)| *start)
            .collect();
        for start in touching {
            let Some((end, before)) = self.stretches.remove(&start) else { continue };
            if before == status {
                range = range.start.min(start)..range.end.max(end);
            } else {
                if start < range.start {
                    self.stretches.insert(start, (range.start, before));
                }
                if end > range.end {
                    self.stretches.insert(range.end, (end, before));
                }
            }
        }
        self.stretches.insert(range.start, (range.end, status));
    }

    /// The state at a place, and where the stretch of that state ends at the latest.
    pub fn at(&self, place: u64) -> (Status, u64) {
        match self.stretches.range(..=place).next_back() {
            Some((_, (end, status))) if *end > place => (*status, *end),
            _ => {
                let next = self.stretches.range(place..).next().map_or(u64::MAX, |(start, _)| *start);
                (Status::NotTried, next)
            }
        }
    }

    /// True if all of a stretch was read.
    pub fn is_read(&self, range: Range<u64>) -> bool {
        let mut at = range.start;
        while at < range.end {
            match self.at(at) {
                (Status::Read, end) => at = end,
                _ => return false,
            }
        }
        true
    }

    /// How much has this state.
    pub fn in_bytes(&self, wanted: Status) -> u64 {
        self.stretches
            .iter()
            .filter(|(_, (_, status))| *status == wanted)
            .map(|(start, (end, _))| end - start)
            .sum()
    }
}

/// `0x00000000  0x00117000  +`; numbers may be decimal or octal, too.
fn stretch(line: &str) -> Option<(Range<u64>, Status)> {
    let mut words = line.split_whitespace();
    let (start, length, status) = (number(words.next()?)?, number(words.next()?)?, words.next()?);
    let end = start.checked_add(length)?;
    words.next().is_none().then_some((start..end, Status::from_letter(status)?))
}

fn number(text: &str) -> Option<u64> {
    match text.strip_prefix("0x").or_else(|| text.strip_prefix("0X")) {
        Some(digits) => u64::from_str_radix(digits, 16).ok(),
        None if text.len() > 1 && text.starts_with('0') => u64::from_str_radix(text, 8).ok(),
        None => text.parse().ok(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_map_of_another_program_is_read_and_written_as_it_is() {
        let text = "# Mapfile. Created by GNU ddrescue version 1.27\n# Command line: ddrescue -d /dev/sdb a b\n\
                    0x0F3E8000     ?               1\n#      pos        size  status\n\
                    0x00000000  0x00117000  +\n0x00117000  512  -\n0x00117200  0x00001000  /\n0x00118200  0x0F2CFE00  +\n";
        let map = DriveMap::from_text(text).unwrap();
        assert!(map.is_read(0..0x11_7000) && map.is_read(0x11_8200..0x0f3e_8000));
        assert!(!map.is_read(0x11_6fff..0x11_7001));
        assert_eq!(map.at(0x11_7100), (Status::Bad, 0x11_7200));
        assert_eq!((map.in_bytes(Status::Bad), map.in_bytes(Status::NotScraped)), (512, 0x1000));
        assert_eq!(DriveMap::from_text(&map.to_text(0x0f3e_8000)), Ok(map));
        for (broken, line) in [
            ("0 1 +\nx\n", 2),
            ("0 ?\n0 1\n", 2),
            ("0 ?\n# a\n1 2 x\n", 3),
            ("0 ?\n9 0xffffffffffffffff +\n", 2),
        ] {
            assert_eq!(DriveMap::from_text(broken), Err(NoMap { line }), "{broken}");
        }
    }

    #[test]
    fn stretches_join_and_split_as_they_are_set() {
        let mut map = DriveMap::default();
        let mut truth = [Status::NotTried; 64];
        let mut dice = 1_u64;
        for _ in 0..500 {
            dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            let (start, length) = ((dice >> 33) % 60, (dice >> 45) % 9);
            let status = [Status::Read, Status::Bad, Status::NotTrimmed][(dice >> 60) as usize % 3];
            let end = (start + length).min(64);
            map.set(start..end, status);
            truth[start as usize..end as usize].fill(status);
            assert!((0..64).all(|at| map.at(at).0 == truth[at as usize]));
        }
        let all = map.filled(64);
        assert!(all.windows(2).all(|pair| pair[0].1 != pair[1].1 && pair[0].0.end == pair[1].0.start));
    }
}
