//! Outlook's data files with bits that fell over: how many of the letters that no such bit is in still come
//! out as they were.

use porter_demo::dice::Dice;
use porter_formats::mail::mapi::letter::Letter;
use porter_formats::mail::pst::mailbox::Mailbox;
use porter_trunk::ContentHash;
use std::cell::RefCell;
use std::collections::HashMap;
use std::io;
use std::ops::Range;
use std::path::Path;
use std::time::Instant;

/// Letters that are to come out of each copy, at the least.
const WANTED: f64 = 0.95;

/// A letter of the file as it is: its content, and the bytes of the file that were read for it alone.
struct Known {
    content: ContentHash,
    ranges: Vec<Range<u64>>,
}

/// Harms some copies of a file, `bits` in each, and reads them.
pub(crate) fn harm(path: &Path, copies: u32, bits: u32) -> Result<(), String> {
    let file = std::fs::read(path).map_err(|cause| cause.to_string())?;
    let known = letters(&file, true)?;
    if known.is_empty() {
        return Err("no letter is in it".to_owned());
    }
    let mut dice = Dice::named("bits that fell over");
    let (mut least, mut sum, mut slowest) = (1.0_f64, 0.0, 0.0_f64);
    let mut below = 0;
    for copy in 0..copies {
        let mut harmed = file.clone();
        let mut hit: Vec<u64> = Vec::new();
        for _ in 0..bits {
            let at = dice.below(harmed.len());
            harmed[at] ^= 1 << dice.below(8);
            hit.push(at as u64);
        }
        let began = Instant::now();
        let mut there: HashMap<ContentHash, usize> = HashMap::new();
        for letter in letters(&harmed, false).unwrap_or_default() {
            *there.entry(letter.content).or_default() += 1;
        }
        slowest = slowest.max(began.elapsed().as_secs_f64());
        let is_hit =
            |letter: &&Known| letter.ranges.iter().any(|range| hit.iter().any(|at| range.contains(at)));
        let whole: Vec<&Known> = known.iter().filter(|letter| !is_hit(letter)).collect();
        let came = whole.iter().filter(|letter| {
            there.get_mut(&letter.content).filter(|number| **number > 0).map(|number| *number -= 1).is_some()
        });
        let share = came.count() as f64 / whole.len().max(1) as f64;
        if share < WANTED {
            below += 1;
            println!("copy {copy}: {:.1} % of {} letters", share * 100.0, whole.len());
        }
        least = least.min(share);
        sum += share;
    }
    println!(
        "{} letters, {copies} copies with {bits} bits each: at least {:.1} % of those that are not hit, {:.2} % on average; \
         the slowest took {slowest:.2} s; {below} below {:.0} %",
        known.len(),
        least * 100.0,
        sum / f64::from(copies) * 100.0,
        WANTED * 100.0
    );
    if below == 0 { Ok(()) } else { Err(format!("{below} copies gave too few letters")) }
}

/// All letters that can be read whole; with the bytes that were read for each, if those are wanted.
fn letters(file: &[u8], with_ranges: bool) -> Result<Vec<Known>, String> {
    let reads: RefCell<Vec<Range<u64>>> = RefCell::default();
    let read = |at: u64, buffer: &mut [u8]| -> io::Result<usize> {
        let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
        let length = rest.len().min(buffer.len());
        buffer[..length].copy_from_slice(&rest[..length]);
        if with_ranges {
            reads.borrow_mut().push(at..at + length as u64);
        }
        Ok(length)
    };
    let mailbox = Mailbox::open(&read).map_err(|cause| cause.to_string())?;
    let mut found = Vec::new();
    for row in mailbox.folders.iter().flat_map(|folder| &folder.letters) {
        reads.borrow_mut().clear();
        let mut letter = Vec::new();
        let written = mailbox.thing(row).map(|thing| Letter::from(thing).write(&mut letter));
        if matches!(written, Ok(Ok(0))) {
            found.push(Known { content: ContentHash::of(&letter), ranges: reads.take() });
        }
    }
    Ok(found)
}
