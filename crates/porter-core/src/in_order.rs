//! Work spread over threads, with results in the order the work came in.
//!
//! One thread finds work, several do it, and the caller's thread takes the results, in order. A fixed number of
//! pieces is under way at most, so memory stays bounded however long the list is.

use crossbeam_channel::bounded;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};

/// Pieces under way at most. Enough to go on with small files while one thread has a large one.
const UNDER_WAY: usize = 1024;

/// Threads that do the work. More than a few only make a drive's head jump.
pub fn workers() -> usize {
    std::thread::available_parallelism().map_or(2, usize::from).clamp(2, 4)
}

/// Runs `find` on a thread of its own, `work` on several, and `take` here, in the order of `find`.
///
/// `find` gets a function that hands over a piece and says whether more is wanted; `take` says whether to go on.
/// After `take` said no, pieces under way are still worked on but their results are dropped.
pub fn in_order<T: Send, R: Send>(
    find: impl FnOnce(&mut dyn FnMut(T) -> bool) + Send,
    work: impl Fn(T) -> R + Sync,
    mut take: impl FnMut(R) -> bool,
) {
    let wanted = AtomicBool::new(true);
    let (give_pieces, get_pieces) = bounded::<(u64, T)>(UNDER_WAY);
    let (give_results, get_results) = bounded::<(u64, R)>(UNDER_WAY);
    // Each piece holds a ticket from when it is found until its result is taken.
    let (give_tickets, get_tickets) = bounded::<()>(UNDER_WAY);
    for _ in 0..UNDER_WAY {
        let _ = give_tickets.send(());
    }
    std::thread::scope(|scope| {
        let (work, wanted) = (&work, &wanted);
        scope.spawn(move || {
            let mut number = 0;
            find(&mut |piece| {
                let handed = get_tickets.recv().is_ok() && give_pieces.send((number, piece)).is_ok();
                number += 1;
                handed && wanted.load(Ordering::Relaxed)
            });
        });
        for _ in 0..workers() {
            let (get_pieces, give_results) = (get_pieces.clone(), give_results.clone());
            scope.spawn(move || {
                for (number, piece) in get_pieces {
                    if give_results.send((number, work(piece))).is_err() {
                        return;
                    }
                }
            });
        }
        drop((get_pieces, give_results));

        let mut early = BTreeMap::new();
        let mut next = 0;
        for (number, result) in &get_results {
            early.insert(number, result);
            while let Some(result) = early.remove(&next) {
                next += 1;
                if wanted.load(Ordering::Relaxed) && !take(result) {
                    wanted.store(false, Ordering::Relaxed);
                }
                let _ = give_tickets.send(());
            }
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_come_in_the_order_of_the_work_and_stop_when_told() {
        let mut taken = Vec::new();
        in_order(
            |hand_over| {
                for number in 0..5000_u64 {
                    if !hand_over(number) {
                        return;
                    }
                }
            },
            |number| {
                if number % 97 == 0 {
                    std::thread::sleep(std::time::Duration::from_millis(1));
                }
                number * 2
            },
            |result| {
                taken.push(result);
                taken.len() < 3000
            },
        );
        assert_eq!(taken, (0..3000).map(|number| number * 2).collect::<Vec<u64>>());
    }
}
