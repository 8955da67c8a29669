//! Paths in the JSON files of profiles.

use crate::crossing::old_paths::OldPaths;
use serde_json::Value;

/// Follows every name of a value that is a path, at the top.
pub fn follow_names(json: &mut Value, paths: &OldPaths) {
    if let Value::Object(rows) = json {
        let all = std::mem::take(rows);
        rows.extend(all.into_iter().map(|(name, value)| (paths.follow(&name).unwrap_or(name), value)));
    }
}

/// Follows every text that is a path, however deep. `serde_json` lets nothing be deeper than 128.
pub fn follow_all(json: &mut Value, paths: &OldPaths) {
    match json {
        Value::String(text) => {
            if let Some(new) = paths.follow(text) {
                *text = new;
            }
        }
        Value::Array(rows) => rows.iter_mut().for_each(|row| follow_all(row, paths)),
        Value::Object(rows) => rows.values_mut().for_each(|row| follow_all(row, paths)),
        _ => {}
    }
}
