//! Profiles that programs list and register: browsers keep theirs so, and mail programs of the same families.
//!
//! - [`ProfileList`]: how a family of programs keeps its list: [`profiles_ini`] and [`local_state`];
//! - [`ProfileFolder`] and [`Learned`]: a profile's folder, and what was read of it;
//! - [`roots`](roots()): where a program looks;
//! - [`Keeper`]: a program's duties towards its profiles; [`mozilla`]: those that Mozilla's programs share;
//! - [`find`](mod@find), [`landing`], [`proof`]: what is done with all of them. [`Coming`] is the
//!   target of one on the new machine, and its entry in its program's list;
//! - [`in_use`]: whether a program has a profile open.

mod coming;
pub mod find;
mod folder;
pub mod in_use;
pub mod json_paths;
mod keeper;
pub mod landing;
mod learned;
mod list;
pub mod local_state;
pub mod mozilla;
pub mod profiles_ini;
pub mod proof;
mod roots;
pub mod version;

pub use coming::Coming;
pub use folder::ProfileFolder;
pub use keeper::{Keeper, Outside};
pub use learned::Learned;
pub use list::{Entering, NewContent, ProfileList, Registered};
pub use roots::{Root, roots};

use crate::catalogue::CarryRule;
use porter_machine::{Account, Machine};
use porter_names::RelativePath;

/// The profile that a program opens by default: its name and its folder; in words why there is none.
pub fn default_profile(
    machine: &Machine,
    account: &Account,
    rule: &CarryRule,
    list: &dyn ProfileList,
) -> Result<(String, RelativePath), String> {
    let roots = roots(machine, account, rule);
    let profiles = roots.iter().map(|root| list.profiles(machine, &root.on_volume));
    let profiles = profiles.into_iter().find(|profiles| !profiles.is_empty()).unwrap_or_default();
    let profile = profiles.iter().find(|profile| profile.is_default).or(profiles.first());
    let profile = profile.ok_or("it has no profile here yet: start it once, and close it")?;
    let at = profile.folder.clone().map_err(|path| format!("its profile {path} is not there"))?;
    Ok((profile.name.clone(), at))
}
