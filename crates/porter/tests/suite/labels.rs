//! Facts that a trunk shows before anybody has proved it: its label, and the size of its files.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_demo::dice::Dice;
use std::fs;

/// With a machine whose documents cannot be compressed.
fn bench_with_noise(files: usize, length_in_bytes: usize) -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    let mut dice = Dice::named("noise");
    for number in 0..files {
        let content: Vec<u8> = (0..length_in_bytes).map(|_| dice.below(256) as u8).collect();
        bench.write(&format!("OLD/Users/odile/Documents/Kites/{}/film {number}.bin", number % 3), content);
    }
    bench
}

#[test]
fn whoever_finds_a_trunk_learns_whose_it_is_and_nothing_on_its_label_draws_on_their_screen() {
    let bench = bench_with_noise(1, 100);
    bench.write("passphrase.txt", "forty kites at four in the morning");
    let words = [
        "capture",
        "OLD",
        "trunk",
        "--quiet",
        "--job",
        "\u{1b}[2J4711",
        "--technician",
        "Juno\u{202e}onuJ",
        "--workshop",
        "Saltmarsh Kiteworks\r\nTrunk 00000000",
        "--owner",
        "Odile \u{7}Brandt",
        "--return-to",
        "the old quay, by the tide table",
    ];
    let sealed = ["--seal", "--passphrase-file", "passphrase.txt", "--reminder", "\u{1b}]0;kites\u{7}"];
    bench.porter(&[&words[..], &sealed].concat()).with_status(0);
    let said = bench.porter(&["look", "trunk"]).with_status(0).out;
    for shown in ["the old quay, by the tide table", "Brandt", "kites"] {
        assert!(said.contains(shown), "{shown}: {said}");
    }
    let harmless = |text: &str| !text.chars().any(|c| (c.is_control() && c != '\n') || c == '\u{202e}');
    assert!(harmless(&said), "{said:?}");
    assert!(!said.lines().any(|line| line.starts_with("Trunk 00000000")), "a line of its own: {said}");
    // Inside of a sealed trunk, and on a receipt, the same holds.
    let opened = [&["look", "trunk"][..], &sealed[1..3]].concat();
    let said = bench.porter(&opened).with_status(0).out;
    assert!(said.contains("4711") && said.contains("Juno") && harmless(&said), "{said:?}");
    let check = [&["check", "trunk", "--quiet", "--page", "receipt.html"][..], &sealed[1..3]].concat();
    let said = bench.porter(&check).with_status(0).out;
    assert!(harmless(&said), "{said:?}");
    assert!(harmless(&bench.read("receipt.html")), "a page with control characters");
    // The words for a finder are all that can be read of it.
    let everything: Vec<u8> = fs::read_dir(bench.path("trunk"))
        .unwrap()
        .flat_map(|row| fs::read(row.unwrap().path()).unwrap())
        .collect();
    let holds = |text: &str| everything.windows(text.len()).any(|window| window == text.as_bytes());
    assert!(holds("the old quay"));
    for inside in ["film 0.bin", "Kites/", "documents", "odile"] {
        assert!(!holds(inside), "`{inside}` can be read without the passphrase");
    }
}

