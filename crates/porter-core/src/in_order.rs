//! Work spread over threads, with results in the order the work came in.
//!
//! One thread finds work, several do it, and the caller's thread takes the results, in order. A fixed number
//! of batches is under way at most, so memory stays bounded however long the list is.

use crossbeam_channel::bounded;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};

/// Batches under way at most. Enough to go on with small files while one thread has a large one.
const BATCHES_UNDER_WAY: usize = 64;

/// A batch is closed when it holds this many pieces…
const PIECES_IN_A_BATCH: usize = 48;

/// …or this many bytes. Handing small files over one by one would cost more than they do, and neighbours in
/// one folder are best made by one thread, because a folder lets only one at a time make files in it.
const BYTES_IN_A_BATCH: u64 = 2 << 20;

/// The weight of a small file where several come as one piece: the same as when it comes alone.
pub const BYTES_FOR_A_PIECE: u64 = BYTES_IN_A_BATCH / PIECES_IN_A_BATCH as u64;

/// Threads that do the work: a few more than small machines have cores, because they mostly wait for the
/// drive. Many more would only make its head jump.
pub fn workers() -> usize {
    4
}

/// Runs `find` on a thread of its own, `work` on as many as are wanted, and `take` here, in the order of
/// `find`.
///
/// `find` gets a function that hands over a piece with its size in bytes and says whether more is wanted;
/// `take` says whether to go on. After `take` said no, pieces under way are still worked on but their results
/// are dropped.
pub fn in_order<T: Send, R: Send>(
    workers: usize,
    find: impl FnOnce(&mut dyn FnMut(T, u64) -> bool) + Send,
    work: impl Fn(T) -> R + Sync,
    take: impl FnMut(R) -> bool,
) {
    in_order_by_batch(workers, find, |batch| batch.into_iter().map(&work).collect(), take);
}

/// The same for work that does better when it sees its next pieces beforehand. `work` returns a result for
/// each piece.
pub fn in_order_by_batch<T: Send, R: Send>(
    workers: usize,
    find: impl FnOnce(&mut dyn FnMut(T, u64) -> bool) + Send,
    work: impl Fn(Vec<T>) -> Vec<R> + Sync,
    mut take: impl FnMut(R) -> bool,
) {
    let wanted = AtomicBool::new(true);
    let (give_batches, get_batches) = bounded::<(u64, Vec<T>)>(BATCHES_UNDER_WAY);
    let (give_results, get_results) = bounded::<(u64, Vec<R>)>(BATCHES_UNDER_WAY);
    // Each batch holds a ticket from when it is handed over until its results are taken.
    let (give_tickets, get_tickets) = bounded::<()>(BATCHES_UNDER_WAY);
    for _ in 0..BATCHES_UNDER_WAY {
        let _ = give_tickets.send(());
    }
    std::thread::scope(|scope| {
        let (work, wanted) = (&work, &wanted);
        scope.spawn(move || {
            let mut number = 0;
            let (mut batch, mut batch_in_bytes) = (Vec::new(), 0_u64);
            let mut send = |batch: Vec<T>| {
                let sent = get_tickets.recv().is_ok() && give_batches.send((number, batch)).is_ok();
                number += 1;
                sent && wanted.load(Ordering::Relaxed)
            };
            find(&mut |piece, size_in_bytes| {
                batch.push(piece);
                batch_in_bytes = batch_in_bytes.saturating_add(size_in_bytes);
                if batch.len() < PIECES_IN_A_BATCH && batch_in_bytes < BYTES_IN_A_BATCH {
                    return wanted.load(Ordering::Relaxed);
                }
                batch_in_bytes = 0;
                send(std::mem::take(&mut batch))
            });
            send(batch);
        });
        for _ in 0..workers {
            let (get_batches, give_results) = (get_batches.clone(), give_results.clone());
            scope.spawn(move || {
                for (number, batch) in get_batches {
                    if give_results.send((number, work(batch))).is_err() {
                        return;
                    }
                }
            });
        }
        drop((get_batches, give_results));

        let mut early = BTreeMap::new();
        let mut next = 0;
        for (number, results) in &get_results {
            early.insert(number, results);
            while let Some(results) = early.remove(&next) {
                next += 1;
                for result in results {
                    if wanted.load(Ordering::Relaxed) && !take(result) {
                        wanted.store(false, Ordering::Relaxed);
                    }
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
            workers(),
            |hand_over| {
                for number in 0..5000_u64 {
                    if !hand_over(number, 1) {
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
