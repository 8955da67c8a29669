//! Commands for trunks: seal, top up, continue on another stick, mend, park, look and take.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use std::fs;

fn bench() -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.empty_machine("NEW", "odile");
    for number in 0..40 {
        let folder = if number % 2 == 0 { "Kites" } else { "Orders/2012" };
        bench.write(
            &format!("PC/Users/odile/Documents/{folder}/plan {number}.txt"),
            format!("spar {number}\n").repeat(90),
        );
    }
    bench.write("PC/Users/odile/Documents/photo.jpg", porter_demo::writing::noise("photo", 90_000));
    bench
}

const DOCUMENTS: &str = "odile/folder/documents";

#[test]
fn a_sealed_trunk_shows_its_label_only_until_the_passphrase_is_given() {
    let bench = bench();
    bench.write("passphrase.txt", "forty kites at four\nanother line\n");
    bench.write("other.txt", "the tide turns at six");
    bench.porter(&["workshop-key", "new", "secret.txt"]).with_status(0);
    bench.porter(&["workshop-key", "new", "second.txt"]).with_status(2);
    let weak = bench
        .command(&["capture", "PC", "weak", "--seal", "--quiet"])
        .env("PORTER_PASSPHRASE", "kite")
        .output()
        .unwrap();
    assert!(weak.status.success() && String::from_utf8_lossy(&weak.stderr).contains("is short"));
    let key = ["--passphrase-file", "passphrase.txt"];
    let seal =
        ["capture", "PC", "trunk", "--seal", "--reminder", "the usual hour", "--owner", "Odile", "--quiet"];
    bench.porter(&[&seal[..], &key].concat()).with_status(0);

    let look = bench.porter(&["look", "trunk"]).with_status(0).out;
    assert!(
        look.contains("the usual hour") && look.contains("Odile") && !look.contains("documents"),
        "{look}"
    );
    assert!(!look.contains("PC"), "not even the machine: {look}");
    bench.porter(&["look", "trunk", DOCUMENTS]).with_status(2);
    let shut = bench.porter(&["check", "trunk"]).with_status(1);
    assert!(shut.err.contains("is sealed") && shut.err.contains("--passphrase-file"), "{}", shut.err);
    let wrong = bench.porter(&["check", "trunk", "--passphrase-file", "other.txt"]).with_status(1);
    assert!(wrong.err.contains("not the passphrase"), "{}", wrong.err);

    bench
        .porter(&[&["passphrase", "trunk", "--new-passphrase-file", "other.txt"][..], &key].concat())
        .with_status(0);
    bench.porter(&[&["check", "trunk", "--quiet"][..], &key].concat()).with_status(1);
    let key = ["--passphrase-file", "other.txt"];
    bench.porter(&[&["restore", "trunk", "NEW", "--yes", "--quiet"][..], &key].concat()).with_status(0);
    bench.porter(&[&["check", "trunk", "NEW", "--quiet"][..], &key].concat()).with_status(0);
    let forgotten =
        ["take", "trunk", "odile/folder/documents/Kites/plan 8.txt", "-", "--workshop-key", "secret.txt"];
    assert_eq!(bench.porter(&forgotten).with_status(0).out, "spar 8\n".repeat(90));
    bench.porter(&["passphrase", "PC"]).with_status(2);
}