#[test]
fn packs_are_no_larger_than_asked_for_and_sizes_that_cannot_be_are_refused() {
    let bench = bench_with_noise(50, 700_000);
    for (size, status) in [
        ("4GiB", 2),
        ("5000000000", 2),
        ("0", 2),
        ("-1", 2),
        ("1KiB", 2),
        ("a lot", 2),
        ("16MiB", 0),
        ("900MB", 0),
    ] {
        let trunk = format!("trunk of {}", size.replace(' ', "-"));
        let words = ["capture", "OLD", &trunk, "--quiet", &format!("--largest-file={size}")];
        let said = bench.porter(&words).with_status(status);
        if status != 0 {
            assert!(!bench.path(&trunk).exists(), "{size}");
            assert!(said.err.contains("--largest-file"), "{}", said.err);
        }
    }
    let packs = |trunk: &str| {
        let rows = fs::read_dir(bench.path(trunk)).unwrap().flatten();
        let mut sizes: Vec<u64> = rows
            .filter(|row| row.file_name().to_string_lossy().ends_with(".pack"))
            .map(|row| row.metadata().unwrap().len())
            .collect();
        sizes.sort_unstable();
        sizes
    };
    let (small, large) = (packs("trunk of 16MiB"), packs("trunk of 900MB"));
    assert!(small.len() == 3 && small.iter().all(|size| *size <= 16 << 20), "{small:?}");
    assert_eq!(large.len(), 1, "{large:?}");
    bench.empty_machine("NEW", "odile");
    bench.porter(&["restore", "trunk of 16MiB", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk of 900MB", "NEW", "--quiet"]).with_status(0);
    assert_eq!(
        bench.snapshot("OLD/Users/odile/Documents"),
        bench.snapshot("NEW/Users/odile/Documents"),
        "what went through small packs is not what it was"
    );
}

#[test]
fn a_tree_goes_as_deep_as_it_is_told_to_and_counts_what_is_deeper() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    for number in 1..=6 {
        let above: String = (1..=number).map(|level| format!("level {level}/")).collect();
        bench.write(&format!("OLD/Users/odile/Documents/{above}note {number}.txt"), "ten bytes!");
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let tree = |levels: &str| {
        let words = ["look", "trunk", "odile/folder/documents", "--tree", "--levels", levels];
        bench.porter(&words).with_status(0).out
    };
    for shown in 1..=6 {
        let said = tree(&shown.to_string());
        let deepest = (1..=6).rev().find(|level| said.contains(&format!("level {level}")));
        assert_eq!(deepest, Some(shown), "{said}");
        // The first folder holds all six files, however little of it is shown.
        let first = said.lines().find(|line| line.contains("level 1")).unwrap();
        assert!(first.contains("6 files") && first.contains("60 B"), "{first}");
    }
    assert!(tree("99").contains("level 6"));
    for wrong in ["-1", "many", "99999999999999999999"] {
        bench.porter(&["look", "trunk", "--tree", &format!("--levels={wrong}")]).with_status(2);
    }
}

#[test]
fn a_trunk_that_was_not_read_back_says_so_until_it_is_and_tells_then_what_is_wrong() {
    let bench = bench_with_noise(6, 50_000);
    let later = bench.porter(&["capture", "OLD", "trunk", "--quiet", "--prove-later"]).with_status(0).out;
    assert!(later.contains("was not read back") && later.contains("porter check trunk"), "{later}");
    let proved = bench.porter(&["capture", "OLD", "other", "--quiet"]).with_status(0).out;
    assert!(proved.contains("was read back") && !proved.contains("not read back"), "{proved}");
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);

    // A stick that lies: one byte of a content is another one.
    let pack = bench.path("trunk/pack-00001.pack");
    let mut bytes = fs::read(&pack).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0x10;
    fs::write(&pack, &bytes).unwrap();
    let said = bench.porter(&["check", "trunk", "--quiet"]).with_status(3).out;
    assert_eq!(said.matches("changed  Kites/").count(), 1, "one file, by its name: {said}");
    // By its list alone nothing is seen of that, and the words do not claim more.
    let listing =
        ["check", "trunk", "--quiet", "--depth", "listing", "--page", "listing.html", "--json", "l.json"];
    let said = bench.porter(&listing).with_status(0).out;
    assert!(said.contains("No content was read; --depth full proves it."), "{said}");
    for text in [&said, &bench.read("listing.html")] {
        for too_much in ["byte for byte", "every byte", ">whole<", "  whole "] {
            assert!(!text.contains(too_much), "{too_much}: {text}");
        }
    }
    assert_eq!(bench.porter(&["receipt", "l.json"]).with_status(0).out, said, "a saved one says the same");
    bench.porter(&["check", "trunk", "OLD", "--depth", "listing"]).with_status(2);

    for number in 0..200 {
        bench.write(
            &format!("OLD/Users/odile/Documents/Notes/{}/{number}.txt", number % 9),
            number.to_string(),
        );
    }
    bench.porter(&["capture", "OLD", "sampled", "--quiet"]).with_status(0);
    let sample = ["check", "sampled", "--quiet", "--depth", "sample"];
    let said = bench.porter(&sample).with_status(0).out;
    let sampled = bench.porter(&[&sample[..], &["--json"]].concat()).with_status(0).json();
    let not_read = sampled["files_not_read"].as_u64().unwrap();
    let read = 207 - not_read;
    assert!((3..=40).contains(&read), "every twentieth, more or less: {read}");
    let words = format!("{read} files proved byte for byte; {not_read} files only looked up");
    assert!(said.contains(&words) && said.contains("as far as was read"), "{words}: {said}");
    let full = bench.porter(&["check", "sampled", "--quiet", "--json"]).with_status(0).json();
    assert_eq!(full["files_not_read"], 0);

    bench.empty_machine("NEW", "odile");
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(3);
    let landed = bench.snapshot("NEW/Users/odile/Documents");
    assert_eq!(landed.values().filter(|(kind, ..)| kind == "file").count(), 5, "the others land");
    for (path, entry) in landed.iter().filter(|(_, (kind, ..))| kind == "file") {
        let was = fs::read(bench.path("OLD/Users/odile/Documents").join(path)).unwrap();
        assert!(entry.1 == was, "{}: half of it, or something else", path.display());
    }
}
