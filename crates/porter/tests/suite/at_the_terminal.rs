//! Somebody sits at a terminal and is asked: what they see, what their keys do, and that no answer does harm.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};
use std::fs::{self, File};
use std::io::{Read, Write};
use std::process::{Child, Command};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant, SystemTime};

/// A program that runs in a terminal of its own.
struct Terminal {
    keyboard: File,
    screen: Arc<Mutex<vt100::Parser>>,
    child: Child,
    reader: JoinHandle<()>,
}

impl Terminal {
    fn with(bench: &Workbench, words: &[&str], (rows, columns): (u16, u16)) -> Self {
        let ours = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC).unwrap();
        grantpt(&ours).unwrap();
        unlockpt(&ours).unwrap();
        let name = ptsname(&ours, Vec::new()).unwrap().into_string().unwrap();
        tcsetwinsize(&ours, Winsize { ws_row: rows, ws_col: columns, ws_xpixel: 0, ws_ypixel: 0 }).unwrap();
        let theirs = File::options().read(true).write(true).open(name).unwrap();
        // A program asks for a passphrase at the terminal that it is led from, whatever else it was given.
        let porter = bench.command(words);
        let mut command = Command::new("setsid");
        command.args(["--ctty", "--wait"]).arg(porter.get_program()).args(porter.get_args());
        for (name, value) in porter.get_envs() {
            match value {
                Some(value) => command.env(name, value),
                None => command.env_remove(name),
            };
        }
        command.env("TERM", "xterm-256color").current_dir(bench.path(""));
        command.stdin(theirs.try_clone().unwrap()).stdout(theirs.try_clone().unwrap()).stderr(theirs);
        let child = command.spawn().unwrap();
        drop(command);
        let screen = Arc::new(Mutex::new(vt100::Parser::new(at_least_one(rows), at_least_one(columns), 0)));
        let mut from = File::from(ours.try_clone().unwrap());
        let shown = Arc::clone(&screen);
        let reader = std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            // It fails when nobody has the other end any more.
            while let Ok(read @ 1..) = from.read(&mut bytes) {
                shown.lock().unwrap().process(&bytes[..read]);
            }
        });
        Self { keyboard: ours.into(), screen, child, reader }
    }

    fn seen(&self) -> String {
        self.screen.lock().unwrap().screen().contents()
    }

    /// Waits until something is on the screen, and returns the whole screen.
    #[track_caller]
    fn shows(&self, text: &str) -> String {
        let began = Instant::now();
        loop {
            let seen = self.seen();
            if seen.contains(text) {
                return seen;
            }
            assert!(began.elapsed() < Duration::from_secs(30), "`{text}` does not come:\n{seen}");
            std::thread::sleep(Duration::from_millis(10));
        }
    }

    /// Waits for a question and answers it. The screen is wiped before, so that the same question can be
    /// waited for twice.
    #[track_caller]
    fn answer(&mut self, question: &str, answer: &str) -> String {
        let seen = self.shows(question);
        self.screen.lock().unwrap().process(b"\x1b[2J\x1b[H");
        self.press(&format!("{answer}\r"));
        seen
    }

    fn press(&mut self, keys: &str) {
        self.keyboard.write_all(keys.as_bytes()).unwrap();
    }

    /// The screen after the expected end, with the terminal as it should be left.
    #[track_caller]
    fn ends(mut self, status: i32) -> String {
        let code = self.child.wait().unwrap().code();
        self.reader.join().unwrap();
        let screen = self.screen.lock().unwrap();
        let screen = screen.screen();
        assert_eq!(code, Some(status), "{}", screen.contents());
        assert!(!screen.alternate_screen() && !screen.hide_cursor(), "the terminal is not left as it was");
        screen.contents()
    }
}

const WIDE: (u16, u16) = (60, 150);

