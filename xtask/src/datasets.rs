//! Made-up data to measure on, as people have it: many small files, office documents in several versions,
//! photos, mailboxes with attachments that went back and forth, and films.

use porter_demo::dice::Dice;
use porter_demo::writing::{csv, noise, rtf};
use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

/// A set of data, by its name on the command line.
pub(crate) const NAMES: [&str; 5] = ["small", "office", "photos", "mail", "media"];

/// Builds a machine whose documents are the set, `scale` times as much as usual.
pub(crate) fn build(name: &str, scale: f64, machine: &Path) -> io::Result<()> {
    for folder in ["Windows/System32", "ProgramData"] {
        fs::create_dir_all(machine.join(folder))?;
    }
    let documents = machine.join("Users/odile/Documents");
    fs::create_dir_all(&documents)?;
    let many = |number: usize| ((number as f64 * scale) as usize).max(1);
    match name {
        "small" => small(&documents, many(60_000)),
        "office" => office(&documents, many(90)),
        "photos" => photos(&documents, many(200)),
        "mail" => mail(&documents, many(20)),
        _ => media(&documents, (1.0e9 * scale) as usize),
    }
}

/// Words as a language has them: few that come all the time, and many that are rare.
struct Language {
    words: Vec<String>,
}

impl Language {
    fn new(name: &str) -> Self {
        const SYLLABLES: [&str; 24] = [
            "ka", "mi", "ter", "lo", "sen", "dra", "vi", "pel", "un", "ost", "ra", "ben", "gil", "na", "tu",
            "ser", "am", "ko", "lin", "de", "fa", "wer", "is", "ho",
        ];
        let mut dice = Dice::named(name);
        let word = |_| (0..1 + dice.below(4)).map(|_| dice.pick(&SYLLABLES)).collect();
        Self { words: (0..6000).map(word).collect() }
    }

    fn prose(&self, dice: &mut Dice, length: usize) -> Vec<u8> {
        let mut text = Vec::with_capacity(length + 20);
        while text.len() < length {
            // A product of two throws falls off about as words do.
            let at = dice.below(self.words.len()) * dice.below(1000) / 1000 * dice.below(1000) / 1000;
            text.extend_from_slice(self.words[at].as_bytes());
            text.extend_from_slice(if dice.below(12) == 0 { b".\r\n" } else { b" " });
        }
        text.truncate(length);
        text
    }
}

/// Notes, saved pages, settings, tables, and small pictures, as they lie on real drives: in folders of one to
/// three hundred; a fifth are copies of others from anywhere, as icons, templates and attachments are; some
/// are copies with a few bytes changed; some folders were copied whole "to be safe"; and some names are as
/// long as people make them, in several scripts.
fn small(documents: &Path, files: usize) -> io::Result<()> {
    let language = Language::new("small");
    let mut dice = Dice::named("small files");
    let noise = noise("small pictures", 4 << 20);
    let mut earlier: Vec<PathBuf> = Vec::new();
    let mut folders: Vec<(usize, usize)> = Vec::new();
    while earlier.len() < files {
        let number = folders.len();
        let folder = documents.join(format!("set {:03}/folder {number:05}", number / 40));
        fs::create_dir_all(&folder)?;
        let first = earlier.len();
        let many = match dice.below(200) {
            0 => 50 + dice.below(251),
            1..=20 => 10 + dice.below(15),
            _ => 1 + dice.below(5),
        };
        if dice.below(50) == 0 && number > 20 {
            let (from, to) = folders[dice.below(number)];
            for at in from..to {
                let copy = folder.join(earlier[at].file_name().unwrap_or_default());
                fs::copy(&earlier[at], &copy)?;
                earlier.push(copy);
            }
        } else {
            for _ in 0..many.min(files - first) {
                let at = folder.join(name(earlier.len(), &mut dice));
                match dice.below(100) {
                    0..20 if first > 100 => drop(fs::copy(&earlier[dice.below(first)], &at)?),
                    20..23 if first > 100 => {
                        let mut content = fs::read(&earlier[dice.below(first)])?;
                        for _ in 0..3 {
                            let changed = dice.below(content.len());
                            content[changed] ^= 1;
                        }
                        fs::write(&at, content)?;
                    }
                    _ => fs::write(&at, small_content(earlier.len(), &language, &noise, &mut dice))?,
                }
                earlier.push(at);
            }
        }
        folders.push((first, earlier.len()));
    }
    Ok(())
}

