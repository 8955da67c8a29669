//! Files of a trunk that a new one replaces keep their bytes under another name.

use crate::TrunkError;
use std::fs;
use std::path::Path;

/// Ending of what was replaced.
pub(super) const SET_ASIDE: &str = ".damaged";

/// Renames a damaged file of the trunk, so that a new one can have its name; before that its recovery data,
/// which would be looked for under it.
pub(crate) fn set_aside(path: &Path) -> Result<(), TrunkError> {
    let spare = crate::spare::path_of(path);
    for path in [&spare, path].into_iter().filter(|path| path.symlink_metadata().is_ok()) {
        let mut name = path.as_os_str().to_owned();
        name.push(SET_ASIDE);
        fs::rename(path, name).map_err(|cause| TrunkError::io("setting aside", path, cause))?;
    }
    Ok(())
}
