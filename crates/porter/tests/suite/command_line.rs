//! Manners on the command line: statuses, messages, what goes where.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::process::Stdio;

/// Two accounts' worth of nothing much: small enough that whole outputs can be shown here.
fn small_bench() -> Workbench {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    bench.write("OLD/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.write("OLD/Users/odile/Documents/Thumbs.db", "previews");
    bench.write("NEW/Users/odile/Documents/plan.txt", "a draft");
    bench
}

/// Times, ids and free space differ from run to run.
fn steady(text: &str) -> String {
    let mut steady = String::new();
    for line in text.lines() {
        let mut words: Vec<String> = line.split(' ').map(str::to_owned).collect();
        for at in 0..words.len() {
            let is_date =
                words[at].len() == 10 && words[at].starts_with("20") && words[at].matches('-').count() == 2;
            let is_id = words[at].len() == 8 && words[at].chars().all(|c| c.is_ascii_hexdigit());
            let follows = |word: &str| at > 0 && words[at - 1].eq_ignore_ascii_case(word);
            if is_date {
                words[at] = "DATE".to_owned();
            } else if is_id && follows("trunk") {
                words[at] = "ID".to_owned();
            } else if words[at].len() == 5
                && words[at].contains(':')
                && words.get(at + 1).is_some_and(|w| w.starts_with("UTC"))
            {
                words[at] = "TIME".to_owned();
            }
        }
        let line = words.join(" ");
        if line.contains("free") || line.contains("Recorded in") {
            continue;
        }
        steady.push_str(line.trim_end());
        steady.push('\n');
    }
    steady
}

#[test]
fn a_capture_says_what_it_did() {
    let bench = small_bench();
    let said = bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    assert_eq!(said.err, "");
    let expected = "\
Capturing OLD: 11 B in 2 files, into trunk

on the old machine   3 files         0 folders       0 links    19 B
  not needed         1 file          0 folders       0 links    8 B
  carried            2 files         0 folders       0 links    11 B

Every entry is accounted for: these numbers add up.
Not needed, or not chosen:
  1 entry, 8 B              thumbnails and folder views, which the system makes again

Done. Trunk ID in trunk was read back: every byte is what was written.
";
    // How much it took depends on how well ids can be compressed.
    let files = ["trunk/pack-00001.pack", "trunk/list-00001.list"];
    let in_bytes: u64 = files.iter().map(|file| std::fs::metadata(bench.path(file)).unwrap().len()).sum();
    let (said, took) = said.out.trim_end().rsplit_once("It took ").unwrap();
    assert_eq!(steady(said), expected);
    assert_eq!(took, format!("{:.1} kB on the drive.", in_bytes as f64 / 1000.0));
}

#[test]
fn a_restore_and_a_check_say_what_they_did() {
    let bench = small_bench();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let said = bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    let aside = said.out.lines().find(|line| line.contains("set aside 20")).unwrap().trim().to_owned();
    let expected = format!(
        "\
Restoring OLD to NEW
  odile -> odile

  to write       1 file, 10 B
  there already  0 files, byte for byte
  to set aside   1 entry
      Users/odile/Documents/plan.txt
        {aside}
  kept in trunk  1 entry: the old account's registry; the new account has its own

Restored. 1 file written, 10 B; 0 files there already; 1 entry set aside, nothing deleted.
"
    );
    assert_eq!(steady(&said.out), steady(&expected));

    let said = bench.porter(&["check", "trunk", "NEW", "--quiet"]).with_status(0);
    let expected = "\
Receipt  OLD -> NEW  trunk ID  DATE TIME UTC

odile
  landed             folder/documents        1 file       10 B

For everybody
  landed             Account odile

Good to know
  in 1 item     kept in the trunk: the old account's registry; the new account has its own

on the old machine                          3 files      19 B
  not needed: caches and the like           1 file        8 B
  carried                                   2 files      11 B
    landed                                  1 file       10 B
    kept in the trunk                       1 file        1 B

The trunk is not signed.
All is well: everything arrived, and nothing is left to do. 3 items landed: 1 file, proved byte for byte.
";
    assert_eq!(steady(&said.out), expected);

    std::fs::remove_file(bench.path("NEW/Users/odile/Documents/plan.txt")).unwrap();
    let said = bench.porter(&["check", "trunk", "NEW", "--quiet", "--only", "*/documents"]).with_status(3);
    let expected = "\
Receipt  OLD -> NEW  trunk ID  DATE TIME UTC

odile
  missing            folder/documents        0 files       0 B
      missing  plan.txt
        it had landed by DATE TIME UTC, and somebody has removed or renamed it since; ask, or take it out of the trunk again
  kept in the trunk  folder/home             1 file        1 B

on the old machine                          3 files      19 B
  not needed: caches and the like           1 file        8 B
  carried                                   2 files      11 B
    kept in the trunk                       1 file        1 B
    left behind                             1 file       10 B

The trunk is not signed.
Needs attention: 1 missing. 0 files landed.
";
    assert_eq!(steady(&said.out), expected);
}

#[test]
fn each_mistake_has_its_status_and_says_what_to_do() {
    let bench = small_bench();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["capture", "OLD", "second", "--quiet"]).with_status(0);
    for trunk in ["trunk", "second"] {
        bench.porter(&["check", trunk, "--json", &format!("{trunk}.json"), "--quiet"]).with_status(0);
    }
    bench.empty_machine("LOFT", "bram");
    for (words, status, what) in [
        (&["fly"][..], 2, "unrecognized subcommand"),
        (&["survey"], 2, "required arguments"),
        (&["survey", "OLD", "--only", "a{b"], 2, "`a{b` is not a pattern"),
        (&["survey", "OLD", "--account", "zelda"], 2, "there is no account `zelda` on OLD"),
        (&["capture", "OLD", "new", "--form", "tidy"], 2, "invalid value 'tidy'"),
        (&["capture", "OLD", "new", "--form", "open", "--seal"], 2, "only a packed trunk can have --seal"),
        (
            &["capture", "OLD", "new", "--form", "parked", "--recovery", "5%"],
            2,
            "shares the files that are there",
        ),
        (&["capture", "OLD", "new", "--seal"], 2, "nobody is there to be asked for the passphrase"),
        (&["look", "OLD"], 2, "is not a trunk: label.json is not there"),
        (&["look", "trunk", "odile/attic"], 2, "no item `odile/attic`"),
        (&["look", "trunk", "odile/folder/documents/../../x"], 2, "leads out of its folder"),
        (
            &["take", "trunk", "odile/folder/documents", "OLD/Windows/System32/kernel32.dll"],
            1,
            "cannot be made",
        ),
        (&["check", "trunk", "NEW", "--page", "nowhere/receipt.html"], 1, "receipt.html` cannot be written"),
        (&["check", "trunk", "trunk"], 2, "is a trunk, not a machine"),
        (&["restore", "OLD", "trunk"], 2, "the two folders are in the wrong order"),
        (&["restore", "OLD", "NEW"], 2, "is not a trunk"),
        (&["receipt", "nowhere.json"], 2, "`nowhere.json` cannot be read"),
        (&["survey", "nowhere"], 2, "cannot be opened"),
        (&["survey", "OLD", "--events", "nowhere/e.jsonl"], 1, "cannot be written"),
        (&["capture", "OLD", "OLD/Users/trunk"], 2, "on the old machine itself"),
        (&["restore", "trunk", "LOFT", "--yes"], 1, "has no account for odile; it has bram"),
        // A trial promises nothing that would be refused then.
        (&["restore", "trunk", "LOFT", "--make-accounts", "--try"], 1, "only its own system makes accounts"),
        (&["restore", "trunk", "LOFT", "--make-accounts", "--yes"], 1, "only its own system makes accounts"),
        (&["restore", "trunk", "NEW", "--yes", "--password-file", "x"], 2, "--make-accounts"),
        (
            &[
                "restore",
                "trunk",
                "NEW",
                "--yes",
                "--make-accounts",
                "--password-file",
                "OLD/Users/odile/NTUSER.DAT",
            ],
            2,
            "is not NAME:PASSWORD",
        ),
        (&["restore", "trunk", "NEW", "--try", "--test-page"], 2, "cannot be used with"),
        (&["restore", "trunk", "NEW", "--yes", "--script", "nowhere/to-do.ps1"], 1, "cannot be written"),
        (&["receipt", "trunk.json", "second.json"], 2, "receipts are of different trunks"),
        (&["receipt", "OLD"], 1, "`OLD` cannot be read"),
        (&["workshop-key", "new", "nowhere/secret.txt"], 1, "cannot be written"),
        (&["take", "trunk", "odile/folder/documents", "-"], 2, "is not one file"),
        (
            &["take", "trunk", "odile/folder/documents", "out", "--as", "registry"],
            2,
            "nothing in its owner's registry",
        ),
    ] {
        let said = bench.porter(words).with_status(status);
        assert!(said.err.contains(what), "{words:?}: {}", said.err);
        assert!(
            status == 2 && said.err.contains("error:") || said.err.contains("  ->"),
            "no advice: {}",
            said.err
        );
        assert!(!said.err.contains("panicked"));
    }
    assert!(!bench.path("nowhere").exists());
}

