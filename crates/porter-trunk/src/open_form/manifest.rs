//! Manifest lines: a hash, two spaces, a path (RFC 8493, 2.1.3).

use super::sha512::Sha512Hash;
use porter_names::RelativePath;
use std::io::{self, Write};

/// Writes one line. Trunk names hold no `%`, CR or LF, so nothing needs RFC 8493's escapes.
pub(super) fn write_line(to: &mut dyn Write, hash: &Sha512Hash, path: &RelativePath) -> io::Result<()> {
    write!(to, "{hash}  ")?;
    to.write_all(path.as_bytes())?;
    to.write_all(b"\n")
}

/// Reads one line; the problem in words if it is none.
pub(super) fn from_line(line: &[u8]) -> Result<(Sha512Hash, RelativePath), String> {
    let line = line.strip_suffix(b"\r").unwrap_or(line);
    let end = line.iter().position(|b| *b == b' ' || *b == b'\t').ok_or("there is no path")?;
    let hash = std::str::from_utf8(&line[..end]).ok().and_then(Sha512Hash::from_hex).ok_or("no SHA-512")?;
    let path = line[end..].trim_ascii_start();
    let path = RelativePath::from_bytes(path).map_err(|refused| refused.to_string())?;
    Ok((hash, path))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_comes_back_and_bad_ones_say_why() {
        let path = RelativePath::from_bytes("data/odile/documents/ two  spaces é.txt".as_bytes()).unwrap();
        let mut line = Vec::new();
        write_line(&mut line, &Sha512Hash::of(b"x"), &path).unwrap();
        assert_eq!(from_line(&line[..line.len() - 1]), Ok((Sha512Hash::of(b"x"), path)));
        assert!(from_line(b"abc  data/x").unwrap_err().contains("no SHA-512"));
        let outside = format!("{}  ../x", Sha512Hash::of(b"x"));
        assert!(from_line(outside.as_bytes()).unwrap_err().contains("leads out"));
    }
}