#[test]
#[cfg_attr(windows, ignore = "nothing in it is Windows' own, and it takes a minute under Wine")]
fn what_does_not_open_a_sealed_trunk_says_why_and_what_opens_it_need_not_be_typed_the_same_way() {
    let bench = bench();
    assert!(bench.porter(&["workshop-key", "show"]).with_status(0).out.contains("There is no recovery key"));
    // As Notepad saves it, and with the line ends of Windows.
    bench.write("passphrase.txt", "\u{feff}forty kites at four\r\n");
    bench.write("empty.txt", "\n");
    bench.porter(&["workshop-key", "new", "secret.txt"]).with_status(0);
    let shown = bench.porter(&["workshop-key", "show"]).with_status(0).out;
    let public = shown.trim().rsplit(' ').next().unwrap().to_owned();
    let seal = ["capture", "PC", "trunk", "--seal", "--quiet", "--passphrase-file"];
    bench.porter(&[&seal[..], &["empty.txt"]].concat()).with_status(2);
    assert!(!bench.path("trunk").exists(), "a refused capture begins nothing");
    bench.porter(&[&seal[..], &["passphrase.txt"]].concat()).with_status(0);

    let typed = |passphrase: &str| {
        let mut check = bench.command(&["check", "trunk", "--quiet"]);
        check.env("PORTER_PASSPHRASE", passphrase);
        crate::workbench::run(check)
    };
    typed("forty kites at four").with_status(0);
    typed("forty kites at five").with_status(1);
    typed("").with_status(2);

    // Another workshop's key, files that are not keys, and no key.
    fs::rename(bench.path("config"), bench.path("other workshop")).unwrap();
    bench.porter(&["workshop-key", "new", "elsewhere.txt"]).with_status(0);
    let other = bench.porter(&["workshop-key", "show"]).with_status(0).out;
    assert!(!other.contains(&public), "{other}");
    for (key, status, words) in [
        ("elsewhere.txt", 1, "workshop-key show"),
        ("passphrase.txt", 2, "holds no recovery key"),
        ("none.txt", 1, "cannot be read"),
        ("secret.txt", 0, ""),
    ] {
        let said = bench.porter(&["check", "trunk", "--quiet", "--workshop-key", key]).with_status(status);
        assert!(said.err.contains(words), "{key}: {}", said.err);
    }

    // Both copies of the wrapped key have to be damaged before nothing opens the trunk.
    let files = ["trunk/seal.json", "trunk/seal-copy.json"];
    let seal = bench.read(files[0]);
    assert_eq!(bench.read(files[1]), seal);
    // The beginning of every wrapped key names the way of wrapping.
    let hurt = seal.replacen("IHNjcnlwdC", "IHNjcnlwdD", 1);
    assert_ne!(hurt, seal);
    for file in files {
        for left in [None, Some(&seal[..seal.len() / 2]), Some(&hurt)] {
            fs::remove_file(bench.path(file)).unwrap();
            if let Some(left) = left {
                bench.write(file, left);
            }
            let is_missed = left.is_some() || file == files[0];
            let said = typed("forty kites at four").with_status(if is_missed { 3 } else { 0 });
            assert_eq!(said.err.contains("another copy of it opened the trunk"), is_missed, "{}", said.err);
            typed("forty kites at five").with_status(1);
            let said = bench
                .porter(&["look", "trunk", "--mend", "--passphrase-file", "passphrase.txt"])
                .with_status(0);
            let done = if is_missed { "the wrapped key was rewritten" } else { "now there are two" };
            assert!(said.err.contains(done), "{}", said.err);
            assert_eq!(bench.read(file), seal);
            typed("forty kites at four").with_status(0);
        }
    }
    // One of a later version counts, whatever the other says.
    bench.write(files[0], seal.replacen("\"version\": 1", "\"version\": 9", 1));
    assert!(typed("forty kites at four").with_status(1).err.contains("or a later one"));
    // A passphrase that was changed opens neither copy any more.
    bench.write(files[0], &seal);
    bench.write("passphrase 2.txt", "fifty kites at five");
    let change = ["passphrase", "trunk", "--passphrase-file", "passphrase.txt"];
    let change = [&change[..], &["--new-passphrase-file", "passphrase 2.txt"]].concat();
    bench.porter(&change).with_status(0);
    fs::remove_file(bench.path(files[0])).unwrap();
    typed("forty kites at four").with_status(1);
    typed("fifty kites at five").with_status(3);
    fs::remove_file(bench.path(files[1])).unwrap();
    assert!(typed("fifty kites at five").with_status(1).err.contains("Without `seal.json` nothing"));

    // A trunk that was begun open stays open, and says so.
    bench.porter(&["capture", "PC", "plain", "--quiet"]).with_status(0);
    let late = ["capture", "PC", "plain", "--seal", "--quiet", "--passphrase-file", "passphrase.txt"];
    assert!(bench.porter(&late).with_status(2).err.contains("begun without --seal"));
    bench.porter(&["check", "plain", "--quiet"]).with_status(0);
}

#[test]
fn a_second_capture_tops_up_and_another_machine_is_refused() {
    let bench = bench();
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    bench.write("PC/Users/odile/Documents/new.txt", "new");
    fs::remove_file(bench.path("PC/Users/odile/Documents/Kites/plan 0.txt")).unwrap();
    let said = bench.porter(&["capture", "PC", "trunk"]).with_status(0);
    assert!(said.err.contains("42 files with"), "{}", said.err);
    let look = bench.porter(&["look", "trunk", "--find", "*.TXT", "--json"]).with_status(0).json();
    assert_eq!(look["found"].as_array().unwrap().len(), 40, "one came and one went");
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
    for depth in ["listing", "sample"] {
        bench.porter(&["check", "trunk", "--depth", depth, "--quiet"]).with_status(0);
    }

    bench.empty_machine("OTHER", "bram");
    bench.write("OTHER/Users/bram/Documents/a.txt", "a");
    let other = bench.porter(&["capture", "OTHER", "trunk"]).with_status(1);
    assert!(other.err.contains("trunk of another machine, PC"), "{}", other.err);
}

#[test]
fn one_porter_at_a_time_writes_to_a_trunk_and_the_others_may_read_it() {
    let bench = bench();
    bench.write("key.txt", "forty kites at four");
    bench.write("new.txt", "fifty kites at five");
    let key = ["--passphrase-file", "key.txt"];
    let porter = |words: &[&str]| bench.porter(&[words, &key].concat());
    porter(&["capture", "PC", "trunk", "--seal", "--recovery", "5%", "--quiet"]).with_status(0);
    let capture: &[&str] = &["capture", "PC", "trunk", "--quiet"];
    let mut writers = vec![
        ("trunk/lock", capture),
        ("trunk/lock", &["check", "trunk", "--mend", "--quiet"]),
        ("trunk/lock", &["look", "trunk", "--mend"]),
        ("trunk/lock", &["passphrase", "trunk", "--new-passphrase-file", "new.txt"]),
    ];
    // Wine says that it made links, and did not.
    if cfg!(unix) {
        bench.porter(&["capture", "PC", "PC/parked", "--form", "parked", "--quiet"]).with_status(0);
        writers.push(("PC/parked/lock", &["look", "PC/parked", "--mend"]));
    }
    for (lock, words) in &writers {
        let lock = fs::File::create(bench.path(lock)).unwrap();
        lock.lock().unwrap();
        let held = porter(words).with_status(1);
        assert!(held.err.contains("another porter is writing"), "{words:?}: {}", held.err);
        porter(&["check", "trunk", "--quiet"]).with_status(0);
        porter(&["take", "trunk", "odile/folder/documents/Kites/plan 8.txt", "-"]).with_status(0);
    }
    // A lock left by a killed process blocks nobody.
    for (lock, words) in &writers {
        bench.write(lock, "porter 4000000 writes to this trunk\n");
        porter(words).with_status(0);
        assert!(!bench.path(lock).exists());
    }
}

