//! Files of Outlook.

use crate::tree::Tree;
use crate::writing;
use porter_formats::mail::autocomplete::{Address, to_bytes};
use std::io;

/// A data file of a header and a tree of nodes ([MS-PST] 2.2.2.6 and 2.2.2.7.7): its root folder, and at most
/// twelve letters in one folder. They are empty.
pub fn data_file(letters: u32) -> Vec<u8> {
    const NODES_AT: usize = 0x4400;
    const INBOX: u32 = 0x8022;
    let of_letters = (0..letters.min(12)).map(|number| (0x20_0004 + number * 0x20, INBOX));
    let nodes: Vec<(u32, u32)> =
        [(0x21, 0), (0x122, 0x122), (INBOX, 0x122)].into_iter().chain(of_letters).collect();
    let mut file = vec![0; 265 << 10];
    file[..4].copy_from_slice(b"!BDN");
    file[8..10].copy_from_slice(b"SM");
    file[10..12].copy_from_slice(&23_u16.to_le_bytes());
    file[224..232].copy_from_slice(&(NODES_AT as u64).to_le_bytes());
    let page = &mut file[NODES_AT..NODES_AT + 512];
    for (row, (node, parent)) in nodes.iter().enumerate() {
        page[row * 32..row * 32 + 4].copy_from_slice(&node.to_le_bytes());
        page[row * 32 + 24..row * 32 + 28].copy_from_slice(&parent.to_le_bytes());
    }
    // At most 15 rows of 32 bytes, at the lowest level.
    page[488..492].copy_from_slice(&[nodes.len() as u8, 15, 32, 0]);
    page[496..498].copy_from_slice(&[0x81, 0x81]);
    file
}

/// Files of Outlook and its sisters: a data file, the autocomplete list, a signature, a
/// template, own words.
pub fn outlook(tree: &mut Tree, roaming: &str, local: &str, owner: &str) -> io::Result<()> {
    tree.file(&format!("{local}/Microsoft/Outlook/{owner}.pst"), &data_file(8))?;
    let list = format!("{local}/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0_2012.dat");
    let friends: Vec<Address> = (1..=14)
        .map(|number| Address {
            name: format!("Order {number}"),
            address: format!("customer{number}@windrose.example"),
            is_of_internet: true,
        })
        .collect();
    tree.file(&list, &to_bytes(&friends))?;
    tree.file(
        &format!("{roaming}/Microsoft/Outlook/Outlook.srs"),
        &writing::noise("send and receive", 2_500),
    )?;
    tree.file(
        &format!("{roaming}/Microsoft/Signatures/Front desk.htm"),
        b"<p>Tamsin Okafor<br>Saltmarsh Kiteworks, front desk</p>\r\n",
    )?;
    tree.file(
        &format!("{roaming}/Microsoft/Templates/Order letter.dotx"),
        &writing::noise("template", 12_000),
    )?;
    tree.file(&format!("{roaming}/Microsoft/UProof/CUSTOM.DIC"), b"rokkaku\r\nparafoil\r\nferrule\r\n")
}