#[test]
fn a_page_tells_the_same_and_names_cannot_break_it() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    // Windows holds no angle brackets in names; there the label has to do.
    let name = if cfg!(windows) { "&script" } else { "<script>alert(1)<_script>" };
    bench.write(&format!("OLD/Users/odile/Documents/{name}.txt"), "x");
    let words = ["capture", "OLD", "trunk", "--job", "<b>1</b>", "--owner", "Odile & Co", "--quiet"];
    bench.porter(&words).with_status(0);
    bench.porter(&["check", "trunk", "NEW", "--page", "receipt.html", "--quiet"]).with_status(3);
    let page = bench.read("receipt.html");
    for shown in [
        "Needs attention: 1 missing",
        if cfg!(windows) { "&amp;script" } else { "&lt;script&gt;alert(1)" },
        "&lt;b&gt;1&lt;/b&gt;",
        "Odile &amp; Co",
        "date and signature",
    ] {
        assert!(page.contains(shown), "{shown} is not in {page}");
    }
    assert!(!page.contains("<script>") && !page.contains("src="));
    assert!(!bench.path("receipt.html.part").exists());
}

#[test]
fn only_the_document_is_on_standard_output_and_a_closed_pipe_is_no_trouble() {
    let bench = small_bench();
    for words in [
        &["survey", "OLD", "--json"][..],
        &["capture", "OLD", "trunk", "--json"],
        &["look", "trunk", "--json"],
        &["restore", "trunk", "NEW", "--try", "--json"],
        &["restore", "trunk", "NEW", "--yes", "--json"],
        &["check", "trunk", "NEW", "--json", "-"],
    ] {
        let document: Value = bench.porter(words).with_status(0).json();
        assert!(document["format"].as_str().unwrap().starts_with("porter-"), "{words:?}");
    }
    let mut child =
        bench.command(&["survey", "OLD"]).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    let said = child.wait_with_output().unwrap();
    assert_eq!(
        (said.status.code(), String::from_utf8_lossy(&said.stderr).contains("panicked")),
        (Some(0), false)
    );
    let coloured = bench.porter(&["survey", "OLD"]).with_status(0).out;
    assert!(!coloured.contains('\u{1b}'), "colour without a terminal");
}

