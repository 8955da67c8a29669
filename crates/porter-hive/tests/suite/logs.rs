//! Changes that a crash kept from being written are put back from the logs, in memory.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_hive::base_block::{self, SIZE_IN_BYTES};
use porter_hive::log::dirty_pages::log_between;
use porter_hive::log::entries::{self, LogEntry};
use porter_hive::write::{Version, to_bytes};
use porter_hive::{Hive, Replayed};

/// The hive before and after a change, as whole files of the same length.
fn before_and_after() -> (Vec<u8>, Vec<u8>) {
    let mut tree = crate::made::tree(30);
    let before = to_bytes(&tree, &crate::made::heading(Version::V1_5)).unwrap();
    tree.key("Many\\Job 00007").set_number("Number", 7777);
    tree.key("Newest\\account").set_text("Name", "tamsin");
    let mut heading = crate::made::heading(Version::V1_5);
    heading.sequence += 1;
    (before, to_bytes(&tree, &heading).unwrap())
}

fn dirty(mut hive: Vec<u8>) -> Vec<u8> {
    base_block::mark_dirty(&mut hive);
    hive
}

/// Pages of 4096 bytes that differ.
fn changed_pages(before: &[u8], after: &[u8]) -> Vec<(usize, Vec<u8>)> {
    let bins =
        |hive: &[u8], at: usize| hive.get(SIZE_IN_BYTES + at..SIZE_IN_BYTES + at + 4096).map(<[u8]>::to_vec);
    (0..after.len() - SIZE_IN_BYTES)
        .step_by(4096)
        .filter(|at| bins(before, *at) != bins(after, *at))
        .map(|at| (at, bins(after, at).unwrap()))
        .collect()
}

fn new_log(block: &[u8], changes: &[LogEntry<'_>]) -> Vec<u8> {
    let mut log = block[..512].to_vec();
    changes.iter().for_each(|change| log.extend(entries::to_bytes(change)));
    log
}

fn newest(hive: &Hive) -> (Option<u64>, bool) {
    let number = hive.key("Many\\Job 00007").and_then(|key| key.value("Number")?.number());
    (number, hive.key("Newest\\account").is_some())
}

#[test]
fn old_logs_bring_the_newest_changes_and_only_to_their_own_hive() {
    let (before, after) = before_and_after();
    let log = log_between(&before, &after);
    let hive = Hive::with_logs(dirty(before.clone()), &[b"not a log", &log]).unwrap();
    assert!(matches!(hive.replayed(), Replayed::Changes(_)), "{:?}", hive.replayed());
    assert_eq!(newest(&hive), (Some(7777), true));
    let without = Hive::from_bytes(dirty(before.clone())).unwrap();
    assert_eq!((without.replayed(), newest(&without)), (Replayed::NothingFits, (Some(7), false)));
    let clean = Hive::with_logs(before.clone(), &[&log]).unwrap();
    assert_eq!((clean.replayed(), newest(&clean)), (Replayed::NotNeeded, (Some(7), false)));
    // A log that was itself being written, and a hive whose own first block was.
    let cut = Hive::with_logs(dirty(before.clone()), &[&log[..log.len() - 100]]).unwrap();
    assert_eq!(cut.replayed(), Replayed::NothingFits);
    let mut torn = dirty(before);
    torn[100] ^= 1;
    assert_eq!(newest(&Hive::with_logs(torn, &[&log]).unwrap()), (Some(7777), true));
}

#[test]
fn new_logs_are_followed_in_order_over_both_files_up_to_the_first_gap() {
    let (before, after) = before_and_after();
    let pages = changed_pages(&before, &after);
    let change = |sequence: u32, pages: &[(usize, Vec<u8>)]| LogEntry {
        sequence,
        bins_size_in_bytes: (after.len() - SIZE_IN_BYTES) as u32,
        pages: Vec::from_iter(pages.iter().map(|(at, page)| (*at as u32, &*Vec::leak(page.clone())))),
    };
    let (first, second) = pages.split_at(pages.len() / 2);
    let one = new_log(&before, &[change(7, first)]);
    let two = new_log(&before, &[change(8, second)]);
    let dirty = dirty(before.clone());
    let hive = Hive::with_logs(dirty.clone(), &[&two, &one]).unwrap();
    assert_eq!((hive.replayed(), newest(&hive)), (Replayed::Changes(2), (Some(7777), true)));
    // A change that belongs to an earlier state, and one after a gap, are not followed.
    let stale = new_log(&before, &[change(5, first)]);
    assert_eq!(Hive::with_logs(dirty.clone(), &[&stale]).unwrap().replayed(), Replayed::NothingFits);
    let gap = new_log(&before, &[change(7, first), change(9, second)]);
    assert_eq!(Hive::with_logs(dirty.clone(), &[&gap]).unwrap().replayed(), Replayed::Changes(1));
    // One flipped bit, and the hashes do not hold.
    let mut flipped = two;
    *flipped.last_mut().unwrap() ^= 1;
    assert_eq!(Hive::with_logs(dirty, &[&one, &flipped]).unwrap().replayed(), Replayed::Changes(1));
}
