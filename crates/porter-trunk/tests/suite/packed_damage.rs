//! Damage to a packed trunk: noticed wherever it is, mended where that was paid for, and nothing of a sealed
//! one can be seen.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]
// Nothing in it is of a system, and it takes minutes under Wine.

use crate::fixtures::{NOW, entry, item, label};
use porter_trunk::packed_form::{
    Opener, PackedOptions, PackedTrunk, PackedTrunkWriter, Parts, Rebuilt, Seal, rebuild,
};
use porter_trunk::sealing::{NotOpened, WorkshopKey};
use porter_trunk::spare::{Mended, mend};
use porter_trunk::{
    Content, ContentHash, Depth, Entry, Extents, Inventory, Tally, Trunk, TrunkError, TrunkWriter,
};
use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

const PASSPHRASE: &str = "forty kites at four o'clock";
const SECRET_TEXT: &str = "The order of the lighthouse keeper";

fn noise(length_in_bytes: usize, mut state: u64) -> Vec<u8> {
    let next = |_| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (state >> 33) as u8
    };
    (0..length_in_bytes).map(next).collect()
}

/// A trunk of some texts, tables, and noise that is cut into pieces; several packs.
fn fill(folder: &Path, seal: Option<&Seal>, spare_in_percent: Option<f64>) -> PathBuf {
    let mut files: Vec<(String, Vec<u8>)> = (0..200)
        .map(|number| (format!("lighthouse order {number}.txt"), SECRET_TEXT.repeat(number).into_bytes()))
        .collect();
    files.push(("film.mp4".to_owned(), noise(18 << 20, 7)));
    files.push(("table.bin".to_owned(), (0..90_000_u32).flat_map(u32::to_le_bytes).collect()));
    fill_with(folder, seal, spare_in_percent, &files)
}

fn fill_with(
    folder: &Path,
    seal: Option<&Seal>,
    spare_in_percent: Option<f64>,
    files: &[(String, Vec<u8>)],
) -> PathBuf {
    let path = folder.join("trunk");
    let options = PackedOptions { pack_in_bytes: 16 << 20, spare_in_percent };
    let trunk = PackedTrunkWriter::create(&path, label(), seal, &options).unwrap();
    trunk.announce(&Inventory { items: &[item(Tally::default())], programs: &[] }).unwrap();
    let mut tally = Tally::default();
    let mut put = |name: &str, content: &[u8]| {
        let mut entry = entry(name, None);
        let stored = trunk.store(&entry.address, None, &mut &content[..], &|_| {}).unwrap();
        tally += Tally::file(stored.size_in_bytes);
        entry.content = Content::File { size_in_bytes: stored.size_in_bytes, hash: stored.hash };
        entry.extents = stored.extents;
        trunk.record(&entry).unwrap();
    };
    files.iter().for_each(|(name, content)| put(name, content));
    trunk.close(&Inventory { items: &[item(tally)], programs: &[] }, NOW).unwrap();
    trunk.publish().unwrap();
    path
}

/// How many places a full check finds wrong; a trunk that does not open is wrong in one.
fn damage(path: &Path, opener: Option<&Opener>) -> usize {
    let Ok(trunk) = PackedTrunk::load(&[path.to_path_buf()], opener) else { return 1 };
    let mut audit = trunk.audit(Depth::Full).unwrap();
    let mut found = 0;
    for entry in trunk.entries().unwrap() {
        let Ok(entry) = entry else {
            found += 1;
            continue;
        };
        let Content::File { hash, .. } = entry.content else { continue };
        let is_whole = trunk
            .open_content(&entry)
            .is_ok_and(|mut content| ContentHash::of_reader(&mut *content).is_ok_and(|found| found == hash));
        found += usize::from(!is_whole) + usize::from(audit.see(&entry, is_whole).is_some());
    }
    found + audit.finish().map_or(1, |damage| damage.len())
}

