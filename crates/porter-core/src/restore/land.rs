//! Putting one file or link in its place: written aside, proved, and only then given its name.

use super::landed_before::LandedBefore;
use super::writing_back::WritingBack;
use crate::events::{Cancelled, Conduct, Event};
use crate::host;
use crate::journal::waiting::waiting_name;
use porter_kinds::receipt::Reason;
use porter_names::screen::on_screen;
use porter_source::Reached;
use porter_trunk::{
    Content, ContentHasher, Entry, PieceFailed, Trunk, clone_file, in_pieces, write_in_portions,
};
use std::fs::{self, File};
use std::io::{self, Seek, Write};
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Why one entry did not land.
#[derive(Debug)]
pub(super) enum NotLanded {
    /// Only this entry is concerned.
    Refused(Reason),
    /// The volume takes nothing more: the restore ends.
    VolumeFailed(io::Error),
    /// Somebody asked to stop.
    Stopped,
}

/// A folder that things land in, as the running system has it. Finding out about it costs more than making a
/// file in it.
pub(super) struct Home {
    /// Leads to the open folder, even if its name changes.
    pub(super) path: Reached,
    /// Whose the things in it are to be.
    pub(super) owner: Option<host::Owner>,
    folder: Rc<host::Folder>,
}

impl Home {
    /// The folder at `path`, which is there.
    pub(super) fn open(path: Reached, owner: Option<host::Owner>) -> Result<Self, NotLanded> {
        let folder = Rc::new(host::Folder::open(&path).map_err(not_written)?);
        Ok(Self { path, owner, folder })
    }
}

/// Where an entry is to land.
pub(super) struct Place<'a> {
    pub(super) home: &'a Home,
    /// In that folder.
    pub(super) target: &'a Path,
    /// The new name of what stands there.
    pub(super) set_aside: Option<&'a Path>,
    /// Where the same file landed under another name.
    pub(super) same_as: Option<&'a Path>,
}

/// Where contents come from.
#[derive(Clone, Copy)]
pub(super) struct Source<'a> {
    pub(super) trunk: &'a dyn Trunk,
    pub(super) before: &'a LandedBefore<'a>,
    pub(super) conduct: Conduct<'a>,
}

/// Lands a file or link with what its entry says of it. `adapted` is its content where that is not the
/// trunk's; `mark` is the run's.
pub(super) fn land(
    source: Source<'_>,
    entry: &Entry,
    adapted: Option<&[u8]>,
    place: &Place<'_>,
    mark: &str,
) -> Result<(), NotLanded> {
    let write = |nameless| match adapted {
        Some(content) => write_adapted_aside(entry, content, place, mark),
        None => write_aside(source, entry, place, mark, nameless),
    };
    if !give_name(write(NAMES_ARE_GIVEN.load(Ordering::Relaxed))?, place)? {
        give_name(write(false)?, place)?;
        // So it was for that reason alone.
        NAMES_ARE_GIVEN.store(false, Ordering::Relaxed);
    }
    Ok(())
}

/// Makes a file at `path` in its folder: under a name that waits, or in a folder that does. One that fails
/// leaves nothing.
pub(super) fn land_directly(
    source: Source<'_>,
    entry: &Entry,
    home: &Home,
    path: &Path,
) -> Result<(), NotLanded> {
    let file = home.folder.create_new(path.file_name().unwrap_or_default()).map_err(not_written)?;
    let landed = copy_proved(source, entry, &file).and_then(|()| {
        host::set_file_metadata(file, &home.folder, path, entry, home.owner).map_err(not_written)
    });
    if landed.is_err() {
        let _ = host::remove_file(path);
    }
    landed
}

/// Lands a file of the machine that gets another content: its marks, and its permissions if it has a
/// successor, are those of what stands there.
pub(super) fn land_bytes(
    content: &[u8],
    is_private: bool,
    place: &Place<'_>,
    mark: &str,
) -> Result<(), NotLanded> {
    let (waiting, path, file) = bytes_aside(content, is_private, place.home, mark)?;
    if let Ok(there) = fs::symlink_metadata(place.target) {
        file.set_permissions(there.permissions()).map_err(not_written)?;
    }
    file.sync_all().map_err(not_written)?;
    drop(file);
    host::set_folder_owner(&path, place.home.owner);
    host::copy_marks(place.target, &path);
    give_name(waiting, place).map(drop)
}

/// A file with its final content and metadata, waiting for its name. Dropped without one, it is removed.
struct Waiting {
    folder: Rc<host::Folder>,
    held: Held,
}

/// By what a waiting file is held.
enum Held {
    /// By a name that nothing else has.
    Path(PathBuf),
    /// By nothing but us.
    Nameless(File),
    /// It has its own name.
    Named,
}

/// Whether volumes have given names to files that had none. Until one does not, they do.
static NAMES_ARE_GIVEN: AtomicBool = AtomicBool::new(true);

impl Drop for Waiting {
    fn drop(&mut self) {
        if let Held::Path(path) = &self.held {
            let _ = fs::remove_file(path);
        }
    }
}

