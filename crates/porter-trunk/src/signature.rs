//! Signatures: a workshop that has a key signs the trunks and receipts that it makes, so that nobody can
//! change one, or make another in its name, without being found out.
//!
//! Ed25519 (RFC 8032) over a short text that names what is signed, by whom and when, and its SHA-256.
//! `docs/signatures.md` describes it, and `docs/verify.py` proves it without porter.

use crate::hex::{array_from_hex, to_hex};
use crate::host;
use crate::open_form;
use crate::packed_form::Parts;
use crate::packed_form::layout::LABEL;
use crate::packed_form::list::newest;
use crate::sealing::fill_random;
use crate::{TrunkError, TrunkId};
use ring::signature::{ED25519, Ed25519KeyPair, KeyPair, UnparsedPublicKey};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::io;
use std::path::{Path, PathBuf};
use time::OffsetDateTime;
use zeroize::Zeroizing;

/// The format's name and version.
const FORMAT: &str = "porter-signature/1";
/// A signature is a page, not a book.
const LONGEST_IN_BYTES: u64 = 64 << 10;

/// The key that a workshop signs with.
pub struct SigningKey {
    by: String,
    secret: Zeroizing<[u8; 32]>,
    pair: Ed25519KeyPair,
}

/// A signature, as it is written beside or into what is signed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Signature {
    format: String,
    /// The workshop, as it calls itself.
    pub by: String,
    /// The public half of its key, in hexadecimal digits.
    pub key: String,
    /// When, by the signer's clock.
    #[serde(with = "time::serde::rfc3339")]
    pub signed_utc: OffsetDateTime,
    signature: String,
}

/// Whether something is what its signer signed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Authenticity {
    /// It has no signature.
    NotSigned,
    /// It is, to the byte.
    Signed(Signature),
    /// There is a signature, and it is that of something else.
    Altered,
}

impl SigningKey {
    /// A new one, from the system's source of randomness.
    pub fn generate(by: &str) -> io::Result<Self> {
        let mut secret = Zeroizing::new([0; 32]);
        fill_random(&mut *secret)?;
        Self::of(by, secret).ok_or_else(|| io::Error::other("no key can be made"))
    }

    fn of(by: &str, secret: Zeroizing<[u8; 32]>) -> Option<Self> {
        let pair = Ed25519KeyPair::from_seed_unchecked(&*secret).ok()?;
        Some(Self { by: one_line(by), secret, pair })
    }

    /// Reads what [`Self::to_text`] wrote: the secret in hexadecimal digits, and whose it is.
    pub fn from_text(text: &str) -> Option<Self> {
        let mut lines = text.lines().filter(|line| !line.starts_with('#'));
        let (secret, by) = (lines.next()?.trim(), lines.next()?.trim());
        Self::of(by, Zeroizing::new(array_from_hex(secret)?))
    }

    /// To be kept where nobody else reads it.
    pub fn to_text(&self) -> Zeroizing<String> {
        Zeroizing::new(format!("{}\n{}\n", to_hex(&*self.secret), self.by))
    }

    /// The workshop.
    pub fn by(&self) -> &str {
        &self.by
    }

    /// The public half, in hexadecimal digits.
    pub fn public(&self) -> String {
        to_hex(self.pair.public_key().as_ref())
    }

    /// Signs the content with this digest; `what` says which it is, in one line: a signature of one thing
    /// does not fit another.
    pub fn sign(&self, what: &str, digest: &[u8; 32], signed_utc: OffsetDateTime) -> Signature {
        let mut signature = Signature {
            format: FORMAT.to_owned(),
            by: self.by.clone(),
            key: self.public(),
            // To the second, so that its text is one that other programs write too.
            signed_utc: signed_utc.replace_nanosecond(0).unwrap_or(signed_utc),
            signature: String::new(),
        };
        signature.signature = to_hex(self.pair.sign(signature.message(what, digest).as_bytes()).as_ref());
        signature
    }
}

impl Signature {
    /// The text that is signed.
    fn message(&self, what: &str, digest: &[u8; 32]) -> String {
        let digest = to_hex(digest);
        let signed_utc = self.signed_utc.unix_timestamp();
        format!("{FORMAT}\n{what}\n{}\n{signed_utc}\n{digest}\n", self.by)
    }

    /// True if it is of this content, by the holder of its key. Whose key that is has to be known from
    /// elsewhere.
    pub fn is_of(&self, what: &str, digest: &[u8; 32]) -> bool {
        let (Some(key), Some(signature)) =
            (array_from_hex::<32>(&self.key), crate::hex::from_hex(&self.signature))
        else {
            return false;
        };
        let key = UnparsedPublicKey::new(&ED25519, key);
        self.format == FORMAT
            && self.by == one_line(&self.by)
            && key.verify(self.message(what, digest).as_bytes(), &signature).is_ok()
    }

    /// As JSON.
    pub fn to_bytes(&self) -> Vec<u8> {
        // Strings only: this cannot fail.
        let mut text = serde_json::to_vec_pretty(self).unwrap_or_default();
        text.push(b'\n');
        text
    }

    /// The first digits of its key: enough to distinguish the workshops of a town.
    pub fn key_short(&self) -> String {
        self.key.chars().take(16).collect()
    }
}

