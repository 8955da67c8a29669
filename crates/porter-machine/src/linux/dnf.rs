//! Which of RPM's packages somebody asked for, by the marks that dnf keeps: the others came with these, or
//! with the system.
//!
//! dnf 5 keeps a table in TOML (`packages.toml`, *libdnf5, system state*): `[packages."kitecad.x86_64"]` with
//! `reason = "User"`. dnf 4 keeps a history in SQLite: the latest row of `trans_item` for a package has its
//! reason, and 2 is *user* (libdnf, `TransactionItemReason.hpp`).

use super::rpm::in_memory;
use crate::small_file::read_at;
use porter_source::Volume;
use serde::Deserialize;
use std::collections::{BTreeMap, HashSet};

const STATE_OF_DNF_5: &str = "usr/lib/sysimage/libdnf5/packages.toml";
const HISTORY_OF_DNF_4: &str = "var/lib/dnf/history.sqlite";
const USER: i64 = 2;

/// The names of packages that somebody asked for; none if no dnf keeps marks there, or they cannot be read.
pub(super) fn asked_for(volume: &dyn Volume) -> Option<HashSet<String>> {
    let state = read_at(volume, STATE_OF_DNF_5).and_then(|file| in_state(&file));
    state.or_else(|| in_history(read_at(volume, HISTORY_OF_DNF_4)?).ok())
}

#[derive(Deserialize)]
struct State {
    packages: BTreeMap<String, Marked>,
}

#[derive(Deserialize)]
struct Marked {
    #[serde(default)]
    reason: String,
}

fn in_state(file: &[u8]) -> Option<HashSet<String>> {
    let state: State = toml::from_str(std::str::from_utf8(file).ok()?).ok()?;
    let asked = state.packages.into_iter().filter(|(_, marked)| marked.reason.eq_ignore_ascii_case("user"));
    // Behind the last full stop stands the architecture.
    Some(
        asked
            .map(|(name, _)| name.rsplit_once('.').map_or(name.clone(), |(name, _)| name.to_owned()))
            .collect(),
    )
}

fn in_history(file: Vec<u8>) -> rusqlite::Result<HashSet<String>> {
    let history = in_memory(file)?;
    let mut rows = history.prepare(
        "SELECT rpm.name, trans_item.reason FROM trans_item JOIN rpm ON rpm.item_id = trans_item.item_id ORDER BY trans_item.id",
    )?;
    let mut latest: BTreeMap<String, i64> = BTreeMap::new();
    for row in rows.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))? {
        let (name, reason) = row?;
        latest.insert(name, reason);
    }
    Ok(latest.into_iter().filter(|(_, reason)| *reason == USER).map(|(name, _)| name).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rusqlite::Connection;

    #[test]
    fn only_what_somebody_asked_for_counts_by_the_latest_mark() {
        let state = b"version = \"1.0\"\n[packages]\n[packages.\"kitecad.x86_64\"]\nreason = \"User\"\n[packages.\"libkite.x86_64\"]\nreason = \
            \"Dependency\"\n[packages.\"bash.x86_64\"]\nreason = \"Group\"\n";
        assert_eq!(in_state(state).unwrap(), HashSet::from(["kitecad".to_owned()]));

        let bench = tempfile::tempdir().unwrap();
        let file = bench.path().join("history.sqlite");
        let made = Connection::open(&file).unwrap();
        made.execute_batch(
            "CREATE TABLE rpm (item_id INTEGER, name TEXT);
             CREATE TABLE trans_item (id INTEGER PRIMARY KEY, item_id INTEGER, reason INTEGER);
             INSERT INTO rpm VALUES (1, 'kitecad'), (2, 'libkite'), (3, 'kitecad'), (4, 'spars');
             INSERT INTO trans_item VALUES (1, 1, 1), (2, 2, 1), (3, 3, 2), (4, 4, 5);",
        )
        .unwrap();
        drop(made);
        let asked = in_history(std::fs::read(&file).unwrap()).unwrap();
        assert_eq!(asked, HashSet::from(["kitecad".to_owned()]));
        assert!(in_history(b"no database".to_vec()).is_err());
    }
}