/// Writes an entry beside its place, under a name that nothing else has or under none, and proves the content
/// on the way.
fn write_aside(
    source: Source<'_>,
    entry: &Entry,
    place: &Place<'_>,
    mark: &str,
    nameless: bool,
) -> Result<Waiting, NotLanded> {
    let &Place { home: Home { path: at, owner, folder }, same_as, .. } = place;
    let owner = *owner;
    let waiting = |held| Waiting { folder: Rc::clone(folder), held };
    let beside = || at.join(waiting_name(mark));
    match &entry.content {
        Content::File { .. } => {
            // Another name of a file that landed already. Where the volume knows none, it becomes a file of
            // its own.
            if let Some(landed) = same_as {
                let path = beside();
                if fs::hard_link(landed, &path).is_ok() {
                    return Ok(waiting(Held::Path(path)));
                }
            }
            if let Some(kept) = source.trunk.content_file(entry) {
                let path = beside();
                if let Ok(linked) = link_proved(source, entry, &kept, &path) {
                    let waiting = waiting(Held::Path(path.clone()));
                    linked?;
                    let file = File::open(&path).map_err(not_written)?;
                    host::set_file_metadata(file, folder, &path, entry, owner).map_err(not_written)?;
                    return Ok(waiting);
                }
            }
            if nameless && let Some(file) = folder.create_nameless() {
                copy_proved(source, entry, &file)?;
                host::set_nameless_metadata(&file, entry, owner).map_err(not_written)?;
                return Ok(waiting(Held::Nameless(file)));
            }
            let path = beside();
            land_directly(source, entry, place.home, &path)?;
            Ok(waiting(Held::Path(path)))
        }
        Content::Link { target } => {
            let path = beside();
            host::make_link(target, &path).map_err(|cause| match not_written(cause) {
                NotLanded::Refused(_) => {
                    NotLanded::Refused(Reason::LinkNotMade { target: on_screen(target) })
                }
                failed => failed,
            })?;
            host::set_link_metadata(&path, entry, owner);
            Ok(waiting(Held::Path(path)))
        }
        Content::Folder => Err(NotLanded::Refused(Reason::NotWritten { detail: "a folder".to_owned() })),
    }
}

/// The same for a file whose content is not the trunk's, with the dates and marks of its entry.
fn write_adapted_aside(
    entry: &Entry,
    content: &[u8],
    place: &Place<'_>,
    mark: &str,
) -> Result<Waiting, NotLanded> {
    let (waiting, path, file) = bytes_aside(content, false, place.home, mark)?;
    host::set_file_metadata(file, &waiting.folder, &path, entry, place.home.owner).map_err(not_written)?;
    Ok(waiting)
}

/// A new file beside its place, with its content.
fn bytes_aside(
    content: &[u8],
    is_private: bool,
    home: &Home,
    mark: &str,
) -> Result<(Waiting, PathBuf, File), NotLanded> {
    let name = waiting_name(mark);
    let file = home.folder.create_new(name.as_ref()).map_err(not_written)?;
    let path = home.path.join(&name);
    let waiting = Waiting { folder: Rc::clone(&home.folder), held: Held::Path(path.clone()) };
    if is_private {
        host::keep_from_others(&file).map_err(not_written)?;
    }
    write_in_portions(&mut &file, content).map_err(not_written)?;
    Ok((waiting, path, file))
}

/// The result of giving a waiting file its name.
#[derive(Debug)]
enum Naming {
    Given,
    /// The volume makes files without names, and cannot name them.
    NotForNameless,
    Failed(NotLanded),
}

impl Naming {
    /// Sorts the system's answer. If the name is taken, no other way of naming
    /// helps; any other refusal of a file without a name may be for its having none.
    fn by_answer(answer: io::Result<()>, is_nameless: bool) -> Self {
        let Err(cause) = answer else { return Self::Given };
        let is_taken = cause.kind() == io::ErrorKind::AlreadyExists;
        match not_written(cause) {
            NotLanded::Refused(_) if is_nameless && !is_taken => Self::NotForNameless,
            failed => Self::Failed(failed),
        }
    }
}

/// Gives the waiting file its name. The file that has the name is first set aside; if a third file takes the
/// name in between, it is left alone. False if the volume cannot name files that have no name.
fn give_name(mut waiting: Waiting, place: &Place<'_>) -> Result<bool, NotLanded> {
    // All names are in one folder.
    let at = &place.home.path;
    let name = |path: &Path| path.file_name().unwrap_or_default().to_owned();
    let rename = |from: &Path, to: &Path| waiting.folder.rename_without_replacing(at, &name(from), &name(to));
    if let Some(aside) = place.set_aside {
        rename(place.target, aside).map_err(not_written)?;
    }
    let answer = match &waiting.held {
        Held::Path(path) => rename(path, place.target),
        Held::Nameless(file) => waiting.folder.give_name(file, &name(place.target)),
        Held::Named => Ok(()),
    };
    let naming = Naming::by_answer(answer, matches!(waiting.held, Held::Nameless(_)));
    if let (false, Some(aside)) = (matches!(naming, Naming::Given), place.set_aside) {
        // Nothing landed, so the file that was set aside gets its name back.
        let _ = rename(aside, place.target);
    }
    match naming {
        Naming::Given => {
            waiting.held = Held::Named;
            Ok(true)
        }
        Naming::NotForNameless => Ok(false),
        Naming::Failed(cause) => Err(cause),
    }
}

