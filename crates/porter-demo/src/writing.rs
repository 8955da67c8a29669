//! Files that people at the workshop write: letters, job sheets, order lists.

use crate::dice::Dice;

const KITES: [&str; 10] = [
    "box kite",
    "delta",
    "rokkaku",
    "diamond",
    "sled",
    "parafoil",
    "dragon",
    "bowed Eddy",
    "octopus",
    "hexagon",
];
const PARTS: [&str; 8] =
    ["spar, 12 mm", "ripstop sail", "line, 40 m", "bridle", "ferrule", "tail, 3 m", "swivel", "winder"];
const NAMES: [&str; 8] = [
    "Ines Albrecht",
    "Jonah Peck",
    "Mirela Stan",
    "Owen Tarrant",
    "Sofie Dahl",
    "Kofi Mensah",
    "Lena Brandt",
    "Piet Visser",
];
const SENTENCES: [&str; 8] = [
    "The wind on the marsh was steady from the south-west, four to five.",
    "She asks whether the old sail can be kept; it was her grandfather's.",
    "The spreader had split along the grain and was replaced.",
    "We test it on Saturday if the tide leaves enough of the bank dry.",
    "Please keep the fabric offcuts, the school wants them for the spring workshop.",
    "The reel was full of sand again.",
    "Paid in part; the rest when it flies.",
    "Übernähte Kanten halten länger, sagt Bram, und er hat recht.",
];

/// A letter or note of about this many lines.
pub fn text(name: &str, lines: usize) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let mut text = format!("Saltmarsh Kiteworks\r\n{name}\r\n\r\nFor {}\r\n\r\n", dice.pick(&NAMES));
    for _ in 0..lines {
        text.push_str(dice.pick(&SENTENCES));
        text.push_str("\r\n");
    }
    text.into_bytes()
}

/// The same as a document with headings, in Rich Text Format 1.9.
pub fn rtf(name: &str, lines: usize) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let mut text = String::from("{\\rtf1\\ansi\\deff0{\\fonttbl{\\f0 Georgia;}}\\f0\\fs24\r\n");
    text.push_str(&format!("{{\\b\\fs32 {}}}\\par\\par\r\n", escaped(dice.pick(&KITES))));
    for _ in 0..lines {
        text.push_str(&format!("{}\\par\r\n", escaped(dice.pick(&SENTENCES))));
    }
    text.push('}');
    text.into_bytes()
}

fn escaped(text: &str) -> String {
    let escape = |c: char| if c.is_ascii() { c.to_string() } else { format!("\\u{}?", c as u32) };
    text.chars().map(escape).collect()
}

/// A list of orders as a spreadsheet would write it (RFC 4180).
pub fn csv(name: &str, rows: usize) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let mut text = String::from("order,date,customer,kite,part,quantity,price\r\n");
    for row in 0..rows {
        let (year, month, day) = (2012 + dice.below(14), 1 + dice.below(12), 1 + dice.below(28));
        text.push_str(&format!(
            "SK-{row:05},{year}-{month:02}-{day:02},\"{}\",{},\"{}\",{},{}.{:02}\r\n",
            dice.pick(&NAMES),
            dice.pick(&KITES),
            dice.pick(&PARTS),
            1 + dice.below(12),
            3 + dice.below(90),
            dice.below(100)
        ));
    }
    text.into_bytes()
}

/// A favourite as Windows' browsers keep it.
pub fn favourite(host: &str) -> Vec<u8> {
    format!("[InternetShortcut]\r\nURL=http://{host}.example/\r\n").into_bytes()
}

/// Bytes without meaning, such as caches hold.
pub fn noise(name: &str, length: usize) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let mut bytes = Vec::with_capacity(length + 8);
    while bytes.len() < length {
        bytes.extend_from_slice(&dice.roll().to_le_bytes());
    }
    bytes.truncate(length);
    bytes
}
