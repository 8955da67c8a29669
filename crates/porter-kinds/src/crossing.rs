//! From the old machine's places to the new one's: whose things go into which account, and what paths in
//! files become.

pub mod accounts;
pub mod landing_places;
pub mod links;
pub mod old_paths;
pub mod relocate;
