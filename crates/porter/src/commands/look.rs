//! `porter look`.

use crate::arguments::TrunkArguments;
use crate::failure::{Failure, Outcome};
use crate::screen::say_json;
use crate::stop::STOP;
use crate::usable_list::UsableList;
use crate::{keys, open, views};
use clap::Args;
use porter_kinds::catalogue::patterns::{Candidate, Patterns, in_lower_case};
use porter_kinds::mail::letters_listed::{self, FolderKind, Wanted};
use porter_kinds::mail::mailboxes::MailFolder;
use porter_names::RelativePath;
use porter_trunk::outside::{Keeping, Outside};
use porter_trunk::packed_form::{Rebuilt, lacks_label, mend_seal, rebuild, relabel};
use porter_trunk::parked_form::mend_list;
use porter_trunk::signature::sign_trunk;
use porter_trunk::{Entry, Trunk, TrunkItem};
use std::sync::atomic::Ordering;

/// Show what a trunk holds
#[derive(Debug, Args)]
pub(crate) struct LookArguments {
    #[command(flatten)]
    trunk: TrunkArguments,
    /// A person, an item, or a folder in it: odile, odile/folder/documents/Kites
    #[arg(value_name = "ITEM[/PATH]")]
    item: Option<String>,
    /// Show the folders below, each with all that is in it
    #[arg(long, conflicts_with = "find")]
    tree: bool,
    /// How many folders deep the tree goes
    #[arg(long, value_name = "NUMBER", default_value_t = 3, requires = "tree")]
    levels: usize,
    /// Show all entries whose name or path fits: '*.kite', '**/Plans/*'
    #[arg(long, value_name = "PATTERN")]
    find: Vec<String>,
    /// Read the mail in an item: its folders, the letters of one, or one letter, as text: Inbox, Inbox/3
    #[arg(long, value_name = "FOLDER[/NUMBER]", num_args = 0..=1, default_missing_value = "",
          requires = "item", conflicts_with_all = ["tree", "find"])]
    letters: Option<String>,
    /// The trunk's list, label or wrapped key is lost or damaged: rebuild it first, from the packs or a
    /// second copy
    #[arg(long)]
    mend: bool,
    /// One JSON document on standard output
    #[arg(long)]
    json: bool,
}

pub(crate) fn run(arguments: &LookArguments) -> Result<Outcome, Failure> {
    let mended = if arguments.mend { mend(&arguments.trunk)? } else { Outcome::Well };
    let shown = show(arguments)?;
    Ok(Outcome::attention_if(Outcome::Attention == mended || Outcome::Attention == shown))
}

fn show(arguments: &LookArguments) -> Result<Outcome, Failure> {
    let trunk = match open::trunk_if_it_opens(&arguments.trunk)? {
        Ok(trunk) => trunk,
        Err(outside) if arguments.item.is_some() => {
            return Err(Failure::wrong_use(
                format!("trunk {} is sealed", outside.trunk_id.short()),
                "Its label is all that can be seen without the passphrase: leave the item out, or give --passphrase-file.",
            ));
        }
        Err(outside) => {
            if arguments.json {
                say_json(&views::look::outside_json(&outside));
            } else {
                views::look::show_outside(&outside);
            }
            return Ok(Outcome::Well);
        }
    };
    let trunk = &*trunk;
    let list = UsableList::of(trunk);
    let person = arguments.item.as_deref().filter(|text| is_person(trunk, text));
    if let (Some(person), true) = (person, arguments.find.is_empty() && !arguments.tree) {
        let own: Vec<TrunkItem> =
            trunk.items().iter().filter(|item| is_of(&item.id, person)).cloned().collect();
        if arguments.json {
            say_json(&views::look::json(trunk.label(), &own, None));
        } else {
            views::look::show_trunk(trunk.label(), &own);
        }
        return Ok(list.outcome());
    }
    let named = arguments
        .item
        .as_deref()
        .filter(|_| person.is_none())
        .map(|text| item_and_path(trunk, text))
        .transpose()?;
    if let Some(wanted) = &arguments.letters {
        let Some((item, _)) = &named else {
            return Err(Failure::wrong_use("--letters needs one item", "`porter look TRUNK` shows them."));
        };
        return read_letters(trunk, item, wanted, arguments.json);
    }
    let of_person = |entry: &Entry| person.is_none_or(|person| is_of(&entry.item, person));
    if !arguments.find.is_empty() {
        return find(&list, named.as_ref(), &of_person, arguments);
    }
    if arguments.tree {
        let entries = list.entries()?.filter(|entry| is_within(entry, named.as_ref()) && of_person(entry));
        views::look::show_tree(&views::look::tree(entries, arguments.levels));
        return Ok(list.outcome());
    }
    let rows = match &named {
        None => None,
        Some((item, below)) => {
            let entries = list.entries()?.filter(|entry| entry.item == item.id);
            let rows = views::look::rows_at(entries, below);
            if rows.is_empty() && !below.is_root() {
                list.require(item, below)?;
            }
            Some(rows)
        }
    };
    match (&rows, &named, arguments.json) {
        (rows, _, true) => say_json(&views::look::json(trunk.label(), trunk.items(), rows.as_deref())),
        (Some(_), Some((item, _)), false) if porter_kinds::value_kinds::has_only_values(&item.kind) => {
            views::look::show_values(item);
        }
        (Some(rows), named, false) => {
            views::look::show_rows(rows);
            if let Some((item, _)) = named.as_ref().filter(|(_, below)| below.is_root()) {
                views::look::show_registry(item);
            }
        }
        (None, _, false) => views::look::show_trunk(trunk.label(), trunk.items()),
    }
    Ok(list.outcome())
}

