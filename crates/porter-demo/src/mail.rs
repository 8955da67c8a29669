//! Files of Outlook.

pub use crate::data_file::data_file;

use crate::tree::Tree;
use crate::writing;
use porter_formats::mail::autocomplete::{Address, to_bytes};
use std::io;

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
