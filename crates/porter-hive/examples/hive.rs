//! For comparing with other readers of hives: `hive make FILE OLD|NEW` writes one with every shape of thing
//! in it, `hive dump FILE [LOG…]` prints each key and value of one, a line each.
#![allow(clippy::print_stdout, clippy::unwrap_used, clippy::panic, reason = "a tool for tests")]

#[path = "../tests/suite/made/mod.rs"]
mod made;

use porter_hive::Hive;
use porter_hive::walk::Sight;
use porter_hive::write::Version;
use std::fs;
use std::io::{BufWriter, Write};

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    match words.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        ["make", file, "OLD"] => fs::write(file, made::hive(3000, Version::V1_3)).unwrap(),
        ["make", file, "NEW"] => fs::write(file, made::hive(3000, Version::V1_5)).unwrap(),
        ["dump", file, ref logs @ ..] => {
            let logs: Vec<Vec<u8>> = logs.iter().map(|log| fs::read(log).unwrap()).collect();
            let logs: Vec<&[u8]> = logs.iter().map(Vec::as_slice).collect();
            dump(&Hive::with_logs(fs::read(file).unwrap(), &logs).unwrap());
        }
        _ => panic!("hive make FILE OLD|NEW, or hive dump FILE [LOG…]"),
    }
}

/// `KEY`, or `KEY<tab>value name<tab>number of its kind<tab>its bytes in hexadecimal digits`.
fn dump(hive: &Hive) {
    let mut out = BufWriter::new(std::io::stdout().lock());
    let mut path: Vec<String> = Vec::new();
    for sight in hive.walk() {
        match sight {
            Sight::Key(key, level) => {
                path.truncate(level);
                // The name of the root is not a part of anybody's path.
                path.push(if level == 0 { String::new() } else { key.name().to_string() });
                let path = path.join("\\");
                writeln!(out, "{path}").unwrap();
                for value in key.values() {
                    let value = value.unwrap();
                    let data: String =
                        value.data().unwrap().iter().map(|byte| format!("{byte:02x}")).collect();
                    writeln!(out, "{path}\t{}\t{}\t{data}", value.name(), value.kind().number()).unwrap();
                }
            }
            Sight::Damage(damage) => writeln!(out, "damaged: {damage}").unwrap(),
        }
    }
}