/// Output that was sent while it was read cannot be taken back: the exit status reports the damage.
#[test]
fn a_file_that_is_given_out_damaged_is_told_of() {
    let bench = small_bench();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let pack = bench.path("trunk/pack-00001.pack");
    let mut bytes = std::fs::read(&pack).unwrap();
    let at = bytes.windows(10).position(|ten| ten == b"12 mm spar").unwrap();
    bytes[at] = b'7';
    std::fs::write(&pack, bytes).unwrap();
    let take = ["take", "trunk", "odile/folder/documents/plan.txt", "-"];
    let said = bench.porter(&take).with_status(1);
    assert!(said.err.contains("`plan.txt` is not what was written"), "{}", said.err);
    assert!(said.err.contains("must not be trusted"), "{}", said.err);
    // Into a folder it does not come at all.
    let said = bench.porter(&["take", "trunk", "odile/folder/documents", "out", "--quiet"]).with_status(3);
    assert!(
        said.out.contains("the trunk is damaged") && !bench.path("out/plan.txt").exists(),
        "{}",
        said.out
    );
}

#[cfg(target_os = "linux")]
#[test]
fn a_result_that_finds_no_room_is_told_of() {
    let bench = small_bench();
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    for words in [
        &["take", "trunk", "odile/folder/documents/plan.txt", "-"][..],
        &["survey", "OLD", "--json"],
        &["check", "trunk", "--quiet"],
    ] {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let started = bench.command(words).stdout(full).stderr(Stdio::piped()).spawn();
        let said = started.unwrap().wait_with_output().unwrap();
        let told = String::from_utf8_lossy(&said.stderr).into_owned();
        assert!(said.status.code() == Some(1) && told.contains("did not take all"), "{words:?}: {told}");
    }
    // Progress that nobody can follow ends no rescue.
    let said = bench.porter(&["capture", "OLD", "trunk", "--quiet", "--events", "/dev/full"]).with_status(0);
    assert!(said.err.contains("`/dev/full` lacks events, and the work went on"), "{}", said.err);
}

