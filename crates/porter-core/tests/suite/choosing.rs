//! Choosing in items: the tree to tick, and files by name and size.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_core::packing::tree::{StandsFor, Ticked};
use porter_core::packing::{PackingList, Tree, list};
use porter_core::survey::{Survey, survey};
use porter_kinds::catalogue::patterns::Patterns;
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use porter_machine::Machine;
use time::Duration;

fn machine() -> Machine {
    let mut volume = ScriptedVolume::windows();
    for (at, size) in [
        ("Users/odile/Documents/Kites/2025/plan.txt", 100),
        ("Users/odile/Documents/Kites/2026/plan.txt", 200),
        ("Users/odile/Documents/Kites/2026/photo.ISO", 3000),
        ("Users/odile/Documents/Letters/a.txt", 40),
        ("Users/odile/Documents/note.txt", 5),
        ("Users/odile/Music/song.wav", 7),
    ] {
        volume.add(at, Script::File(vec![b'x'; size]));
    }
    volume.recognised()
}

fn surveyed(machine: &Machine, unchosen: &Unchosen) -> Survey {
    let mut found = None;
    crate::stand_ins::undisturbed(&mut |conduct| {
        let all = Selection::default();
        found = Some(survey(machine, &crate::stand_ins::kinds(), &all, unchosen, conduct).unwrap());
    });
    found.unwrap()
}

fn size_of(survey: &Survey, id: &str) -> u64 {
    survey.items.iter().find(|row| row.item.id == id).unwrap().to_capture.size_in_bytes
}

#[test]
fn what_is_ticked_in_the_tree_is_what_the_list_carries() {
    let machine = machine();
    let mut unchosen = crate::stand_ins::everything();
    let mut survey = surveyed(&machine, &unchosen);
    let mut tree = Tree::of(&survey);
    let whole = tree.total();
    let titles = |tree: &Tree| tree.shown().iter().map(|(_, row)| row.title.clone()).collect::<Vec<_>>();
    assert_eq!(titles(&tree), ["odile", "folder", "For everybody", "account"]);

    tree.at(&vec![0, 0]).unwrap().is_open = true;
    let documents = vec![0, 0, 0];
    assert_eq!(tree.at(&documents).unwrap().title, "Documents");
    tree.look_into(&documents, &machine, &crate::stand_ins::kinds(), &survey, &unchosen);
    tree.at(&documents).unwrap().is_open = true;
    assert_eq!(titles(&tree)[2..5], ["Documents", "Kites", "Letters"]);
    let year = vec![0, 0, 0, 0, 1];
    assert_eq!(tree.at(&year).unwrap().stands_for, StandsFor::Folder("documents/Kites/2026".to_owned()));
    assert_eq!(tree.at(&year).unwrap().tally.size_in_bytes, 3200);

    tree.toggle(&year);
    assert_eq!(tree.at(&documents).unwrap().is_ticked(), Ticked::Partly);
    assert_eq!(tree.total().size_in_bytes, whole.size_in_bytes - 3200);
    // Music, as an item.
    tree.toggle(&vec![0, 0, 1]);
    assert_eq!(tree.total().size_in_bytes, whole.size_in_bytes - 3207);
    // All ticks come back at once, and go at once.
    tree.toggle(&vec![0]);
    assert_eq!((tree.total(), tree.at(&vec![0]).unwrap().is_ticked()), (whole, Ticked::Whole));
    tree.toggle(&vec![0]);
    assert_eq!(tree.total().entries(), 0);
    // A folder that is ticked again brings its item with it, and nothing else.
    tree.toggle(&year);
    tree.apply(&mut survey, &mut unchosen);
    let mut chosen = survey.items.iter().filter(|row| row.chosen && !row.item.is_setting());
    assert!(chosen.all(|row| row.item.id == "odile/folder/documents"));

    // Through the file, and back into a survey.
    let text = list::to_toml(&machine, &survey, &unchosen, "", &|_| String::new());
    let list = PackingList::from_toml(&text).unwrap();
    assert_eq!(
        list.carried().into_iter().collect::<Vec<_>>(),
        ["machine/account/odile", "odile/folder/documents"]
    );
    let again = surveyed(&machine, &list.unchosen());
    assert_eq!(
        size_of(&again, "odile/folder/documents"),
        3205,
        "the year, and the note that is in no folder"
    );
    let changes = list.changes_in(&again);
    assert!(changes.other_size.is_empty() && changes.gone.is_empty(), "{changes:?}");
}

#[test]
fn files_are_left_out_by_name_and_by_size() {
    let machine = machine();
    let by_name = Unchosen { files: Patterns::new(vec!["*.iso".to_owned()]).unwrap(), ..Unchosen::default() };
    assert_eq!(size_of(&surveyed(&machine, &by_name), "odile/folder/documents"), 345);
    let by_size = Unchosen { files_over_in_bytes: Some(199), ..by_name };
    let survey = surveyed(&machine, &by_size);
    assert_eq!(size_of(&survey, "odile/folder/documents"), 145);
    let documents = survey.items.iter().find(|row| row.item.id == "odile/folder/documents").unwrap();
    assert_eq!(documents.to_leave.size_in_bytes, 3200);
}

#[test]
fn who_used_the_machine_lately_counts_from_its_own_last_use() {
    let mut machine = machine();
    let mut account = machine.accounts[0].clone();
    (account.id, account.last_used_utc) =
        ("bram".to_owned(), Some(crate::stand_ins::NOW - Duration::days(400)));
    machine.accounts.push(account.clone());
    (account.id, account.last_used_utc) = ("nobody-knows".to_owned(), None);
    machine.accounts.push(account);
    let lately = Selection::default().used_within(&machine, Duration::days(365));
    let chosen = ["odile", "bram", "nobody-knows"].map(|owner| lately.chooses("x/folder/music", Some(owner)));
    assert_eq!(chosen, [true, false, true]);
    assert!(lately.chooses("machine/folder/drive/x", None));
}
