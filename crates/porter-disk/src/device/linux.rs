//! Linux: block devices, as sysfs(5) lists them.
//!
//! The kernel reads whole pages of 4096 bytes through its cache, and one bad sector makes all of a page fail;
//! so a stretch that failed is read once more past the cache (open(2), `O_DIRECT`).

use super::Device;
use super::whole_sectors::WholeSectors;
use crate::block_source::{BlockSource, FileSource};
use porter_source::open_to_look;
use rustix::fs::{Mode, OFlags, major, minor, stat};
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::{FileExt, FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub(super) fn is_device(path: &Path) -> bool {
    fs::metadata(path).is_ok_and(|found| found.file_type().is_block_device())
}

pub(super) fn open(path: &Path) -> io::Result<Option<Arc<dyn BlockSource>>> {
    if !is_device(path) {
        return Ok(None);
    }
    let number = fs::metadata(path)?.rdev();
    let size_in_bytes = io::Seek::seek(&mut File::open(path)?, io::SeekFrom::End(0))?;
    let through_cache = FileSource::new(Box::new(open_to_look(path)?), size_in_bytes);
    let sysfs = sysfs_of(number);
    let sector_in_bytes = number_in(&whole_drive(&sysfs).join("queue/logical_block_size")).unwrap_or(512);
    let flags = OFlags::RDONLY | OFlags::CLOEXEC | OFlags::DIRECT;
    let past_cache = rustix::fs::open(path, flags, Mode::empty()).ok().map(|opened| {
        let direct = PastCache { file: opened.into(), size_in_bytes, sector_in_bytes };
        WholeSectors::new(direct, sector_in_bytes)
    });
    Ok(Some(Arc::new(Drive { through_cache, past_cache, sysfs })))
}

struct Drive {
    through_cache: FileSource,
    past_cache: Option<WholeSectors<PastCache>>,
    sysfs: PathBuf,
}

impl BlockSource for Drive {
    fn size_in_bytes(&self) -> u64 {
        self.through_cache.size_in_bytes()
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        const PAGE_IN_BYTES: usize = 4096;
        match (self.through_cache.read_at(offset_in_bytes, buffer), &self.past_cache) {
            (Err(_), Some(past_cache)) if buffer.len() <= PAGE_IN_BYTES => {
                past_cache.read_at(offset_in_bytes, buffer)
            }
            (done, _) => done,
        }
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        self.through_cache.look_at(offset_in_bytes, length_in_bytes, look)
    }

    fn is_gone(&self) -> bool {
        !self.sysfs.exists() && Path::new("/sys/dev/block").is_dir()
    }
}

/// Whole sectors, into memory that begins where the device wants it.
struct PastCache {
    file: File,
    size_in_bytes: u64,
    sector_in_bytes: u64,
}

impl BlockSource for PastCache {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let step = usize::try_from(self.sector_in_bytes).unwrap_or(4096).max(512);
        let mut room = vec![0; buffer.len() + step];
        let from = room.as_ptr().align_offset(step).min(step);
        let room = &mut room[from..from + buffer.len()];
        let read = self.file.read_at(room, offset_in_bytes)?;
        buffer[..read].copy_from_slice(&room[..read]);
        Ok(read)
    }
}

/// The folder that sysfs keeps for a device.
fn sysfs_of(number: u64) -> PathBuf {
    let link = PathBuf::from(format!("/sys/dev/block/{}:{}", major(number), minor(number)));
    fs::canonicalize(&link).unwrap_or(link)
}

/// The folder of the drive that a partition is on.
fn whole_drive(sysfs: &Path) -> PathBuf {
    match sysfs.parent() {
        Some(above) if sysfs.join("partition").exists() => above.to_path_buf(),
        _ => sysfs.to_path_buf(),
    }
}

fn number_in(file: &Path) -> Option<u64> {
    fs::read_to_string(file).ok()?.trim().parse().ok()
}

/// Drives that hold something; devices in memory and those made of others are passed by.
pub(super) fn all() -> Vec<Device> {
    let rows = fs::read_dir("/sys/block").into_iter().flatten().flatten();
    let mut devices: Vec<Device> = rows
        .filter_map(|row| {
            let name = row.file_name().into_string().ok()?;
            if ["ram", "zram", "dm-", "md", "fd"].iter().any(|prefix| name.starts_with(prefix)) {
                return None;
            }
            let sysfs = row.path();
            let sectors = number_in(&sysfs.join("size")).filter(|sectors| *sectors > 0)?;
            let model = fs::read_to_string(sysfs.join("device/model")).ok();
            let path = Path::new("/dev").join(name.replace('!', "/"));
            Some(Device {
                // sysfs counts sectors of 512 bytes whatever the drive's are.
                size_in_bytes: Some(sectors.saturating_mul(512)),
                model: model.map(|model| model.trim().to_owned()).filter(|model| !model.is_empty()),
                is_removable: number_in(&sysfs.join("removable")) == Some(1),
                mounted_at: mounted_at(&path),
                path,
            })
        })
        .collect();
    devices.sort_by(|a, b| a.path.cmp(&b.path));
    devices
}

fn whole_drive_of(path: &Path) -> PathBuf {
    fs::metadata(path).map(|found| whole_drive(&sysfs_of(found.rdev()))).unwrap_or_default()
}

pub(super) fn mounted_at(path: &Path) -> Vec<PathBuf> {
    let Ok(own) = fs::metadata(path).map(|found| sysfs_of(found.rdev())) else { return Vec::new() };
    let is_on = |number: u64| {
        let mounted = sysfs_of(number);
        mounted == own || whole_drive(&mounted) == own
    };
    let mounts = if is_device(path) { mounts() } else { Vec::new() };
    let mut found: Vec<PathBuf> =
        mounts.into_iter().filter(|(number, _)| is_on(*number)).map(|(_, at)| at).collect();
    found.sort();
    found
}

/// The numbers of the devices that are mounted, and where (proc(5), `mountinfo`).
fn mounts() -> Vec<(u64, PathBuf)> {
    let text = fs::read_to_string("/proc/self/mountinfo").unwrap_or_default();
    let row = |line: &str| {
        let fields: Vec<&str> = line.split(' ').collect();
        let (major, minor) = fields.get(2)?.split_once(':')?;
        let number = rustix::fs::makedev(major.parse().ok()?, minor.parse().ok()?);
        // A blank in a path is written as its number.
        Some((number, PathBuf::from(fields.get(4)?.replace("\\040", " "))))
    };
    text.lines().filter_map(row).filter(|(number, _)| major(*number) != 0).collect()
}

pub(super) fn holds(device: &Path, folder: &Path) -> bool {
    let there = folder.ancestors().find_map(|above| stat(above).ok());
    there.is_some_and(|found| {
        let below = sysfs_of(found.st_dev);
        major(found.st_dev) != 0 && whole_drive(&below) == whole_drive_of(device)
    })
}