#[test]
fn a_later_capture_of_less_takes_nothing_out_of_a_trunk_unless_it_may() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    bench.write("PC/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.write("PC/Users/odile/Music/wind.wav", "~~~");
    bench.write("PC/Users/odile/Pictures/kite.jpg", "<>");
    let mut forms = vec!["packed"];
    // Wine and some volumes know no second names of a file.
    if cfg!(target_os = "linux") {
        forms.push("parked");
    }
    for form in forms {
        let capture = |more: &[&str]| {
            bench.porter(&[&["capture", "PC", form, "--form", form, "--quiet"][..], more].concat())
        };
        let holds = |item: &str| {
            let said = bench.porter(&["look", form]).with_status(0).out;
            said.lines().any(|line| line.contains(item) && !line.contains("not captured"))
        };
        capture(&["--only", "*/documents", "--only", "*/music"]).with_status(0);
        let said = capture(&["--only", "*/music"]).with_status(2);
        assert!(said.err.contains("leaves out: odile/folder/documents\n"), "{}", said.err);
        assert!(said.err.contains("--may-leave-out"), "{}", said.err);
        assert!(holds("  folder/documents") && holds("  folder/music"));
        bench.porter(&["check", form, "--quiet"]).with_status(0);
        // More than before is what topping up is for; also after the refusal.
        capture(&["--only", "*/documents", "--only", "*/music", "--only", "*/pictures"]).with_status(0);
        assert!(holds("  folder/documents") && holds("  folder/pictures"));

        // A drive that is not connected this time, or a folder that somebody has deleted since.
        fs::rename(bench.path("PC/Users/odile/Music"), bench.path("away")).unwrap();
        let said = capture(&[]).with_status(2);
        assert!(said.err.contains("leaves out: odile/folder/music\n"), "{}", said.err);
        let song = ["take", form, "odile/folder/music/wind.wav", "-"];
        assert_eq!(bench.porter(&song).with_status(0).out, "~~~");
        capture(&["--may-leave-out"]).with_status(0);
        bench.porter(&song).with_status(2);
        bench.porter(&["check", form, "--quiet"]).with_status(0);
        fs::rename(bench.path("away"), bench.path("PC/Users/odile/Music")).unwrap();
    }
}

#[test]
fn a_trunk_is_looked_into_by_tree_and_pattern() {
    let bench = bench();
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    let tree = bench.porter(&["look", "trunk", DOCUMENTS, "--tree"]).with_status(0).out;
    let order: Vec<&str> = tree.lines().map(|line| line[11..].trim_end()).collect();
    assert!(order.iter().any(|line| line.starts_with("    Orders  20 files")), "{tree}");
    assert!(order.iter().any(|line| line.starts_with("      2012  20 files")), "{tree}");
    let found = bench.porter(&["look", "trunk", "--find", "plan 1?.txt"]).with_status(0).out;
    assert_eq!(found.lines().filter(|line| line.contains("/plan 1")).count(), 10, "{found}");
    bench.porter(&["look", "trunk", "--find", "a{b"]).with_status(2);
    bench.porter(&["take", "trunk", "odile/folder/documents/Kites", "-"]).with_status(2);
}

#[test]
fn spare_data_mends_a_trunk_and_the_receipt_names_what_it_cannot() {
    let bench = bench();
    bench.porter(&["capture", "PC", "trunk", "--recovery", "10%", "--quiet"]).with_status(0);
    let pack = bench.path("trunk/pack-00001.pack");
    let whole = fs::read(&pack).unwrap();
    let mut hurt = whole.clone();
    let middle = 40_000;
    hurt[middle..middle + 20].fill(0);
    fs::write(&pack, &hurt).unwrap();
    let bad = bench.porter(&["check", "trunk", "--quiet"]).with_status(3);
    assert!(bad.out.contains("photo.jpg"), "the files that are hurt are named: {}", bad.out);
    let mended = bench.porter(&["check", "trunk", "--mend", "--quiet"]).with_status(0);
    assert!(mended.err.contains("Mended") && fs::read(&pack).unwrap() == whole, "{}", mended.err);

    fs::remove_file(bench.path("trunk/list-00001.list")).unwrap();
    bench.porter(&["check", "trunk"]).with_status(1);
    let made_anew = bench.porter(&["look", "trunk", "--mend"]).with_status(0);
    assert!(made_anew.err.contains("rebuilt from 1 pack"), "{}", made_anew.err);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.read("NEW/Users/odile/Documents/Kites/plan 2.txt"), "spar 2\n".repeat(90));
}

