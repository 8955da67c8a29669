//! Drives and images: changed tables of partitions, headers of images, records and folders of file systems,
//! and packed contents.

use super::Format;
use porter_disk::block_source::BlockSource;
use porter_disk::file_system::{ntfs, recognise};
use porter_disk::image;
use porter_disk::lock::Key;
use porter_disk::lock::bitlocker::Locked;
use porter_disk::packed::{lznt1, lzx, xpress};
use porter_disk::partition::table;
use porter_disk::rescue::map_file::DriveMap;
use std::io;
use std::sync::{Arc, OnceLock};
use zeroize::Zeroizing;

const NTFS: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/kites.ntfs.zst");
const FAT: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/sticks.fat.zst");
const EXFAT: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/sticks.exfat.zst");
const VHD: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/sticks.vhd.zst");
const VHDX: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/sticks.vhdx.zst");
const LOCKED: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/locked.fat.zst");
const KEY_FILE: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/locked.fat.bek");
const LZX: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/words.lzx");
const XPRESS: &[u8] = include_bytes!("../../../crates/porter-disk/tests/images/words.xpress");

/// The stretches of the images that are changed: without them most changes would meet what nobody reads.
const TABLE_OF_FILES: std::ops::Range<usize> = 0x4000..0x4000 + 200 * 1024;
const FOLDERS_OF_FAT: usize = 64 * 1024;
const FOLDERS_OF_EXFAT: usize = 3 << 20;

/// An image of which the beginning, or a later stretch, is another.
struct Patched {
    image: &'static [u8],
    at: usize,
    patch: Vec<u8>,
    /// The patch may be longer or shorter than what it stands for; so much of the image it hides.
    hides: usize,
}

impl BlockSource for Patched {
    fn size_in_bytes(&self) -> u64 {
        self.image.len() as u64
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let from = usize::try_from(offset_in_bytes).unwrap_or(usize::MAX).min(self.image.len());
        let length = buffer.len().min(self.image.len() - from);
        buffer[..length].copy_from_slice(&self.image[from..from + length]);
        let end = self.at + self.hides.min(self.patch.len());
        let (first, last) = (from.max(self.at), (from + length).min(end));
        if first < last {
            buffer[first - from..last - from].copy_from_slice(&self.patch[first - self.at..last - self.at]);
        }
        Ok(length)
    }
}

fn unpacked(image: &[u8]) -> &'static [u8] {
    static ALL: OnceLock<Vec<(usize, Vec<u8>)>> = OnceLock::new();
    let all = ALL.get_or_init(|| {
        let images = [NTFS, FAT, EXFAT, VHD, VHDX, LOCKED];
        images.iter().map(|packed| (packed.len(), zstd::decode_all(*packed).unwrap_or_default())).collect()
    });
    all.iter()
        .find(|(length, _)| *length == image.len())
        .map(|(_, bytes)| bytes.as_slice())
        .unwrap_or_default()
}

/// Opens what the bytes are, lists all, and reads the beginning of each file.
fn look_through(source: Arc<dyn BlockSource>) {
    let Ok(volume) = recognise::open(source, true) else { return };
    let tree = volume.tree();
    let mut waiting = vec![tree.root()];
    let mut looked = 0;
    let mut buffer = vec![0; 5000];
    while let Some(folder) = waiting.pop() {
        for (_, node) in tree.nodes_in(folder) {
            looked += 1;
            if looked > 3000 {
                return;
            }
            waiting.push(node);
            drop(volume.details(node));
            drop(volume.link_target(node));
            if let Ok(file) = volume.open(node) {
                let _ = file.next_data(1);
                for at in [0, 65_000] {
                    drop(file.read_at(at, &mut buffer));
                }
            }
        }
    }
}

fn in_image(packed: &'static [u8], at: usize, hides: usize, file: &[u8]) {
    let image = unpacked(packed);
    look_through(Arc::new(Patched { image, at, patch: file.to_vec(), hides }));
}

fn whole_image(packed: &'static [u8], file: &[u8]) {
    let image = unpacked(packed);
    let source = Patched { image, at: 0, patch: file.to_vec(), hides: file.len() };
    if let Ok(drive) = image::from_source(Arc::new(source)) {
        look_through(drive);
    }
}

