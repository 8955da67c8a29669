//! Rules that all browsers of an engine share, in files of their own below `catalogue/engine/`.

use super::CatalogueError;
use super::registry::RegistryPart;
use super::rule::{EngineName, Within};
use serde::Deserialize;

/// The tables of one engine.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct EngineTables {
    /// Why what lies beside the profiles stays in the trunk.
    pub(super) beside: String,
    /// Files that are not captured of any of its browsers.
    #[serde(default)]
    pub(super) leave: Vec<Within>,
    /// Its browsers' keys in a person's registry, below the key that is the browser's own.
    #[serde(default)]
    pub(super) registry: Vec<RegistryPart>,
}

impl EngineName {
    /// The tables, as they are written. Mozilla's programs have most of them in common.
    pub fn text(self) -> &'static str {
        match self {
            Self::Gecko => concat!(include_str!("engine/gecko.toml"), include_str!("engine/mozilla.toml")),
            Self::Chromium => include_str!("engine/chromium.toml"),
            Self::Thunderbird => {
                concat!(include_str!("engine/thunderbird.toml"), include_str!("engine/mozilla.toml"))
            }
            Self::Safari => include_str!("engine/safari.toml"),
        }
    }

    pub(super) fn tables(self) -> Result<EngineTables, CatalogueError> {
        Ok(toml::from_str(self.text())?)
    }
}
