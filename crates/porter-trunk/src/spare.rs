//! Spare data.
use crate::{Damage, TrunkError};
use std::io;
use std::path::Path;
pub(crate) fn write(_path: &Path, _name: &str, _percent: f64, _private: bool) -> io::Result<()> {
    Ok(())
}
pub(crate) fn is_spare(name: &str) -> bool {
    name.ends_with(".spare")
}
pub(crate) fn damage_in(_folder: &Path) -> Result<Vec<Damage>, TrunkError> {
    Ok(Vec::new())
}
