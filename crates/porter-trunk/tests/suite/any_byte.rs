//! Lists of a trunk that chance has changed: nothing panics, and nothing that is accepted leads out.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_trunk::{Content, Entry};

const LINES: [&str; 3] = [
    r#"{"item":"odile/folder/documents","owner":"odile","place":"documents","path":"Kites/plan \u00e9.txt","stored":"Kites/plan.txt","kind":"file","size":12,"blake3":"af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262","modified_utc":"2012-03-04T05:06:07.1234567Z","attributes":["hidden"],"streams":[{"name":"n","base64":"AAEC"}]}"#,
    r#"{"item":"odile/folder/documents","owner":"odile","place":"documents","path":"x","path_hex":"4b697465732fff","kind":"link","target":"..","target_hex":"2e2e2fff"}"#,
    r#"{"item":"machine/folder/drive/kite-plans","place":"drive-root","path":"Kite Plans","kind":"folder","mode":493,"held":"why"}"#,
];

/// Numbers that look like chance and are the same in every run.
struct Chance(u64);

impl Chance {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(0x5851_f42d_4c95_7f2d).wrapping_add(0x1405_7b7e_f767_814f);
        (self.0 >> 33) as usize % end
    }
}

#[test]
fn a_changed_line_is_refused_or_stays_inside_its_place() {
    let mut chance = Chance(7);
    let spices: [&[u8]; 12] = [
        b"..",
        b"/",
        b"\\\\",
        b"\\u0000",
        b"C:",
        b"\"",
        b"{",
        b"[",
        b"\xff",
        b"2e2e2f",
        b"null",
        b"99999999999999999999",
    ];
    let (mut accepted, mut refused) = (0, 0);
    for _ in 0..60_000 {
        let mut line = LINES[chance.below(LINES.len())].as_bytes().to_vec();
        for _ in 0..=chance.below(3) {
            let at = chance.below(line.len());
            match chance.below(4) {
                0 => line[at] ^= 1 << chance.below(8),
                1 => drop(line.splice(at..at, spices[chance.below(spices.len())].iter().copied())),
                2 => drop(line.drain(at..(at + chance.below(9)).min(line.len()))),
                _ => line.truncate(at.max(1)),
            }
            if line.is_empty() {
                line.push(b'{');
            }
        }
        match Entry::from_line(&line, 1) {
            Err(_) => refused += 1,
            Ok(entry) => {
                accepted += 1;
                let address = &entry.address;
                for path in [Some(&address.path), address.safe_path.as_ref()].into_iter().flatten() {
                    let steps: Vec<&[u8]> = path.as_bytes().split(|b| *b == b'/').collect();
                    assert!(!path.as_bytes().starts_with(b"/") && !path.as_bytes().contains(&0));
                    assert!(path.is_root() || steps.iter().all(|step| !matches!(*step, b".." | b"." | b"")));
                }
                let safe = address.safe_path.iter().flat_map(|path| path.as_bytes());
                assert!(safe.clone().all(|b| !matches!(b, b':' | b'\\' | b'%' | b'\n')), "{address:?}");
                let single =
                    |name: &str| !name.is_empty() && name != ".." && !name.contains(['/', '\\', ':']);
                assert!(single(&address.place) && address.owner.as_deref().is_none_or(single), "{address:?}");
                // An accepted entry can be written again, and means the same.
                assert_eq!(Entry::from_line(entry.to_line().unwrap().as_bytes(), 1).as_ref(), Ok(&entry));
                assert!(
                    !matches!(entry.content, Content::Link { target } if target.is_empty() && line.is_empty())
                );
            }
        }
    }
    assert!(
        accepted > 1000 && refused > 10_000,
        "{accepted} accepted, {refused} refused: the chances are off"
    );
}
