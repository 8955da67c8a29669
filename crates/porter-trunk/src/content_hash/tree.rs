//! BLAKE3 of a long content by several threads. Each takes the next branch of the tree and returns its
//! chaining value; at the end these are joined (section 2.1 of the BLAKE3 paper, by the `hazmat` functions of
//! the crate).

use super::long_content::LongContent;
use blake3::hazmat::{
    ChainingValue, HasherExt, Mode, left_subtree_len, merge_subtrees_non_root, merge_subtrees_root,
};
use std::io;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

/// Lengths of a branch. They have to be powers of two. Those of very long contents are longer: to see a
/// stretch where the system keeps it has a price for each stretch.
const BRANCH_IN_BYTES: u64 = 8 << 20;
const LONG_BRANCH_IN_BYTES: u64 = 32 << 20;
/// From this length on.
const VERY_LONG_IN_BYTES: u64 = 512 << 20;
/// The bytes read at once: they are still in the processor's second cache when they are hashed.
const PIECE_IN_BYTES: usize = 128 << 10;

pub(super) fn hash(
    size_in_bytes: u64,
    content: &dyn LongContent,
    threads: usize,
    seen: &(dyn Fn(u64) + Sync),
) -> io::Result<[u8; 32]> {
    let is_very_long = size_in_bytes >= VERY_LONG_IN_BYTES;
    let branch_in_bytes = if is_very_long { LONG_BRANCH_IN_BYTES } else { BRANCH_IN_BYTES };
    by_branches(branch_in_bytes, size_in_bytes, content, threads, seen)
}

fn by_branches(
    branch_in_bytes: u64,
    size_in_bytes: u64,
    content: &dyn LongContent,
    threads: usize,
    seen: &(dyn Fn(u64) + Sync),
) -> io::Result<[u8; 32]> {
    let branches = usize::try_from(size_in_bytes.div_ceil(branch_in_bytes)).map_err(io::Error::other)?;
    let next = AtomicUsize::new(0);
    let values = Mutex::new(vec![[0; 32]; branches]);
    let failed = Mutex::new(None);
    let work = || {
        let mut buffer = Vec::new();
        loop {
            let at = next.fetch_add(1, Ordering::Relaxed);
            if at >= branches {
                return;
            }
            let offset_in_bytes = at as u64 * branch_in_bytes;
            let length = (size_in_bytes - offset_in_bytes).min(branch_in_bytes);
            match branch(offset_in_bytes, length, &mut buffer, content, seen) {
                Ok(hasher) if branches > 1 => {
                    values.lock().unwrap_or_else(PoisonError::into_inner)[at] = hasher.finalize_non_root();
                }
                Ok(hasher) => {
                    values.lock().unwrap_or_else(PoisonError::into_inner)[at] = hasher.finalize().into();
                }
                Err(cause) => {
                    failed.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(cause);
                    next.store(branches, Ordering::Relaxed);
                    return;
                }
            }
        }
    };
    std::thread::scope(|scope| {
        for _ in 1..threads.min(branches) {
            scope.spawn(work);
        }
        work();
    });
    if let Some(cause) = failed.into_inner().unwrap_or_else(PoisonError::into_inner) {
        return Err(cause);
    }
    let values = values.into_inner().unwrap_or_else(PoisonError::into_inner);
    Ok(match &values[..] {
        [] => *blake3::hash(b"").as_bytes(),
        [only] => *only,
        _ => {
            let (left, right) = halves(&values, size_in_bytes, branch_in_bytes);
            *merge_subtrees_root(&left, &right, Mode::Hash).as_bytes()
        }
    })
}

fn branch(
    offset_in_bytes: u64,
    length: u64,
    buffer: &mut Vec<u8>,
    content: &dyn LongContent,
    seen: &(dyn Fn(u64) + Sync),
) -> io::Result<blake3::Hasher> {
    let begin = || {
        let mut hasher = blake3::Hasher::new();
        hasher.set_input_offset(offset_in_bytes);
        hasher
    };
    let mut hasher = begin();
    let at_once = usize::try_from(length).unwrap_or(usize::MAX);
    if content.look_at(offset_in_bytes, at_once, &mut |bytes| _ = hasher.update(bytes)) {
        seen(length);
        return Ok(hasher);
    }
    hasher = begin();
    buffer.resize(PIECE_IN_BYTES, 0);
    let mut done = 0;
    while done < length {
        let wanted = usize::try_from(length - done).unwrap_or(usize::MAX).min(buffer.len());
        match content.read_at(offset_in_bytes + done, &mut buffer[..wanted]) {
            Ok(0) => return Err(io::ErrorKind::UnexpectedEof.into()),
            Ok(read) => {
                hasher.update(&buffer[..read]);
                done += read as u64;
                seen(read as u64);
            }
            Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
            Err(cause) => return Err(cause),
        }
    }
    Ok(hasher)
}

/// The values of both branches below a node of at least two. Recurs as deep as the tree, which is the
/// logarithm of its length.
fn halves(values: &[ChainingValue], length: u64, branch_in_bytes: u64) -> (ChainingValue, ChainingValue) {
    let left_length = left_subtree_len(length);
    let at = usize::try_from(left_length / branch_in_bytes).unwrap_or(0).clamp(1, values.len() - 1);
    let (left, right) = values.split_at(at);
    (value_of(left, left_length, branch_in_bytes), value_of(right, length - left_length, branch_in_bytes))
}

fn value_of(values: &[ChainingValue], length: u64, branch_in_bytes: u64) -> ChainingValue {
    match values {
        [only] => *only,
        _ => {
            let (left, right) = halves(values, length, branch_in_bytes);
            merge_subtrees_non_root(&left, &right, Mode::Hash)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sealing::fill_random;

    /// Returns its bytes in two ways. The bytes seen of it can turn out not to count.
    struct Either<'a> {
        content: &'a [u8],
        can_be_seen: bool,
        counts: bool,
    }

    impl LongContent for Either<'_> {
        fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
            let rest = &self.content[offset_in_bytes as usize..];
            let read = rest.len().min(buffer.len()).min(100_000);
            buffer[..read].copy_from_slice(&rest[..read]);
            Ok(read)
        }

        fn look_at(&self, offset_in_bytes: u64, length: usize, look: &mut dyn FnMut(&[u8])) -> bool {
            let stretch = self.content[offset_in_bytes as usize..].get(..length);
            match stretch.filter(|_| self.can_be_seen) {
                Some(stretch) => look(if self.counts { stretch } else { &stretch[length / 2..] }),
                None => return false,
            }
            self.counts
        }
    }

    #[test]
    fn the_tree_gives_the_hash_that_one_thread_gives_and_a_short_content_is_told() {
        const BRANCH: usize = 128 << 10;
        let mut content = vec![0; 21 * BRANCH + 77];
        fill_random(&mut content).unwrap();
        let lengths = (0..22).map(|branches| branches * BRANCH).chain([1, 1024, BRANCH + 1, content.len()]);
        for (length, threads) in lengths.zip([1, 2, 3].into_iter().cycle()) {
            let expected = *blake3::hash(&content[..length]).as_bytes();
            for (can_be_seen, counts) in [(true, true), (true, false), (false, false)] {
                let content = Either { content: &content[..length], can_be_seen, counts };
                let hash =
                    |length: usize| by_branches(BRANCH as u64, length as u64, &content, threads, &|_| ());
                assert_eq!(hash(length).unwrap(), expected, "{length}");
                assert_eq!(hash(length + 1).unwrap_err().kind(), io::ErrorKind::UnexpectedEof);
            }
        }
    }
}
