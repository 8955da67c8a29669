//! Windows' names of time zones and those of the IANA database, from Unicode's CLDR into the table that
//! porter-machine reads.
//!
//! `npm pack cldr-core cldr-bcp47`, and unpack both into one folder.

use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

/// Rewrites the table, from the folder of the two packages.
pub(crate) fn make(folder: &Path) -> Result<(), String> {
    let read = |name: &str| -> Result<Value, String> {
        let path = folder.join(name);
        let text = std::fs::read(&path).map_err(|cause| format!("{}: {cause}", path.display()))?;
        serde_json::from_slice(&text).map_err(|cause| format!("{}: {cause}", path.display()))
    };
    let (zones, names) = (read("supplemental/windowsZones.json")?, read("bcp47/timezone.json")?);
    let version = &zones["supplemental"]["version"]["_cldrVersion"];
    let version = version.as_str().ok_or("no version")?;
    let table = table(&zones, &names).ok_or("the files are not of the shape that CLDR 48 has")?;
    let text = format!(
        "# Windows' name, and the names of the IANA database for it, the usual one first.\n\
         # Made by `cargo xtask time-zones` from Unicode CLDR {version}; see LICENSE-UNICODE.\n{table}"
    );
    let to = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/porter-machine/src/time_zone/zones.tsv");
    std::fs::write(&to, text).map_err(|cause| format!("{}: {cause}", to.display()))
}

fn table(zones: &Value, names: &Value) -> Option<String> {
    // All names of a zone by each of them, the one that IANA uses today first.
    let mut same: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for zone in names["keyword"]["u"]["tz"].as_object()?.values() {
        // The key itself has a description among its zones, and some zones have no name.
        let Some(all) = zone["_alias"].as_str() else { continue };
        let all: Vec<&str> = all.split(' ').collect();
        let of_today = zone["_iana"].as_str().or(all.first().copied())?;
        let rest = all.iter().copied().filter(|name| *name != of_today);
        let of_today_first: Vec<&str> = std::iter::once(of_today).chain(rest).collect();
        for name in all {
            same.insert(name, of_today_first.clone());
        }
    }
    let mut rows: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    let zones = zones["supplemental"]["windowsZones"]["mapTimezones"].as_array()?;
    let zones = || zones.iter().map(|zone| &zone["mapZone"]);
    // The world's first name comes before those of single countries.
    let of_the_world = zones().filter(|zone| zone["_territory"] == "001");
    for zone in of_the_world.chain(zones().filter(|zone| zone["_territory"] != "001")) {
        let row = rows.entry(zone["_other"].as_str()?).or_default();
        for name in zone["_type"].as_str()?.split(' ') {
            for name in same.get(name).cloned().unwrap_or_else(|| vec![name]) {
                if !row.contains(&name) {
                    row.push(name);
                }
            }
        }
    }
    let mut table = String::new();
    for (windows, names) in rows {
        writeln!(table, "{windows}\t{}", names.join(" ")).ok()?;
    }
    Some(table)
}
