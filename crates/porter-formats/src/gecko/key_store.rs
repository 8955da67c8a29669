//! `key4.db`: the key of the saved passwords, and whether a primary password stands before it.
//!
//! The store keeps `password-check`, encrypted with a key made of the primary password, which is empty where
//! nobody set one (NSS, `lib/softoken/sftkpwd.c` and `lowpbe.c`). It is encrypted by PBES2 (RFC 8018) with
//! PBKDF2, HMAC-SHA-256 and AES-256 since Firefox 75; older stores are not understood here.

use crate::FormatError;
use aes::Aes256;
use cbc::cipher::block_padding::Pkcs7;
use cbc::cipher::{BlockDecryptMut, KeyIvInit};
use rusqlite::{Connection, OptionalExtension};
use sha1::{Digest, Sha1};
use sha2::Sha256;

/// Whether the saved passwords open without a question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PrimaryPassword {
    /// Nobody set one.
    NotSet,
    /// It is asked for.
    Set,
    /// The store is of a kind that is not understood.
    NotKnown,
}

const CHECK: &[u8] = b"password-check";
const PBES2: &[u8] = &[0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01, 0x05, 0x0d];
const PBKDF2: &[u8] = &[0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x01, 0x05, 0x0c];
const HMAC_SHA_256: &[u8] = &[0x2a, 0x86, 0x48, 0x86, 0xf7, 0x0d, 0x02, 0x09];
const AES_256_CBC: &[u8] = &[0x60, 0x86, 0x48, 0x01, 0x65, 0x03, 0x04, 0x01, 0x2a];
/// Firefox takes 10,000. A store that claims to need more than this is not real, and would take minutes.
const MOST_ROUNDS: u32 = 1_000_000;

/// Tries the store with an empty primary password.
pub fn primary_password(database: &Connection) -> Result<PrimaryPassword, FormatError> {
    let row: Option<(Vec<u8>, Vec<u8>)> = database
        .query_row("SELECT item1, item2 FROM metadata WHERE id = 'password'", [], |row| {
            Ok((row.get(0)?, row.get(1)?))
        })
        .optional()?;
    Ok(row.map_or(PrimaryPassword::NotSet, |(salt, check)| opens_with(b"", &salt, &check)))
}

fn opens_with(password: &[u8], global_salt: &[u8], check: &[u8]) -> PrimaryPassword {
    let Some(encrypted) = Encrypted::from_bytes(check) else { return PrimaryPassword::NotKnown };
    let secret = Sha1::new().chain_update(global_salt).chain_update(password).finalize();
    let mut key = [0; 32];
    pbkdf2::pbkdf2_hmac::<Sha256>(&secret, encrypted.salt, encrypted.rounds, &mut key);
    let Ok(cipher) = cbc::Decryptor::<Aes256>::new_from_slices(&key, &encrypted.start) else {
        return PrimaryPassword::NotKnown;
    };
    let mut content = encrypted.content.to_vec();
    match cipher.decrypt_padded_mut::<Pkcs7>(&mut content) {
        Ok(plain) if plain == CHECK => PrimaryPassword::NotSet,
        // With another key the end is not padding, or the text differs.
        Ok(_) | Err(_) => PrimaryPassword::Set,
    }
}

/// An encrypted value, and its method.
struct Encrypted<'b> {
    salt: &'b [u8],
    rounds: u32,
    /// The bytes that the first block is mixed with.
    start: [u8; 16],
    content: &'b [u8],
}

impl<'b> Encrypted<'b> {
    /// None for anything but PBES2 with PBKDF2, HMAC-SHA-256 and AES-256-CBC.
    fn from_bytes(bytes: &'b [u8]) -> Option<Self> {
        let mut whole = Der(Der(bytes).sequence()?);
        let mut how = Der(whole.sequence()?);
        let content = whole.octets()?;
        let mut parameters = Der(how.named(PBES2)?);
        let mut key = Der(parameters.sequence()?);
        let mut key = Der(key.named(PBKDF2)?);
        let (salt, rounds) = (key.octets()?, key.number()?);
        let _length_in_bytes = key.number()?;
        Der(key.sequence()?).next(OBJECT).filter(|made_by| *made_by == HMAC_SHA_256)?;
        let mut cipher = Der(parameters.sequence()?);
        cipher.next(OBJECT).filter(|cipher| *cipher == AES_256_CBC)?;
        let start = match cipher.octets()? {
            whole if whole.len() == 16 => whole.try_into().ok()?,
            // NSS takes the two bytes before them, too: kind and length.
            short if short.len() == 14 => [&[OCTETS, 14], short].concat().try_into().ok()?,
            _ => return None,
        };
        (1..=MOST_ROUNDS).contains(&rounds).then_some(Self { salt, rounds, start, content })
    }
}

