//! Mail profiles and what lies around them.

use crate::tree::Tree;
use crate::writing;
use std::io;

/// A profile of Thunderbird with letters as mbox (RFC 4155), beside its caches.
pub fn thunderbird(tree: &mut Tree, folder: &str, owner: &str, letters: usize) -> io::Result<()> {
    let profile = format!("{folder}/Profiles/k1t3s4lt.default");
    tree.file(
        &format!("{folder}/profiles.ini"),
        b"[General]\nStartWithLastProfile=1\n\n[Profile0]\nName=default\nIsRelative=1\nPath=Profiles/k1t3s4lt.default\nDefault=1\n",
    )?;
    tree.file(
        &format!("{profile}/prefs.js"),
        format!("user_pref(\"mail.identity.id1.useremail\", \"{owner}@saltmarsh.example\");\n").as_bytes(),
    )?;
    let mail = format!("{profile}/Mail/mail.saltmarsh.example");
    for name in ["Inbox", "Sent", "Customers"] {
        tree.file(&format!("{mail}/{name}"), &mbox(name, owner, letters))?;
        tree.file(&format!("{mail}/{name}.msf"), b"// <!-- <mdb:mork:z v=\"1.4\"/> -->\n")?;
    }
    tree.file(&format!("{profile}/abook.mab"), b"// <!-- <mdb:mork:z v=\"1.4\"/> -->\n")?;
    tree.file(&format!("{profile}/parent.lock"), b"")?;
    tree.file(
        &format!("{profile}/startupCache/startupCache.8.little"),
        &writing::noise("start-up cache", 30_000),
    )
}

fn mbox(name: &str, owner: &str, letters: usize) -> Vec<u8> {
    let mut mbox = Vec::new();
    for number in 1..=letters {
        let head = format!(
            "From - Mon Mar  5 08:00:00 2012\nFrom: Ines Albrecht <ines@{number}.example>\n\
             To: {owner}@saltmarsh.example\nSubject: Kite {number}\nMessage-ID: <{name}.{number}@saltmarsh.example>\n\n"
        );
        mbox.extend_from_slice(head.as_bytes());
        let body = String::from_utf8_lossy(&writing::text(&format!("{name} {number}"), 6)).replace('\r', "");
        mbox.extend_from_slice(body.replace("\nFrom ", "\n>From ").as_bytes());
        mbox.extend_from_slice(b"\n");
    }
    mbox
}

/// Files of Outlook and its sisters: a data file that begins as one does ([MS-PST] 2.2.2.6) and holds no
/// messages, the autocomplete list, a signature, a template, own words.
pub fn outlook(tree: &mut Tree, roaming: &str, local: &str, owner: &str) -> io::Result<()> {
    let data = [b"!BDN".to_vec(), writing::noise("outlook", 260_000)].concat();
    tree.file(&format!("{local}/Microsoft/Outlook/{owner}.pst"), &data)?;
    let list = format!("{local}/Microsoft/Outlook/RoamCache/Stream_Autocomplete_0_2012.dat");
    tree.file(&list, &writing::noise("autocomplete", 4_000))?;
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
