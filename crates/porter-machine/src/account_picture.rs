//! The picture of a person's account on a Windows since 8: a folder for each person, of their SID, with the
//! picture in several sizes. The registry names the files (`…\CurrentVersion\AccountPicture\Users\SID`).

use super::linux::account_service::BLAKE3;
use super::looker::Looker;
use super::setting::Setting;
use super::small_file;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};
use porter_trunk::ContentHash;

/// The folder of all of them, below the root of the drive.
pub const FOLDER: &str = "Users/Public/AccountPictures";
/// A picture is not larger.
const LARGEST_IN_BYTES: u64 = 4 << 20;

/// The picture of the account with that SID, by the content of its largest file.
pub(super) fn setting(volume: &dyn Volume, looker: &mut Looker<'_>, sid: &str) -> Option<Setting> {
    if !is_sid(sid) {
        return None;
    }
    let folder = looker.find(&RelativePath::root(), &format!("{FOLDER}/{sid}")).path;
    let is_picture = |name: &[u8]| {
        let name = name.to_ascii_lowercase();
        [&b".jpg"[..], b".png", b".bmp"].iter().any(|ending| name.ends_with(ending))
    };
    let rows = looker.list(&folder).iter().filter(|row| {
        row.metadata.kind == EntryKind::File
            && (1..=LARGEST_IN_BYTES).contains(&row.metadata.size_in_bytes)
            && is_picture(&row.name)
    });
    let largest = rows.max_by_key(|row| (row.metadata.size_in_bytes, row.name.clone()))?;
    let picture = small_file::read(volume, &folder.join(&largest.name).ok()?)?;
    let hash = ContentHash::of(&picture).to_string();
    Setting::new("picture", "Picture of the account", &[(BLAKE3, Some(hash))])
}

/// True for the text of a SID, which may then be a part of a path or a key.
pub fn is_sid(sid: &str) -> bool {
    sid.strip_prefix("S-1-").is_some_and(|rest| {
        rest.len() < 100
            && rest.split('-').all(|part| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit()))
    })
}
