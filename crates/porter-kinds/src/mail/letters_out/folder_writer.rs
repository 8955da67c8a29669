//! A folder of letters that is written, in one of the forms.

use crate::mail::given_names::{Names, portable};
use crate::mail::mailboxes::MailLetter;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_formats::mail::msg_writer::to_msg;
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
    /// A file for each letter, in the form of Outlook.
    Msg,
}

/// See the module.
pub(in crate::mail) enum FolderWriter {
    Mbox(MboxWriter<BufWriter<File>>),
    Letters { at: PathBuf, number: usize },
    Maildir { at: PathBuf, number: usize },
    Msg { at: PathBuf, number: usize },
}

/// A letter that was written.
pub(in crate::mail) struct WrittenLetter {
    /// How many of its parts could not be read.
    pub(in crate::mail) missing: u64,
    /// Its file, if it has one of its own.
    pub(in crate::mail) at: Option<PathBuf>,
}

/// Between the name of a letter and its flags. Windows holds no colon in a name, and its programs write this
/// one.
pub const MAILDIR_SEPARATOR: char = if cfg!(windows) { ';' } else { ':' };

impl FolderWriter {
    /// Makes a folder below `to`, by the names down to it.
    pub(in crate::mail) fn begin(
        form: LetterForm,
        to: &Path,
        names: &mut Names,
        path: &[String],
    ) -> io::Result<Self> {
        let (last, above) = path.split_last().map_or(("Letters", &[][..]), |(last, above)| (last, above));
        let within = above.iter().fold(to.to_path_buf(), |at, name| at.join(portable(name)));
        let at = match form {
            LetterForm::Mbox => names.within(&within, &format!("{last}.mbox")),
            LetterForm::Letters | LetterForm::Maildir | LetterForm::Msg => names.within(&within, last),
        };
        fs::create_dir_all(if form == LetterForm::Mbox { &within } else { &at })?;
        Ok(match form {
            LetterForm::Mbox => Self::Mbox(MboxWriter::new(BufWriter::new(File::create_new(at)?))),
            LetterForm::Letters => Self::Letters { at, number: 0 },
            LetterForm::Msg => Self::Msg { at, number: 0 },
            LetterForm::Maildir => {
                for folder in ["cur", "new", "tmp"] {
                    fs::create_dir(at.join(folder))?;
                }
                Self::Maildir { at, number: 0 }
            }
        })
    }

    /// Adds a letter.
    pub(in crate::mail) fn letter(&mut self, letter: &dyn MailLetter) -> io::Result<WrittenLetter> {
        let summary = letter.summary();
        let (at_utc, flags) = (summary.at_utc, summary.flags);
        match self {
            Self::Mbox(mailbox) => {
                let missing = mailbox.letter(Envelope { at_utc, flags }, |to| letter.write(to))?;
                Ok(WrittenLetter { missing, at: None })
            }
            Self::Letters { at, number } => {
                *number += 1;
                written(at.join(name_of(*number, &summary.subject, "eml")), |to| letter.write(to))
            }
            Self::Msg { at, number } => {
                *number += 1;
                let mut whole = Whole(Vec::new());
                let missing = match letter.write(&mut whole) {
                    Ok(missing) => missing,
                    // Too long for a file of Outlook: it opens this one, too.
                    Err(cause) if cause.kind() == io::ErrorKind::FileTooLarge => {
                        let name = name_of(*number, &summary.subject, "eml");
                        return written(at.join(name), |to| letter.write(to));
                    }
                    Err(cause) => return Err(cause),
                };
                let file = to_msg(&whole.0, &summary)?;
                written(at.join(name_of(*number, &summary.subject, "msg")), |to| {
                    to.write_all(&file).map(|()| missing)
                })
            }
            Self::Maildir { at, number } => {
                *number += 1;
                let seconds = at_utc.map_or(0, |at| at.unix_timestamp().max(0));
                let marks = flags.to_maildir();
                let name = format!("{seconds}.{number:05}.porter{MAILDIR_SEPARATOR}2,{marks}");
                written(at.join("cur").join(name), |to| letter.write(&mut LinesOfUnix(to)))
            }
        }
    }

    pub(in crate::mail) fn finish(self) -> io::Result<()> {
        match self {
            Self::Mbox(mailbox) => mailbox.finish().map(drop),
            Self::Letters { .. } | Self::Maildir { .. } | Self::Msg { .. } => Ok(()),
        }
    }
}

/// `00012 Spars for the fair.eml`.
fn name_of(number: usize, subject: &str, ending: &str) -> String {
    let subject: String = subject.chars().take(60).collect();
    format!("{number:05} {}.{ending}", portable(&subject))
}

/// A letter in memory, up to a length that Outlook takes.
struct Whole(Vec<u8>);

impl Write for Whole {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        const LONGEST_IN_BYTES: usize = 48 << 20;
        if self.0.len() + bytes.len() > LONGEST_IN_BYTES {
            return Err(io::ErrorKind::FileTooLarge.into());
        }
        self.0.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fn written(at: PathBuf, write: impl FnOnce(&mut dyn Write) -> io::Result<u64>) -> io::Result<WrittenLetter> {
    let mut to = BufWriter::new(File::create_new(&at)?);
    let missing = write(&mut to)?;
    to.flush()?;
    Ok(WrittenLetter { missing, at: Some(at) })
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