#[test]
fn a_restore_asks_before_it_begins_and_for_each_file_that_differs_unless_told_for_all() {
    let bench = Workbench::new();
    let day = |number: u64| SystemTime::UNIX_EPOCH + Duration::from_secs(number * 86_400);
    for (machine, days) in [("OLD", [15_000, 15_000, 15_002]), ("NEW", [15_001; 3])] {
        bench.empty_machine(machine, "odile");
        for (name, number) in ["letter.txt", "plan.txt", "rota.txt"].iter().zip(days) {
            let path = format!("{machine}/Users/odile/Documents/{name}");
            bench.write(&path, format!("{name} of {machine}"));
            File::options().append(true).open(bench.path(&path)).unwrap().set_modified(day(number)).unwrap();
        }
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let before = bench.snapshot("NEW");
    let words = ["restore", "trunk", "NEW", "--existing", "ask"];
    let mut terminal = Terminal::with(&bench, &words, WIDE);
    let seen = terminal.answer("capital letter for all that follow:", "k");
    for shown in
        ["Users/odile/Documents/letter.txt is there already", "changed 2011-01-27", "changed 2011-01-26"]
    {
        assert!(seen.contains(shown), "{shown}: {seen}");
    }
    assert!(
        terminal.answer("capital letter for all that follow:", "N").contains("plan.txt is there already")
    );
    let seen = terminal.answer("Restore now? [y/N]", "");
    assert!(!seen.contains("rota.txt is there already"), "asked although told for all: {seen}");
    assert!(terminal.ends(1).contains("Nothing was changed."));
    assert_eq!(bench.snapshot("NEW"), before, "no answer is no");

    let mut terminal = Terminal::with(&bench, &words, WIDE);
    terminal.answer("capital letter for all that follow:", "k");
    terminal.answer("capital letter for all that follow:", "N");
    terminal.answer("Restore now? [y/N]", "y");
    let seen = terminal.ends(0);
    assert!(seen.contains("3 files written") && seen.contains("nothing deleted"), "{seen}");
    let documents = "NEW/Users/odile/Documents";
    for (name, whose) in [("letter.txt", "NEW"), ("plan.txt", "NEW"), ("rota.txt", "OLD")] {
        assert_eq!(bench.read(&format!("{documents}/{name}")), format!("{name} of {whose}"));
    }
    assert_eq!(fs::read_dir(bench.path(documents)).unwrap().count(), 6, "one of each pair has a dated name");

    let restored = bench.snapshot("NEW/Users");
    let mut terminal = Terminal::with(&bench, &["undo", "NEW"], WIDE);
    assert!(terminal.answer("Take this restore back now? [y/N]", "no").contains("to put back"));
    terminal.ends(1);
    assert_eq!(bench.snapshot("NEW/Users"), restored);
    let mut terminal = Terminal::with(&bench, &["undo", "NEW"], WIDE);
    terminal.answer("Take this restore back now? [y/N]", "Yes");
    terminal.ends(0);
    let without_records = |machine: &str| {
        let mut found = bench.snapshot(machine);
        found.retain(|path, _| !path.starts_with("ProgramData"));
        found
    };
    let expected: Vec<_> = before.into_iter().filter(|(path, _)| !path.starts_with("ProgramData")).collect();
    assert_eq!(without_records("NEW").into_iter().collect::<Vec<_>>(), expected);
}

#[test]
fn for_whom_there_is_no_account_is_asked_and_no_answer_leaves_their_things_in_the_trunk() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    bench.empty_machine("NEW", "odile");
    for (machine, account) in [("OLD", "bram"), ("NEW", "juno")] {
        bench.write(&format!("{machine}/Users/{account}/NTUSER.DAT"), "x");
        bench.write(&format!("{machine}/Users/{account}/Documents/{account}.txt"), account);
    }
    bench.write("OLD/Users/odile/Documents/plan.txt", "12 mm spar");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let before = bench.snapshot("NEW");
    let question = "Which account do the things of bram go into? (nothing: leave them out)";
    let mut terminal = Terminal::with(&bench, &["restore", "trunk", "NEW"], WIDE);
    assert!(terminal.answer(question, "zelda").contains("NEW has no account for bram. It has juno, odile."));
    assert!(terminal.ends(2).contains("no account `zelda`"));
    assert_eq!(bench.snapshot("NEW"), before);

    let mut terminal = Terminal::with(&bench, &["restore", "trunk", "NEW"], WIDE);
    terminal.answer(question, "");
    let plan = terminal.answer("Restore now? [y/N]", "y");
    assert!(plan.contains("odile -> odile") && !plan.contains("bram ->"), "{plan}");
    terminal.ends(0);
    assert!(bench.path("NEW/Users/odile/Documents/plan.txt").exists());
    assert!(!bench.path("NEW/Users/juno/Documents/bram.txt").exists());

    let mut terminal = Terminal::with(&bench, &["restore", "trunk", "NEW"], WIDE);
    terminal.answer(question, "juno");
    assert!(terminal.answer("Restore now? [y/N]", "y").contains("bram -> juno"));
    terminal.ends(0);
    assert_eq!(bench.read("NEW/Users/juno/Documents/bram.txt"), "bram");
    assert_eq!(bench.read("NEW/Users/juno/Documents/juno.txt"), "juno");
    bench.porter(&["check", "trunk", "NEW", "--account", "bram=juno", "--quiet"]).with_status(0);
}

