//! Who may do what with a key. Descriptors are carried as they are; only a new hive needs one of its own.

/// A self-relative descriptor ([MS-DTYP] 2.4.6) for a new hive: the system and administrators may do
/// everything, everybody may read, and keys below inherit that.
pub fn for_new_hive() -> Vec<u8> {
    let administrators = [1, 2, 0, 0, 0, 0, 0, 5, 32, 0, 0, 0, 32, 2, 0, 0];
    let system = [1, 1, 0, 0, 0, 0, 0, 5, 18, 0, 0, 0];
    let everybody = [1, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0];
    const ALL: u32 = 0x000f_003f;
    const READ: u32 = 0x0002_0019;
    let entries: Vec<u8> = [(&administrators[..], ALL), (&system, ALL), (&everybody, READ)]
        .iter()
        .flat_map(|(sid, rights)| {
            let length = (8 + sid.len()) as u16;
            // Allowed, and inherited by the keys below.
            let head = [&[0, 2][..], &length.to_le_bytes(), &rights.to_le_bytes()].concat();
            [head, sid.to_vec()].concat()
        })
        .collect();
    let list_length = (8 + entries.len()) as u16;
    let list = [&[2, 0][..], &list_length.to_le_bytes(), &3_u16.to_le_bytes(), &[0, 0], &entries].concat();
    let (owner_at, list_at) = (20_u32, 20 + administrators.len() as u32);
    let head: Vec<u8> = [
        // Self-relative, with a list of who may do what.
        &[1, 0][..],
        &0x8004_u16.to_le_bytes(),
        &owner_at.to_le_bytes(),
        &owner_at.to_le_bytes(),
        &0_u32.to_le_bytes(),
        &list_at.to_le_bytes(),
    ]
    .concat();
    [head, administrators.to_vec(), list].concat()
}
