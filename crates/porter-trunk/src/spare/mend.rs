//! Repairing files by their spare data.

use super::name::{ENDING, OF_OPEN_LIST, path_of, spare_files};
use super::opened::Spare;
use super::write;
use crate::TrunkError;
use crate::host::{create_new, open_plain_file_to_write};
use crate::lock::Lock;
use std::fs::{self, File};
use std::io::{self, Seek, SeekFrom, Write};
use std::path::Path;

/// The outcome for one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Mended {
    /// Nothing was wrong.
    Whole {
        /// The file.
        file: String,
    },
    /// It is again what was written.
    Repaired {
        /// The file.
        file: String,
        /// The number of bytes that were rewritten.
        repaired_in_bytes: u64,
    },
    /// More is damaged than the spare data can repair. Nothing was changed.
    TooMuch {
        /// The file.
        file: String,
        /// How much of it is damaged.
        damaged_in_bytes: u64,
    },
    /// The file was whole, and its spare data was not: the spare data was rewritten.
    SpareRenewed {
        /// The file.
        file: String,
    },
    /// The spare data is of a later porter, and so nothing can be said of the file.
    SpareTooLate {
        /// The file.
        file: String,
    },
    /// The spare data is too damaged to be of use, and so nothing can be said of the file.
    SpareLost {
        /// The file.
        file: String,
    },
}

/// Repairs all files of a folder that have spare data.
///
/// Damaged places are written over, each proved before it is written; a run that is cut off can be repeated.
pub fn mend(folder: &Path) -> Result<Vec<Mended>, TrunkError> {
    let failed = |cause| TrunkError::io("mending", folder, cause);
    let mut done = Vec::new();
    let mut files = spare_files(folder).map_err(failed)?;
    files.retain(|(_, name)| !name.ends_with(OF_OPEN_LIST));
    if files.is_empty() {
        return Ok(done);
    }
    let _lock = Lock::take(folder)?;
    for (path, name) in files {
        let file = name.trim_end_matches(ENDING).to_owned();
        let original = folder.join(&file);
        done.push(match Spare::open(&path) {
            Ok(Some(spare)) => mend_file(spare, &original, file)
                .map_err(|cause| TrunkError::io("mending", &original, cause))?,
            Err(cause) if cause.kind() == io::ErrorKind::Unsupported => Mended::SpareTooLate { file },
            // Recovery data that cannot be opened or read is useless, but the other files may be good.
            Ok(None) | Err(_) => Mended::SpareLost { file },
        });
    }
    Ok(done)
}

fn mend_file(spare: Spare, path: &Path, name: String) -> io::Result<Mended> {
    let plan = spare.plan;
    // A missing file counts as empty; the part that it is short of is damaged.
    let was_there = path.symlink_metadata().is_ok();
    let mut file = if was_there { open_plain_file_to_write(path)? } else { create_new(path, true)? };
    if !was_there {
        file.set_permissions(spare.file.metadata()?.permissions())?;
    }
    let length_before = file.metadata()?.len();
    let is_damaged = |number: &u64| match plan.read_shard(&file, *number) {
        Ok(shard) => !spare.is_right(*number, &shard),
        Err(_) => true,
    };
    let of_group = |group: u64| (group, plan.group(group).filter(&is_damaged).collect::<Vec<u64>>());
    let damaged: Vec<(u64, Vec<u64>)> =
        (0..plan.groups).map(of_group).filter(|(_, damaged)| !damaged.is_empty()).collect();
    let in_bytes = damaged.iter().map(|(_, damaged)| damaged.len() as u64).sum::<u64>() * plan.shard_in_bytes;
    if !repair(&spare, &mut file, &damaged)? {
        if !was_there {
            drop(file);
            fs::remove_file(path)?;
        }
        return Ok(Mended::TooMuch { file: name, damaged_in_bytes: in_bytes });
    }
    if length_before != plan.file_in_bytes || !damaged.is_empty() {
        file.set_len(plan.file_in_bytes)?;
        file.sync_all()?;
        return Ok(Mended::Repaired { file: name, repaired_in_bytes: in_bytes });
    }
    if spare.is_right_throughout() {
        return Ok(Mended::Whole { file: name });
    }
    // Windows renames no file that is held open.
    drop(spare);
    write(path, &name, plan.percent(), true)?;
    // A sealed file stays for its owner's eyes only, and the others are as readable as before.
    fs::set_permissions(path_of(path), fs::metadata(path)?.permissions())?;
    Ok(Mended::SpareRenewed { file: name })
}