/// The folders of an item's mail, the letters of one, or one letter.
fn read_letters(trunk: &dyn Trunk, item: &TrunkItem, wanted: &str, json: bool) -> Result<Outcome, Failure> {
    let go_on = || !STOP.load(Ordering::Relaxed);
    let all = letters_listed::list(trunk, item, Wanted::Folders, &go_on)?;
    if wanted.is_empty() {
        return Ok(views::mailboxes::show_folders(&all, json));
    }
    let with_letters =
        all.folders.iter().filter(|row| row.kind == FolderKind::Letters).map(|row| &row.folder);
    let folders: Vec<&MailFolder> = with_letters.collect();
    // The whole path, or the end of it.
    let named = |name: &str| {
        let name = name.trim_matches('/').to_lowercase();
        let path = |folder: &MailFolder| views::mailboxes::path_of(folder).to_lowercase();
        let whole: Vec<_> = folders.iter().filter(|folder| path(folder) == name).copied().collect();
        if !whole.is_empty() {
            return whole;
        }
        let ends = format!("/{name}");
        folders.iter().filter(|folder| path(folder).ends_with(&ends)).copied().collect()
    };
    let (found, number) = match (named(wanted), wanted.rsplit_once('/')) {
        (found, Some((folder, number))) if found.is_empty() && number.parse::<u64>().is_ok() => {
            (named(folder), number.parse().ok())
        }
        (found, _) => (found, None),
    };
    let folder = match found[..] {
        [folder] => folder,
        [] => {
            return Err(Failure::wrong_use(
                format!("`{}` has no folder of letters called `{wanted}`", item.id),
                "`--letters` alone shows the folders.",
            ));
        }
        _ => {
            return Err(Failure::wrong_use(
                format!("{} folders are called `{wanted}`", found.len()),
                "Name more of the path; `--letters` alone shows it.",
            ));
        }
    };
    let Some(number) = number else {
        let listed = letters_listed::list(trunk, item, Wanted::Letters(folder), &go_on)?;
        return Ok(views::mailboxes::show_letters(folder, &listed, json));
    };
    let listed = letters_listed::list(trunk, item, Wanted::Letter(folder, number), &go_on)?;
    match &listed.letter {
        Some(letter) => Ok(views::mailboxes::show_letter(letter, &listed, json)),
        None => Err(Failure::wrong_use(
            format!(
                "there is no letter {number} that can be read in `{}`",
                views::mailboxes::path_of(folder)
            ),
            "`--letters FOLDER` shows the numbers.",
        )),
    }
}

/// True for the id of an account, or for what stands for everybody in ids.
fn is_person(trunk: &dyn Trunk, text: &str) -> bool {
    trunk.items().iter().any(|item| is_of(&item.id, text))
}

