//! The kinds whose items are values and no files.

use porter_machine::SettingKind;

/// The kind of people's accounts.
pub const ACCOUNT: &str = "account";

/// True for the name of such a kind.
pub fn has_only_values(kind: &str) -> bool {
    SettingKind::is_name(kind) || kind == ACCOUNT
}
