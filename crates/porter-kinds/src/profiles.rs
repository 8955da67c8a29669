//! Profiles that programs list and register: browsers keep theirs so, and mail programs of the same families.
//!
//! - [`ProfileList`]: how a family of programs keeps its list: [`profiles_ini`] and [`local_state`];
//! - [`ProfileFolder`] and [`Learned`]: a profile's folder, and what was read of it;
//! - [`roots`](roots()): where a program looks;
//! - [`Coming`]: the target of a profile on the new machine, and its entry in its program's list;
//! - [`in_use`]: whether a program has a profile open.

mod coming;
mod folder;
pub mod in_use;
mod learned;
mod list;
pub mod local_state;
pub mod profiles_ini;
mod roots;
pub mod version;

pub use coming::Coming;
pub use folder::ProfileFolder;
pub use learned::Learned;
pub use list::{Entering, NewContent, ProfileList, Registered};
pub use roots::{Root, roots};
