//! A path below some folder, exact and unable to leave it.

use std::fmt;

/// More steps than this are refused: no real tree is so deep, and work per step must stay bounded.
pub const MOST_STEPS: usize = 1024;

/// Longest path accepted, in bytes: the 32,767 UTF-16 units that NTFS allows, each at most 3 bytes.
pub const MOST_BYTES: usize = 3 * 32_767;

/// Steps below some folder, each an exact name, joined by `/`.
///
/// The bytes are those of the machine: any bytes from Unix, WTF-8 (UTF-8 that also encodes unpaired
/// surrogates) from Windows. A value of this type never is absolute, never holds `.`, `..`, an empty step or
/// a NUL. It may hold names that *this* system cannot write, such as `NUL` or `a:b`; see [`crate::portable`].
#[derive(Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct RelativePath(Vec<u8>);

/// Why bytes were not taken as a path below a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PathRefused {
    /// It begins with a slash.
    #[error("it is an absolute path")]
    Absolute,
    /// One step is `..`.
    #[error("a step of it is `..`, which leads out of its folder")]
    ParentStep,
    /// One step is `.` or empty.
    #[error("a step of it is empty or `.`")]
    EmptyStep,
    /// It holds a NUL byte.
    #[error("it holds a NUL byte")]
    ContainsNul,
    /// A single name was wanted, and it holds a slash.
    #[error("a single name holds a slash")]
    ContainsSlash,
    /// It has more steps or bytes than any real path.
    #[error("it is longer than any real path ({MOST_STEPS} steps, {MOST_BYTES} bytes)")]
    TooLong,
}

impl RelativePath {
    /// The folder itself.
    pub const fn root() -> Self {
        Self(Vec::new())
    }

    /// Takes bytes with `/` between the steps; empty bytes are the folder itself.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, PathRefused> {
        if bytes.is_empty() {
            return Ok(Self::root());
        }
        if bytes[0] == b'/' {
            return Err(PathRefused::Absolute);
        }
        if is_too_long(bytes) {
            return Err(PathRefused::TooLong);
        }
        for step in bytes.split(|b| *b == b'/') {
            check_name(step)?;
        }
        Ok(Self(bytes.to_vec()))
    }

    /// One step further down.
    pub fn join(&self, name: &[u8]) -> Result<Self, PathRefused> {
        check_name(name)?;
        if name.contains(&b'/') {
            return Err(PathRefused::ContainsSlash);
        }
        self.append(name)
    }

    /// The steps of `below`, after those of `self`.
    pub fn join_path(&self, below: &RelativePath) -> Result<Self, PathRefused> {
        if below.is_root() { Ok(self.clone()) } else { self.append(&below.0) }
    }

    fn append(&self, tail: &[u8]) -> Result<Self, PathRefused> {
        let mut bytes = Vec::with_capacity(self.0.len() + 1 + tail.len());
        bytes.extend_from_slice(&self.0);
        if !bytes.is_empty() {
            bytes.push(b'/');
        }
        bytes.extend_from_slice(tail);
        if is_too_long(&bytes) { Err(PathRefused::TooLong) } else { Ok(Self(bytes)) }
    }

    /// The exact bytes, `/` between steps.
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// True for the folder itself.
    pub fn is_root(&self) -> bool {
        self.0.is_empty()
    }

    /// The exact names, from the top down.
    pub fn steps(&self) -> impl Iterator<Item = &[u8]> {
        self.0.split(|b| *b == b'/').filter(|step| !step.is_empty())
    }

    /// The last step; none for the folder itself.
    pub fn name(&self) -> Option<&[u8]> {
        self.0.rsplit(|b| *b == b'/').next().filter(|step| !step.is_empty())
    }

    /// The path without its last step; none for the folder itself.
    pub fn parent(&self) -> Option<Self> {
        if self.is_root() {
            return None;
        }
        let end = self.0.iter().rposition(|b| *b == b'/').unwrap_or(0);
        Some(Self(self.0[..end].to_vec()))
    }

    /// True when `self` is something in `folder`, not further down.
    pub fn is_directly_in(&self, folder: &RelativePath) -> bool {
        let name_in_bytes = self.name().map_or(0, <[u8]>::len);
        let slash_in_bytes = usize::from(!folder.is_root());
        name_in_bytes > 0
            && self.0.len() == folder.0.len() + slash_in_bytes + name_in_bytes
            && self.0.starts_with(&folder.0)
    }

    /// True when `self` is `folder` or lies below it.
    pub fn is_within(&self, folder: &RelativePath) -> bool {
        folder.is_root()
            || self.0 == folder.0
            || (self.0.starts_with(&folder.0) && self.0.get(folder.0.len()) == Some(&b'/'))
    }

    /// The path without the folder that it is in; none if it is not in it.
    pub fn below(&self, folder: &RelativePath) -> Option<RelativePath> {
        if !self.is_within(folder) {
            return None;
        }
        let mut steps = self.steps().skip(folder.steps().count());
        steps.try_fold(Self::root(), |below, step| below.join(step).ok())
    }
}

