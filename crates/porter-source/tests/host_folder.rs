//! A host folder, with what real ones hold.
#![cfg(unix)]
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_names::RelativePath;
use porter_source::{EntryKind, HostFolder, ReadTrouble, Sequential, Volume};
use rustix::fs::XattrFlags;
use std::collections::BTreeMap;
use std::fs;
use std::io::Read;
use std::os::unix::ffi::OsStrExt;

fn path(name: &[u8]) -> RelativePath {
    RelativePath::from_bytes(name).unwrap()
}

#[test]
fn everything_is_listed_as_what_it_is_and_nothing_blocks() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &[u8]| folder.path().join(std::ffi::OsStr::from_bytes(name));
    fs::write(at(b"bad \xff.txt"), "exact").unwrap();
    fs::create_dir(at(b"folder")).unwrap();
    std::os::unix::fs::symlink("folder", at(b"link")).unwrap();
    std::os::unix::fs::symlink("nowhere", at(b"dangling")).unwrap();
    rustix::fs::mknodat(rustix::fs::CWD, at(b"pipe"), rustix::fs::FileType::Fifo, rustix::fs::Mode::RUSR, 0)
        .unwrap();

    let volume = HostFolder::open(folder.path()).unwrap();
    let listed: BTreeMap<Vec<u8>, EntryKind> = volume
        .list(&RelativePath::root())
        .unwrap()
        .into_iter()
        .map(|row| row.map(|row| (row.name, row.metadata.kind)).unwrap())
        .collect();
    let expected: [(&[u8], EntryKind); 5] = [
        (b"bad \xff.txt", EntryKind::File),
        (b"folder", EntryKind::Folder),
        (b"link", EntryKind::Link),
        (b"dangling", EntryKind::Link),
        (b"pipe", EntryKind::Other),
    ];
    assert_eq!(listed, expected.into_iter().map(|(name, kind)| (name.to_vec(), kind)).collect());
    let mut text = String::new();
    Sequential::new(volume.open(&path(b"bad \xff.txt")).unwrap()).read_to_string(&mut text).unwrap();
    assert_eq!(text, "exact");
    // A pipe that nobody writes to must not hold up a rescue.
    drop(volume.open(&path(b"pipe")));
    assert_eq!(volume.link_target(&path(b"dangling")).unwrap(), b"nowhere");
    let capacity = volume.capacity().unwrap();
    assert!(capacity.total_in_bytes >= capacity.free_in_bytes && capacity.total_in_bytes > 0);
    assert_eq!(
        volume.host_tree().map(|tree| tree.root().to_path_buf()),
        fs::canonicalize(folder.path()).ok()
    );
}

#[test]
fn streams_and_marks_are_read_where_the_file_system_keeps_them() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("letter.doc");
    fs::write(&file, "x").unwrap();
    let large = vec![b'z'; 3000];
    let set = |name: &str, value: &[u8]| rustix::fs::lsetxattr(&file, name, value, XattrFlags::empty());
    // A file system that keeps no extended attributes has to be declared.
    if std::env::var_os("PORTER_TESTS_WITHOUT_XATTRS").is_some() {
        return;
    }
    set("user.DOSATTRIB", b"0x26").unwrap();
    set("user.Zone.Identifier", b"[ZoneTransfer]").unwrap();
    set("user.a", &large).unwrap();
    let volume = HostFolder::open(folder.path()).unwrap();
    let details = volume.details(&path(b"letter.doc")).unwrap();
    assert_eq!(details.windows_attributes, Some(0x26));
    let streams: Vec<(&str, usize)> =
        details.streams.iter().map(|stream| (stream.name.as_str(), stream.content.len())).collect();
    assert_eq!(streams, [("Zone.Identifier", 14), ("a", 3000)]);
    assert!(details.unreadable_streams.is_empty());
}

#[test]
fn failures_are_sorted_by_what_to_do_about_them() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("file"), "x").unwrap();
    let volume = HostFolder::open(folder.path()).unwrap();
    let trouble = |error: porter_source::ReadError| error.trouble;
    assert!(matches!(volume.metadata(&path(b"none")).map_err(trouble), Err(ReadTrouble::Gone)));
    assert!(matches!(volume.list(&path(b"file")).map(|_| ()).map_err(trouble), Err(ReadTrouble::Other(_))));
    assert!(matches!(volume.details(&path(b"none")).map_err(trouble), Err(ReadTrouble::Gone)));
    assert!(HostFolder::open(&folder.path().join("file")).is_err(), "a file is no volume");
    assert!(HostFolder::open(&folder.path().join("none")).is_err());
    // As the system numbers them.
    for (number, expected) in
        [(5, "the drive could not read it"), (40, "a link stands there"), (13, "permission denied")]
    {
        let said = ReadTrouble::from(std::io::Error::from_raw_os_error(number)).to_string();
        assert!(said.contains(expected), "{number}: {said}");
    }
}
