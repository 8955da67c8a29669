//! Why a driver from a trunk is not installed, as data.

use serde::{Deserialize, Serialize};

/// Why a printer's driver is not installed. The words are the caller's.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "unfit", rename_all = "kebab-case")]
pub enum DriverUnfit {
    /// Only a Windows that runs, asked by an administrator, installs one.
    NotOnARunningWindows,
    /// It is for another kind of processor.
    OtherProcessor {
        /// `x64`, `x86` or `arm64`; none if the old machine did not say.
        of: Option<String>,
    },
    /// The new Windows is an earlier one than that it came from, or one of the two is not known.
    OlderWindows,
    /// Its setup information is not in the trunk as it was.
    WithoutSetupInformation,
    /// Its setup information does not speak of it.
    NotInItsPackage,
    /// Its package is not signed, or the file that signs it is not in the trunk.
    NotSigned,
    /// Its files were to land, and nobody wished it installed.
    NotWished,
    /// The print system did not take it.
    Refused {
        /// The system's words.
        detail: String,
    },
}