#[test]
#[cfg_attr(windows, ignore = "nothing in it is Windows' own, and it takes a minute under Wine")]
fn of_each_damage_it_is_told_whether_it_could_be_mended() {
    let bench = bench();
    bench.porter(&["capture", "PC", "plain", "--quiet"]).with_status(0);
    let said = bench.porter(&["check", "plain", "--mend", "--quiet"]).with_status(0);
    assert!(said.err.contains("has no recovery data"), "{}", said.err);

    bench.porter(&["capture", "PC", "trunk", "--recovery", "5%", "--quiet"]).with_status(0);
    let names = ["pack-00001.pack", "pack-00001.pack.spare", "list-00001.list.spare"];
    let whole = names.map(|name| fs::read(bench.path(&format!("trunk/{name}"))).unwrap());
    let put_back = || {
        for (name, content) in names.iter().zip(&whole) {
            bench.write(&format!("trunk/{name}"), content);
        }
    };
    let cut = |name: &str, by: usize| {
        let content = fs::read(bench.path(&format!("trunk/{name}"))).unwrap();
        bench.write(&format!("trunk/{name}"), &content[..content.len() - by]);
    };
    let hurt = |name: &str, stretch: std::ops::Range<usize>| {
        let mut content = fs::read(bench.path(&format!("trunk/{name}"))).unwrap();
        content[stretch].iter_mut().for_each(|byte| *byte ^= 0x5a);
        bench.write(&format!("trunk/{name}"), &content);
    };

    // Its end is what the rest of a pack is found by.
    cut(names[0], 40);
    let said = bench.porter(&["check", "trunk", "--quiet"]).with_status(3);
    assert!(said.out.contains("The whole of it\n      changed  (as a whole)"), "{}", said.out);
    let page = ["check", "trunk", "--quiet", "--page", "receipt.html"];
    bench.porter(&page).with_status(3);
    assert!(bench.read("receipt.html").contains("<bdi>(as a whole)</bdi>"));
    let mended = bench.porter(&["check", "trunk", "--mend", "--quiet"]).with_status(0);
    assert!(mended.err.contains("Mended pack-00001.pack"), "{}", mended.err);
    assert!(mended.err.contains("1 of 2 files had no damage."), "{}", mended.err);

    // The recovery data is damaged, and the file is not.
    let middle = whole[2].len() / 2;
    hurt(names[2], middle..middle + 9);
    let said = bench.porter(&["check", "trunk", "--mend", "--quiet"]).with_status(0);
    assert!(said.err.contains("Renewed the recovery data of list-00001.list"), "{}", said.err);

    // More is damaged than there is recovery data: nothing is made worse.
    hurt(names[0], 1000..whole[0].len() - 1000);
    let worse = fs::read(bench.path("trunk/pack-00001.pack")).unwrap();
    let said = bench.porter(&["check", "trunk", "--mend", "--quiet"]).with_status(3);
    assert!(said.err.contains("Not mended pack-00001.pack"), "{}", said.err);
    assert_eq!(fs::read(bench.path("trunk/pack-00001.pack")).unwrap(), worse);

    // A list rebuilt from such a pack names the lost files.
    put_back();
    let first = whole[0].windows(4).position(|four| four == b"spar").unwrap_or(whole[0].len() / 4);
    hurt(names[0], first..first + 2000);
    fs::remove_file(bench.path("trunk/list-00001.list")).unwrap();
    let said = bench.porter(&["look", "trunk", "--mend"]);
    assert!(said.err.contains("lost, because packs are damaged or not here:"), "{}", said.err);
    assert!(said.err.contains("  odile/documents/"), "{}", said.err);
    let checked = bench.porter(&["check", "trunk", "--quiet"]).with_status(3);
    assert!(checked.out.contains("Needs attention"), "{}", checked.out);
}

