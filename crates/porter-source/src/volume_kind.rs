//! The kind of a drive or an image, by its first bytes: enough to say how to open it.

/// How much of the beginning is looked at.
pub const BEGINNING_IN_BYTES: usize = 4096;

/// The kind of a drive or an image.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum VolumeKind {
    /// Encrypted by BitLocker (signature `-FVE-FS-`, or `MSWIN4.1` with its identifier on a stick; libbde's
    /// format paper).
    BitLocker,
    /// Encrypted by LUKS (magic `LUKS\xBA\xBE`; LUKS1 and LUKS2 specifications).
    Luks,
    /// Core Storage of macOS (`CS`), which FileVault encrypts.
    CoreStorage,
    /// A container of APFS (`NXSB`; Apple File System Reference), which FileVault may encrypt.
    Apfs,
    /// HFS+ (`H+` or `HX`; Apple's Technical Note TN1150).
    HfsPlus,
    /// NTFS.
    Ntfs,
    /// FAT12, FAT16 or FAT32.
    Fat,
    /// exFAT.
    ExFat,
    /// ext2, ext3 or ext4.
    Ext,
    /// A whole drive with a table of partitions.
    PartitionTable,
}

impl VolumeKind {
    /// None if nothing is known of what begins like that.
    pub fn from_bytes(beginning: &[u8]) -> Option<Self> {
        let has = |at: usize, mark: &[u8]| beginning.get(at..).is_some_and(|rest| rest.starts_with(mark));
        // BitLocker To Go on FAT keeps its identifier at 424.
        const BITLOCKER_TO_GO: [u8; 8] = [0x3b, 0xd6, 0x67, 0x49, 0x29, 0x2e, 0xd8, 0x4a];
        if has(3, b"-FVE-FS-") || (has(3, b"MSWIN4.1") && has(424, &BITLOCKER_TO_GO)) {
            return Some(Self::BitLocker);
        }
        let known: [(usize, &[u8], Self); 11] = [
            (0, b"LUKS\xba\xbe", Self::Luks),
            (88, b"CS", Self::CoreStorage),
            (32, b"NXSB", Self::Apfs),
            (1024, b"H+", Self::HfsPlus),
            (1024, b"HX", Self::HfsPlus),
            (3, b"NTFS    ", Self::Ntfs),
            (3, b"EXFAT   ", Self::ExFat),
            (82, b"FAT32   ", Self::Fat),
            (54, b"FAT12   ", Self::Fat),
            (54, b"FAT16   ", Self::Fat),
            (1080, b"\x53\xef", Self::Ext),
        ];
        let found = known.iter().find(|(at, mark, _)| has(*at, mark)).map(|(_, _, kind)| *kind);
        let is_table = has(512, b"EFI PART") || has(510, b"\x55\xaa");
        found.or(is_table.then_some(Self::PartitionTable))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_is_known_by_its_mark() {
        let with = |at: usize, mark: &[u8]| {
            let mut bytes = vec![0; BEGINNING_IN_BYTES];
            bytes[at..at + mark.len()].copy_from_slice(mark);
            VolumeKind::from_bytes(&bytes)
        };
        assert_eq!(with(3, b"-FVE-FS-"), Some(VolumeKind::BitLocker));
        assert_eq!(with(0, b"LUKS\xba\xbe\x00\x02"), Some(VolumeKind::Luks));
        assert_eq!(with(32, b"NXSB"), Some(VolumeKind::Apfs));
        assert_eq!(with(1024, b"H+\x00\x04"), Some(VolumeKind::HfsPlus));
        assert_eq!(with(1080, b"\x53\xef"), Some(VolumeKind::Ext));
        assert_eq!(with(54, b"FAT16   "), Some(VolumeKind::Fat));
        assert_eq!(with(3, b"EXFAT   "), Some(VolumeKind::ExFat));
        assert_eq!(with(510, b"\x55\xaa"), Some(VolumeKind::PartitionTable));
        assert_eq!(with(100, b"kites"), None);
        assert_eq!(VolumeKind::from_bytes(b""), None);
    }
}
