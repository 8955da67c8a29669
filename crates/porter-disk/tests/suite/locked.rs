//! A stick that is locked, of which only the beginning is encrypted yet: each kind of key, wrong ones, and
//! damage.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_disk::block_source::{BlockSource, read_exact_at};
use porter_disk::file_system::recognise::{kind_of, open};
use porter_disk::lock::bitlocker::Locked;
use porter_disk::lock::{Key, LockError, Way};
use porter_source::VolumeKind;
use std::sync::Arc;
use zeroize::Zeroizing;

const KEY_FILE: &[u8] = include_bytes!("../images/locked.fat.bek");

fn image() -> Vec<u8> {
    zstd::decode_all(&include_bytes!("../images/locked.fat.zst")[..]).unwrap()
}

fn typed(text: &str) -> Key {
    Key::Typed(Zeroizing::new(text.to_owned()))
}

fn unlocked(image: Vec<u8>, key: &Key) -> Result<Arc<dyn BlockSource>, LockError> {
    Locked::load(Arc::new(image))?.unlock(key)
}

fn plan_on(volume: Arc<dyn BlockSource>) -> Vec<u8> {
    let volume = open(volume, false).unwrap();
    let plan = volume.tree().find(volume.tree().root(), b"plan.txt").unwrap();
    let mut content = vec![0; 13];
    assert_eq!(volume.open(plan).unwrap().read_at(0, &mut content).unwrap(), 13);
    content
}

#[test]
fn each_key_opens_it_and_a_wrong_one_is_refused() {
    let mut keys = include_str!("../images/locked.txt").lines();
    let (passphrase, recovery) = (keys.next().unwrap(), keys.next().unwrap());
    let locked = Locked::load(Arc::new(image())).unwrap();
    let ways: Vec<Way> = locked.protectors().iter().map(|protector| protector.way).collect();
    assert_eq!(ways, [Way::Passphrase, Way::RecoveryKey, Way::KeyFile]);
    assert_eq!(locked.protectors()[1].identifier.len(), 36);
    assert_eq!(locked.open().err(), Some(LockError::NoKey));
    for key in [typed(passphrase), typed(recovery), Key::File(Zeroizing::new(KEY_FILE.to_vec()))] {
        assert_eq!(plan_on(unlocked(image(), &key).unwrap()), b"small letters");
    }
    let wrong = [typed("forty kites at five"), Key::File(Zeroizing::new(KEY_FILE[..100].to_vec()))];
    for key in wrong {
        assert_eq!(unlocked(image(), &key).err(), Some(LockError::WrongKey));
    }
    let mistyped = recovery.replace(&recovery[7..13], "000012");
    assert_eq!(unlocked(image(), &typed(&mistyped)).err(), Some(LockError::Mistyped { group: 2 }));
}

#[test]
fn any_stretch_is_the_same_and_a_damaged_copy_of_the_records_is_passed_by() {
    let key = Key::File(Zeroizing::new(KEY_FILE.to_vec()));
    let volume = unlocked(image(), &key).unwrap();
    assert_eq!(kind_of(&*volume).unwrap(), Some(VolumeKind::Fat));
    let mut whole = vec![0; volume.size_in_bytes() as usize];
    read_exact_at(&*volume, 0, &mut whole).unwrap();
    for (at, length) in [(0, 1), (511, 2), (8191, 700), (65_000, 5000), (300_000, 90_001)] {
        let mut piece = vec![0; length];
        read_exact_at(&*volume, at as u64, &mut piece).unwrap();
        assert_eq!(piece, whole[at..at + length], "{at}");
    }
    // The records themselves are not seen from inside.
    assert!(!whole.windows(8).any(|eight| eight == b"-FVE-FS-"));
    let copies: Vec<usize> =
        (512..409_600).step_by(512).filter(|at| image()[*at..].starts_with(b"-FVE-FS-")).collect();
    assert_eq!(copies.len(), 3);
    let mut bytes = image();
    for at in &copies[..2] {
        bytes[at + 64..at + 200].fill(0xff);
    }
    assert_eq!(plan_on(unlocked(bytes.clone(), &key).unwrap()), b"small letters");
    bytes[copies[2] + 8..copies[2] + 12].fill(0);
    assert!(matches!(Locked::load(Arc::new(bytes)).err(), Some(LockError::Damaged(_))));
}
