//! Some files of an item, out of a trunk into a folder that goes when it is dropped.

use crate::mail::mailboxes::unpack;
use crate::not_taken::NotTaken;
use crate::profiles::ProfileFolder;
use porter_names::RelativePath;
use porter_source::HostFolder;
use porter_trunk::{Content, Trunk, TrunkItem};
use std::fs;
use std::io;
use tempfile::TempDir;

/// See the module.
pub(crate) struct Unpacked {
    volume: HostFolder,
    _folder: TempDir,
}

/// Larger files of a profile hold nothing that is asked for here.
const LARGEST_IN_BYTES: u64 = 2 << 30;

impl Unpacked {
    /// Only files whose paths in the profile are `wanted`.
    pub(crate) fn of(
        trunk: &dyn Trunk,
        item: &TrunkItem,
        wanted: &dyn Fn(&RelativePath) -> bool,
    ) -> Result<Self, NotTaken> {
        let folder = TempDir::with_prefix("porter-")?;
        let roots = item.parts.iter().filter_map(|part| {
            Some((part.place.as_str(), RelativePath::from_bytes(part.path.as_bytes()).ok()?))
        });
        // A part may lie within another of the same item.
        let mut roots: Vec<(&str, RelativePath)> = roots.collect();
        roots.sort_by_key(|(_, root)| std::cmp::Reverse(root.as_bytes().len()));
        for entry in trunk.entries()? {
            let Ok(entry) = entry else { continue };
            let is_small = entry.size_in_bytes() <= LARGEST_IN_BYTES;
            let (true, true, Content::File { .. }) = (entry.item == item.id, is_small, &entry.content) else {
                continue;
            };
            let place = entry.address.place.as_str();
            let mut of_place = roots.iter().filter(|(own, _)| *own == place);
            let below = of_place.find_map(|(_, root)| entry.address.path.below(root));
            let Some(below) = below.filter(wanted) else {
                continue;
            };
            // Names are those of the trunk, which may hold any bytes; this folder is our own.
            let Ok(path) = porter_names::host::to_host(folder.path(), &below) else { continue };
            if let Some(above) = path.parent() {
                fs::create_dir_all(above)?;
            }
            unpack(trunk, &entry, &path)?;
        }
        let volume = HostFolder::open(folder.path()).map_err(|cause| io::Error::other(cause.to_string()))?;
        Ok(Self { volume, _folder: folder })
    }

    /// As the folder of a profile.
    pub(crate) fn folder(&self) -> ProfileFolder<'_> {
        ProfileFolder { volume: &self.volume, at: RelativePath::root() }
    }
}
