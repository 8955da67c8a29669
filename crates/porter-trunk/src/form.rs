//! The duties of every form of trunk, towards those who fill it and those who use it.

use crate::{
    ContentHash, Damage, Entry, EntryAddress, EntryRefused, Extents, Label, LeftBehind, StoreError,
    TrunkContent, TrunkError, TrunkItem, TrunkProgram,
};
use porter_names::NameRules;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

/// A trunk that is being filled.
///
/// Nothing counts as a trunk before it was filled, closed, read back and published, in that order. Dropping a
/// writer earlier leaves an unfinished trunk that no command takes for a whole one.
pub trait TrunkWriter: Sync {
    /// Which names the trunk can hold inside: entries with others need a safe path.
    fn name_rules(&self) -> NameRules;

    /// Takes a file's content. May be called from several threads at once. `progress` hears the length of
    /// each piece as it is written. The same address may be stored again before it is recorded: the last
    /// content counts.
    fn store(
        &self,
        address: &EntryAddress,
        modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError>;

    /// Takes back what was stored at an address: it will not be recorded.
    fn discard(&self, _address: &EntryAddress) -> Result<(), TrunkError> {
        Ok(())
    }

    /// Takes a file that the system shows, by its path, without copying it; none if this form copies, and
    /// then it does not ask for the path.
    fn store_file(
        &self,
        _file: &dyn Fn() -> Option<PathBuf>,
        _progress: &dyn Fn(u64),
    ) -> Option<Result<Stored, StoreError>> {
        None
    }

    /// The entry that an earlier run, or an earlier capture of the same machine, stored at this address, if
    /// the file is still the same by size and time. Such a file need not be read again.
    fn already(
        &self,
        _address: &EntryAddress,
        _size_in_bytes: u64,
        _modified_utc: Option<OffsetDateTime>,
    ) -> Option<Stored> {
        None
    }

    /// The trunk's entry at this address from an earlier run or capture, if all of its content is safe. It
    /// serves files that cannot be read now.
    fn earlier(&self, _address: &EntryAddress) -> Option<Entry> {
        None
    }

    /// Passes on each entry of an item that the trunk holds below a folder from an earlier run or capture,
    /// and whose content is safe. It serves folders that cannot be listed now.
    fn each_earlier(
        &self,
        _item: &str,
        _folder: &EntryAddress,
        _take: &mut dyn FnMut(Entry) -> Result<(), TrunkError>,
    ) -> Result<(), TrunkError> {
        Ok(())
    }

    /// True if a content that is stored already need not be stored again under another name.
    fn keeps_contents_once(&self) -> bool {
        false
    }

    /// Announces beforehand what will be captured, so that even a part of the trunk can say what it is part
    /// of.
    fn announce(&self, _inventory: &Inventory<'_>) -> Result<(), TrunkError> {
        Ok(())
    }

    /// The items of the finished trunk that is topped up.
    fn held_items(&self) -> &[TrunkItem] {
        &[]
    }

    /// Ends a run that cannot go on, so that the next one finds all that was stored.
    fn pause(&self) {}

    /// Bytes written to the medium so far, including the spare data due to them, where that says how much a
    /// trunk will need. For a closed trunk, all packs and lists that this run has written.
    fn written_in_bytes(&self) -> Option<u64> {
        None
    }

    /// Lists an entry; a file's content must have been stored before. Called in the order of the walk.
    fn record(&self, entry: &Entry) -> Result<(), TrunkError>;

    /// Lists something that was left behind.
    fn record_left(&self, left: &LeftBehind) -> Result<(), TrunkError>;

    /// Writes the lists and sees everything onto the medium.
    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError>;

    /// The closed trunk, to be read back from the medium. It is not published yet.
    fn read_back(&self) -> Result<Box<dyn Trunk>, TrunkError>;

    /// True if an entry's content is a file that the machine still uses, and that somebody has written to
    /// since: the trunk's content is not damaged, but changed.
    fn was_written_to(&self, _entry: &Entry) -> bool {
        false
    }

    /// Renames files that read back differently and that no finished trunk counts on, so that the next run
    /// captures their contents again. Returns the names that they had.
    fn distrust(&self) -> Result<Vec<String>, TrunkError> {
        Ok(Vec::new())
    }

    /// Packs that were to have spare data and have none, because they left no room for it. Asked for after
    /// closing.
    fn packs_without_spare(&self) -> Vec<String> {
        Vec::new()
    }

    /// Makes it a trunk.
    fn publish(&self) -> Result<(), TrunkError>;
}

/// A trunk's contents beside entries.
#[derive(Debug, Clone, Copy)]
pub struct Inventory<'a> {
    /// The items.
    pub items: &'a [TrunkItem],
    /// The programs that were installed on the machine.
    pub programs: &'a [TrunkProgram],
}

/// Content that is in the trunk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stored {
    /// The bytes that were read and written.
    pub size_in_bytes: u64,
    /// Its proof.
    pub hash: ContentHash,
    /// Where it is; to be kept in the entry.
    pub extents: Extents,
}