fn is_too_long(path: &[u8]) -> bool {
    // Nearly all have fewer bytes than they may have steps, and are not counted through.
    let has_too_many_steps =
        || path.len() >= MOST_STEPS && path.iter().filter(|byte| **byte == b'/').count() >= MOST_STEPS;
    path.len() > MOST_BYTES || has_too_many_steps()
}

fn check_name(name: &[u8]) -> Result<(), PathRefused> {
    match name {
        b".." => Err(PathRefused::ParentStep),
        b"" | b"." => Err(PathRefused::EmptyStep),
        _ if name.contains(&0) => Err(PathRefused::ContainsNul),
        _ => Ok(()),
    }
}

impl fmt::Display for RelativePath {
    /// As [`crate::screen::on_screen`] shows it.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&crate::screen::on_screen(&self.0))
    }
}

impl fmt::Debug for RelativePath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{self}`")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_that_could_leave_its_folder_is_refused_with_its_reason() {
        for (bytes, why) in [
            (&b"/etc/passwd"[..], PathRefused::Absolute),
            (b"a/../b", PathRefused::ParentStep),
            (b"a//b", PathRefused::EmptyStep),
            (b"a/./b", PathRefused::EmptyStep),
            (b"a/", PathRefused::EmptyStep),
            (b"a\0b", PathRefused::ContainsNul),
        ] {
            assert_eq!(RelativePath::from_bytes(bytes), Err(why), "{bytes:?}");
        }
        let deep = vec!["a"; MOST_STEPS + 1].join("/");
        assert_eq!(RelativePath::from_bytes(deep.as_bytes()), Err(PathRefused::TooLong));
        assert_eq!(RelativePath::root().join(b"a/b"), Err(PathRefused::ContainsSlash));
    }

    #[test]
    fn exact_bytes_survive_and_steps_come_back() {
        let path = RelativePath::from_bytes(b"Kites/\xff\xfe/C:\\x").unwrap();
        assert_eq!(path.steps().collect::<Vec<_>>(), [&b"Kites"[..], b"\xff\xfe", b"C:\\x"]);
        assert_eq!(path.name(), Some(&b"C:\\x"[..]));
        let kites = RelativePath::from_bytes(b"Kites").unwrap();
        let folders = [&RelativePath::root(), &kites, &path.parent().unwrap(), &path];
        assert_eq!(folders.map(|folder| path.is_directly_in(folder)), [false, false, true, false]);
        assert!(kites.is_directly_in(&RelativePath::root()) && !RelativePath::root().is_directly_in(&kites));
        assert!(path.is_within(&kites) && !RelativePath::from_bytes(b"Kites2").unwrap().is_within(&kites));
        assert_eq!(kites.parent(), Some(RelativePath::root()));
    }
}