fn files(path: &Path) -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> = fs::read_dir(path).unwrap().map(|row| row.unwrap().path()).collect();
    files.retain(|file| file.file_name().unwrap() != "lock");
    files.sort();
    files
}

/// Flips one bit in each of this many places, spread over all files, and sees that each is noticed.
fn every_flip_is_noticed(path: &Path, opener: Option<&Opener>, places: usize) {
    assert_eq!(damage(path, opener), 0);
    let files = files(path);
    let mut dice = 11_u64;
    for place in 0..places {
        dice = dice.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(99);
        let file = &files[place % files.len()];
        let mut bytes = fs::read(file).unwrap();
        // Heads and ends are short, and get more than their share.
        let at = match place / files.len() % 4 {
            0 => (dice >> 20) as usize % bytes.len().min(200),
            1 => bytes.len() - 1 - (dice >> 20) as usize % bytes.len().min(200),
            _ => (dice >> 20) as usize % bytes.len(),
        };
        bytes[at] ^= 1 << (dice >> 60 & 7);
        rewrite(file, &bytes);
        assert!(damage(path, opener) > 0, "byte {at} of {} changed unnoticed", file.display());
        bytes[at] ^= 1 << (dice >> 60 & 7);
        rewrite(file, &bytes);
    }
    assert_eq!(damage(path, opener), 0);
}

fn rewrite(file: &Path, bytes: &[u8]) {
    fs::write(file, bytes).unwrap();
}

#[test]
fn a_flipped_bit_and_a_cut_or_swapped_pack_are_noticed() {
    let folder = tempfile::tempdir().unwrap();
    let path = fill(folder.path(), None, Some(5.0));
    every_flip_is_noticed(&path, None, 80);

    let (first, second) = (path.join("pack-00001.pack"), path.join("pack-00002.pack"));
    let (one, two) = (fs::read(&first).unwrap(), fs::read(&second).unwrap());
    rewrite(&first, &one[..one.len() - 1]);
    assert!(damage(&path, None) > 0, "cut short");
    rewrite(&first, &two);
    rewrite(&second, &one);
    assert!(damage(&path, None) > 0, "swapped");
    rewrite(&second, &two);
    fs::remove_file(&first).unwrap();
    assert!(damage(&path, None) > 0, "gone");
    rewrite(&first, &one);
    fs::write(path.join("stowaway.txt"), "x").unwrap();
    assert_eq!(damage(&path, None), 1, "what no list names");
    fs::remove_file(path.join("stowaway.txt")).unwrap();

    // A pack of another trunk, however whole.
    let other = tempfile::tempdir().unwrap();
    let other = fill(other.path(), None, None);
    fs::copy(other.join("pack-00001.pack"), &first).unwrap();
    assert!(damage(&path, None) > 0, "of another trunk");
    rewrite(&first, &one);

    // A scratch within what was promised is mended to the last byte, one beyond it is left alone.
    let mut scratched = one.clone();
    let length = one.len() / 25;
    scratched[500_000..500_000 + length].fill(0);
    rewrite(&first, &scratched);
    assert!(damage(&path, None) > 0);
    assert!(mend(&path).unwrap().iter().any(|done| matches!(done, Mended::Repaired { .. })));
    assert!(fs::read(&first).unwrap() == one && damage(&path, None) == 0);
}