#[test]
#[cfg_attr(windows, ignore = "nothing in it is Windows' own, and it takes a minute under Wine")]
fn spare_data_that_was_cut_off_or_lost_is_made_of_what_is_whole() {
    let bench = bench();
    let capture = ["capture", "PC", "trunk", "--recovery", "9%", "--quiet"];
    bench.porter(&capture).with_status(0);
    let at = |name: &str| bench.path(&format!("trunk/{name}"));
    let names = || -> Vec<String> {
        let rows = fs::read_dir(at("")).unwrap();
        let mut names: Vec<String> =
            rows.map(|row| row.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    };
    let (pack, spare) = (at("pack-00001.pack"), at("pack-00001.pack.spare"));
    let whole = fs::read(&spare).unwrap();
    let finished = names();
    let cut_off = || {
        fs::write(at("pack-00001.pack.spare-part"), &whole[..whole.len() / 2]).unwrap();
        fs::write(at("list-00009.part.spare"), &whole[..whole.len() / 3]).unwrap();
    };

    // Killed while it was written. The rest is not reported as damage, and the next run removes it.
    cut_off();
    bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
    fs::rename(&pack, at("pack-00001.part")).unwrap();
    for gone in ["list-00001.list", "list-00001.list.spare", "pack-00001.pack.spare"] {
        fs::remove_file(at(gone)).unwrap();
    }
    bench.porter(&capture).with_status(0);
    assert_eq!(names(), finished);
    assert!(fs::read(&spare).unwrap() == whole);

    // Lost, beside one that is whole and one that is damaged: damage must not be made to last.
    fs::remove_file(&spare).unwrap();
    fs::write(at("list-00001.list.spare"), "").unwrap();
    let mend = ["check", "trunk", "--mend", "--quiet"];
    bench.porter(&mend).with_status(3);
    assert!(!spare.exists(), "nothing tells how much there was");
    bench.porter(&capture).with_status(0);
    fs::write(at("list-00001.list.spare"), "").unwrap();
    let said = bench.porter(&mend).with_status(0).err;
    assert!(said.contains("Made recovery data for list-00001.list"), "{said}");
    let content = fs::read(&pack).unwrap();
    let mut hurt = content.clone();
    hurt[content.len() / 2] ^= 1;
    fs::write(&pack, &hurt).unwrap();
    fs::remove_file(&spare).unwrap();
    bench.porter(&mend).with_status(3);
    assert!(!spare.exists());
    fs::write(&pack, &content).unwrap();
    bench.porter(&mend).with_status(0);
    assert!(fs::read(&spare).unwrap().len() >= whole.len());

    // Beside a pack of the first stick it cannot be written: that is said, and the other packs have it.
    bench.porter(&["capture", "PC", "first", "--quiet"]).with_status(0);
    bench.write("first/pack-00001.pack.spare-part/in the way", "");
    bench.write("PC/Users/odile/Documents/later.txt", "later");
    let on_second = ["capture", "PC", "first", "--continue-on", "second", "--recovery", "9%", "--json"];
    let report = bench.porter(&on_second).with_status(3).json();
    assert_eq!(report["packs_without_spare"], serde_json::json!(["pack-00001.pack"]));
    assert!(bench.path("second/pack-00002.pack.spare").is_file());
    bench.porter(&["check", "first", "--with", "second", "--mend", "--quiet"]).with_status(3);
    fs::remove_dir_all(bench.path("first/pack-00001.pack.spare-part")).unwrap();
    bench.porter(&on_second).with_status(0);
    assert!(bench.path("first/pack-00001.pack.spare").is_file());
}

#[test]
fn a_pack_whose_beginning_is_hurt_gives_out_its_files_all_the_same() {
    let bench = bench();
    bench.write("passphrase.txt", "forty kites at four");
    let key = ["--passphrase-file", "passphrase.txt"];
    bench.porter(&["capture", "PC", "plain", "--quiet"]).with_status(0);
    bench.porter(&[&["capture", "PC", "sealed", "--quiet", "--seal"][..], &key].concat()).with_status(0);
    for (trunk, key) in [("plain", &[][..]), ("sealed", &key)] {
        let porter = |status: i32, words: &[&str]| bench.porter(&[words, key].concat()).with_status(status);
        let pack = bench.path(trunk).join("pack-00001.pack");
        let mut hurt = fs::read(&pack).unwrap();
        hurt[..64].fill(0);
        fs::write(&pack, hurt).unwrap();
        let topped_up = porter(1, &["capture", "PC", trunk, "--quiet"]);
        assert!(topped_up.err.contains("`porter check TRUNK` names the damaged files"), "{}", topped_up.err);
        let said = porter(3, &["check", trunk, "--quiet"]);
        assert!(said.out.contains("`pack-00001.pack` is not what was written"), "{}", said.out);
        assert!(said.out.contains("42 files whole."), "{trunk}: {}", said.out);
        let new = format!("NEW {trunk}");
        bench.empty_machine(&new, "odile");
        porter(0, &["restore", trunk, &new, "--yes", "--quiet"]);
        porter(0, &["check", trunk, &new, "--quiet"]);
        assert_eq!(
            bench.read(&format!("{new}/Users/odile/Documents/Kites/plan 8.txt")),
            "spar 8\n".repeat(90)
        );
    }
    // Without its list, too; what has to be sealed like it is then known to nobody.
    for (trunk, key, status) in [("plain", &[][..], 0), ("sealed", &key, 1)] {
        fs::remove_file(bench.path(trunk).join("list-00001.list")).unwrap();
        bench.porter(&[&["look", trunk, "--mend"][..], key].concat()).with_status(status);
    }
    // A missing wrapped key is distinguished from a pulled cable.
    for name in ["seal.json", "seal-copy.json"] {
        fs::remove_file(bench.path("sealed").join(name)).unwrap();
    }
    let said = bench.porter(&[&["check", "sealed"][..], &key].concat()).with_status(1);
    assert!(said.err.contains("Without `seal.json` nothing"), "{}", said.err);
}

#[test]
fn what_a_hurt_pack_of_an_unfinished_capture_held_is_captured_anew() {
    let bench = bench();
    let pack = bench.path("trunk/pack-00001.pack");
    let aside = bench.path("trunk/pack-00001.pack.damaged");
    let capture = |status: i32| bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(status).err;
    let hurt = |at: fn(usize) -> usize| {
        let mut bytes = fs::read(&pack).unwrap();
        let at = at(bytes.len());
        bytes[at..at + 16].iter_mut().for_each(|byte| *byte ^= 0x5a);
        fs::write(&pack, bytes).unwrap();
    };
    // Its end, which is missed at once; and the middle, which the read-back finds.
    for (at, statuses) in
        [((|length| length - 20) as fn(usize) -> usize, &[0][..]), (|length| length / 2, &[1, 0])]
    {
        let _ = fs::remove_dir_all(bench.path("trunk"));
        capture(0);
        fs::remove_file(bench.path("trunk/list-00001.list")).unwrap();
        hurt(at);
        for status in statuses {
            let said = capture(*status);
            let told = if statuses.len() == 1 { "pack.damaged may be deleted" } else { "Do not trust it" };
            assert!(*status == 0 && statuses.len() == 2 || said.contains(told), "{said}");
        }
        assert!(aside.is_file());
        bench.porter(&["check", "trunk", "--quiet"]).with_status(0);
    }
    // On this one a finished trunk counts: it stays where it is.
    fs::remove_dir_all(bench.path("trunk")).unwrap();
    capture(0);
    hurt(|length| length / 2);
    capture(1);
    assert!(pack.is_file() && !aside.exists());
}

#[test]
fn a_lost_label_is_made_anew_from_the_packs_to_the_byte() {
    let bench = bench();
    bench.write("passphrase.txt", "forty kites at four");
    let key = ["--passphrase-file", "passphrase.txt"];
    bench.porter(&["capture", "PC", "plain", "--quiet", "--job", "SK-7", "--owner", "Odile"]).with_status(0);
    let sealing = ["capture", "PC", "sealed", "--quiet", "--seal", "--reminder", "the usual hour"];
    bench.porter(&[&sealing[..], &key].concat()).with_status(0);
    // The second capture's label would not be the trunk's.
    bench.write("PC/Users/odile/Documents/later.txt", "later");
    bench.porter(&["capture", "PC", "plain", "--quiet", "--job", "SK-8"]).with_status(0);
    let mut trunks = vec![("plain", &[][..]), ("sealed", &key)];
    // Wine says that it made links, and did not.
    if cfg!(unix) {
        bench.porter(&["capture", "PC", "PC/parked", "--form", "parked", "--quiet"]).with_status(0);
        trunks.push(("PC/parked", &[]));
    }
    for (trunk, key) in trunks {
        let label = bench.path(trunk).join("label.json");
        let whole = fs::read(&label).unwrap();
        let porter = |status: i32, words: &[&str]| bench.porter(&[words, key].concat()).with_status(status);
        for left in [None, Some(&whole[..whole.len() / 2])] {
            fs::remove_file(&label).unwrap();
            if let Some(left) = left {
                fs::write(&label, left).unwrap();
            }
            let said = porter(1, &["check", trunk]);
            assert!(said.err.contains("--mend` rebuilds its label"), "{trunk}: {}", said.err);
            if trunk == "sealed" {
                bench.porter(&["look", trunk, "--mend"]).with_status(2);
                bench.write("wrong.txt", "fifty kites at five");
                bench.porter(&["look", trunk, "--mend", "--passphrase-file", "wrong.txt"]).with_status(1);
            }
            let said = porter(0, &["look", trunk, "--mend"]);
            assert!(said.err.contains("the label was rebuilt"), "{trunk}: {}", said.err);
            assert!(fs::read(&label).unwrap() == whole, "{trunk}: {}", fs::read_to_string(&label).unwrap());
            porter(0, &["check", trunk, "--quiet"]);
        }
        // Changed so that it can still be read: it fits nothing in the trunk, or is not what the list pins
        // down.
        let text = String::from_utf8(whole.clone()).unwrap();
        let id = text.split_once("\"trunk_id\": \"").unwrap().1[..32].to_owned();
        let (form, no_form) = if trunk == "PC/parked" { ("parked", "porked") } else { ("packed", "parked") };
        let [form, no_form] = [form, no_form].map(|form| format!("\"form\": \"{form}\""));
        let turned: String = id.chars().rev().collect();
        for (from, to, status) in [
            (id.as_str(), turned.as_str(), 1),
            ("porter-packed", "porter-picked", 1),
            (&form, &no_form, 1),
            ("\"made_by\": \"porter", "\"made_by\": \"parter", 3),
        ] {
            let changed = text.replacen(from, to, 1);
            assert_ne!(changed, text, "{from}");
            fs::write(&label, changed).unwrap();
            let said = porter(status, &["check", trunk]);
            let all = said.out + &said.err;
            let told = if status == 3 { "`label.json` is not" } else { "--mend` rebuilds its label" };
            assert!(all.contains(told), "{trunk} {to}: {all}");
            if trunk == "plain" {
                // Topped up, it would be pinned down as it is now.
                porter(1, &["capture", "PC", trunk, "--quiet"]);
            }
            assert!(porter(0, &["look", trunk, "--mend"]).err.contains("the label was rebuilt"), "{to}");
            assert_eq!(fs::read_to_string(&label).unwrap(), text);
            porter(0, &["check", trunk, "--quiet"]);
        }
        // One that a later porter wrote is none that is lost.
        fs::write(&label, bench.read(&format!("{trunk}/label.json")).replace("\"major\": 1", "\"major\": 9"))
            .unwrap();
        assert!(porter(1, &["look", trunk, "--mend"]).err.contains("version 9"));
        fs::write(&label, &whole).unwrap();
    }
    bench.porter(&["look", "PC", "--mend"]).with_status(2);
}

const MORE: &str = "The trunk holds more than its list tells of";

#[test]
fn a_lost_list_does_not_make_the_state_before_all_there_is() {
    let bench = bench();
    bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    bench.write("PC/Users/odile/Documents/later.txt", "later");
    let said = bench.porter(&["capture", "PC", "trunk", "--quiet"]).with_status(0);
    assert!(!said.err.contains(MORE) && !bench.porter(&["look", "trunk"]).err.contains(MORE));
    fs::remove_file(bench.path("trunk/list-00002.list")).unwrap();
    bench.empty_machine("NEW", "odile");
    for command in [&["look", "trunk"][..], &["check", "trunk"], &["restore", "trunk", "NEW", "--try"]] {
        let said = bench.porter(command).with_status(3);
        assert!(said.err.contains(MORE), "{command:?}: {}", said.err);
    }
    bench.porter(&["look", "trunk", "--mend"]).with_status(0);
    assert!(!bench.porter(&["check", "trunk"]).with_status(0).err.contains(MORE));
    let later = bench.porter(&["take", "trunk", "odile/folder/documents/later.txt", "-"]).with_status(0);
    assert_eq!(later.out, "later");
    assert!(bench.path("trunk/list-00001.list").exists(), "the state before stays");
    bench.write("trunk/pack-00009.pack", "called like one");
    assert!(!bench.porter(&["look", "trunk"]).with_status(0).err.contains(MORE));
}

#[cfg(unix)]
#[test]
fn the_list_of_a_parked_trunk_outlives_its_loss() {
    let bench = bench();
    let capture = ["capture", "PC", "PC/parked", "--form", "parked", "--quiet"];
    bench.porter(&capture).with_status(0);
    bench.write("PC/Users/odile/Documents/later.txt", "later");
    bench.porter(&capture).with_status(0);
    let list = bench.path("PC/parked/list-00002.list");
    let second = bench.path("PC/parked/kept/list-00002.list");
    let whole = fs::read(&list).unwrap();
    let mut hurt = whole.clone();
    let middle = hurt.len() / 2;
    hurt[middle] ^= 0x20;
    let mend = |status: i32| bench.porter(&["look", "PC/parked", "--mend"]).with_status(status);
    let check = |status: i32| bench.porter(&["check", "PC/parked"]).with_status(status);
    check(0);
    for (file, other) in [(&list, &second), (&second, &list)] {
        for left in [None, Some(&hurt), Some(&Vec::new())] {
            fs::remove_file(file).unwrap();
            match left {
                Some(left) => {
                    fs::write(file, left).unwrap();
                    let said = check(if left.is_empty() && file == &list { 1 } else { 3 });
                    assert!((said.out + &said.err).contains("list-00002.list"), "{left:?}");
                }
                // The state before is whole, and not all.
                None if file == &list => assert!(check(3).err.contains(MORE)),
                None => assert!(check(3).out.contains("`kept/list-00002.list` is missing")),
            }
            mend(0);
            assert!(fs::read(file).unwrap() == whole && fs::read(other).unwrap() == whole);
            check(0);
        }
    }
    assert!(mend(0).err.contains("was not changed"));
    let label = bench.read("PC/parked/label.json");
    for number in 1..=2 {
        fs::remove_file(bench.path(&format!("PC/parked/list-0000{number}.list"))).unwrap();
    }
    fs::remove_file(bench.path("PC/parked/label.json")).unwrap();
    mend(0);
    assert!(fs::read(&list).unwrap() == whole && bench.read("PC/parked/label.json") == label);
    // With both damaged, the rest is used, and called the whole.
    fs::write(&list, &hurt).unwrap();
    fs::remove_file(&second).unwrap();
    mend(1);
    assert!(fs::read(&list).unwrap() == hurt);
}

#[cfg(unix)]
#[test]
fn names_of_one_file_and_holes_come_back_as_such() {
    use std::os::unix::fs::MetadataExt;
    let bench = bench();
    let old = bench.path("PC/Users/odile/Documents");
    fs::hard_link(old.join("Kites/plan 4.txt"), old.join("Orders/same plan.txt")).unwrap();
    let image = fs::File::create(old.join("disk.img")).unwrap();
    image.set_len(300_000_000).unwrap();
    let is_sparse = image.metadata().unwrap().blocks() == 0;
    for form in ["packed", "open", "parked"] {
        let trunk = format!("PC/{form}");
        let words = if form == "parked" { &trunk } else { form };
        bench.porter(&["capture", "PC", words, "--form", form, "--quiet"]).with_status(0);
        let new = format!("NEW {form}");
        bench.empty_machine(&new, "odile");
        bench.porter(&["restore", words, &new, "--yes", "--quiet"]).with_status(0);
        bench.porter(&["check", words, &new, "--quiet"]).with_status(0);
        let at =
            |name: &str| fs::metadata(bench.path(&format!("{new}/Users/odile/Documents/{name}"))).unwrap();
        assert_eq!(at("Kites/plan 4.txt").ino(), at("Orders/same plan.txt").ino(), "{form}");
        assert!(!is_sparse || at("disk.img").blocks() < 1000, "{form}");
        assert_eq!(at("disk.img").len(), 300_000_000);
    }
    // The old tree may go now: what is parked stays.
    fs::remove_dir_all(bench.path("PC/Users")).unwrap();
    bench.porter(&["check", "PC/parked", "--quiet"]).with_status(0);
}

/// Sticks in use: the first is full, both are carried about and damaged, one is left at home, and the
/// passphrase is asked for every time.
#[test]
#[cfg_attr(windows, ignore = "nothing in it is Windows' own, and it takes a minute under Wine")]
fn a_sealed_trunk_on_two_sticks_with_spare_data_survives_what_happens_to_sticks() {
    let bench = bench();
    bench.write("passphrase.txt", "forty kites at four");
    let key = ["--passphrase-file", "passphrase.txt"];
    let porter = |status: i32, words: &[&str]| bench.porter(&[words, &key].concat()).with_status(status);
    porter(0, &["capture", "PC", "first", "--seal", "--recovery", "8%", "--quiet"]);
    bench.write("PC/Users/odile/Documents/Orders/late.txt", "one more kite ".repeat(9000));
    bench.write("PC/Users/odile/Documents/second.jpg", porter_demo::writing::noise("second photo", 700_000));
    porter(0, &["capture", "PC", "first", "--continue-on", "second", "--recovery", "8%", "--quiet"]);
    let both = |command: &'static str, more: &[&'static str]| -> Vec<&str> {
        [&[command, "second", "--with", "first"][..], more].concat()
    };

    // Each says which part it is; alone it is not enough, and the message names the other.
    for part in ["first", "second"] {
        let label = bench.porter(&["look", part]).with_status(0).out;
        assert!(!label.contains("late.txt") && !label.contains("documents"), "{label}");
    }
    let alone = porter(1, &["check", "second"]);
    assert!(alone.err.contains("part 1") && alone.err.contains("--with"), "{}", alone.err);
    porter(0, &both("check", &["--quiet"]));

    // Less is damaged than there is recovery data, on each of them.
    let packs = |part: &str| -> Vec<std::path::PathBuf> {
        let rows = fs::read_dir(bench.path(part)).unwrap().map(|row| row.unwrap().path());
        let mut packs: Vec<_> =
            rows.filter(|path| path.extension().is_some_and(|ending| ending == "pack")).collect();
        packs.sort();
        packs
    };
    let whole: Vec<Vec<u8>> =
        ["first", "second"].iter().flat_map(|part| packs(part)).map(|pack| fs::read(pack).unwrap()).collect();
    for (pack, whole) in packs("first").iter().chain(&packs("second")).zip(&whole) {
        let mut hurt = whole.clone();
        let (at, length) = (whole.len() / 2, whole.len() / 40);
        hurt[at..at + length].iter_mut().for_each(|byte| *byte ^= 0x5a);
        fs::write(pack, hurt).unwrap();
    }
    porter(3, &both("check", &["--quiet"]));
    porter(0, &both("check", &["--mend", "--quiet"]));
    for (pack, whole) in packs("first").iter().chain(&packs("second")).zip(&whole) {
        assert!(fs::read(pack).unwrap() == *whole, "{} is as it was", pack.display());
    }

    // Both labels get lost.
    let labels = ["first/label.json", "second/label.json"].map(|label| bench.path(label));
    let written = labels.each_ref().map(|label| fs::read(label).unwrap());
    labels.iter().for_each(|label| fs::remove_file(label).unwrap());
    porter(0, &both("look", &["--mend"]));
    assert!(labels.each_ref().map(|label| fs::read(label).unwrap()) == written);

    // So does the list. Rebuilt without the other stick it names this one only, and says so; rebuilt with
    // both, it names all.
    let lists: Vec<_> = fs::read_dir(bench.path("second")).unwrap().map(|row| row.unwrap().path()).collect();
    let lists = lists.iter().filter(|path| path.extension().is_some_and(|ending| ending == "list"));
    lists.for_each(|list| fs::remove_file(list).unwrap());
    let said = porter(3, &["look", "second", "--mend"]).err;
    assert!(said.contains("are in none of these packs"), "{said}");
    assert!(porter(3, &both("check", &["--depth", "listing"])).err.contains("holds more than its list"));
    let said = porter(0, &both("look", &["--mend"])).err;
    assert!(said.contains("rebuilt from ") && !said.contains("none of these packs"), "{said}");

    // Everything comes out, and onto the machine.
    let taken =
        porter(0, &["take", "second", "--with", "first", "odile/folder/documents/Orders/late.txt", "-"]);
    assert_eq!(taken.out, "one more kite ".repeat(9000));
    porter(0, &["restore", "second", "NEW", "--with", "first", "--yes", "--quiet"]);
    porter(0, &["check", "second", "NEW", "--with", "first", "--quiet"]);
    assert_eq!(bench.read("NEW/Users/odile/Documents/Kites/plan 8.txt"), "spar 8\n".repeat(90));
}