#[test]
fn a_passphrase_is_asked_for_twice_never_shown_and_a_wrong_one_opens_nothing() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    let words = ["capture", "OLD", "trunk", "--seal", "--reminder", "the quay", "--quiet"];
    let mut terminal = Terminal::with(&bench, &words, WIDE);
    terminal.answer("New passphrase:", "tidewater");
    terminal.answer("The same again:", "tidewatre");
    let seen = terminal.ends(2);
    assert!(seen.contains("the two passphrases differ") && !seen.contains("tidewat"), "{seen}");
    assert!(!bench.path("trunk/pack-00001.pack").exists());

    let mut terminal = Terminal::with(&bench, &words, WIDE);
    terminal.answer("New passphrase:", "tidewater");
    terminal.answer("The same again:", "tidewater");
    let seen = terminal.ends(0);
    assert!(seen.contains("That passphrase is short") && !seen.contains("tidewater"), "{seen}");

    let check = ["check", "trunk", "--quiet"];
    let mut terminal = Terminal::with(&bench, &check, WIDE);
    assert!(terminal.answer("Passphrase of trunk", "lowwater").contains("Reminder: the quay"));
    let seen = terminal.ends(1);
    assert!(seen.contains("Try again; capitals and spaces count."), "{seen}");
    let mut terminal = Terminal::with(&bench, &check, WIDE);
    terminal.answer("Passphrase of trunk", "");
    terminal.ends(2);
    let mut terminal = Terminal::with(&bench, &check, WIDE);
    terminal.answer("Passphrase of trunk", "tidewater");
    let seen = terminal.ends(0);
    assert!(!seen.contains("tidewater"), "{seen}");
}

#[test]
fn the_tree_is_ticked_key_by_key_and_left_without_a_trace() {
    let bench = Workbench::new();
    bench.empty_machine("OLD", "odile");
    for (name, content) in
        [("Documents/Kites/plan.txt", "12 mm"), ("Documents/rota.txt", "ebb"), ("Music/wind.wav", "~")]
    {
        bench.write(&format!("OLD/Users/odile/{name}"), content);
    }
    let words = ["survey", "OLD", "--choose", "--list", "list.json"];
    for keys in ["q", "\u{3}"] {
        let mut terminal = Terminal::with(&bench, &words, (24, 80));
        terminal.shows("What is carried from OLD");
        terminal.press(keys);
        terminal.ends(1);
        assert!(!bench.path("list.json").exists(), "left without, and yet written");
    }

    let mut terminal = Terminal::with(&bench, &words, (24, 80));
    let seen = terminal.shows("What is carried from OLD");
    assert!(seen.contains("[x] odile") && seen.contains("? help"), "{seen}");
    terminal.press("?");
    terminal.shows("search as you type");
    // Whatever key closes it does nothing else.
    terminal.press("q");
    terminal.shows("[x] odile");
    terminal.press("/musi");
    terminal.shows("/musi_");
    terminal.shows("Music");
    terminal.press("\ro");
    terminal.shows("(largest first)");
    terminal.press("o\u{1b}[D\u{1b}[D\u{1b}[H");
    // Into the folders, and down to the documents.
    terminal.press("\u{1b}[C\u{1b}[B\u{1b}[C");
    terminal.shows("Documents");
    let row_of = |terminal: &Terminal, text: &str| {
        let seen = terminal.seen();
        seen.lines().position(|line| line.contains(text)).unwrap_or_else(|| panic!("{text}: {seen}"))
    };
    let down = row_of(&terminal, "Documents") - row_of(&terminal, "Folders");
    terminal.press(&"\u{1b}[B".repeat(down));
    terminal.press("\u{1b}[C");
    terminal.shows("[x] Kites");
    let down = row_of(&terminal, "[x] Kites") - row_of(&terminal, "Documents");
    terminal.press(&"\u{1b}[B".repeat(down));
    terminal.press(" ");
    let seen = terminal.shows("[ ] Kites");
    assert!(seen.contains("[-] Documents") && seen.contains("[-] odile"), "{seen}");
    terminal.press("s");
    let end = terminal.ends(0);
    assert!(end.contains("porter capture OLD TRUNK --list list.json"), "{end}");
    assert!(end.trim_end().ends_with("Written     list.json"), "{end}");

    bench.porter(&["capture", "OLD", "trunk", "--list", "list.json", "--quiet"]).with_status(0);
    let found = bench.porter(&["look", "trunk", "--find", "*"]).with_status(0).out;
    assert!(
        found.contains("rota.txt") && found.contains("wind.wav") && !found.contains("plan.txt"),
        "{found}"
    );

    // Smaller than any real screen: lines that do not fit are not drawn, and the keys still work.
    let mut terminal =
        Terminal::with(&bench, &["survey", "OLD", "--choose", "--list", "second.json"], (5, 20));
    terminal.shows("What is carried");
    terminal.press("\u{1b}[6~\u{1b}[5~\u{1b}[F\u{1b}[H\u{1b}[D\u{1b}[D s");
    terminal.ends(0);
    assert!(bench.path("second.json").exists());
}