/// SHA-256, by which contents are signed.
pub fn digest(content: &[u8]) -> [u8; 32] {
    Sha256::digest(content).into()
}

fn one_line(text: &str) -> String {
    text.chars().filter(|letter| !letter.is_control()).collect()
}

/// The file that pins down all of a trunk, and where its signature stands.
struct Pinned {
    file: PathBuf,
    signature: PathBuf,
    what: String,
}

/// The hash to sign: of the newest finished state of the trunk in these folders.
fn pinned(folders: &[PathBuf]) -> Result<Pinned, TrunkError> {
    let first = folders.first().map(PathBuf::as_path).unwrap_or(Path::new(""));
    let what = |id: &TrunkId, name: &str| format!("trunk {id} {name}");
    if !first.join(LABEL).exists() {
        let trunk = open_form::OpenTrunk::load(first)?;
        let file = first.join(open_form::TAG_MANIFEST);
        let what = what(&crate::Trunk::label(&trunk).trunk_id, open_form::TAG_MANIFEST);
        return Ok(Pinned { file, signature: first.join(open_form::SIGNATURE), what });
    }
    let parts = Parts::load(folders)?;
    let unfinished = || TrunkError::Unfinished(first.to_path_buf());
    let (file, _) = newest(&parts)?.ok_or_else(unfinished)?;
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let what = what(&parts.outside()?.trunk_id, &name);
    Ok(Pinned { signature: file.with_file_name(format!("{name}{ENDING}")), file, what })
}

/// The ending of a list's signature, behind the list's own name.
const ENDING: &str = ".sig";

/// True for the name of a list's signature, and of one that was cut off while it was written.
pub(crate) fn is_of_a_list(name: &str) -> bool {
    [ENDING, ".new"].iter().any(|ending| name.strip_suffix(ending).is_some_and(is_list))
}

/// True for the name of a list, which is what a signature is for.
pub(crate) fn is_list(name: &str) -> bool {
    name.starts_with("list-") && name.ends_with(".list")
}

fn digest_of(file: &Path) -> Result<[u8; 32], TrunkError> {
    let failed = |cause| TrunkError::io("reading", file, cause);
    let mut hasher = Sha256::new();
    let mut from = host::open_plain_file(file).map_err(failed)?;
    crate::content_hash::read_all(&mut from, |piece| hasher.update(piece)).map_err(failed)?;
    Ok(hasher.finalize().into())
}

/// Signs the newest finished state of the trunk in these folders.
pub fn sign_trunk(
    folders: &[PathBuf],
    key: &SigningKey,
    signed_utc: OffsetDateTime,
) -> Result<(), TrunkError> {
    let Pinned { file, signature, what } = pinned(folders)?;
    let signed = key.sign(&what, &digest_of(&file)?, signed_utc);
    host::replace(&signature, &signed.to_bytes(), false)
        .map_err(|cause| TrunkError::io("writing", &signature, cause))
}

/// Whether the newest finished state of the trunk in these folders is what its signer signed.
pub fn authenticity(folders: &[PathBuf]) -> Result<Authenticity, TrunkError> {
    let Pinned { file, signature, what } = pinned(folders)?;
    let bytes = match host::read_small(&signature, LONGEST_IN_BYTES) {
        Ok(bytes) => bytes,
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(Authenticity::NotSigned),
        Err(_) => return Ok(Authenticity::Altered),
    };
    let signed: Option<Signature> = serde_json::from_slice(&bytes).ok();
    let Ok(digest) = digest_of(&file) else { return Ok(Authenticity::Altered) };
    Ok(match signed.filter(|signed| signed.is_of(&what, &digest)) {
        Some(signed) => Authenticity::Signed(signed),
        None => Authenticity::Altered,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::datetime;

    #[test]
    fn a_signature_is_of_one_content_one_name_and_one_key() {
        let key = SigningKey::generate("Saltmarsh Kiteworks\n").unwrap();
        let read = SigningKey::from_text(&format!("# secret\n{}", key.to_text().as_str())).unwrap();
        assert_eq!((read.public(), read.by()), (key.public(), "Saltmarsh Kiteworks"));
        let signed = read.sign("receipt", &digest(b"all landed"), datetime!(2026-11-29 08:00:00.5 UTC));
        let back: Signature = serde_json::from_slice(&signed.to_bytes()).unwrap();
        assert!(back.is_of("receipt", &digest(b"all landed")));
        assert!(!back.is_of("page", &digest(b"all landed")) && !back.is_of("receipt", &digest(b"all lost")));
        let other = SigningKey::generate("Saltmarsh Kiteworks").unwrap();
        for forged in [
            Signature { by: "Somebody else".to_owned(), ..back.clone() },
            Signature { key: other.public(), ..back.clone() },
            Signature { signed_utc: datetime!(2026-11-30 08:00 UTC), ..back.clone() },
            Signature { signature: "00".repeat(64), ..back.clone() },
            Signature { signature: "none".to_owned(), ..back },
        ] {
            assert!(!forged.is_of("receipt", &digest(b"all landed")), "{forged:?}");
        }
        assert!(SigningKey::from_text("none\nx\n").is_none());
    }
}
