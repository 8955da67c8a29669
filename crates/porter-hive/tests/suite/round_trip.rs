//! A written hive reads back the same, and a change changes nothing else.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_hive::tree::KeyTree;
use porter_hive::walk::MOST_LEVELS;
use porter_hive::write::{Version, to_bytes};
use porter_hive::{Hive, HiveError, ValueKind};

#[test]
fn everything_written_is_read_again_in_both_versions() {
    for (version, minor) in [(Version::V1_3, 3), (Version::V1_5, 5)] {
        let hive = Hive::from_bytes(crate::made::hive(3000, version)).unwrap();
        assert_eq!(hive.base_block().minor_version, minor);
        let (tree, damage) = KeyTree::from_hive(&hive);
        assert_eq!(damage, []);
        let (expected, found) =
            (crate::made::lines(&crate::made::tree(3000)), crate::made::lines(&tree.unwrap()));
        assert_eq!(expected.len(), found.len());
        for (expected, found) in expected.iter().zip(&found) {
            assert!(expected == found, "{expected:.200}\n{found:.200}");
        }
        let kites = hive.key("saltmarsh kiteworks\\KITES").unwrap();
        assert_eq!(kites.value("größe").unwrap().text().as_deref(), Some("zwölf Fuß"));
        assert_eq!(kites.value("Colours").unwrap().texts().unwrap(), ["red", "sea green"]);
        assert_eq!(kites.value("Spars").unwrap().number(), Some(12));
        assert_eq!(kites.value("Big end").unwrap().number(), Some(12));
        assert_eq!(kites.value("Long").unwrap().number(), Some(u64::MAX));
        assert_eq!(hive.key("Many\\Job 02999").unwrap().value("Number").unwrap().number(), Some(2999));
        assert!(hive.key("Many\\Job 03000").is_none() && hive.key("Kites").is_none());
        assert_eq!(hive.root().unwrap().last_written_utc().unwrap().year(), 2026);
        let descriptor = kites.security().unwrap().unwrap();
        assert_eq!(descriptor, hive.root().unwrap().security().unwrap().unwrap(), "inherited from above");
    }
}

#[test]
fn a_hive_is_changed() {
    let (tree, _) = KeyTree::from_hive(&Hive::from_bytes(crate::made::hive(3, Version::V1_5)).unwrap());
    let mut tree = tree.unwrap();
    let own: std::sync::Arc<[u8]> = porter_hive::security::for_new_hive().into();
    tree.key("Many").security = Some(own);
    tree.key("many\\job 00001").set_text("number", "one").set("Added", ValueKind::Bytes, []);
    assert!(tree.remove_subkey("LINK").is_some() && tree.key("Many\\Job 00002").remove_value("NUMBER"));
    let hive = Hive::from_bytes(to_bytes(&tree, &crate::made::heading(Version::V1_5)).unwrap()).unwrap();
    let changed = hive.key("Many\\Job 00001").unwrap();
    assert_eq!(changed.value("Number").unwrap().text().as_deref(), Some("one"));
    assert_eq!(changed.values().count(), 2);
    assert!(hive.key("link").is_none() && hive.key("Many\\Job 00002").unwrap().values().next().is_none());
}

#[test]
fn what_windows_could_not_read_is_not_written() {
    let heading = crate::made::heading(Version::V1_5);
    let mut twins = KeyTree::new("root");
    twins.subkeys = vec![KeyTree::new("Kite"), KeyTree::new("KITE")];
    let mut deep = KeyTree::new("root");
    let mut key = &mut deep;
    for _ in 0..=MOST_LEVELS {
        key = key.subkey("deeper");
    }
    let mut long = KeyTree::new("root");
    long.subkey(&"x".repeat(256));
    for (tree, what) in [(twins, "two keys"), (deep, "512 keys inside"), (long, "the name of the key")] {
        let refused = to_bytes(&tree, &heading).unwrap_err();
        assert!(matches!(&refused, HiveError::CannotHold { what: said } if said.contains(what)), "{refused}");
    }
}