/// Rows of a list, any of which may be unusable.
pub type Rows<'a, T, E> = Box<dyn Iterator<Item = Result<T, E>> + Send + 'a>;

/// A trunk that can be looked into, taken from, restored and checked.
pub trait Trunk: Sync {
    /// Its outside.
    fn label(&self) -> &Label;

    /// Where it is.
    fn folder(&self) -> &Path;

    /// Its items, in the order of the capture.
    fn items(&self) -> &[TrunkItem];

    /// The programs that were installed on the machine: what to install again.
    fn programs(&self) -> &[TrunkProgram];

    /// All entries, item after item, folders before what is in them. A line that must not be used
    /// is given as refused, and the rest goes on.
    fn entries(&self) -> Result<Rows<'_, Entry, EntryRefused>, TrunkError>;

    /// All that was left behind.
    fn left(&self) -> Result<Rows<'_, LeftBehind, EntryRefused>, TrunkError>;

    /// Reads a file's content. Not proved: the caller compares its hash.
    fn open_content(&self, entry: &Entry) -> Result<Box<dyn TrunkContent + Send + '_>, Damage>;

    /// The file that is an entry's content, where the trunk keeps it as one on the machine's own volume: a
    /// restore may link to it.
    fn content_file(&self, _entry: &Entry) -> Option<PathBuf> {
        None
    }

    /// Says that the trunk lies on a disk that spins, and is to be read at one place at a time. Where the
    /// system knows, it is found out.
    fn spin(&self) {}

    /// Announces that an entry's content will be read soon, so that it may be fetched ahead.
    fn will_read(&self, _entry: &Entry) {}

    /// True if reading an entry's content now unpacks nothing that was unpacked before.
    fn is_at_hand(&self, _entry: &Entry) -> bool {
        true
    }

    /// True for a file that a full audit proves with others of its block: nobody has to read it.
    fn is_proved_by_block(&self, _entry: &Entry) -> bool {
        false
    }

    /// Announces how much of its contents will be read from now on, from first to last. If that is at most
    /// what is kept, each is read once, and the system's memory is better used for what is written.
    fn will_read_in_all(&self, _size_in_bytes: u64) {}

    /// True if something of a later capture is there that the list does not name: it was cut off, or its list
    /// was lost.
    fn holds_more(&self) -> bool {
        false
    }

    /// Flaws that do not keep it from being used. A check names them too.
    fn flaws(&self) -> &[Damage] {
        &[]
    }

    /// Makes spare data for those of its files that have none of use, where others have some. `told` hears
    /// the result, file by file.
    fn complete_spare(&self, _told: &mut dyn FnMut(&str, io::Result<()>)) -> Result<(), TrunkError> {
        Ok(())
    }

    /// Which state of the trunk this is.
    fn proof(&self) -> Result<CaptureProof, TrunkError>;

    /// The file that holds the list of entries, for people.
    fn list_name(&self) -> String;

    /// Begins to compare the trunk's lists with each other and with what is there. At [`Depth::Full`]
    /// whatever the reading of all contents does not prove is proved too.
    fn audit(&self, depth: Depth) -> Result<Box<dyn Audit + '_>, TrunkError>;
}

/// The state of a trunk that something is about: a later receipt knows by it whether the trunk was put back
/// to an earlier one.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct CaptureProof {
    /// The number of the capture, from 1.
    pub capture: u32,
    /// The proof of its list, in hexadecimal digits.
    pub list: String,
}

/// How deep a check of a trunk goes, and what it proves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// The lists are what was written, and every file of the trunk that they name is there in full length.
    /// Says nothing of contents.
    Listing,
    /// As `Listing`, and of every twentieth file, spread over all folders, all the content. A drive that
    /// loses much is found out; one bad place may not be.
    Sample,
    /// Every byte of the trunk is what was written, and every file comes out of it as it went in.
    Full,
}

/// A comparison of a trunk's lists, fed with its entries by a caller who reads them anyway. Files that are
/// [proved by their blocks](Trunk::is_proved_by_block) may be left to it: after the last entry their
/// [blocks](Self::blocks) are [proved](Self::prove_block) in any order and by several threads.
pub trait Audit: Send + Sync {
    /// Takes the next entry, and whether its content was read and is whole; returns any other damage of it.
    fn see(&mut self, entry: &Entry, is_whole: bool) -> Option<Damage>;

    /// Takes the next entry, number `row` of the list, whose content is to be proved with its block. Returns
    /// any other damage of it.
    fn see_for_block(&mut self, _row: u32, entry: &Entry) -> Option<Damage> {
        self.see(entry, false)
    }

    /// The blocks of these entries in the order of the packs, by the sum of the files in each, in bytes.
    fn blocks(&mut self) -> Vec<u64> {
        Vec::new()
    }

    /// Proves the block of that place in [`Self::blocks`]. Returns the rows of files that are not whole.
    fn prove_block(&self, _number: usize) -> Vec<(u32, Damage)> {
        Vec::new()
    }

    /// After the last entry: all that was not found entry by entry.
    fn finish(self: Box<Self>) -> Result<Vec<Damage>, TrunkError>;
}
