//! Mail: how fast mailboxes are read, taken out and brought into Thunderbird, beside other programs on the
//! same data in the same run.

use crate::bench::{build_porter, peak_memory_in_mb, time};
use porter_formats::mail::mbox::Counter;
use porter_formats::mail::mbox_reader::MboxReader;
use std::fs::{self, File};
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::Path;
use std::time::Instant;

/// Small letters, as a person has them after ten years.
const LETTERS: usize = 50_000;
/// The size of a mailbox of letters with files.
const LONG_IN_BYTES: usize = 1 << 30;

/// Measures. A data file of Outlook is measured beside `readpst`, if one is named.
pub(crate) fn bench(data_file: Option<&Path>) -> Result<(), String> {
    let porter = build_porter()?.display().to_string();
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    let done = measure(&porter, &bench, data_file);
    fs::remove_dir_all(&bench).map_err(|cause| cause.to_string())?;
    done
}

fn measure(porter: &str, bench: &Path, data_file: Option<&Path>) -> Result<(), String> {
    let failed = |cause: std::io::Error| cause.to_string();
    let old = bench.join("OLD/Users/odile");
    let local = bench.join("OLD/Users/odile/AppData/Roaming/Thunderbird/Profiles/k.old/Mail/Local Folders");
    machine(&bench.join("OLD")).map_err(failed)?;
    profile(&old, "k.old").map_err(failed)?;
    fs::create_dir_all(&local).map_err(failed)?;
    small_letters(&local.join("Small")).map_err(failed)?;
    long_letters(&local.join("Long")).map_err(failed)?;
    let gigabytes = |path: &Path| fs::metadata(path).map_or(0.0, |found| found.len() as f64 / 1e9);
    let (small, long) = (local.join("Small"), local.join("Long"));

    println!("scanning a mailbox of {:.1} GB", gigabytes(&long));
    time(&format!("cat '{}'", long.display()))?;
    let cat = time(&format!("cat '{}'", long.display()))?;
    let counted = scan(&long, &mut |piece, counter| counter.feed(piece)).map_err(failed)?;
    let began = Instant::now();
    let mut reader = MboxReader::new(BufReader::with_capacity(1 << 18, File::open(&long).map_err(failed)?));
    let mut letters = 0;
    while reader.next_letter().map_err(failed)?.is_some() {
        letters += 1;
        reader.body(&mut std::io::sink()).map_err(failed)?;
    }
    let read = began.elapsed().as_secs_f64();
    let rate = |seconds: f64| gigabytes(&long) * 1000.0 / seconds;
    println!(
        "  counted  {:>7.0} MB/s (wanted: 800)    read  {:>7.0} MB/s    cat  {:>7.0} MB/s    {letters} letters",
        rate(counted),
        rate(read),
        rate(cat)
    );

    let at = |name: &str| bench.join(name).display().to_string();
    time(&format!("{porter} capture '{}' '{}' --quiet", at("OLD"), at("trunk")))?;
    let item = "odile/mail/thunderbird/old";
    let take = format!("{porter} take '{}' {item} '{}' --as mbox", at("trunk"), at("taken"));
    let seconds = time(&take)?;
    println!(
        "taken out of a trunk as mailboxes: {:.0} MB/s",
        (gigabytes(&long) + gigabytes(&small)) * 1000.0 / seconds
    );
    fs::remove_dir_all(bench.join("taken")).map_err(failed)?;
    println!("  at most {:.0} MB of memory", peak_memory_in_mb(&take)?);

    // The small letters alone, from a program that has no profiles, into a Thunderbird that has a profile.
    machine(&bench.join("NEW")).map_err(failed)?;
    profile(&bench.join("NEW/Users/odile"), "k.new").map_err(failed)?;
    let other = bench.join("OTHER");
    machine(&other).map_err(failed)?;
    let letters = other.join("Users/odile/AppData/Local/Microsoft/Windows Mail/Local Folders");
    fs::create_dir_all(&letters).map_err(failed)?;
    for number in 0..LETTERS {
        let folder = letters.join(format!("Folder {}", number / 1000));
        if number % 1000 == 0 {
            fs::create_dir_all(&folder).map_err(failed)?;
        }
        fs::write(folder.join(format!("{number}.eml")), letter(number)).map_err(failed)?;
    }
    time(&format!("{porter} capture '{}' '{}' --quiet", other.display(), at("letters")))?;
    let restore = |into: &str| {
        format!(
            "{porter} restore '{}' '{}' --only odile/mail/windows-mail {into} --yes --quiet",
            at("letters"),
            at("NEW")
        )
    };
    let alone = time(&restore(""))?;
    let with = time(&restore("--mail-into thunderbird"))?;
    println!(
        "{LETTERS} small letters into Thunderbird: {:.0} letters/s (wanted: 5000); the restore without it takes {alone:.1} s",
        LETTERS as f64 / with
    );
    let again = restore("--mail-into thunderbird");
    let seconds = time(&again)?;
    println!(
        "  a second time, when all are doubles: {:.0} letters/s; at most {:.0} MB of memory",
        LETTERS as f64 / seconds,
        peak_memory_in_mb(&again)?
    );

    if let Some(file) = data_file {
        let outlook = bench.join("PST");
        machine(&outlook).map_err(failed)?;
        fs::copy(file, outlook.join("Users/odile/Documents/mail.pst")).map_err(failed)?;
        time(&format!("{porter} capture '{}' '{}' --quiet", outlook.display(), at("pst")))?;
        let (mut ours, mut theirs) = (Vec::new(), Vec::new());
        for round in 0..5 {
            ours.push(time(&format!(
                "{porter} take '{}' odile/mail/data-files '{}' --as mbox || [ $? = 3 ]",
                at("pst"),
                at(&format!("ours-{round}"))
            ))?);
            fs::create_dir_all(bench.join(format!("theirs-{round}"))).map_err(failed)?;
            theirs.push(time(&format!(
                "readpst -q -r -o '{}' '{}'",
                at(&format!("theirs-{round}")),
                file.display()
            ))?);
        }
        ours.sort_by(f64::total_cmp);
        theirs.sort_by(f64::total_cmp);
        let size = gigabytes(file) * 1000.0;
        println!(
            "a data file of {size:.1} MB as mailboxes: {:.1} MB/s; readpst {:.1} MB/s",
            size / ours[2],
            size / theirs[2]
        );
    }
    Ok(())
}

