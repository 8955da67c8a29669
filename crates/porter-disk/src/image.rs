//! Images of drives, by what they begin or end with.

mod split;
mod vhd;
mod vhdx;

use crate::block_source::{BlockSource, FileSource, held};
use crate::device;
use porter_source::open_to_look;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How many images may stand on one another.
const MOST_PARENTS: usize = 32;

/// Why an image cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum ImageError {
    /// The system could not open or read it.
    #[error("`{}` cannot be read: {cause}", path.display())]
    Unreadable {
        /// The file.
        path: PathBuf,
        /// The system's words.
        cause: io::Error,
    },
    /// Its own records contradict themselves.
    #[error("`{}` is damaged: {what}", path.display())]
    Damaged {
        /// The file.
        path: PathBuf,
        /// In plain words.
        what: &'static str,
    },
    /// It is of a form that is not read.
    #[error("`{}` is of a form that porter does not read: {what}", path.display())]
    Unsupported {
        /// The file.
        path: PathBuf,
        /// In plain words.
        what: &'static str,
    },
    /// The image that it only tells the changes of is not beside it.
    #[error("`{}` holds only what changed since `{parent}`, and that is not beside it", path.display())]
    ParentMissing {
        /// The file.
        path: PathBuf,
        /// The name of the other.
        parent: String,
    },
}

/// A flaw of an image, before it is known of which file.
#[derive(Debug)]
enum Flaw {
    Io(io::Error),
    Damaged(&'static str),
    Unsupported(&'static str),
    ParentMissing(String),
    /// The error of another file, which has its name already.
    Other(Box<ImageError>),
}

impl Flaw {
    fn of(self, path: &Path) -> ImageError {
        let path = path.to_path_buf();
        match self {
            Self::Io(cause) => ImageError::Unreadable { path, cause },
            Self::Damaged(what) => ImageError::Damaged { path, what },
            Self::Unsupported(what) => ImageError::Unsupported { path, what },
            Self::ParentMissing(parent) => ImageError::ParentMissing { path, parent },
            Self::Other(error) => *error,
        }
    }
}

impl From<io::Error> for Flaw {
    fn from(cause: io::Error) -> Self {
        Self::Io(cause)
    }
}

/// The number of an image, by which another one tells on what it stands.
type Identifier = [u8; 16];

/// Opens the image that another one stands on, by its name and number.
type Parent<'p> = dyn Fn(&str, Identifier) -> Result<Arc<dyn BlockSource>, Flaw> + 'p;

const NOT_THE_PARENT: Flaw = Flaw::Damaged("it changed since another image was made to stand on it");

/// Opens a device or an image of any known form: the bytes of the drive.
pub fn open(path: &Path) -> Result<Arc<dyn BlockSource>, ImageError> {
    open_below(path, None, 0)
}

fn open_below(
    path: &Path,
    wanted: Option<Identifier>,
    depth: usize,
) -> Result<Arc<dyn BlockSource>, ImageError> {
    try_open(path, wanted, depth).map_err(|flaw| flaw.of(path))
}

fn try_open(path: &Path, wanted: Option<Identifier>, depth: usize) -> Result<Arc<dyn BlockSource>, Flaw> {
    if depth > MOST_PARENTS {
        return Err(Flaw::Damaged("it stands on itself"));
    }
    if let Some(device) = device::open(path)? {
        return Ok(device);
    }
    if let Some(whole) = split::open(path)? {
        return Ok(Arc::new(whole));
    }
    let file: Arc<dyn BlockSource> = Arc::new(file_source(path)?);
    let parent = |name: &str, identifier| -> Result<Arc<dyn BlockSource>, Flaw> {
        // Wherever it was on the old machine: another image is opened only beside this one.
        let name = name.rsplit(['\\', '/']).next().unwrap_or(name);
        let there = path.parent().unwrap_or(Path::new("")).join(name);
        if name.is_empty() || name == ".." || !there.is_file() {
            return Err(Flaw::ParentMissing(name.to_owned()));
        }
        open_below(&there, Some(identifier), depth + 1).map_err(|error| Flaw::Other(Box::new(error)))
    };
    in_file(file, wanted, &parent)
}

/// The drive that the bytes of an image hold; the bytes themselves if they are of no known form.
fn in_file(
    file: Arc<dyn BlockSource>,
    wanted: Option<Identifier>,
    parent: &Parent<'_>,
) -> Result<Arc<dyn BlockSource>, Flaw> {
    if vhdx::is_one(&*file)? {
        return Ok(Arc::new(vhdx::Vhdx::open(file, wanted, parent)?));
    }
    vhd::open(file, wanted, parent)
}

/// The drive in an image that is no file, and stands on no other.
pub fn from_source(image: Arc<dyn BlockSource>) -> Result<Arc<dyn BlockSource>, ImageError> {
    let alone = |name: &str, _| Err(Flaw::ParentMissing(name.to_owned()));
    in_file(image, None, &alone).map_err(|flaw| flaw.of(Path::new("")))
}

fn file_source(path: &Path) -> io::Result<FileSource> {
    let file = open_to_look(path)?;
    let size_in_bytes = std::fs::metadata(path)?.len();
    Ok(FileSource::new(Box::new(file), size_in_bytes))
}

/// Reads a stretch of a source whose blocks lie apart: `read` gets pieces that lie within one block each.
fn by_block(
    size_in_bytes: u64,
    block_in_bytes: u64,
    offset_in_bytes: u64,
    buffer: &mut [u8],
    read: impl Fn(u64, &mut [u8]) -> io::Result<()>,
) -> io::Result<usize> {
    let wanted = held(size_in_bytes, offset_in_bytes, buffer.len());
    let mut done = 0;
    while done < wanted {
        let at = offset_in_bytes + done as u64;
        let left_in_block = usize::try_from(block_in_bytes - at % block_in_bytes).unwrap_or(usize::MAX);
        let length = left_in_block.min(wanted - done);
        read(at, &mut buffer[done..done + length])?;
        done += length;
    }
    Ok(wanted)
}