#[test]
fn damage_hurts_only_the_files_it_is_in_and_a_lost_list_is_made_anew() {
    let folder = tempfile::tempdir().unwrap();
    let path = fill(folder.path(), None, None);
    // A hole in the first pack, and its end gone as well.
    let pack = path.join("pack-00001.pack");
    let whole = fs::read(&pack).unwrap();
    let mut hurt = whole[..whole.len() - 100].to_vec();
    hurt[6_000_000..6_000_100].fill(0x55);
    rewrite(&pack, &hurt);
    let trunk = PackedTrunk::load(std::slice::from_ref(&path), None).unwrap();
    let entries: Vec<Entry> = trunk.entries().unwrap().map(Result::unwrap).collect();
    let is_whole = |entry: &&Entry| {
        let Content::File { hash, .. } = entry.content else { return true };
        trunk
            .open_content(entry)
            .is_ok_and(|mut content| ContentHash::of_reader(&mut *content).is_ok_and(|found| found == hash))
    };
    let lost: Vec<&Entry> = entries.iter().filter(|entry| !is_whole(entry)).collect();
    assert_eq!(lost.len(), 1, "only the film lies there");
    drop(trunk);
    rewrite(&pack, &whole);

    let list = path.join("list-00001.list");
    let bytes = fs::read(&list).unwrap();
    for gone in [true, false] {
        if gone {
            fs::remove_file(&list).unwrap();
        } else {
            rewrite(&list, &bytes[..bytes.len() / 2]);
        }
        let rebuilt = rebuild(std::slice::from_ref(&path), None, NOW).unwrap();
        assert_eq!(rebuilt, Rebuilt::FromPacks { entries: 202, lost: Vec::new(), packs: 2, unheard_of: 0 });
        assert_eq!(damage(&path, None), 0);
        let trunk = PackedTrunk::load(std::slice::from_ref(&path), None).unwrap();
        let mut again: Vec<Entry> = trunk.entries().unwrap().map(Result::unwrap).collect();
        again.retain(|entry| entry.extents != Extents::None);
        assert_eq!(again.len(), entries.iter().filter(|entry| entry.extents != Extents::None).count());
        assert_eq!(rebuild(std::slice::from_ref(&path), None, NOW).unwrap(), Rebuilt::NotNeeded);
        for file in files(&path).iter().filter(|file| file.to_string_lossy().contains("list-")) {
            fs::remove_file(file).unwrap();
        }
        rewrite(&list, &bytes);
    }
}

/// The names of the files that a full check finds wrong, with their blocks where that proves them.
fn wrong_files(path: &Path) -> BTreeSet<String> {
    let trunk = PackedTrunk::load(&[path.to_path_buf()], None).unwrap();
    let entries: Vec<Entry> = trunk.entries().unwrap().map(Result::unwrap).collect();
    let mut audit = trunk.audit(Depth::Full).unwrap();
    let mut wrong = BTreeSet::new();
    for (row, entry) in (0_u32..).zip(&entries) {
        let Content::File { hash, .. } = entry.content else { continue };
        let found = if trunk.is_proved_by_block(entry) {
            audit.see_for_block(row, entry)
        } else {
            let read = trunk.open_content(entry).map(|mut content| ContentHash::of_reader(&mut *content));
            let is_whole = read.is_ok_and(|found| found.is_ok_and(|found| found == hash));
            wrong.extend((!is_whole).then_some(row));
            audit.see(entry, is_whole)
        };
        wrong.extend(found.map(|_| row));
    }
    for block in 0..audit.blocks().len() {
        wrong.extend(audit.prove_block(block).into_iter().map(|(row, _)| row));
    }
    assert_eq!(audit.finish().unwrap().is_empty(), wrong.is_empty(), "a block is whole if its files are");
    wrong.into_iter().map(|row| entries[row as usize].address.path.to_string()).collect()
}