/// A name for a small file: one in twenty has a hundred letters, or as many as fit into 255 bytes.
fn name(number: usize, dice: &mut Dice) -> String {
    const SCRIPTS: [[char; 8]; 5] = [
        ['d', 'é', 'r', 'ü', 'n', 'o', 'ø', 's'],
        ['κ', 'α', 'ρ', 'ά', 'β', 'ι', 'ο', 'ν'],
        ['з', 'м', 'е', 'й', 'к', 'а', 'ё', 'в'],
        ['ח', 'ו', 'ט', 'ש', 'ל', 'מ', 'ר', 'ת'],
        ['凧', '風', '海', '糸', '紙', '空', '雲', '帆'],
    ];
    let ending = dice.pick(&["txt", "html", "csv", "ini", "rtf", "jpg"]);
    if dice.below(20) != 0 {
        return format!(
            "{number:06} {}.{ending}",
            dice.pick(&["note", "page", "orders", "letter", "picture"])
        );
    }
    let script = SCRIPTS[dice.below(SCRIPTS.len())];
    let letters: String = (0..100)
        .map(|_| if dice.below(7) == 0 { ' ' } else { script[dice.below(script.len())] })
        .scan(0, |bytes, letter| {
            *bytes += letter.len_utf8();
            (*bytes < 235).then_some(letter)
        })
        .collect();
    format!("{number:06} {letters}.{ending}")
}

fn small_content(number: usize, language: &Language, noise: &[u8], dice: &mut Dice) -> Vec<u8> {
    let length = [300, 900, 2000, 4000, 9000, 20_000][dice.below(6)];
    match dice.below(8) {
        0 | 1 => language.prose(dice, length),
        2 => {
            let body = language.prose(dice, length);
            let mut page = b"<!DOCTYPE html>\r\n<html><head><meta charset=\"utf-8\"><title>".to_vec();
            page.extend_from_slice(&body[..40]);
            page.extend_from_slice(b"</title><link rel=\"stylesheet\" href=\"style.css\"></head><body>\r\n");
            for part in body.chunks(200) {
                page.extend_from_slice(b"<p class=\"text\">");
                page.extend_from_slice(part);
                page.extend_from_slice(b"</p>\r\n");
            }
            page
        }
        3 | 4 => csv(&format!("orders {number}"), length / 60),
        5 => {
            let mut text = String::from("[General]\r\nVersion=4.2\r\n");
            for row in 0..length / 24 {
                text.push_str(&format!("Key{row:03}={}\r\n", dice.below(1_000_000)));
            }
            text.into_bytes()
        }
        6 => rtf(&format!("letter {number}"), length / 60),
        _ => {
            let from = dice.below(noise.len() - length);
            [b"\xff\xd8\xff\xe0\0\x10JFIF\0", &noise[from..from + length]].concat()
        }
    }
}

