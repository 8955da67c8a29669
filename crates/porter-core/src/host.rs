//! Calls to the system that a restore runs on.

#[cfg(unix)]
#[path = "host/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "host/windows.rs"]
mod system;

pub(crate) use system::{
    Folder, Owner, begin_writing_back, copy_marks, flush, keep_from_others, make_link, most_bytes_in_name,
    most_bytes_in_path, open_to_read, owner_like, remove_file, rename_without_replacing, set_file_metadata,
    set_folder_metadata, set_folder_owner, set_folder_time, set_link_metadata, set_nameless_metadata,
};