#[cfg(unix)]
#[test]
fn a_parked_trunk_is_topped_up_by_what_changed_alone() {
    let bench = bench();
    let age = |what: &str| {
        let aged = ["-type", "f", "-exec", "touch", "-d", "2020-03-04 05:06", "{}", "+"];
        let done = std::process::Command::new("find").arg(bench.path(what)).args(aged).status();
        assert!(done.unwrap().success());
    };
    let kept = || bench.snapshot("PC/parked/kept").keys().filter(|name| name.extension().is_none()).count();
    let park = ["capture", "PC", "PC/parked", "--form", "parked", "--quiet"];
    let check = ["check", "PC/parked", "--quiet"];
    age("PC/Users");
    bench.porter(&park).with_status(0);
    let first = kept();
    bench.porter(&park).with_status(0);
    assert_eq!(kept(), first, "what is parked stays");

    bench.write("PC/Users/odile/Documents/later.txt", "later");
    fs::remove_file(bench.path("PC/Users/odile/Documents/Kites/plan 0.txt")).unwrap();
    bench.write("PC/Users/odile/Documents/Kites/plan 2.txt", "another plan");
    bench.porter(&park).with_status(0);
    assert_eq!(kept(), first + 2, "nothing is taken away");
    bench.porter(&check).with_status(0);
    let plan = ["take", "PC/parked", "odile/folder/documents/Kites/plan 2.txt", "-"];
    assert_eq!(bench.porter(&plan).with_status(0).out, "another plan");

    // A parked content that was lost is parked again, from the machine.
    let rows = bench.snapshot("PC/parked/kept");
    let one = rows.iter().find(|(_, (_, content, _))| content.starts_with(b"spar 8")).unwrap().0;
    fs::remove_file(bench.path("PC/parked/kept").join(one)).unwrap();
    assert!(bench.porter(&check).with_status(3).out.contains("plan 8.txt"));
    bench.porter(&park).with_status(0);
    bench.porter(&check).with_status(0);

    // Neither another machine's nor another form's.
    bench.empty_machine("OTHER", "bram");
    bench.write("OTHER/Users/bram/Documents/a.txt", "a");
    let other = bench.porter(&["capture", "OTHER", "PC/parked", "--form", "parked"]).with_status(1);
    assert!(other.err.contains("trunk of another machine, PC"), "{}", other.err);
    bench.porter(&["capture", "PC", "packed", "--quiet"]).with_status(0);
    let packed = bench.porter(&["capture", "PC", "packed", "--form", "parked"]).with_status(1);
    assert!(packed.err.contains("holds a finished trunk already"), "{}", packed.err);
    bench.porter(&["check", "packed", "--quiet"]).with_status(0);
}