#[test]
fn a_file_that_is_scattered_over_the_packs_is_proved_part_by_part() {
    let words = |of: u64| -> Vec<u8> {
        noise(700_000, of)
            .iter()
            .flat_map(|byte| ["spar ", "sail ", "line "][usize::from(byte % 3)].bytes())
            .collect()
    };
    let (early, text, late) = (noise(700_000, 1), words(2), noise(700_000, 3));
    let between = (0..18).map(|number| (format!("between {number}.bin"), noise(1 << 20, 100 + number)));
    let mut files = vec![("early.bin".to_owned(), early.clone()), ("text.txt".to_owned(), text.clone())];
    files.extend(between);
    files.push(("late.bin".to_owned(), late.clone()));
    files.push(("joined.bin".to_owned(), [&early[..], &text, &late].concat()));
    let folder = tempfile::tempdir().unwrap();
    let path = fill_with(folder.path(), None, None, &files);
    let trunk = PackedTrunk::load(std::slice::from_ref(&path), None).unwrap();
    let joined = trunk.entries().unwrap().map(Result::unwrap).last().unwrap();
    assert!(trunk.is_proved_by_block(&joined) && joined.extents.as_slice().len() >= 3);
    drop(trunk);
    assert!(wrong_files(&path).is_empty());

    // Each stands in its pack as it is.
    for (stretch, harmed) in [(&early[300_000..300_100], "early.bin"), (&late[400_000..400_100], "late.bin")]
    {
        let (file, whole, at) = file_with(&path, stretch);
        let mut changed = whole.clone();
        changed[at + 50] ^= 4;
        rewrite(&file, &changed);
        assert_eq!(wrong_files(&path), [harmed, "joined.bin"].map(str::to_owned).into());
        rewrite(&file, &whole);
    }
    assert!(wrong_files(&path).is_empty());
}

/// The file of a trunk in which some bytes stand, all of it, and where they begin.
fn file_with(path: &Path, wanted: &[u8]) -> (PathBuf, Vec<u8>, usize) {
    let place = |file: PathBuf| {
        let bytes = fs::read(&file).unwrap();
        let at = bytes.windows(wanted.len()).position(|window| window == wanted)?;
        Some((file, bytes, at))
    };
    files(path).into_iter().find_map(place).unwrap()
}

#[test]
fn nothing_of_a_sealed_trunk_can_be_seen_and_each_key_opens_it() {
    let folder = tempfile::tempdir().unwrap();
    let workshop = WorkshopKey::generate();
    let seal = Seal { passphrase: PASSPHRASE.to_owned().into(), workshop: Some(workshop.public()) };
    let path = fill(folder.path(), Some(&seal), None);
    for file in files(&path) {
        let bytes = fs::read(&file).unwrap();
        let holds = |text: &str| bytes.windows(text.len()).any(|window| window == text.as_bytes());
        for secret in [SECRET_TEXT, "lighthouse", "film.mp4", "odile", "documents", "LOFT-PC", PASSPHRASE] {
            assert!(!holds(secret), "`{secret}` stands in {}", file.display());
        }
        // Nor what could be compared with a file somebody has.
        let hash = ContentHash::of(SECRET_TEXT.as_bytes()).to_string();
        assert!(!holds(&hash));
        assert_eq!(holds("the usual hour"), file.ends_with("label.json"));
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            let mode = fs::metadata(&file).unwrap().permissions().mode() & 0o777;
            assert!(mode == 0o600, "{mode:o} {}", file.display());
        }
    }
    let passphrase = |text: &str| Opener::Passphrase(text.to_owned().into());
    let load = |opener: Option<&Opener>| PackedTrunk::load(std::slice::from_ref(&path), opener).map(drop);
    let is_wrong = |done: Result<(), TrunkError>| {
        matches!(done, Err(TrunkError::NotOpened { cause: NotOpened::WrongPassphrase, .. }))
    };
    assert!(matches!(load(None), Err(TrunkError::Sealed(_))));
    assert!(is_wrong(load(Some(&passphrase("forty kites at five o'clock")))));
    every_flip_is_noticed(&path, Some(&Opener::Workshop(workshop)), 40);

    let before = fs::read(path.join("pack-00001.pack")).unwrap();
    let parts = Parts::load(std::slice::from_ref(&path)).unwrap();
    let key = parts.unlock(Some(&passphrase(PASSPHRASE))).unwrap().unwrap();
    parts.change_passphrase(&key, "another one").unwrap();
    assert!(is_wrong(load(Some(&passphrase(PASSPHRASE)))));
    load(Some(&passphrase("another one"))).unwrap();
    assert!(fs::read(path.join("pack-00001.pack")).unwrap() == before);
}
