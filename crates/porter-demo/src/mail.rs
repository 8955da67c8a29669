//! Files of Outlook.

pub use crate::data_file::{data_file, data_file_with_things};

use crate::tree::Tree;
use crate::writing;
use porter_formats::mail::autocomplete::{Address, to_bytes};
use std::io;

/// Files of Outlook and its sisters: a data file, the autocomplete list, a signature, a
/// template, own words.
pub fn outlook(tree: &mut Tree, home: &str, owner: &str) -> io::Result<()> {
    let [roaming, local, documents] =
        ["AppData/Roaming", "AppData/Local", "Documents"].map(|folder| format!("{home}/{folder}"));
    tree.file(&format!("{local}/Microsoft/Outlook/{owner}.pst"), &data_file_with_things(8))?;
    // Its copy of an earlier year, called the same.
    tree.file(&format!("{documents}/Archive/{owner}.pst"), &data_file(5))?;
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

/// The list of addresses of Outlook 2003, under the name of its profile.
pub fn offered_before_2010(tree: &mut Tree, roaming: &str) -> io::Result<()> {
    let stalls = ["Ines Albrecht", "Owen Tarrant", "Sofie Dahl"].map(|name| Address {
        name: name.to_owned(),
        address: format!("{}@festivals.example", name.to_lowercase().replace(' ', ".")),
        is_of_internet: true,
    });
    tree.file(&format!("{roaming}/Microsoft/Outlook/Outlook.NK2"), &to_bytes(&stalls))
}