/// Gives a file that the trunk keeps on this volume a name here, and proves it. The outer error means that
/// the volume cannot, or is another one.
fn link_proved(
    source: Source<'_>,
    entry: &Entry,
    kept: &Path,
    to: &Path,
) -> io::Result<Result<(), NotLanded>> {
    clone_file(kept, to).or_else(|_| fs::hard_link(kept, to))?;
    Ok(prove(source, entry, |_| Ok(())))
}

fn copy_proved(source: Source<'_>, entry: &Entry, mut to: &File) -> Result<(), NotLanded> {
    if !entry.sparse
        && !source.trunk.is_at_hand(entry)
        && let Some(content) = source.before.content(entry)
    {
        source.conduct.send(&Event::Bytes { size_in_bytes: content.len() as u64 });
        return to.write_all(&content).map_err(not_written);
    }
    let mut ends_in_hole = false;
    let mut writing_back = WritingBack::default();
    prove(source, entry, |piece| {
        ends_in_hole = entry.sparse && piece.iter().all(|byte| *byte == 0);
        if ends_in_hole {
            to.seek_relative(i64::try_from(piece.len()).map_err(io::Error::other)?)?;
        } else {
            to.write_all(piece)?;
        }
        writing_back.wrote(piece.len(), to);
        Ok(())
    })?;
    if ends_in_hole { to.set_len(entry.size_in_bytes()).map_err(not_written) } else { Ok(()) }
}

/// Reads an entry's content and compares it with its proof.
fn prove(
    source: Source<'_>,
    entry: &Entry,
    mut use_piece: impl FnMut(&[u8]) -> io::Result<()>,
) -> Result<(), NotLanded> {
    let Source { trunk, conduct, .. } = source;
    let Content::File { hash, .. } = &entry.content else { return Ok(()) };
    let damaged = |detail: String| NotLanded::Refused(Reason::TrunkDamaged { detail });
    let mut from = trunk.open_content(entry).map_err(|damage| damaged(damage.to_string()))?;
    let mut hasher = ContentHasher::default();
    in_pieces(&mut *from, |piece| {
        if conduct.is_stopped() {
            return Err(io::Error::other(Cancelled));
        }
        use_piece(piece)?;
        hasher.update(piece);
        conduct.send(&Event::Bytes { size_in_bytes: piece.len() as u64 });
        Ok(())
    })
    .map_err(|failed| match failed {
        PieceFailed::Reading(cause) => damaged(cause.to_string()),
        PieceFailed::Using(_) if conduct.is_stopped() => NotLanded::Stopped,
        PieceFailed::Using(cause) => not_written(cause),
    })?;
    if hasher.finish() == *hash {
        Ok(())
    } else {
        Err(damaged("its content is not what was captured".to_owned()))
    }
}

/// Sorts a failure to write: a full or read-only volume concerns everything, anything else this entry.
pub(super) fn not_written(cause: io::Error) -> NotLanded {
    match cause.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded | io::ErrorKind::ReadOnlyFilesystem => {
            NotLanded::VolumeFailed(cause)
        }
        _ => NotLanded::Refused(Reason::NotWritten { detail: cause.to_string() }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use io::ErrorKind::{
        AlreadyExists, NotFound, PermissionDenied, QuotaExceeded, ReadOnlyFilesystem, StorageFull,
    };

    #[test]
    fn a_name_that_is_not_given_is_tried_otherwise_refused_or_ends_the_restore() {
        for (answer, is_nameless, expected) in [
            (Ok(()), false, "given"),
            (Ok(()), true, "given"),
            // A third file took the name: it is left alone, and another way of naming would not help.
            (Err(AlreadyExists), false, "refused"),
            (Err(AlreadyExists), true, "refused"),
            (Err(PermissionDenied), false, "refused"),
            (Err(PermissionDenied), true, "tried with a name"),
            (Err(NotFound), true, "tried with a name"),
            (Err(StorageFull), false, "ends"),
            (Err(StorageFull), true, "ends"),
            (Err(QuotaExceeded), true, "ends"),
            (Err(ReadOnlyFilesystem), true, "ends"),
        ] {
            let naming = Naming::by_answer(answer.map_err(io::Error::from), is_nameless);
            let is = match naming {
                Naming::Given => "given",
                Naming::NotForNameless => "tried with a name",
                Naming::Failed(NotLanded::Refused(_)) => "refused",
                Naming::Failed(NotLanded::VolumeFailed(_)) => "ends",
                Naming::Failed(NotLanded::Stopped) => "stopped",
            };
            assert_eq!(is, expected, "{answer:?}, without a name: {is_nameless}");
        }
    }
}