pub(super) fn formats() -> io::Result<Vec<Format>> {
    let piece = |packed: &[u8], range: std::ops::Range<usize>| {
        unpacked(packed).get(range).map(<[u8]>::to_vec).ok_or(io::ErrorKind::UnexpectedEof)
    };
    let table = {
        let mut sector = vec![0; 4096];
        sector[446..462].copy_from_slice(&[0, 0, 0, 0, 5, 0, 0, 0, 1, 0, 0, 0, 9, 0, 0, 0]);
        sector[462..478].copy_from_slice(&[0, 0, 0, 0, 7, 0, 0, 0, 3, 0, 0, 0, 4, 0, 0, 0]);
        sector[510..512].copy_from_slice(&[0x55, 0xaa]);
        let again = sector[..512].to_vec();
        sector[512..1024].copy_from_slice(&again);
        sector
    };
    Ok(vec![
        Format {
            name: "partitions",
            seeds: vec![table],
            decode: |file, _| {
                let drive: Arc<dyn BlockSource> = Arc::new(file.to_vec());
                drop(table::load(&drive));
            },
        },
        Format {
            name: "ntfs",
            seeds: vec![piece(NTFS, TABLE_OF_FILES)?],
            decode: |file, _| in_image(NTFS, TABLE_OF_FILES.start, TABLE_OF_FILES.len(), file),
        },
        Format {
            name: "ntfs-record",
            // Records as they are on the volume, and the first blocks of indexes.
            seeds: {
                let records = unpacked(NTFS).chunks_exact(1024).filter(|piece| piece.starts_with(b"FILE"));
                let blocks = unpacked(NTFS).chunks_exact(4096).filter(|piece| piece.starts_with(b"INDX"));
                records.chain(blocks).map(<[u8]>::to_vec).collect()
            },
            decode: |file, _| {
                let _ = ntfs::count_in_record(file);
            },
        },
        Format {
            name: "ntfs-boot",
            seeds: vec![piece(NTFS, 0..512)?],
            decode: |file, _| in_image(NTFS, 0, 512, file),
        },
        Format {
            name: "fat",
            seeds: vec![piece(FAT, 0..FOLDERS_OF_FAT)?],
            decode: |file, _| in_image(FAT, 0, FOLDERS_OF_FAT, file),
        },
        Format {
            name: "exfat",
            seeds: vec![piece(EXFAT, 0..FOLDERS_OF_EXFAT)?],
            decode: |file, _| in_image(EXFAT, 0, FOLDERS_OF_EXFAT, file),
        },
        Format { name: "vhd", seeds: vec![piece(VHD, 0..4096)?], decode: |file, _| whole_image(VHD, file) },
        Format {
            name: "vhdx",
            seeds: vec![piece(VHDX, 0..4 << 20)?],
            decode: |file, _| whole_image(VHDX, file),
        },
        Format {
            name: "bitlocker",
            seeds: vec![piece(LOCKED, 0x2_0000..0x6_4000)?],
            decode: |file, _| {
                let image = unpacked(LOCKED);
                let source = Patched { image, at: 0x2_0000, patch: file.to_vec(), hides: 0x4_4000 };
                if let Ok(locked) = Locked::load(Arc::new(source)) {
                    drop(locked.protectors());
                    if let Ok(volume) = locked.unlock(&Key::File(Zeroizing::new(KEY_FILE.to_vec()))) {
                        look_through(volume);
                    }
                }
                drop(Locked::load(Arc::new(file.to_vec())).map(|locked| locked.protectors()));
            },
        },
        Format {
            name: "packed",
            seeds: vec![
                LZX.to_vec(),
                XPRESS.to_vec(),
                vec![0x3f, 0xb0, 0xff, 1, 2, 3, 4, 5, 6, 7, 8, 0x10, 0, 0x20, 0],
            ],
            decode: |file, _| {
                drop(lzx::unpacked(file, 32_768));
                drop(xpress::unpacked(file, 65_536));
                drop(lznt1::unpacked(file, 65_536));
            },
        },
        Format {
            name: "drive-map",
            seeds: vec![b"# Mapfile.\n0x10 + 1\n0x0 0x200 +\n0x200 512 -\n0x400 0x1000 ?\n".to_vec()],
            decode: |file, _| {
                if let Ok(map) = DriveMap::from_text(&String::from_utf8_lossy(file)) {
                    drop(map.to_text(1 << 30));
                }
            },
        },
    ])
}
