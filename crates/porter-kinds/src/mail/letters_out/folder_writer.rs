//! A folder of letters that is written, in one of the forms.

use crate::mail::given_names::{Names, portable};
use crate::mail::mailboxes::MailLetter;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

/// A form that letters can be taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LetterForm {
    /// A mailbox for each folder.
    Mbox,
    /// A file for each letter.
    Letters,
    /// A folder for each folder, with a file for each letter whose name tells what was done with it.
    Maildir,
}

/// See the module.
pub(super) enum FolderWriter {
    Mbox(MboxWriter<BufWriter<File>>),
    Letters { at: PathBuf, number: usize },
    Maildir { at: PathBuf, number: usize },
}

/// Between the name of a letter and its flags. Windows holds no colon in a name, and its programs write this
/// one.
pub const MAILDIR_SEPARATOR: char = if cfg!(windows) { ';' } else { ':' };

impl FolderWriter {
    /// Makes a folder below `to`, by the names down to it.
    pub(super) fn begin(form: LetterForm, to: &Path, names: &mut Names, path: &[String]) -> io::Result<Self> {
        let (last, above) = path.split_last().map_or(("Letters", &[][..]), |(last, above)| (last, above));
        let within = above.iter().fold(to.to_path_buf(), |at, name| at.join(portable(name)));
        let at = match form {
            LetterForm::Mbox => names.within(&within, &format!("{last}.mbox")),
            LetterForm::Letters | LetterForm::Maildir => names.within(&within, last),
        };
        fs::create_dir_all(if form == LetterForm::Mbox { &within } else { &at })?;
        Ok(match form {
            LetterForm::Mbox => Self::Mbox(MboxWriter::new(BufWriter::new(File::create_new(at)?))),
            LetterForm::Letters => Self::Letters { at, number: 0 },
            LetterForm::Maildir => {
                for folder in ["cur", "new", "tmp"] {
                    fs::create_dir(at.join(folder))?;
                }
                Self::Maildir { at, number: 0 }
            }
        })
    }

    /// Adds a letter. Returns how many of its parts could not be read.
    pub(super) fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<u64> {
        let summary = letter.summary();
        let (at_utc, flags) = (summary.at_utc, summary.flags);
        match self {
            Self::Mbox(mailbox) => mailbox.letter(Envelope { at_utc, flags }, |to| letter.write(to)),
            Self::Letters { at, number } => {
                *number += 1;
                let subject: String = summary.subject.chars().take(60).collect();
                let name = format!("{number:05} {}.eml", portable(&subject));
                written(&at.join(name), |to| letter.write(to))
            }
            Self::Maildir { at, number } => {
                *number += 1;
                let seconds = at_utc.map_or(0, |at| at.unix_timestamp().max(0));
                let marks = flags.to_maildir();
                let name = format!("{seconds}.{number:05}.porter{MAILDIR_SEPARATOR}2,{marks}");
                written(&at.join("cur").join(name), |to| letter.write(&mut LinesOfUnix(to)))
            }
        }
    }

    pub(super) fn finish(self) -> io::Result<()> {
        match self {
            Self::Mbox(mailbox) => mailbox.finish().map(drop),
            Self::Letters { .. } | Self::Maildir { .. } => Ok(()),
        }
    }
}

fn written<T>(at: &Path, write: impl FnOnce(&mut dyn Write) -> io::Result<T>) -> io::Result<T> {
    let mut to = BufWriter::new(File::create_new(at)?);
    let done = write(&mut to)?;
    to.flush()?;
    Ok(done)
}

/// Turns the line ends of the internet into those of Unix. No return stands for itself in a letter.
struct LinesOfUnix<'w>(&'w mut dyn Write);

impl Write for LinesOfUnix<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        bytes.split(|byte| *byte == b'\r').try_for_each(|piece| self.0.write_all(piece))?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