fn scan(path: &Path, use_piece: &mut dyn FnMut(&[u8], &mut Counter)) -> std::io::Result<f64> {
    let mut file = File::open(path)?;
    let mut piece = vec![0; 1 << 20];
    let mut counter = Counter::default();
    let began = Instant::now();
    loop {
        match file.read(&mut piece)? {
            0 => break,
            read => use_piece(&piece[..read], &mut counter),
        }
    }
    Ok(began.elapsed().as_secs_f64())
}

fn machine(root: &Path) -> std::io::Result<()> {
    for folder in ["Windows/System32", "ProgramData", "Users/odile/Documents", "Users/odile/AppData/Roaming"]
    {
        fs::create_dir_all(root.join(folder))?;
    }
    fs::write(root.join("Windows/System32/kernel32.dll"), "x")?;
    fs::write(root.join("Users/odile/NTUSER.DAT"), "x")
}

fn profile(home: &Path, name: &str) -> std::io::Result<()> {
    let program = home.join("AppData/Roaming/Thunderbird");
    let folder = program.join("Profiles").join(name);
    fs::create_dir_all(&folder)?;
    let shown = name.rsplit('.').next().unwrap_or(name);
    let list = format!("[Profile0]\nName={shown}\nIsRelative=1\nPath=Profiles/{name}\nDefault=1\n");
    fs::write(program.join("profiles.ini"), list)?;
    fs::write(folder.join("prefs.js"), "user_pref(\"mail.server.server1.type\", \"none\");\n")
}

fn letter(number: usize) -> String {
    format!(
        "From: Ines <ines{number}@windrose.example>\r\nTo: odile@saltmarsh.example\r\nSubject: Kite {number}\r\n\
         Message-ID: <{number}@windrose.example>\r\nDate: Mon, 09 Feb 2026 10:00:00 +0000\r\n\r\n{}\r\n",
        "Twelve spars of carbon, and the line that you asked for.\r\n".repeat(20)
    )
}

fn small_letters(to: &Path) -> std::io::Result<()> {
    let mut to = BufWriter::new(File::create(to)?);
    for number in 0..LETTERS {
        let letter = letter(number).replace("\r\n", "\n");
        write!(to, "From - Mon Feb  9 10:00:00 2026\nX-Mozilla-Status: 0001\n{letter}\n")?;
    }
    to.flush()
}

/// Letters with a file of a megabyte each, in lines of base64.
fn long_letters(to: &Path) -> std::io::Result<()> {
    let mut to = BufWriter::new(File::create(to)?);
    let line = "JVBERi0xLjQKMSAwIG9iago8PCAvVHlwZSAvQ2F0YWxvZyAvUGFnZXMgMiAwIFIgPj4KZW5kb2\n";
    let file = line.repeat((1 << 20) / line.len());
    for number in 0..LONG_IN_BYTES >> 20 {
        let letter = letter(number).replace("\r\n", "\n");
        write!(to, "From - Mon Feb  9 10:00:00 2026\nX-Mozilla-Status: 0000\n{letter}{file}\n")?;
    }
    to.flush()
}