const NUMBER: u8 = 0x02;
const OCTETS: u8 = 0x04;
const OBJECT: u8 = 0x06;
const SEQUENCE: u8 = 0x30;

/// The rest of something in DER (X.690), the part that is needed here.
struct Der<'b>(&'b [u8]);

impl<'b> Der<'b> {
    /// The content of the next thing, if it is of that kind.
    fn next(&mut self, kind: u8) -> Option<&'b [u8]> {
        let (found, rest) = self.0.split_first()?;
        let (first, rest) = rest.split_first()?;
        let (length, rest) = match first {
            length @ 0..=0x7f => (usize::from(*length), rest),
            0x81 => rest.split_first().map(|(length, rest)| (usize::from(*length), rest))?,
            0x82 => {
                let (length, rest) = rest.split_first_chunk::<2>()?;
                (usize::from(u16::from_be_bytes(*length)), rest)
            }
            _ => return None,
        };
        let (content, rest) = rest.split_at_checked(length)?;
        self.0 = rest;
        (*found == kind).then_some(content)
    }

    fn sequence(&mut self) -> Option<&'b [u8]> {
        self.next(SEQUENCE)
    }

    fn octets(&mut self) -> Option<&'b [u8]> {
        self.next(OCTETS)
    }

    fn number(&mut self) -> Option<u32> {
        let bytes = self.next(NUMBER)?;
        let is_short = (1..=4).contains(&bytes.len());
        is_short.then(|| bytes.iter().fold(0, |number, byte| number << 8 | u32::from(*byte)))
    }

    /// The value in the sequence behind the name of a method.
    fn named(&mut self, name: &[u8]) -> Option<&'b [u8]> {
        self.next(OBJECT).filter(|found| *found == name)?;
        self.sequence()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Made by Python's `hashlib` and the program `openssl`, from the salt `00 01 … 13`.
    const HEAD: &str = "308182306e06092a864886f70d01050d3061304206092a864886f70d01050c303504206465666768696a6b6c6d6e6f70717273\
                        7475767778797a7b7c7d7e7f8081828302022710020120300a06082a864886f70d0209301b060960864801650304012a040ec8c9\
                        cacbcccdcecfd0d1d2d3d4d50410";
    const OF_NO_PASSWORD: &str = "6b5a47babe152d28035a64a19cef9780";
    const OF_FORTY_KITES: &str = "062dd6d7fe4aca8046fc6b57b1e3d7e6";

    fn bytes(hex: &str) -> Vec<u8> {
        (0..hex.len()).step_by(2).map(|at| u8::from_str_radix(&hex[at..at + 2], 16).unwrap()).collect()
    }

    fn store(check: Option<&[u8]>) -> Connection {
        let database = Connection::open_in_memory().unwrap();
        database.execute_batch("CREATE TABLE metadata (id PRIMARY KEY, item1, item2)").unwrap();
        if let Some(check) = check {
            let salt: Vec<u8> = (0..20).collect();
            database.execute("INSERT INTO metadata VALUES ('password', ?1, ?2)", (salt, check)).unwrap();
        }
        database
    }

    #[test]
    fn a_store_tells_whether_somebody_set_a_primary_password() {
        let tried = |check: Option<&[u8]>| primary_password(&store(check)).unwrap();
        let (open, shut) =
            (bytes(&format!("{HEAD}{OF_NO_PASSWORD}")), bytes(&format!("{HEAD}{OF_FORTY_KITES}")));
        assert_eq!(tried(None), PrimaryPassword::NotSet);
        assert_eq!(tried(Some(&open)), PrimaryPassword::NotSet);
        assert_eq!(tried(Some(&shut)), PrimaryPassword::Set);
        let salt: Vec<u8> = (0..20).collect();
        assert_eq!(opens_with(b"forty kites at four", &salt, &shut), PrimaryPassword::NotSet);
        // Cut anywhere, of another method, or with a number of rounds that is a lie: not understood, and at
        // once.
        for length in 0..open.len() {
            assert_eq!(tried(Some(&open[..length])), PrimaryPassword::NotKnown, "{length}");
        }
        for (from, to) in
            [("01050d", "01050e"), ("0209", "0207"), ("02022710", "0202fffe7f"), ("02022710", "02020000")]
        {
            let other = bytes(&format!("{HEAD}{OF_NO_PASSWORD}").replace(from, to));
            assert_eq!(tried(Some(&other)), PrimaryPassword::NotKnown, "{to}");
        }
        assert!(primary_password(&Connection::open_in_memory().unwrap()).is_err(), "no such table");
    }
}
