//! BitLocker, after the format paper of the libbde project (*BitLocker Drive Encryption (BDE) format
//! specification*): a volume keeps three copies of its records, in which a key of the volume is wrapped once
//! for each way in; that key unwraps the one that the sectors are encrypted with.

mod cipher;
mod records;
mod recovery_key;
mod wrapped;

use self::cipher::Cipher;
use self::records::Records;
use super::{Key, LockError, Protector, Way};
use crate::block_source::{BlockSource, held, read_exact_at};
use porter_source::OwnTrouble;
use sha2::{Digest, Sha256};
use std::io;
use std::sync::Arc;
use zeroize::Zeroizing;

/// A locked volume.
pub struct Locked {
    source: Arc<dyn BlockSource>,
    records: Records,
    sector_in_bytes: u64,
}

impl Locked {
    /// Reads the records of a volume: the first copy that is whole.
    pub fn load(source: Arc<dyn BlockSource>) -> Result<Self, LockError> {
        let mut first = [0; 512];
        read_exact_at(&*source, 0, &mut first).map_err(|_| LockError::Unreadable)?;
        let sector_in_bytes = u64::from(u16::from_le_bytes([first[11], first[12]]));
        if !matches!(sector_in_bytes, 512 | 1024 | 2048 | 4096) {
            return Err(LockError::Damaged("the size of its sectors"));
        }
        let records = records::load(&*source, &first)?;
        Ok(Self { source, records, sector_in_bytes })
    }

    /// The ways in that it has.
    pub fn protectors(&self) -> Vec<Protector> {
        self.records.masters.iter().map(|master| master.protector.clone()).collect()
    }

    /// Opens it without a key, if it is suspended.
    pub fn open(self) -> Result<Arc<dyn BlockSource>, LockError> {
        let open = |master: &records::Master| {
            let clear = master.clear_key.as_ref()?;
            wrapped::unwrapped(&master.wrapped, clear)
        };
        let master = self.records.masters.iter().find_map(open).ok_or(LockError::NoKey)?;
        self.with_master(&master)
    }

    /// Opens it with a key. Fails at once if the key is a wrong one.
    pub fn unlock(self, key: &Key) -> Result<Arc<dyn BlockSource>, LockError> {
        let master = match key {
            Key::File(bytes) => {
                let external = records::external_key(bytes).ok_or(LockError::WrongKey)?;
                self.master(Way::KeyFile, |master| wrapped::unwrapped(&master.wrapped, &external))
            }
            Key::Typed(text) => match recovery_key::from_text(text)? {
                Some(key) => self.stretched(Way::RecoveryKey, &Sha256::digest(*key)),
                None => {
                    let units: Zeroizing<Vec<u8>> =
                        Zeroizing::new(text.encode_utf16().flat_map(u16::to_le_bytes).collect());
                    self.stretched(Way::Passphrase, &Sha256::digest(Sha256::digest(&*units)))
                }
            },
        };
        self.with_master(&master.ok_or(LockError::WrongKey)?)
    }

    fn master(
        &self,
        way: Way,
        open: impl Fn(&records::Master) -> Option<Zeroizing<Vec<u8>>>,
    ) -> Option<Zeroizing<Vec<u8>>> {
        self.records.masters.iter().filter(|master| master.protector.way == way).find_map(open)
    }

    fn stretched(&self, way: Way, hash: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
        self.master(way, |master| {
            let key = wrapped::stretched(hash, master.salt.as_ref()?);
            wrapped::unwrapped(&master.wrapped, &key)
        })
    }

    fn with_master(self, master: &[u8]) -> Result<Arc<dyn BlockSource>, LockError> {
        const DAMAGED: LockError = LockError::Damaged("the key of its sectors");
        let key = wrapped::unwrapped(&self.records.sector_key, master).ok_or(DAMAGED)?;
        let cipher = Cipher::new(self.records.method, &key, self.sector_in_bytes)?;
        let Self { source, records, sector_in_bytes } = self;
        Ok(Arc::new(Unlocked { source, records, cipher, sector_in_bytes }))
    }
}

/// The volume as its system sees it.
struct Unlocked {
    source: Arc<dyn BlockSource>,
    records: Records,
    cipher: Cipher,
    sector_in_bytes: u64,
}

impl Unlocked {
    /// One whole sector.
    fn read_sector(&self, at: u64, sector: &mut [u8]) -> io::Result<()> {
        let records = &self.records;
        // Windows keeps its own records out of the sight of the file system.
        if records.hidden.iter().any(|hidden| hidden.contains(&at)) {
            sector.fill(0);
            return Ok(());
        }
        if let Some(vista) = records.vista.as_ref().filter(|vista| at < vista.plain_in_bytes) {
            read_exact_at(&*self.source, at, sector)?;
            if at == 0 {
                vista.restore(sector);
            }
            return Ok(());
        }
        // The first sectors are kept elsewhere: in their place stand those that every system can read.
        let place = if at < records.moved_in_bytes { records.moved_to + at } else { at };
        read_exact_at(&*self.source, place, sector)?;
        if place < records.encrypted_in_bytes {
            self.cipher.decrypt(place, sector);
        }
        Ok(())
    }

    /// Whole sectors of a stretch in which nothing is hidden or moved.
    fn read_plainly(&self, at: u64, sectors: &mut [u8]) -> io::Result<()> {
        read_exact_at(&*self.source, at, sectors)?;
        for (number, sector) in sectors.chunks_exact_mut(self.sector_in_bytes as usize).enumerate() {
            let place = at + number as u64 * self.sector_in_bytes;
            if place < self.records.encrypted_in_bytes {
                self.cipher.decrypt(place, sector);
            }
        }
        Ok(())
    }

    fn is_plain(&self, at: u64, end: u64) -> bool {
        let records = &self.records;
        at >= records.moved_in_bytes
            && records.vista.as_ref().is_none_or(|vista| at >= vista.plain_in_bytes)
            && records.hidden.iter().all(|hidden| end <= hidden.start || at >= hidden.end)
    }
}

impl BlockSource for Unlocked {
    fn size_in_bytes(&self) -> u64 {
        self.source.size_in_bytes()
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes(), offset_in_bytes, buffer.len());
        let buffer = &mut buffer[..wanted];
        let size = self.sector_in_bytes;
        let mut done = 0;
        while done < wanted {
            let at = offset_in_bytes + done as u64;
            let within = at % size;
            let whole = (wanted - done) as u64 / size * size;
            if within == 0 && whole > 0 && self.is_plain(at, at + whole) {
                let whole = whole as usize;
                self.read_plainly(at, &mut buffer[done..done + whole])?;
                done += whole;
                continue;
            }
            let mut sector = vec![0; size as usize];
            if at - within + size > self.size_in_bytes() {
                return Err(OwnTrouble::Damaged("the volume ends in the middle of a sector").into());
            }
            self.read_sector(at - within, &mut sector)?;
            let within = within as usize;
            let length = (sector.len() - within).min(wanted - done);
            buffer[done..done + length].copy_from_slice(&sector[within..within + length]);
            done += length;
        }
        Ok(wanted)
    }

    fn is_gone(&self) -> bool {
        self.source.is_gone()
    }
}