#[test]
fn a_browser_that_runs_is_told_and_the_answer_decides() {
    let bench = Workbench::new();
    bench.empty_machine("PC", "odile");
    let firefox = "PC/Users/odile/AppData/Roaming/Mozilla/Firefox";
    let list = "[Profile0]\nName=work\nIsRelative=1\nPath=Profiles/ab.work\n";
    bench.write(&format!("{firefox}/profiles.ini"), list);
    bench.write(&format!("{firefox}/Profiles/ab.work/prefs.js"), "");
    let lock = format!("{firefox}/Profiles/ab.work/.parentlock");
    bench.write(&lock, "");
    let lock = File::options().write(true).open(bench.path(&lock)).unwrap();
    rustix::fs::fcntl_lock(&lock, rustix::fs::FlockOperation::LockExclusive).unwrap();
    let question = "[w]ait until they are closed, [g]o on as it is, or [s]top?";

    let mut terminal = Terminal::with(&bench, &["capture", "PC", "trunk", "--quiet"], WIDE);
    assert!(terminal.answer(question, "").contains("Firefox is running"));
    assert!(terminal.ends(1).contains("Nothing was captured."));
    assert!(!bench.path("trunk").exists());

    let mut terminal = Terminal::with(&bench, &["capture", "PC", "trunk", "--quiet"], WIDE);
    terminal.answer(question, "g");
    terminal.ends(0);

    let mut terminal = Terminal::with(&bench, &["capture", "PC", "waited", "--quiet"], WIDE);
    terminal.answer(question, "W");
    terminal.shows("Waiting until they are closed.");
    assert!(!bench.path("waited").exists(), "it does not wait");
    drop(lock);
    terminal.ends(0);
    bench.porter(&["check", "waited", "--quiet"]).with_status(0);
}

#[test]
fn what_moved_on_the_screen_leaves_whole_lines_behind() {
    let bench = Workbench::with_demo_machines();
    let terminal = Terminal::with(&bench, &["capture", "LOFT-PC", "trunk"], (50, 90));
    let seen = terminal.ends(0);
    assert!(seen.contains("Every entry is accounted for") && seen.contains("was read back"), "{seen}");
    for line in seen.lines() {
        assert!(!line.contains('\r') && !line.contains(" ETA ") && !line.contains("%"), "left over: {line}");
    }
    let terminal = Terminal::with(&bench, &["check", "trunk"], (50, 40));
    let seen = terminal.ends(0);
    assert!(seen.lines().all(|line| line.chars().count() <= 40), "{seen}");
    assert!(seen.contains("All is well"), "{seen}");
}

fn at_least_one(number: u16) -> std::num::NonZero<u16> {
    std::num::NonZero::new(number).unwrap()
}