/// Reports with pictures, each in a few versions that share most of their pictures, and old binary tables.
fn office(documents: &Path, works: usize) -> io::Result<()> {
    let language = Language::new("office");
    let mut dice = Dice::named("office");
    for work in 0..works {
        let folder = documents.join(format!("job {work:03}"));
        fs::create_dir_all(&folder)?;
        let pictures: Vec<Vec<u8>> = (0..6)
            .map(|picture| noise(&format!("picture {work} {picture}"), 60_000 + dice.below(500_000)))
            .collect();
        let mut table: Vec<u8> = Vec::new();
        for row in 0..40_000_u32 {
            table.extend_from_slice(&row.to_le_bytes());
            table.extend_from_slice(&(1000 + dice.below(5000) as u32).to_le_bytes());
            table.extend_from_slice(&[0, 0, 0x5c, 0x8f, 0xc2, 0xf5, 0x28, dice.below(256) as u8]);
        }
        for version in 1..=3 {
            // A container of parts that are compressed already, one after the other.
            let mut document = b"PK\x03\x04".to_vec();
            document
                .extend_from_slice(&noise(&format!("text {work} {version}"), 30_000 + dice.below(30_000)));
            for (at, picture) in pictures.iter().enumerate() {
                if (at + version) % 4 != 0 {
                    document.extend_from_slice(b"PK\x03\x04word/media/image.jpeg");
                    document.extend_from_slice(picture);
                }
            }
            fs::write(folder.join(format!("Report v{version}.docx")), document)?;
            for _ in 0..200 {
                let at = dice.below(table.len() - 1);
                table[at] = dice.below(256) as u8;
            }
            fs::write(folder.join(format!("Prices v{version}.xls")), &table)?;
        }
        let length = 200_000 + dice.below(800_000);
        fs::write(folder.join("Minutes.doc"), language.prose(&mut dice, length))?;
    }
    Ok(())
}

/// Photos of a camera, every twentieth copied into another folder.
fn photos(documents: &Path, photos: usize) -> io::Result<()> {
    let mut dice = Dice::named("photos");
    fs::create_dir_all(documents.join("best of"))?;
    for number in 0..photos {
        let folder = documents.join(format!("{:04}", 2012 + number / 20));
        fs::create_dir_all(&folder)?;
        let mut photo = b"\xff\xd8\xff\xe1Exif\0\0MM\0*".to_vec();
        photo.extend_from_slice(&noise(&format!("photo {number}"), 2_000_000 + dice.below(4_000_000)));
        fs::write(folder.join(format!("IMG_{number:04}.JPG")), &photo)?;
        if number % 20 == 0 {
            fs::write(documents.join(format!("best of/IMG_{number:04}.JPG")), &photo)?;
        }
    }
    Ok(())
}

/// Mailboxes (RFC 4155) in which attachments come again: forwarded, answered with the file still on it, kept
/// in "Sent".
fn mail(documents: &Path, boxes: usize) -> io::Result<()> {
    const LETTERS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let language = Language::new("mail");
    let mut dice = Dice::named("mail");
    let attachments: Vec<Vec<u8>> = (0..boxes * 14)
        .map(|number| {
            let bytes = noise(&format!("attachment {number}"), 40_000 + dice.below(1_200_000));
            let mut text = Vec::with_capacity(bytes.len() * 4 / 3 + bytes.len() / 40);
            for (at, byte) in bytes.iter().enumerate() {
                // As many letters, and as random, as Base64 makes of it.
                text.push(LETTERS[usize::from(*byte & 63)]);
                if at % 3 == 2 {
                    text.push(LETTERS[usize::from(byte >> 2)]);
                }
                if at % 57 == 56 {
                    text.extend_from_slice(b"\r\n");
                }
            }
            text
        })
        .collect();
    for number in 0..boxes {
        let mut to = BufWriter::new(File::create(documents.join(format!("Mailbox {number:02}")))?);
        for message in 0..400 {
            write!(
                to,
                "From odile@saltmarsh.example Mon Nov 23 08:00:00 2026\r\nSubject: order {message}\r\n\r\n"
            )?;
            let length = 500 + dice.below(4000);
            to.write_all(&language.prose(&mut dice, length))?;
            if message % 10 == 0 {
                to.write_all(b"\r\nContent-Transfer-Encoding: base64\r\n\r\n")?;
                to.write_all(&attachments[dice.below(attachments.len())])?;
            }
            to.write_all(b"\r\n")?;
        }
        to.flush()?;
    }
    Ok(())
}

/// Two films.
fn media(documents: &Path, length: usize) -> io::Result<()> {
    for number in 1..=2 {
        let mut to = BufWriter::new(File::create(documents.join(format!("Film {number}.mp4")))?);
        let mut left = length;
        let mut piece = 0;
        while left > 0 {
            let bytes = noise(&format!("film {number} {piece}"), left.min(8 << 20));
            to.write_all(&bytes)?;
            left -= bytes.len();
            piece += 1;
        }
        to.flush()?;
    }
    Ok(())
}