#[cfg(unix)]
#[test]
fn control_c_stops_a_capture_and_leaves_no_trunk() {
    use rustix::process::{Pid, Signal, kill_process};
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    for number in 0..20_000 {
        if number % 100 == 0 {
            std::fs::create_dir(bench.path(&format!("OLD/Users/odile/Documents/{}", number / 100))).unwrap();
        }
        std::fs::write(bench.path(&format!("OLD/Users/odile/Documents/{}/{number}", number / 100)), "x")
            .unwrap();
    }
    let mut command = bench.command(&["capture", "OLD", "trunk", "--form", "open", "--quiet"]);
    let child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    // As soon as the first files are in the trunk.
    for _ in 0..5000 {
        std::thread::sleep(std::time::Duration::from_millis(2));
        if bench.path("trunk/data/odile/documents").exists() {
            break;
        }
    }
    kill_process(Pid::from_child(&child), Signal::INT).unwrap();
    let said = child.wait_with_output().unwrap();
    let err = String::from_utf8_lossy(&said.stderr);
    assert_eq!(said.status.code(), Some(130), "{err}");
    assert!(err.contains("stopped before it was done"), "{err}");
    assert!(!bench.path("trunk/bagit.txt").exists());
}

#[test]
fn every_row_fits_the_width_there_is() {
    let bench = Workbench::with_demo_machines();
    let said = |words: &[&str], columns: &str| {
        let mut command = bench.command(words);
        command.env("COLUMNS", columns);
        crate::workbench::run(command).with_status(0).out
    };
    said(&["capture", "LOFT-PC", "trunk", "--quiet"], "80");
    bench.porter(&["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"]);
    std::fs::remove_dir_all(bench.path("TIDEWATER/Users/odile/Pictures")).unwrap();
    for columns in [60, 80, 100, 140] {
        for words in [
            &["survey", "LOFT-PC"][..],
            &["capture", "LOFT-PC", &format!("trunk {columns}"), "--quiet"],
            &["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--try", "--quiet"],
            &["check", "trunk", "--quiet"],
            &["look", "trunk"],
            &["look", "trunk", "odile/folder/documents"],
            &["look", "trunk", "--find", "*.txt"],
        ] {
            let out = said(words, &columns.to_string());
            for line in out.lines() {
                let has_long_word = line.split(' ').any(|word| word.chars().count() > columns / 2);
                let width = unicode_width::UnicodeWidthStr::width(line);
                assert!(width <= columns || has_long_word, "{words:?} at {columns}: {line}");
                if line.trim_start().starts_with("folder/pictures") && words[0] != "restore" {
                    assert!(line.contains(" file") && line.contains('B'), "{words:?} at {columns}: {line}");
                }
            }
        }
    }
    let survey = said(&["survey", "LOFT-PC"], "80");
    let (_, summary) = survey.trim_end().rsplit_once("\n\n").unwrap();
    assert!(summary.lines().count() <= 8, "{summary}");
    assert!(summary.ends_with("Next        porter capture LOFT-PC TRUNK"), "{summary}");
}
