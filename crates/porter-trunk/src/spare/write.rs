//! Writing spare data.

use super::name::{OPEN_ENDING, longer, path_of};
use super::other;
use super::plan::{HEAD_IN_BYTES, MARK_IN_BYTES, Plan, mark_of};
use crate::host::{create_new, open_plain_file, write_in_portions};
use reed_solomon_simd::ReedSolomonEncoder;
use std::fs::{self, File};
use std::io::{self, Seek, SeekFrom, Write};
use std::path::Path;

/// Writes the spare data of the file at `path`, which is or will be called `name`, beside it.
pub(crate) fn write(path: &Path, name: &str, percent: f64, private: bool) -> io::Result<()> {
    let file = open_plain_file(path)?;
    let plan = Plan::new(file.metadata()?.len(), percent);
    let named = path.with_file_name(name);
    let aside = longer(&named, OPEN_ENDING);
    let _ = fs::remove_file(&aside);
    let done = write_to(&file, &plan, create_new(&aside, private)?)
        .and_then(|()| fs::rename(&aside, path_of(&named)));
    if done.is_err() {
        // Its room may be what something else still needs.
        let _ = fs::remove_file(&aside);
    }
    done
}

fn write_to(file: &File, plan: &Plan, mut to: File) -> io::Result<()> {
    to.seek(SeekFrom::Start(HEAD_IN_BYTES as u64 + plan.table_in_bytes()))?;
    let mut table = vec![0; plan.table_in_bytes() as usize];
    let mut put_mark = |at: u64, shard: &[u8]| {
        let begin = at as usize * MARK_IN_BYTES;
        table[begin..begin + MARK_IN_BYTES].copy_from_slice(&mark_of(shard));
    };
    let mut next_spare = plan.shards();
    for group in 0..plan.groups {
        let (in_group, spare, length) =
            (plan.in_group() as usize, plan.spare as usize, plan.shard_in_bytes as usize);
        let mut encoder = ReedSolomonEncoder::new(in_group, spare, length).map_err(other)?;
        let mut given = 0;
        for number in plan.group(group) {
            let shard = plan.read_shard(file, number)?;
            put_mark(number, &shard);
            encoder.add_original_shard(&shard).map_err(other)?;
            given += 1;
        }
        let zeros = vec![0; length];
        for _ in given..in_group {
            encoder.add_original_shard(&zeros).map_err(other)?;
        }
        for shard in encoder.encode().map_err(other)?.recovery_iter() {
            put_mark(next_spare, shard);
            next_spare += 1;
            write_in_portions(&mut to, shard)?;
        }
    }
    let head = plan.head(&table);
    to.write_all(&table)?;
    to.write_all(&head)?;
    to.seek(SeekFrom::Start(0))?;
    to.write_all(&head)?;
    to.write_all(&table)?;
    to.sync_all()
}