fn is_of(item_id: &str, person: &str) -> bool {
    item_id.split_once('/').is_some_and(|(owner, _)| owner.eq_ignore_ascii_case(person))
}

fn is_within(entry: &Entry, named: Option<&(&TrunkItem, RelativePath)>) -> bool {
    named.is_none_or(|(item, below)| entry.item == item.id && entry.address.path.is_within(below))
}

/// Patterns over names and paths, whatever their case. One without a folder is for names, wherever they are.
pub(crate) fn patterns(option: &str, texts: &[String]) -> Result<Patterns, Failure> {
    let anywhere = |text: &String| {
        if text.contains('/') { text.to_lowercase() } else { format!("**/{}", text.to_lowercase()) }
    };
    Patterns::new(texts.iter().map(anywhere).collect()).map_err(|cause| {
        Failure::wrong_use(
            format!("{option}: {cause}"),
            "`*` stands for any part of a name, `**/` for any folders.",
        )
    })
}

/// True if one of the patterns fits a path.
pub(crate) fn fits(patterns: &Patterns, path: &RelativePath) -> bool {
    patterns.fit(&Candidate::new(&in_lower_case(path)))
}

fn find(
    list: &UsableList<'_>,
    named: Option<&(&TrunkItem, RelativePath)>,
    of_person: &dyn Fn(&Entry) -> bool,
    arguments: &LookArguments,
) -> Result<Outcome, Failure> {
    let patterns = patterns("--find", &arguments.find)?;
    let wanted =
        |entry: &Entry| is_within(entry, named) && of_person(entry) && fits(&patterns, &entry.address.path);
    let found: Vec<Entry> = list.entries()?.filter(wanted).collect();
    if arguments.json {
        say_json(&views::look::found_json(&found));
    } else {
        views::look::show_found(&found);
    }
    Ok(list.outcome())
}

/// Needs attention if something is lost.
fn mend(given: &TrunkArguments) -> Result<Outcome, Failure> {
    let folders = given.folders();
    views::mend::tell_resealed(mend_seal(&folders)?);
    let lacking: Vec<bool> = folders.iter().filter_map(|folder| lacks_label(folder)).collect();
    if !lacking.is_empty() {
        let opener =
            if lacking.contains(&true) { Some(keys::opener_without_label(&given.key)?) } else { None };
        relabel(&folders, opener.as_ref())?;
        views::mend::tell_relabelled();
    }
    let outside = Outside::load(&given.trunk)?;
    let rebuilt = match outside.form {
        Keeping::Parked => mend_list(&given.trunk)?,
        Keeping::Packed => {
            let opener = keys::opener_if_sealed(&given.key, &outside)?;
            rebuild(&folders, opener.as_ref(), open::now_utc())?
        }
    };
    views::mend::tell_rebuilt(&rebuilt);
    // Another list than the signed one: the person who made it answers for it.
    if matches!(rebuilt, Rebuilt::FromPacks { .. })
        && let Some(key) = keys::signing_key()?
    {
        sign_trunk(&folders, &key, open::now_utc())?;
    }
    Ok(Outcome::attention_if(matches!(
        rebuilt,
        Rebuilt::FromPacks { lost, unheard_of, .. } if !lost.is_empty() || unheard_of > 0
    )))
}

/// Finds where an item's id ends and the path in it begins: ids may begin alike, so the longest one counts.
pub(crate) fn item_and_path<'t>(
    trunk: &'t dyn Trunk,
    text: &str,
) -> Result<(&'t TrunkItem, RelativePath), Failure> {
    let text = text.trim_end_matches('/');
    let item = trunk
        .items()
        .iter()
        .filter(|item| {
            text.strip_prefix(item.id.as_str()).is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
        })
        .max_by_key(|item| item.id.len());
    let Some(item) = item else {
        return Err(Failure::wrong_use(
            format!("the trunk has no item `{text}`"),
            "`porter look TRUNK` shows the ids of its items.",
        ));
    };
    let rest = text[item.id.len()..].trim_start_matches('/');
    let below = RelativePath::from_bytes(rest.as_bytes()).map_err(|refused| {
        Failure::wrong_use(format!("`{rest}`: {refused}"), "Name a path inside the item.")
    })?;
    Ok((item, below))
}