/// Rewrites the damaged shards of these groups. False if more is damaged than can be repaired: that is known
/// before anything is written.
fn repair(spare: &Spare, file: &mut File, damaged: &[(u64, Vec<u64>)]) -> io::Result<bool> {
    if damaged.iter().any(|(group, numbers)| numbers.len() > spare.of_use_in(*group)) {
        return Ok(false);
    }
    let plan = spare.plan;
    // Group by group: all that is damaged may be more than memory holds.
    for (group, numbers) in damaged {
        let Some(shards) = spare.repaired(file, *group, numbers)? else { return Ok(false) };
        for (number, shard) in shards {
            let begin = number * plan.shard_in_bytes;
            let length = plan.shard_in_bytes.min(plan.file_in_bytes - begin) as usize;
            file.seek(SeekFrom::Start(begin))?;
            file.write_all(&shard[..length])?;
        }
    }
    Ok(true)
}

#[cfg(test)]
mod tests {
    use super::super::{damage_in, write};
    use super::*;
    use std::path::PathBuf;

    fn with_spare(length: usize, percent: f64) -> (tempfile::TempDir, PathBuf, Vec<u8>) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("pack");
        let mut content = vec![0; length];
        crate::sealing::fill_random(&mut content).unwrap();
        fs::write(&path, &content).unwrap();
        write(&path, "pack", percent, false).unwrap();
        assert_eq!(damage_in(folder.path(), "").unwrap(), []);
        (folder, path, content)
    }

    #[test]
    fn as_much_as_was_promised_is_repaired_wherever_it_is_and_more_is_left_alone() {
        for length in [3, 5_000, 700_001, 40_000_000] {
            let (folder, path, content) = with_spare(length, 5.0);
            let hurt = |from: usize, count: usize| {
                let mut hurt = content.clone();
                hurt[from..from + count].iter_mut().for_each(|byte| *byte ^= 0x55);
                fs::write(&path, &hurt).unwrap();
                hurt
            };
            // A scratch of a little less than 5%: where it begins and ends, two shards are hit in part.
            let scratch = (length / 25).max(1);
            for from in [0, length / 3, length - scratch] {
                hurt(from, scratch);
                let done = mend(folder.path()).unwrap();
                assert!(matches!(done[..], [Mended::Repaired { .. }]), "{length} {from}: {done:?}");
                assert!(fs::read(&path).unwrap() == content, "{length} {from}");
            }
            fs::write(&path, &content[..length - scratch]).unwrap();
            assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::Repaired { .. }]), "cut off");
            assert!(fs::read(&path).unwrap() == content);
            assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::Whole { .. }]));
            if length > 1000 {
                let too_much = hurt(length / 4, length / 4);
                assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::TooMuch { .. }]));
                assert!(fs::read(&path).unwrap() == too_much, "what cannot be repaired is not touched");
            }
        }
    }

    #[test]
    fn any_changed_byte_of_the_spare_data_is_noticed_and_it_is_made_anew() {
        let (folder, path, content) = with_spare(1_500, 10.0);
        let spare = folder.path().join("pack.spare");
        let whole = fs::read(&spare).unwrap();
        for at in 0..whole.len() {
            let mut hurt = whole.clone();
            hurt[at] ^= 1;
            fs::write(&spare, &hurt).unwrap();
            assert_eq!(damage_in(folder.path(), "").unwrap().len(), 1, "byte {at}");
            if at % 97 == 0 {
                assert!(
                    matches!(mend(folder.path()).unwrap()[..], [Mended::SpareRenewed { .. }]),
                    "byte {at}"
                );
                assert!(fs::read(&spare).unwrap() == whole && fs::read(&path).unwrap() == content);
            }
        }
    }

    #[test]
    fn spare_data_of_a_later_porter_is_not_called_damaged_and_stays() {
        use super::super::plan::{HEAD_IN_BYTES, mark_of};
        let (folder, _, _) = with_spare(70_000, 5.0);
        let spare = folder.path().join("pack.spare");
        let mut later = fs::read(&spare).unwrap();
        for head in [0, later.len() - HEAD_IN_BYTES] {
            later[head + 8] = 2;
            let mark = mark_of(&later[head..head + 52]);
            later[head + 52..head + 60].copy_from_slice(&mark);
        }
        fs::write(&spare, &later).unwrap();
        let told = damage_in(folder.path(), "").unwrap();
        assert_eq!(told, [crate::Damage::SpareTooLate("pack.spare".to_owned())]);
        assert!(matches!(mend(folder.path()).unwrap()[..], [Mended::SpareTooLate { .. }]));
        assert!(fs::read(&spare).unwrap() == later);
    }

    #[test]
    fn what_stands_in_the_place_of_spare_data_keeps_nothing_else_from_being_mended() {
        let (folder, path, content) = with_spare(70_000, 5.0);
        fs::create_dir(folder.path().join("list.spare")).unwrap();
        let told = damage_in(folder.path(), "").unwrap();
        assert!(matches!(&told[..], [damage] if damage.file() == "list.spare"), "{told:?}");
        fs::write(&path, &content[..69_000]).unwrap();
        let done = mend(folder.path()).unwrap();
        assert!(matches!(&done[..], [Mended::SpareLost { file }, Mended::Repaired { .. }] if file == "list"));
        assert!(fs::read(&path).unwrap() == content);
    }
}
