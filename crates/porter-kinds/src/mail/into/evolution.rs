//! An account, a calendar and a list of tasks of their own in Evolution: each is a key file that says what it
//! is, and files in a folder of that name (`e-source.h`, `e-source-camel.h` of Evolution's data server). Its
//! service sees new key files at once, and nothing of what a person has there is touched.

use porter_names::RelativePath;

/// The key files, below a home.
const SOURCES: &str = ".config/evolution/sources";
/// The folders of the data, below a home.
const DATA: &str = ".local/share/evolution";

/// Something that Evolution shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Part {
    /// An account whose mailboxes are files.
    Mail,
    /// A calendar.
    Events,
    /// A list of tasks.
    Tasks,
}

impl Part {
    fn word(self) -> &'static str {
        match self {
            Self::Mail => "mail",
            Self::Events => "events",
            Self::Tasks => "tasks",
        }
    }

    /// Its name among the key files; `mark` is the item's.
    fn uid(self, mark: &str) -> String {
        format!("porter-{mark}-{}", self.word())
    }

    /// Its key file, below a home.
    pub(super) fn key_file(self, mark: &str) -> Option<RelativePath> {
        RelativePath::from_bytes(format!("{SOURCES}/{}.source", self.uid(mark)).as_bytes()).ok()
    }

    /// The folder of its files, below a home.
    pub(super) fn folder(self, mark: &str) -> Option<RelativePath> {
        let kind = match self {
            Self::Mail => "mail",
            Self::Events => "calendar",
            Self::Tasks => "tasks",
        };
        RelativePath::from_bytes(format!("{DATA}/{kind}/{}", self.uid(mark)).as_bytes()).ok()
    }

    /// The file in that folder that all of it is in.
    pub(super) fn file(self) -> Option<&'static str> {
        match self {
            Self::Mail => None,
            Self::Events => Some("calendar.ics"),
            Self::Tasks => Some("tasks.ics"),
        }
    }

    /// The content of its key file. `at` is the folder of its files, as the system writes it.
    pub(super) fn keys(self, title: &str, at: &str) -> String {
        let title: String = title.chars().filter(|c| !c.is_control()).collect();
        let title = title.trim().replace('\\', "\\\\");
        let (parent, section) = match self {
            Self::Mail => {
                let at = at.replace('\\', "\\\\");
                ("", format!("[Mail Account]\nBackendName=mbox\n\n[Mbox Backend]\nPath={at}\n"))
            }
            Self::Events => ("local-stub", "[Calendar]\nBackendName=local\nSelected=true\n".to_owned()),
            Self::Tasks => ("local-stub", "[Task List]\nBackendName=local\nSelected=true\n".to_owned()),
        };
        format!("[Data Source]\nDisplayName={title}\nEnabled=true\nParent={parent}\n\n{section}")
    }
}
