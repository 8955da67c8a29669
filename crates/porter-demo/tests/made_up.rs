//! The demo's things are real: the formats can be read by others, and every run makes the same.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_demo::{DemoSize, build_loft_pc, build_tidewater, film, picture, sound, writing};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// Every entry with its content, or target, and its time.
fn tree(root: &Path) -> BTreeMap<PathBuf, (Vec<u8>, Option<SystemTime>)> {
    let mut found = BTreeMap::new();
    let mut folders = vec![root.to_path_buf()];
    while let Some(folder) = folders.pop() {
        for row in fs::read_dir(folder).unwrap() {
            let path = row.unwrap().path();
            let kind = fs::symlink_metadata(&path).unwrap();
            let below = path.strip_prefix(root).unwrap().to_path_buf();
            if kind.is_symlink() {
                found.insert(
                    below,
                    (fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes(), None),
                );
            } else if kind.is_dir() {
                found.insert(below, (Vec::new(), kind.modified().ok()));
                folders.push(path);
            } else {
                found.insert(below, (fs::read(&path).unwrap(), kind.modified().ok()));
            }
        }
    }
    found
}

#[test]
fn every_run_builds_the_same_machines() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    for name in ["first", "second"] {
        build_loft_pc(&path(name).join("LOFT-PC"), DemoSize::Small).unwrap();
        build_tidewater(&path(name).join("TIDEWATER")).unwrap();
    }
    let first = tree(&path("first/LOFT-PC"));
    assert!(first == tree(&path("second/LOFT-PC")), "LOFT-PC differs from run to run");
    assert!(tree(&path("first/TIDEWATER")) == tree(&path("second/TIDEWATER")));
    assert!(
        build_loft_pc(&path("first/LOFT-PC"), DemoSize::Small).is_err(),
        "what is there is not built over"
    );

    // The shapes that make careless copies fail are all there.
    let names: Vec<String> = first.keys().map(|path| path.to_string_lossy().replace('\\', "/")).collect();
    let longest = first.keys().filter_map(|path| path.file_name()).map(|name| name.len()).max().unwrap();
    assert!(longest >= 190, "{longest}");
    for part in ["🪁", "e\u{301}tude", "Café", "100% wind", "  two spaces", "/Temp/", "/Cache/", "(1).csv"]
    {
        assert!(names.iter().any(|name| name.contains(part)), "{part}");
    }
    assert!(path("first/LOFT-PC/Users/odile/Documents/Kites/2027").is_dir(), "an empty folder");
    let duplicate = &first[Path::new("Users/odile/Downloads/Catalogue 1 (1).csv")].0;
    assert_eq!(duplicate, &first[Path::new("Users/odile/Downloads/Catalogue 1.csv")].0);
}

#[test]
fn pictures_sounds_films_and_tables_are_what_they_say() {
    let picture = picture::png("a kite", 64, 48);
    let mut decoder = png::Decoder::new(std::io::Cursor::new(&picture)).read_info().unwrap();
    let mut pixels = vec![0; decoder.output_buffer_size().unwrap()];
    let frame = decoder.next_frame(&mut pixels).unwrap();
    assert_eq!((frame.width, frame.height, pixels.len()), (64, 48, 64 * 48 * 3));
    assert_ne!(picture, picture::png("another kite", 64, 48));

    let number = |file: &[u8], at: usize| u32::from_le_bytes(file[at..at + 4].try_into().unwrap()) as usize;
    let sound = sound::wav("wind", 2);
    assert_eq!((&sound[..4], &sound[8..16]), (&b"RIFF"[..], &b"WAVEfmt "[..]));
    assert_eq!((number(&sound, 4) + 8, number(&sound, 40) + 44), (sound.len(), sound.len()));
    assert_eq!(sound.len(), 44 + 2 * 2 * 22_050);

    let film = film::avi("festival", 3);
    assert_eq!((&film[..4], &film[8..12], number(&film, 4) + 8), (&b"RIFF"[..], &b"AVI "[..], film.len()));
    assert_eq!(film.windows(4).filter(|window| window == b"00db").count(), 3);

    let table = String::from_utf8(writing::csv("orders", 20)).unwrap();
    assert_eq!(table.lines().count(), 21);
    assert!(table.lines().all(|row| row.matches('"').count().is_multiple_of(2)));
    let letter = String::from_utf8(writing::rtf("letter", 9)).unwrap();
    assert_eq!(letter.matches('{').count(), letter.matches('}').count());
    assert!(letter.is_ascii(), "letters beyond ASCII are escaped");
}
