//! Items that are found on a thread of their own, some ahead of their use.

use crossbeam_channel::bounded;

/// The number of items handed over at once, and of batches that wait at most.
const BATCH: usize = 256;
const BATCHES_WAITING: usize = 8;

/// Runs `use_them` here, while another thread takes from `items` ahead of it, in their order. Items that are
/// not used are dropped: `items` is left alone soon after `use_them` has returned.
pub fn ahead<T: Send, R>(
    mut items: impl Iterator<Item = T> + Send,
    use_them: impl FnOnce(&mut dyn Iterator<Item = T>) -> R,
) -> R {
    std::thread::scope(|scope| {
        let (give, get) = bounded(BATCHES_WAITING);
        scope.spawn(move || {
            loop {
                let batch: Vec<T> = items.by_ref().take(BATCH).collect();
                if batch.is_empty() || give.send(batch).is_err() {
                    return;
                }
            }
        });
        use_them(&mut get.into_iter().flatten())
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn things_come_in_their_order_and_whoever_stops_is_not_waited_for() {
        let all: Vec<usize> = ahead(0..10_000, |numbers| numbers.collect());
        assert!(all.into_iter().eq(0..10_000));
        let found = AtomicUsize::new(0);
        let endless = std::iter::repeat_with(|| found.fetch_add(1, Ordering::Relaxed));
        assert_eq!(ahead(endless, |numbers| numbers.nth(999)), Some(999));
        assert!(found.into_inner() <= 1000 + (BATCHES_WAITING + 3) * BATCH);
    }
}
