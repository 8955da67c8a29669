//! Work on many folders by several threads: those of one depth at a time, so that no folder comes before
//! those above it, or none before those in it.

use porter_names::RelativePath;
use std::collections::BTreeMap;

/// Fewer are not worth a thread.
const LEAST_FOR_A_THREAD: usize = 64;

/// Which folders come first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum First {
    Outermost,
    Innermost,
}

/// Calls `work` once for each row; `at` says where the folder of a row is.
pub(super) fn by_depth<T: Sync>(
    threads: usize,
    first: First,
    rows: &[T],
    at: impl Fn(&T) -> &RelativePath,
    work: impl Fn(&T) + Sync,
) {
    let mut depths: BTreeMap<usize, Vec<&T>> = BTreeMap::new();
    for row in rows {
        depths.entry(at(row).steps().count()).or_default().push(row);
    }
    let one_depth = |rows: Vec<&T>| {
        let share = rows.len().div_ceil(threads.max(1)).max(LEAST_FOR_A_THREAD);
        let do_all = |rows: &[&T]| rows.iter().for_each(|row| work(row));
        std::thread::scope(|scope| {
            let mut shares = rows.chunks(share);
            let own = shares.next().unwrap_or_default();
            for others in shares {
                scope.spawn(move || do_all(others));
            }
            do_all(own);
        });
    };
    match first {
        First::Outermost => depths.into_values().for_each(one_depth),
        First::Innermost => depths.into_values().rev().for_each(one_depth),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Mutex;

    #[test]
    fn each_folder_comes_once_and_never_before_those_that_come_first() {
        let rows: Vec<RelativePath> = (0..3000)
            .map(|number: u32| {
                let steps = ["a", "b", "c", "d"][..1 + number as usize % 4].join("/");
                RelativePath::from_bytes(format!("{steps}/{number}").as_bytes()).unwrap()
            })
            .collect();
        for (threads, first) in [(1, First::Outermost), (4, First::Outermost), (4, First::Innermost)] {
            let seen = Mutex::new(Vec::new());
            by_depth(threads, first, &rows, |row| row, |row| seen.lock().unwrap().push(row.clone()));
            let mut seen = seen.into_inner().unwrap();
            let depths: Vec<usize> = seen.iter().map(|row| row.steps().count()).collect();
            assert!(match first {
                First::Outermost => depths.is_sorted(),
                First::Innermost => depths.is_sorted_by(|one, next| one >= next),
            });
            let mut all = rows.clone();
            seen.sort();
            all.sort();
            assert_eq!(seen, all);
        }
    }
}
