//! The programs that run on the running machine, by the names of their processes.

#[cfg(unix)]
#[path = "running/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "running/windows.rs"]
mod system;

use std::collections::BTreeSet;

/// Linux keeps at most this much of a process's name.
const KEPT_OF_A_NAME: usize = 15;

/// All visible ones, as [`comparable`] writes them.
pub fn running_programs() -> BTreeSet<String> {
    system::names().iter().map(|name| comparable(name)).collect()
}

/// A name in the form in which it is compared: without `.exe`, in lower case, as long as Linux keeps it.
pub fn comparable(name: &str) -> String {
    let name = name.to_lowercase();
    name.strip_suffix(".exe").unwrap_or(&name).chars().take(KEPT_OF_A_NAME).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn this_very_program_is_seen_running() {
        let own = std::env::current_exe().unwrap();
        let own = own.file_name().unwrap().to_string_lossy().into_owned();
        assert!(running_programs().contains(&comparable(&own)), "{own}");
        assert!(!running_programs().contains("kite-post"));
        assert_eq!(comparable("KitePost.EXE"), "kitepost");
    }
}
