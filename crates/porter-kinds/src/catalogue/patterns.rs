//! Patterns over paths. `*` is any part of one name, `?` one character, `**/` any number of folders; case
//! does not matter.

pub use globset::Candidate;
use globset::{Glob, GlobBuilder, GlobMatcher, GlobSet, GlobSetBuilder};
use porter_names::{PathRefused, RelativePath, fold};
use porter_source::EntryKind;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// Patterns; a path fits if one of them fits.
#[derive(Debug, Clone, Default)]
pub struct Patterns {
    texts: Vec<String>,
    set: GlobSet,
}

impl Patterns {
    /// Fails for a text that is not a pattern.
    pub fn new(texts: Vec<String>) -> Result<Self, PatternRefused> {
        let mut set = GlobSetBuilder::new();
        for text in &texts {
            set.add(path_glob(text)?);
        }
        Ok(Self { set: set.build()?, texts })
    }

    /// As they were written.
    pub fn texts(&self) -> &[String] {
        &self.texts
    }

    /// True if there are none.
    pub fn is_empty(&self) -> bool {
        self.texts.is_empty()
    }

    /// True if one of them fits.
    pub fn fit(&self, path: &Candidate<'_>) -> bool {
        !self.is_empty() && self.set.is_match_candidate(path)
    }
}

/// Those for entries of a kind.
pub fn of_kind<'p>(
    kind: EntryKind,
    folders: &'p Patterns,
    files: &'p Patterns,
    links: &'p Patterns,
) -> &'p Patterns {
    match kind {
        EntryKind::Folder => folders,
        EntryKind::Link => links,
        EntryKind::File | EntryKind::Other => files,
    }
}

/// A path to be held against patterns, made once for many of them: in lower case, as the patterns are. Bytes
/// that are not Unicode match no pattern but `*`.
pub fn in_lower_case(path: &RelativePath) -> String {
    String::from_utf8_lossy(&path.as_bytes().to_ascii_lowercase()).into_owned()
}

/// Why a text is not a pattern.
#[derive(Debug, thiserror::Error)]
pub enum PatternRefused {
    /// It holds more `{` than anybody writes.
    #[error("a pattern holds at most {MOST_BRACES} `{{`")]
    TooDeep,
    /// It is malformed.
    #[error(transparent)]
    Malformed(#[from] globset::Error),
}

/// `globset` calls itself for each `{…}` within another and would run out of stack. All of them are counted,
/// for which of them stand within each other is known to its parser alone: a `}` may be quoted or stand in
/// `[…]`.
const MOST_BRACES: usize = 64;

/// Fails for a text that is not a pattern.
pub fn glob(text: &str, configure: impl FnOnce(&mut GlobBuilder<'_>)) -> Result<Glob, PatternRefused> {
    if text.bytes().filter(|sign| *sign == b'{').count() > MOST_BRACES {
        return Err(PatternRefused::TooDeep);
    }
    let mut builder = GlobBuilder::new(text);
    configure(&mut builder);
    Ok(builder.build()?)
}

fn path_glob(text: &str) -> Result<Glob, PatternRefused> {
    glob(&text.to_ascii_lowercase(), |builder| {
        builder.literal_separator(true);
    })
}

impl<'de> Deserialize<'de> for Patterns {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Self::new(Vec::deserialize(deserializer)?).map_err(serde::de::Error::custom)
    }
}

impl Serialize for Patterns {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.texts.serialize(serializer)
    }
}

/// A path below a place, step by step; each step is a name or a pattern over names.
#[derive(Debug, Clone)]
pub struct PathPattern {
    text: String,
    /// The steps.
    pub steps: Vec<Step>,
}

/// A step of a [`PathPattern`].
#[derive(Debug, Clone)]
pub enum Step {
    /// A name.
    Name(String),
    /// A pattern over names.
    Pattern(GlobMatcher),
}

impl PathPattern {
    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The path, if it holds no pattern.
    pub fn literal(&self) -> Option<RelativePath> {
        let is_name = |step: &Step| matches!(step, Step::Name(_));
        if self.steps.iter().all(is_name) { path_in(&self.text).ok() } else { None }
    }

    /// True if a path is what the pattern leads to, or below that.
    pub fn begins(&self, path: &RelativePath) -> bool {
        let mut names = path.steps();
        self.steps.iter().all(|step| {
            names.next().is_some_and(|name| match step {
                Step::Name(own) => fold::same_name(own.as_bytes(), name),
                Step::Pattern(matcher) => {
                    let name = RelativePath::root().join(name);
                    name.is_ok_and(|name| matcher.is_match(in_lower_case(&name)))
                }
            })
        })
    }

    /// The folder above, if only the last step is a pattern.
    pub fn parent_if_last_is_pattern(&self) -> Option<RelativePath> {
        let (last, above) = self.steps.split_last()?;
        let is_name = |step: &Step| matches!(step, Step::Name(_));
        if is_name(last) || !above.iter().all(is_name) { None } else { path_in(&self.text).ok()?.parent() }
    }
}

fn path_in(text: &str) -> Result<RelativePath, PathRefused> {
    RelativePath::from_bytes(text.as_bytes())
}

impl<'de> Deserialize<'de> for PathPattern {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        use serde::de::Error;
        let text = String::deserialize(deserializer)?;
        if text.contains('\\') {
            return Err(D::Error::custom("write `/` between the steps of a path, on all systems"));
        }
        // Refuses absolute paths, `..` and empty steps.
        path_in(&text).map_err(D::Error::custom)?;
        let step = |step: &str| {
            if step.contains("**") {
                return Err(D::Error::custom("`**` cannot stand in a path: say where it is, step by step"));
            }
            if !step.contains(['*', '?', '[', '{']) {
                return Ok(Step::Name(step.to_owned()));
            }
            Ok(Step::Pattern(path_glob(step).map_err(D::Error::custom)?.compile_matcher()))
        };
        let steps = text.split('/').map(step).collect::<Result<_, _>>()?;
        Ok(Self { text, steps })
    }
}
