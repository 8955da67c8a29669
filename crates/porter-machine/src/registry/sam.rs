//! The local accounts: the hive `SAM`.
//!
//! Its layout is not published. We use the fields of each account's values `V` and `F` that have been the
//! same since Windows 2000 and that independent readers agree on (`samusrgrp(8)` of chntpw, the plugins of
//! regipy): `V` begins with rows of offset (from 0xCC), length and a number, the second row is the name, the
//! third the full name, the fourth the comment; `F` holds the last sign-in at 8 and flags at 56. Beside them
//! `InternetUserName` is the address of a Microsoft account, in UTF-16.

use super::RegistryKey;
use super::describe::Told;
use crate::account::{AccountRecord, Origin};
use std::collections::BTreeMap;

/// Where the rows of `V` count from.
const V_DATA_AT: usize = 0xcc;
/// In the flags of `F`.
const DISABLED: u16 = 0x0001;
/// In the flags of `F`.
const NEVER_EXPIRES: u16 = 0x0200;
/// The group of those who may change the system (S-1-5-32-544).
const ADMINISTRATORS: &str = "SAM\\Domains\\Builtin\\Aliases\\00000220";

/// The accounts in `SAM`, by SID.
pub(super) fn told(sam: &impl RegistryKey) -> BTreeMap<String, Told> {
    let mut told = BTreeMap::new();
    let Some(domain) = sam.subkey("SAM\\Domains\\Account") else { return told };
    let Some(machine) = domain.bytes("V").and_then(|v| machine_sid(&v)) else { return told };
    let Some(users) = domain.subkey("Users") else { return told };
    let administrators = sam
        .subkey(ADMINISTRATORS)
        .and_then(|group| group.bytes("C"))
        .map(|c| members(&c))
        .unwrap_or_default();
    for key in users.subkey_names() {
        // One key for each account, named by its number; beside them `Names`.
        let Ok(number) = u32::from_str_radix(&key, 16) else { continue };
        let Some(user) = users.subkey(&key) else { continue };
        let sid = format!("{machine}-{number}");
        let v = user.bytes("V").unwrap_or_default();
        let f = user.bytes("F").unwrap_or_default();
        let flags = f.get(56..58).map(|flags| u16::from_le_bytes([flags[0], flags[1]]));
        let last = f.get(8..16).and_then(|ticks| ticks.try_into().ok()).map(u64::from_le_bytes);
        let address = user.bytes("InternetUserName").map(|bytes| text_of(&bytes)).unwrap_or_default();
        let origin = if address.is_empty() { Origin::Local } else { Origin::Microsoft { address } };
        let record = AccountRecord {
            comment: text_in_v(&v, 3),
            password_never_expires: flags.map(|flags| flags & NEVER_EXPIRES != 0),
            origin: Some(origin),
            roaming_profile: None,
        };
        let row = Told {
            record,
            name: text_in_v(&v, 1),
            full_name: text_in_v(&v, 2),
            is_administrator: Some(administrators.contains(&sid)),
            is_disabled: flags.map(|flags| flags & DISABLED != 0),
            last_signed_in_utc: last.filter(|ticks| *ticks != 0).and_then(porter_source::utc_from_filetime),
        };
        told.insert(sid, row);
    }
    told
}

/// False for accounts that come with every Windows: their numbers are below 1000.
pub(super) fn is_made_by_people(sid: &str) -> bool {
    sid.rsplit('-').next().and_then(|number| number.parse::<u32>().ok()).is_some_and(|number| number >= 1000)
}

/// True for a SID that is known to be none of this machine's: one without the number that all of these begin
/// with. Without any of them nothing is known.
pub(super) fn is_stranger(sid: &str, told_by_sid: &BTreeMap<String, Told>) -> bool {
    let machine = told_by_sid.keys().next().and_then(|own| own.rsplit_once('-'));
    machine.is_some_and(|(machine, _)| sid.rsplit_once('-').is_some_and(|(prefix, _)| prefix != machine))
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

/// The text of a row of `V`; none if it is empty.
fn text_in_v(v: &[u8], row: usize) -> Option<String> {
    let start = V_DATA_AT.checked_add(word(v, row * 12)? as usize)?;
    let text = v.get(start..start.checked_add(word(v, row * 12 + 4)? as usize)?)?;
    Some(text_of(text)).filter(|text| !text.is_empty())
}

fn text_of(bytes: &[u8]) -> String {
    let units: Vec<u16> = bytes.as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
    String::from_utf16_lossy(&units).trim_end_matches('\0').to_owned()
}

/// The SID that all local accounts begin with: the last three numbers of the domain's `V`.
fn machine_sid(v: &[u8]) -> Option<String> {
    let at = v.len().checked_sub(12)?;
    Some(format!("S-1-5-21-{}-{}-{}", word(v, at)?, word(v, at + 4)?, word(v, at + 8)?))
}

/// The members of a group: its `C` holds where they begin (from 52) and how many there are.
fn members(c: &[u8]) -> Vec<String> {
    let mut sids = Vec::new();
    let (Some(from), Some(count)) = (word(c, 40), word(c, 48)) else { return sids };
    let mut at = 52_usize.saturating_add(from as usize);
    for _ in 0..count {
        let Some((sid, length)) = c.get(at..).and_then(sid_in) else { break };
        sids.push(sid);
        at += length;
    }
    sids
}

/// A SID ([MS-DTYP] 2.4.2.2) and how long it is.
fn sid_in(bytes: &[u8]) -> Option<(String, usize)> {
    let count = usize::from(*bytes.get(1)?);
    let authority = bytes.get(2..8)?.iter().fold(0_u64, |number, byte| number << 8 | u64::from(*byte));
    let mut sid = format!("S-{}-{authority}", bytes[0]);
    for number in 0..count {
        sid.push_str(&format!("-{}", word(bytes, 8 + 4 * number)?));
    }
    Some((sid, 8 + 4 * count))
}
